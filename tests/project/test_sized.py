"""Sizing of a part: designs, their slopes, the lightest of all combinations, and refusals."""

import dataclasses
import itertools
from collections.abc import Iterator, Sequence

import numpy as np
import pytest

from tartan.core.errors import DocumentError
from tartan.core.shell.mesh import Pad, Panel
from tartan.core.stack import Ply, Stack
from tartan.core.stack.plies import is_symmetric
from tartan.exchange.sizing_tables import zones_table
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.analysis.jobs import solve_now
from tartan.project.analysis.size_proposals import proposals
from tartan.project.analysis.sized import spread
from tartan.project.document import samples
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    BucklingRequirement,
    Case,
    DisplacementRequirement,
    EdgeForce,
    FrequencyRequirement,
    MassRequirement,
    Part,
    Pressure,
    ReserveRequirement,
    Rung,
    Support,
)
from tartan.project.document.sizingmodel import SizeAsk, SizeFound
from tartan.project.edits import sizing_edits
from tartan.project.files.storage import from_text, to_text
from tartan.project.findings.size_points import Sizing, Task, answer_point
from tartan.project.findings.size_rules import choices_of, rules_of
from tartan.project.findings.size_words import thinner_words
from tartan.project.findings.sizing import sized, sizing_of
from tartan.project.findings.verdict import statuses
from tests.panels import dish_panel

FACE = Stack(
    "skin",
    (
        Ply("woven carbon", 45.0, 0.2e-3),
        Ply("UD carbon", 0.0, 0.15e-3),
        Ply("UD carbon", 90.0, 0.15e-3),
        Ply("UD carbon", 0.0, 0.15e-3),
        Ply("woven carbon", 45.0, 0.2e-3),
    ),
)


def panel(**changes: object) -> Project:
    """Flat plate of a symmetric skin with a doubler, a little stack and a core strip on a pad."""
    doubler = Stack("doubler", (Ply("UD carbon", 30.0, 0.15e-3), Ply("UD carbon", 60.0, 0.15e-3)))
    part = Part(
        Panel(0.6, 0.4, pads=(Pad("pad", 0.24, 0.0, 0.1),)),
        0.08,
        (
            Rung(stack="skin"),
            Rung("pad", stack="doubler"),
            Rung("pad", ply=Ply("UD carbon", 10.0, 0.15e-3)),
            Rung("pad", ply=Ply("honeycomb", 0.0, 2e-3)),
            Rung(stack="skin"),
        ),
        reference_surface="bottom",
    )
    project = dataclasses.replace(
        dish_panel(),
        stacks=(FACE, doubler),
        part=part,
        supports=(Support("left edge", "clamped"),),
        cases=(
            Case("press", (Pressure(60.0),)),
            Case("push", (EdgeForce("right edge", (-300.0, 40.0, 0.0)),)),
        ),
        combinations=(),
        load_cases=(),
        requirements=(
            ReserveRequirement(1.5),
            DisplacementRequirement(4e-3, "press"),
            DisplacementRequirement(3e-3, "", "normal"),
            BucklingRequirement(3.0, "push"),
            FrequencyRequirement(12.0),
            MassRequirement(2.0),
        ),
    )
    return dataclasses.replace(project, **changes)  # type: ignore[arg-type]


def asked(project: Project, **values: Sequence[float]) -> SizeAsk:
    """What may change by its words, such as ``skin0`` for the plies of skin at 0°."""
    found = []
    for variable in proposals(project):
        name = (
            f"{variable.stack}{variable.angle:g}"
            if variable.rung < 0
            else f"{variable.kind}{variable.rung}"
        )
        on = name in values
        own = tuple(map(float, values[name])) if on else variable.values
        found.append(dataclasses.replace(variable, active=on, values=own))
    assert sum(v.active for v in found) == len(values)
    return SizeAsk(tuple(found))


ALL = {
    "skin45": (2, 4, 6),
    "skin0": (2, 4, 6),
    "skin90": (1, 3),
    "laid1": (0, 1),
    "angle1": (-20, 0, 20),
    "plies2": (0, 1, 2),
    "angle2": (-10, 10, 40),
    "core3": (1e-3, 2e-3, 4e-3),
}


def point(sizing: Sizing, **values: float) -> tuple[float, ...]:
    """One value a group, by the name of its first."""
    found = []
    for group in sizing.groups:
        v = sizing.variables[group[0]]
        found.append(values[f"{v.stack}{v.angle:g}" if v.rung < 0 else f"{v.kind}{v.rung}"])
    return tuple(found)


@pytest.mark.parametrize("places", range(1, 8))
@pytest.mark.parametrize("symmetric", [False, True])
def test_plies_are_spread_evenly_and_outside_first(places: int, symmetric: bool) -> None:
    for count in range(14):
        if symmetric and count % 2 and places % 2 == 0:
            with pytest.raises(DocumentError, match="even"):
                spread(count, range(places), symmetric=True)
            continue
        found = spread(count, range(places), symmetric=symmetric)
        assert sum(found) == count
        assert max(found) - min(found) <= (2 if symmetric else 1)
        if symmetric:
            assert found == found[::-1]
        if count >= 2 and places > 1:
            # The outermost places are never without one while others have some.
            assert min(found[0], found[-1]) > 0


def test_everything_of_the_lay_up_is_proposed() -> None:
    found = proposals(panel())
    kinds = [(v.kind, v.stack or v.rung) for v in found if v.active]
    assert kinds == [
        ("plies", "skin"),
        ("plies", "skin"),
        ("plies", "skin"),
        ("plies", "doubler"),
        ("plies", "doubler"),
        ("plies", 2),
        ("core", 3),
    ]
    # A symmetric stack without a ply in its middle takes even numbers.
    assert found[0].values == (2.0, 4.0, 6.0)
    assert found[2].values == (1.0, 2.0, 3.0, 4.0, 5.0)
    waiting = [(v.kind, v.rung) for v in found if not v.active]
    assert waiting == [("laid", 1), ("angle", 1), ("angle", 2)]


def test_what_is_wound_and_what_it_lies_on_are_not_proposed() -> None:
    project = samples.breathing_air_cylinder()
    assert proposals(project) == ()
    assert project.part is not None
    over = Rung(ply=Ply("woven carbon", 45.0, 0.2e-3))
    more = dataclasses.replace(
        project,
        materials=(*project.materials, *dish_panel().materials[:1]),
        part=dataclasses.replace(project.part, lay_up=(*project.part.lay_up, over)),
    )
    (kept,) = [v for v in proposals(more) if v.active]
    assert kept.rung == len(project.part.lay_up)


def test_a_solid_design_has_the_plies_it_says() -> None:
    project = panel()
    sizing = sizing_of(project, asked(project, **ALL))
    made = sizing.design(
        point(
            sizing,
            skin45=4,
            skin0=6,
            skin90=3,
            laid1=0,
            angle1=20,
            plies2=2,
            angle2=40,
            core3=4e-3,
        ),
        solid=True,
    ).project
    skin = made.stack("skin")
    assert skin is not None
    assert is_symmetric(skin.plies)
    angles = [p.angle for p in skin.plies]
    assert angles == [45, 45, 0, 0, 0, 90, 90, 90, 0, 0, 0, 45, 45]
    assert made.part is not None
    rungs = made.part.lay_up
    assert [r.active for r in rungs] == [True, False, True, True, True, True]
    assert rungs[1].turn == 20
    assert [r.ply.angle for r in rungs[2:4] if r.ply] == [40, 40]
    assert rungs[4].ply is not None
    assert rungs[4].ply.thickness == 4e-3
    # What is not asked for stays the same object, and the project before is as it was.
    assert made.cases is project.cases
    assert project == panel()


def test_its_mass_and_price_are_what_the_choices_cost() -> None:
    project = panel()
    rng = np.random.default_rng(1)
    for least in ("mass", "cost"):
        ask = dataclasses.replace(asked(project, **ALL), least=least)
        sizing = sizing_of(project, ask)
        choices = choices_of(sizing, ask)
        for _ in range(12):
            chosen = tuple(float(rng.choice(v)) for v in choices.values)
            layout = layout_of(part_inputs(sizing.design(chosen, solid=True).project))
            exact = layout.mass() if least == "mass" else layout.cost()
            assert choices.cost_of(chosen) == pytest.approx(exact, rel=1e-12)


def test_merged_and_solid_designs_answer_alike() -> None:
    project = panel()
    sizing = sizing_of(
        project, asked(project, skin45=(2, 4), skin0=(2, 6), plies2=(1, 3), core3=(2e-3,))
    )
    where = point(sizing, skin45=4, skin0=6, plies2=3, core3=2e-3)
    for requirement in project.requirements:
        values = []
        for solid in (False, True):
            made = sizing.design(where, solid=solid).project
            found = statuses(made, solve_now(part_inputs(made)))
            values.append(next(s.value for s in found if s.requirement == requirement))
        assert values[0] == pytest.approx(values[1], rel=1e-9)


def difference(sizing: Sizing, at: Sequence[float], steps: np.ndarray) -> np.ndarray:
    """What one of the steps, of every group at once, changes each value by."""

    def of(k: int) -> np.ndarray:
        found = answer_point(sizing, Task(tuple(np.array(at) + k * steps), solid=False))
        assert not found.fault
        return found.values

    return (8 * (of(1) - of(-1)) - (of(2) - of(-2))) / 12


def test_every_group_has_the_slopes_of_the_whole_program() -> None:
    project = panel()
    # Two that are linked take one value.
    ask = asked(project, doubler60=(1, 2, 3), doubler30=(1, 2, 3), **ALL)
    linked = tuple(
        dataclasses.replace(v, link="pair") if v.stack == "doubler" and v.rung < 0 else v
        for v in ask.variables
    )
    sizing = sizing_of(project, dataclasses.replace(ask, variables=linked))
    assert len(sizing.groups) == len(ALL) + 1
    at = point(
        sizing, skin45=2.7, skin0=3.2, skin90=1.6, laid1=0.7, angle1=7.0, plies2=1.3,
        angle2=14.0, core3=2.4e-3, doubler30=1.5,
    )  # fmt: skip
    found = answer_point(sizing, Task(at, solid=False))
    # One row a requirement and case, of the reserve factor one a zone; the mass is the last.
    assert len(found.values) >= len(project.requirements)
    kinds = [sizing.variables[group[0]].kind for group in sizing.groups]
    step = np.array([{"angle": 0.05, "core": 5e-6}.get(kind, 5e-3) for kind in kinds])
    floor = 1e-9 * np.abs(found.values)
    # Three groups at a time, so that four solutions tell the slopes of all three.
    for first in range(3):
        own = np.where(np.arange(len(step)) % 3 == first, step, 0.0)
        exact = difference(sizing, at, own)
        each = found.slopes * own
        largest = np.abs(each).max(axis=1)
        assert (np.abs(each.sum(axis=1) - exact) <= 1e-5 * largest + floor).all(), first


def last(steps: Iterator[object]) -> SizeFound:
    *_, news = steps
    return news.found  # type: ignore[attr-defined,no-any-return]


@pytest.mark.parametrize("least", ["mass", "cost"])
def test_two_numbers_of_plies_are_the_best_of_all_combinations(least: str) -> None:
    project = panel(requirements=(ReserveRequirement(2.0), DisplacementRequirement(9e-3, "press")))
    own = {"skin45": (2, 4, 6, 8), "skin0": (2, 4, 6, 8)}
    ask = dataclasses.replace(asked(project, **own), least=least)
    sizing = sizing_of(project, ask)
    choices = choices_of(sizing, ask)
    costs = {}
    for chosen in itertools.product(*choices.values):
        made = sizing.design(chosen, solid=True).project
        if all(s.met for s in statuses(made, solve_now(part_inputs(made)))):
            costs[chosen] = choices.cost_of(chosen)
    # Some hold, and neither the least nor all of them.
    assert 0 < len(costs) < 16
    found = last(sized(project, ask))
    assert found.steps[-1].values == min(costs, key=lambda p: costs[p])
    assert found.steps[-1].holds
    assert found.proved
    assert found.stops
    assert all(s.worst < 1 for s in found.stops)


def test_what_holds_was_solved_and_can_be_taken() -> None:
    project = panel(requirements=(ReserveRequirement(2.0), DisplacementRequirement(9e-3, "press")))
    ask = asked(project, skin45=(2, 4, 6), skin0=(2, 4, 6), plies2=(0, 1, 2, 3), laid1=(0, 1))
    found = last(sized(project, ask))
    best = found.steps[-1]
    sizing = sizing_of(project, ask)
    chosen, values = sizing.changes(best.values)
    step = dataclasses.replace(best, values=tuple(values))
    taken = sizing_edits.take_design(project, chosen, step, found)
    answer = solve_now(part_inputs(taken))
    assert answer.layout().mass() == pytest.approx(best.mass)
    reached = statuses(taken, answer)
    assert all(s.met for s in reached)
    assert min(s.ratio for s in reached) == pytest.approx(best.worst)
    # The file keeps how it was found.
    again = from_text(to_text(taken))
    assert again == taken
    assert again.sizing.found == found


def test_where_nothing_holds_the_nearest_is_told() -> None:
    project = panel(requirements=(DisplacementRequirement(1e-9, "press"),))
    found = last(sized(project, asked(project, skin0=(2, 4), plies2=(0, 1))))
    assert not found.steps
    assert found.nearest is not None
    assert found.nearest.values == (4.0, 1.0)
    assert not found.nearest.holds
    assert "Displacement" in found.nearest.governs


def test_plies_that_end_at_a_border_are_counted() -> None:
    project = panel(requirements=(ReserveRequirement(1.0),))
    ask = dataclasses.replace(asked(project, plies2=(0, 1, 2, 3, 4), laid1=(0, 1)), most_dropped=4)
    sizing = sizing_of(project, ask)
    (rule,) = rules_of(sizing, ask)
    for laid, count in itertools.product((0, 1), range(5)):
        chosen = point(sizing, laid1=laid, plies2=count)
        layout = layout_of(part_inputs(sizing.design(chosen, solid=True).project))
        zones = [set(p) for p in layout.zones.plies]
        ends = max((len(a - b) for a in zones for b in zones), default=0)
        # The core is one of them.
        assert ends == 1 + 2 * laid + count
        assert (rule.factors @ np.array(chosen) <= rule.most) == (ends <= 4)


def test_outermost_plies_stay_where_they_have_to() -> None:
    project = panel()
    ask = asked(project, skin45=(0, 2, 4), skin0=(0, 2))
    free = choices_of(sizing_of(project, ask), ask)
    assert free.values == ((0.0, 2.0, 4.0), (0.0, 2.0))
    covers = dataclasses.replace(ask, covers=True)
    assert choices_of(sizing_of(project, covers), covers).values == ((2.0, 4.0), (0.0, 2.0))


def test_every_zone_says_why_it_is_not_thinner() -> None:
    project = panel(requirements=(ReserveRequirement(2.0), DisplacementRequirement(9e-3, "press")))
    ask = asked(project, skin45=(2, 4, 6), skin0=(2, 4, 6), plies2=(0, 1, 2, 3))
    found = last(sized(project, ask))
    best = found.steps[-1]
    names = [v.kind if v.rung >= 0 else v.angle for v in found.variables]
    made = sizing_of(project, ask).design(best.values, solid=True).project
    layout = layout_of(part_inputs(made))
    # Thickness of the plate and of the pad by adding up plies: the skin is laid twice.
    before = {"whole": 2 * 0.85e-3, "pad": 2 * 0.85e-3 + 2 * 0.15e-3 + 0.15e-3 + 2e-3}
    count = dict(zip(names, best.values, strict=True))
    skin = 2 * (count[45.0] * 0.2e-3 + count[0.0] * 0.15e-3 + 0.15e-3)
    after = {"whole": skin, "pad": skin + 0.3e-3 + count["plies"] * 0.15e-3 + 2e-3}
    assert len(found.zones) == len(layout.zones.laminates) == 2
    for zone in found.zones:
        own = "pad" if "pad" in zone.name else "whole"
        assert zone.before == pytest.approx(before[own])
        assert zone.after == pytest.approx(after[own])
        reaches = {names[n] for n in zone.variables}
        pad = {"plies"} if own == "pad" and count["plies"] else set()
        assert reaches == {45.0, 0.0} | pad
        # What is told fails by least of all that could be less there.
        words = thinner_words(found, zone)
        stops = [s for s in found.stops if s.variable in zone.variables]
        if stops:
            nearest = max(stops, key=lambda s: s.worst)
            assert nearest.governs in words
            assert found.names[nearest.variable] in words
            less = list(best.values)
            less[nearest.variable] = nearest.value
            thin = sizing_of(project, ask).design(less, solid=True).project
            reached = statuses(thin, solve_now(part_inputs(thin)))
            # What fails clearly was judged with a sliver of what is away still there.
            assert min(s.ratio for s in reached) == pytest.approx(nearest.worst, rel=5e-3)
            assert nearest.worst < 1
        else:
            assert words == "the least there is"
    assert any(s.variable in z.variables for s in found.stops for z in found.zones)
    assert [row[0] for row in zones_table(found).rows] == [z.name for z in found.zones]
