"""Searches for the best order: what they call proved against every order, and what they say."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate import make_laminate
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.search import goals, ordering
from tartan.core.search.goals import Goal
from tartan.core.search.judging import Question
from tartan.core.search.ordering import Found, clash, search
from tartan.core.search.orders import admissible_orders
from tartan.core.search.plate import Panel, exact_buckling
from tartan.core.search.plyset import PlySet, Stiffness, set_of
from tartan.core.search.shoprules import ShopRule, costs
from tartan.core.stack import Ply, Stack
from tartan.core.strength.under import least_under
from tests.conftest import CARBON, FOAM, GLASS, MATERIALS, laminate

T = 0.125e-3
PANEL = Panel((0.5, 0.3), (1000.0, 400.0, 300.0), 500.0)
LOADS = (
    LoadCase("one", (8e4, -2e4, 1.5e4, 20.0, -5.0, 3.0)),
    LoadCase("other", (-5e4, 1e4, 0.0, -10.0, 25.0, 0.0)),
)
SETS = {"ply": ("tsai_wu",), "woven": ("tsai_wu",)}


def some_plies(rng: np.random.Generator, *, symmetric: bool) -> Stiffness:
    kinds = tuple(Ply(CARBON.name, a, T) for a in (0.0, 45.0, -45.0, 90.0))
    counts = [int(c) for c in rng.integers(1, 3, 4)]
    return Stiffness.of(PlySet(kinds, tuple(counts), symmetric), MATERIALS)


def goal_of(stiff: Stiffness, key: str, least: float | None = None) -> Goal:
    if key == "reserve":
        return goals.reserve_goal(stiff, MATERIALS, LOADS, SETS, least)
    if key == "buckling":
        return goals.buckling_goal(stiff, PANEL, least)
    if key == "frequency":
        return goals.frequency_goal(stiff, PANEL, 3.0, least)
    if key == "deflection":
        return goals.deflection_goal(stiff, PANEL, least)
    return goals.bending_goal(stiff, key, least)


def last(question: Question, most: int = 4000) -> Found:
    stands = list(search(question, most))
    assert all(a.share <= b.share + 1e-12 for a, b in itertools.pairwise(stands))
    assert stands[-1].share == pytest.approx(1.0)
    return stands[-1]


def every_order(question: Question) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """All that keep the rules that have to be kept: orders, values, merits, costs."""
    rows = np.concatenate([p.orders for p in admissible_orders(question.plies)])
    full = question.plies.full(rows)
    kept, cost = costs(question.rules, question.stiff, full)
    values = question.values(full)
    merit, _ = question.merits(values, cost)
    return rows[kept], values[kept], merit[kept], cost[kept]


RULES = (
    ShopRule("run", 2),
    ShopRule("step", 45.0, weight=0.02),
    ShopRule("twist", 0.3),
    ShopRule("cover", angles=(45.0, -45.0), weight=0.05),
)


@pytest.mark.parametrize("key", ["reserve", "buckling", "frequency", "deflection", "D11", "D66"])
@pytest.mark.parametrize("symmetric", [True, False])
def test_all_are_looked_at_and_the_best_is_found(key: str, *, symmetric: bool) -> None:
    stiff = some_plies(np.random.default_rng(len(key)), symmetric=symmetric)
    rules = RULES if symmetric else RULES[:2]
    question = Question(stiff, (goal_of(stiff, key),), rules)
    found = last(question)
    rows, _, merit, _ = every_order(question)
    assert (found.method, found.proved) == ("all", True)
    assert (found.admissible, found.total) == (len(rows), stiff.plies.total)
    best = found.best
    assert best is not None
    assert best.merit == pytest.approx(merit.max(), rel=1e-9)
    assert best.kept
    assert tuple(best.order) in {tuple(map(int, r)) for r in rows}
    merits = [j.merit for j in found.history]
    assert merits == sorted(merits)


@pytest.mark.parametrize("key", ["buckling", "frequency", "D11", "D22", "D66"])
@pytest.mark.parametrize("seed", [0, 1])
def test_a_bound_finds_the_best_without_looking_at_all(
    key: str, seed: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    stiff = some_plies(np.random.default_rng(seed), symmetric=True)
    question = Question(stiff, (goal_of(stiff, key),), RULES)
    _, values, merit, _ = every_order(question)
    monkeypatch.setattr(ordering, "MOST_ORDERS", 0)
    monkeypatch.setattr(ordering, "HEAD_START", 130)
    found = last(question)
    assert (found.method, found.proved, found.admissible) == ("bounded", True, None)
    assert found.best is not None
    assert found.best.merit == pytest.approx(merit.max(), rel=1e-8)
    # What no order can be better than is never below what one comes to.
    assert found.limit is not None
    assert found.limit >= values.max() * (1 - 1e-9)


def test_a_bound_that_takes_too_long_is_given_up_unproved(monkeypatch: pytest.MonkeyPatch) -> None:
    stiff = some_plies(np.random.default_rng(0), symmetric=True)
    monkeypatch.setattr(ordering, "MOST_ORDERS", 0)
    monkeypatch.setattr(ordering, "HEAD_START", 130)
    question = Question(stiff, (goal_of(stiff, "buckling"),), RULES)
    *_, found = search(question, 1000, seconds=-1.0)
    assert (found.method, found.proved) == ("bounded", False)
    assert found.best is not None
    assert found.limit is not None
    assert found.limit >= found.best.values[0]


@pytest.mark.parametrize("key", ["reserve", "deflection"])
def test_chance_finds_the_best_of_few_and_proves_nothing(
    key: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    stiff = some_plies(np.random.default_rng(5), symmetric=True)
    start = tuple(k for k, n in enumerate(stiff.plies.counts) for _ in range(n))
    question = Question(stiff, (goal_of(stiff, key),), RULES, start, seed=3)
    _, _, merit, _ = every_order(question)
    monkeypatch.setattr(ordering, "MOST_ORDERS", 0)
    found = last(question)
    assert (found.method, found.proved, found.limit) == ("tried", False, None)
    assert found.best is not None
    assert found.best.merit == pytest.approx(merit.max(), rel=1e-8)
    assert found.history[0].order == start
    again = last(replace(question, _reference=[]))
    assert again.history == found.history
    assert last(replace(question, seed=4)).best.merit == pytest.approx(merit.max(), rel=1e-8)  # type: ignore[union-attr]


def test_a_large_set_is_proved_by_its_bound() -> None:
    kinds = tuple(Ply(CARBON.name, a, T) for a in (0.0, 45.0, -45.0, 90.0))
    stiff = Stiffness.of(PlySet(kinds, (6, 6, 6, 6)), MATERIALS)
    rules = (ShopRule("run", 3), ShopRule("cover", angles=(45.0, -45.0)))
    question = Question(stiff, (goal_of(stiff, "D11"),), rules)
    found = last(question)
    assert found.total > 10**12
    assert (found.method, found.proved) == ("bounded", True)
    best = [stiff.plies.kinds[k].angle for k in found.best.order]  # type: ignore[union-attr]
    # By hand: a cover ply, then three of 0° at a time, parted by the next stiffest alone.
    assert best[0] in (45.0, -45.0)
    assert best[1:9] in (
        [0, 0, 0, 45, 0, 0, 0, 45],
        [0, 0, 0, -45, 0, 0, 0, 45],
        [0, 0, 0, 45, 0, 0, 0, -45],
        [0, 0, 0, -45, 0, 0, 0, -45],
    )


def test_limits_are_met_before_anything_is_gained() -> None:
    stiff = some_plies(np.random.default_rng(2), symmetric=True)
    free = Question(stiff, (goal_of(stiff, "D11"), goal_of(stiff, "D22", 0.0)))
    _, values, _, _ = every_order(free)
    least = float(np.quantile(values[:, 1], 0.7))
    question = Question(stiff, (goal_of(stiff, "D11"), goal_of(stiff, "D22", least)))
    best = last(question).best
    assert best is not None
    assert best.meets
    assert best.values[1] >= least
    allowed = values[values[:, 1] >= least * (1 - 1e-12)]
    assert best.values[0] == pytest.approx(allowed[:, 0].max())
    # A limit that none meets: the one that comes nearest, and it says so.
    far = Question(stiff, (goal_of(stiff, "D11"), goal_of(stiff, "D22", 10 * values[:, 1].max())))
    missed = last(far).best
    assert missed is not None
    assert not missed.meets
    assert missed.values[1] == pytest.approx(values[:, 1].max())
    # Limits alone: the scantest of them is made as good as can be.
    both = (goal_of(stiff, "D11", 0.5 * values[:, 0].max()), goal_of(stiff, "D22", least))
    scant = last(Question(stiff, both)).best
    shares = np.minimum(values[:, 0] / both[0].least, values[:, 1] / least)
    assert scant is not None
    assert scant.merit == pytest.approx(shares.max())


def test_of_several_goals_the_front_is_found() -> None:
    stiff = some_plies(np.random.default_rng(7), symmetric=True)
    question = Question(stiff, (goal_of(stiff, "D11"), goal_of(stiff, "buckling")), RULES[:2])
    found = last(question)
    _, values, _, cost = every_order(question)
    gains = values / question.reference - cost[:, None]
    front = {
        tuple(np.round(g, 9))
        for g in gains
        if not ((gains >= g - 1e-12).all(axis=1) & (gains > g * (1 + 1e-8)).any(axis=1)).any()
    }
    got = np.array([j.values for j in found.front]) / question.reference
    got -= np.array([j.cost for j in found.front])[:, None]
    assert {tuple(np.round(g, 9)) for g in got} == front
    assert len(front) > 1


def _least_reserve(plies: Sequence[Ply], loads: Sequence[LoadCase]) -> float:
    lam = make_laminate(Stack("s", tuple(plies)), MATERIALS)
    return least_under(lam, loads, SETS)


@pytest.mark.parametrize("dT", [0.0, -60.0])
def test_values_are_those_of_the_laminate(dT: float) -> None:
    plies = [Ply(CARBON.name, a, T) for a in (0, 45, 90)] + [Ply(GLASS.name, 30.0, 0.2e-3)]
    stiff = Stiffness.of(PlySet(tuple(plies), (1, 2, 1, 1), symmetric=False), MATERIALS)
    rows = np.random.default_rng(1).permuted(
        np.tile(np.array([0, 1, 1, 2, 3], np.int8), (8, 1)), axis=1
    )
    loads = [replace(load, dT=dT) for load in LOADS]
    reserve = goals.reserve_goal(stiff, MATERIALS, loads, SETS).value(rows)
    buckles = goals.buckling_goal(stiff, PANEL).value(rows)
    bends = goals.bending_goal(stiff, "D22").value(rows)
    for k, row in enumerate(rows):
        own = [plies[i] for i in row]
        lam = laminate(*((p.material, p.angle, p.thickness) for p in own))
        assert reserve[k] == pytest.approx(_least_reserve(own, loads), rel=1e-9)
        D = lam.ABD[3:, 3:]
        assert bends[k] == pytest.approx(D[1, 1], rel=1e-12)
        left = D - lam.ABD[:3, 3:] @ np.linalg.solve(lam.ABD[:3, :3], lam.ABD[:3, 3:])
        assert buckles[k] == pytest.approx(exact_buckling(PANEL, left[None])[0], rel=1e-9)


def test_a_sandwich_is_ordered_about_its_core() -> None:
    half = [Ply(CARBON.name, a, T) for a in (0.0, 45.0, -45.0)]
    core = Ply(FOAM.name, 0.0, 10e-3)
    plies = set_of([*half, core, *half[::-1]], symmetric=True, cores={FOAM.name})
    stiff = Stiffness.of(plies, MATERIALS)
    found = last(Question(stiff, (goal_of(stiff, "D11"),)))
    assert found.total == 6
    assert found.best is not None
    got = plies.plies(found.best.order)
    assert [p.angle for p in got] == [0.0, 45.0, -45.0, 0.0, -45.0, 45.0, 0.0]
    assert got[3].material == FOAM.name


def test_rules_that_clash_are_named_by_the_fewest() -> None:
    kinds = tuple(Ply(CARBON.name, a, T) for a in (0.0, 45.0, 90.0))
    stiff = Stiffness.of(PlySet(kinds, (2, 1, 2)), MATERIALS)
    cover, step = ShopRule("cover", angles=(0.0,)), ShopRule("step", 30.0)
    run, twist = ShopRule("run", 1), ShopRule("twist", 1e-9)
    soft = ShopRule("pairs", weight=0.1)
    goal = (goal_of(stiff, "D11"),)
    question = Question(stiff, goal, (soft, cover, ShopRule("run", 4), step))
    found = last(question)
    assert (found.best, found.admissible, found.proved) == (None, 0, True)
    assert clash(question) == (step,)
    assert clash(Question(stiff, goal, (cover, twist))) == (twist,)
    assert clash(Question(stiff, goal, (cover, soft))) == ()
    # A run of one about the mid-plane, where every ply meets its image.
    assert clash(Question(stiff, goal, (cover, run))) == (run,)
    five = Stiffness.of(PlySet(kinds[:2], (1, 1)), MATERIALS)
    both = (ShopRule("cover", angles=(45.0,)), ShopRule("middle", 0, 0.0))
    assert set(clash(Question(five, (goal_of(five, "D11"),), both))) == set(both)


def test_a_panel_that_is_pulled_gives_way_to_shear_alone() -> None:
    stiff = some_plies(np.random.default_rng(1), symmetric=True)
    pulled = Panel((0.5, 0.3), (1.0, -1e6, 3e5))
    question = Question(stiff, (goals.buckling_goal(stiff, pulled),))
    found = last(question)
    _, values, _, _ = every_order(question)
    assert found.best is not None
    assert found.best.values[0] == pytest.approx(values.max(), rel=1e-9)
    calm = goals.buckling_goal(stiff, Panel((0.5, 0.3), (1.0, -1e6, 0.0)))
    with pytest.raises(StackError, match="has no value here"):
        last(Question(stiff, (calm,)))


def test_what_cannot_be_searched_is_said() -> None:
    stiff = some_plies(np.random.default_rng(0), symmetric=True)
    with pytest.raises(StackError, match="no goal"):
        Question(stiff, ())
    with pytest.raises(StackError, match="no load"):
        goals.reserve_goal(stiff, MATERIALS, (), SETS)
    idle = goals.reserve_goal(stiff, MATERIALS, [LoadCase("none", (0.0,) * 6)], SETS)
    with pytest.raises(StackError, match="has no value here"):
        last(Question(stiff, (idle,)))
    weak = {**MATERIALS, CARBON.name: replace(CARBON, Xt=None)}
    with pytest.raises(MaterialError, match=r"Xt|tension"):
        last(Question(stiff, (goals.reserve_goal(stiff, weak, LOADS, SETS),)))
    with pytest.raises(StackError, match="no mass"):
        goals.frequency_goal(stiff, PANEL, 0.0)
    with pytest.raises(StackError, match="no such rule"):
        Question(stiff, (goal_of(stiff, "D11"),), (ShopRule("spin"),))
