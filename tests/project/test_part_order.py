"""Orders of plies judged by the part: against every order, and against the whole program."""

import dataclasses
import itertools

import numpy as np
import pytest

from tartan.core.errors import TartanError
from tartan.core.search.goals import Slots, slots_goal
from tartan.core.search.ordering import Found
from tartan.core.search.shoprules import ShopRule
from tartan.core.stack import Ply, Stack
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import solve_now
from tartan.project.analysis.ordering import plies_of
from tartan.project.analysis.part_order import OnPart, searched, slots_of
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import OrderAsk, OrderGoal
from tartan.project.document.partmodel import FrequencyRequirement, Rung
from tests.project.test_sized import panel

UD = [Ply("UD carbon", a, 0.15e-3) for a in (0.0, 45.0, -45.0, 90.0)]


def plate(*, symmetric: bool = True) -> Project:
    """The panel with a longer skin that can be put in order, a doubler laid on its pad."""
    plies = (UD[3], UD[1], UD[2], UD[0])
    skin = Stack("skin", (*plies, *plies[::-1]) if symmetric else (*plies, UD[0], UD[3]))
    project = panel()
    assert project.part is not None
    rungs = (Rung(stack="skin"), Rung("pad", stack="doubler"))
    return dataclasses.replace(
        project,
        stacks=(skin, *project.stacks[1:]),
        part=dataclasses.replace(project.part, lay_up=rungs, reference_surface="middle"),
        requirements=(FrequencyRequirement(1.0),),
    )


def with_order(project: Project, plies: tuple[Ply, ...]) -> tuple[float, float]:
    """Greatest displacement and first frequency with the skin in an order, solved in full."""
    stacks = tuple(s.with_plies(plies) if s.name == "skin" else s for s in project.stacks)
    answer = solve_now(part_inputs(dataclasses.replace(project, stacks=stacks)))
    moved = np.linalg.norm(answer.solution.displacement[..., :3], axis=-1).max()
    return float(moved), float(answer.modes[0].values[0])


def ended(project: Project, ask: OrderAsk) -> Found:
    *_, (_, found) = searched(project, ask)
    return found


@pytest.mark.parametrize("figure", ["part-displacement", "part-frequency"])
def test_the_best_order_is_that_of_all(figure: str) -> None:
    project = plate()
    ask = OrderAsk("skin", (OrderGoal(figure),))
    plies = plies_of(project, ask)
    which = figure == "part-frequency"
    every = {
        order: with_order(project, plies.plies(order))[which]
        for order in set(itertools.permutations(range(4)))
    }
    best = (max if which else min)(every.values())
    found = ended(project, ask)
    assert found.best is not None
    assert found.best.values[0] == pytest.approx(best, rel=1e-9)
    # Every step of the history was solved, and is what it is said to be.
    for step in found.history:
        assert step.values[0] == pytest.approx(every[step.order], rel=1e-9)
    assert not found.proved


def test_every_place_is_worth_what_the_program_says_of_a_small_turn() -> None:
    project = plate(symmetric=False)
    skin = project.stacks[0].plies
    near = [dataclasses.replace(p, angle=p.angle + 0.01) for p in skin]
    asked = OnPart("skin", skin, (*skin, *near), ("part-displacement", "part-frequency"))
    slots = slots_of(project, asked)
    base = with_order(project, skin)
    for k, figure in enumerate(asked.figures):
        row = int(np.argmax(slots[figure].at)) if k == 0 else 0
        assert slots[figure].at[row] == pytest.approx(base[k])
        for place in range(len(skin)):
            # The ply as it lies changes nothing.
            assert slots[figure].slope[row, place, place] == pytest.approx(0.0, abs=1e-12)
            turned = [*skin]
            turned[place] = near[place]
            back = [*skin]
            back[place] = dataclasses.replace(skin[place], angle=skin[place].angle - 0.01)
            up, down = (with_order(project, tuple(x))[k] for x in (turned, back))
            exact = (up - down) / 2
            found = slots[figure].slope[row, place, len(skin) + place]
            # Of the shear stiffness what depends on the order is left out.
            assert found == pytest.approx(exact, rel=0.02, abs=3e-7 * base[k])


def test_rules_and_limits_hold_for_goals_of_the_part() -> None:
    project = dataclasses.replace(plate(), shop_rules=(ShopRule("cover", angles=(90.0,)),))
    free = ended(plate(), OrderAsk("skin", (OrderGoal("part-displacement"),)))
    tied = ended(project, OrderAsk("skin", (OrderGoal("part-displacement"),)))
    assert free.best is not None
    assert tied.best is not None
    plies = plies_of(project, OrderAsk("skin"))
    assert plies.plies(tied.best.order)[0].angle == 90.0
    assert tied.best.values[0] >= free.best.values[0] * (1 - 1e-9)
    several = ended(plate(), OrderAsk("skin", (OrderGoal("part-displacement"), OrderGoal("D22"))))
    assert several.front
    values = [j.values for j in several.front]
    for one, other in itertools.permutations(values, 2):
        assert not (one[0] <= other[0] and one[1] >= other[1] and one != other)


def test_a_limit_that_none_meets_is_neared_step_by_step() -> None:
    found = ended(plate(), OrderAsk("skin", (OrderGoal("part-displacement", 1e-9),)))
    merits = [j.merit for j in found.history]
    assert merits == sorted(set(merits))
    assert merits[-1] < 0
    moved = [j.values[0] for j in found.history]
    assert moved == sorted(moved, reverse=True)


def test_what_the_part_cannot_say_is_refused() -> None:
    project = plate()
    assert project.part is not None
    other = dataclasses.replace(
        project,
        stacks=(*project.stacks, Stack("apart", (UD[0], UD[3], UD[3], UD[0]))),
    )
    for name, changed, words in (
        ("apart", other, "not laid on the part"),
        ("skin", dataclasses.replace(project, part=None), "no part"),
        ("skin", dataclasses.replace(project, cases=()), "no load case"),
        ("skin", dataclasses.replace(project, supports=()), "no supports"),
    ):
        with pytest.raises(TartanError, match=words) as caught:
            ended(changed, OrderAsk(name, (OrderGoal("part-displacement"),)))
        assert caught.value.mend


def test_a_goal_by_places_takes_the_worst_of_its_rows() -> None:
    slope = np.zeros((2, 3, 2))
    slope[0, 0, 1], slope[1, 2, 1] = 0.5, 3.0
    goal = slots_goal("part-displacement", Slots(np.array([2.0, 1.0]), slope), more=False)
    orders = np.array([[0, 0, 0], [1, 0, 0], [0, 0, 1]], np.int8)
    np.testing.assert_allclose(goal.value(orders), [2.0, 2.5, 4.0])
