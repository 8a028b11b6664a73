"""Sizing by values and slopes: against every combination, and rules that tie choices."""

import itertools
from collections.abc import Callable, Sequence

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.search.sizing import Choices, Rows, Rule, cheaper, relaxed, whole
from tartan.core.search.sizingrun import Answered, Run, Standing

Array = NDArray[np.float64]
Asked = Callable[[Array], tuple[Array, Array]]
"""Requirements at a point, and their slopes."""


def choices(*values: Sequence[float], cost: Sequence[float], base: float = 1.0) -> Choices:
    own = tuple(tuple(float(v) for v in each) for each in values)
    return Choices(own, np.array(cost, float), np.ones(len(own), bool), base)


def trusses(seed: int, count: int = 3, rows: int = 3) -> Asked:
    """Sums of inverses, as displacements of trusses are of their areas: convex in 1/x and in x."""
    rng = np.random.default_rng(seed)
    forces = rng.uniform(0.2, 2.0, (rows, count))

    def asked(x: Array) -> tuple[Array, Array]:
        return (forces / (x + 0.3)).sum(axis=1), -forces / (x + 0.3) ** 2

    return asked


def run(
    own: Choices,
    asked: Asked,
    start: Sequence[float],
    rules: tuple[Rule, ...] = (),
    most: int = 200,
    fails: Sequence[tuple[float, ...]] = (),
) -> Standing:
    """A sizing answered by a formula; points in `fails` cannot be answered."""
    search = Run(own, rules, most)
    steps = search.steps(start)
    request = next(steps)
    try:
        while True:
            found = []
            for point in request.points:
                if request.whole:
                    assert all(v in o for v, o in zip(point, own.values, strict=True))
                    assert all(r.factors @ np.array(point) <= r.most + 1e-9 for r in rules)
                if point in fails:
                    found.append(Answered(point, None, holds=False, worst=np.inf))
                    continue
                value, slope = asked(np.array(point))
                rows = Rows(np.array(point), value, slope, np.full(len(point), 0.3))
                holds = request.whole and bool((value <= 1).all())
                found.append(Answered(point, rows, holds, float(value.max())))
            request = steps.send(found)
    except StopIteration:
        return search.standing


def best_of_all(own: Choices, asked: Asked, rules: tuple[Rule, ...] = ()) -> float:
    """The least cost of all combinations, by trying every one."""
    least = np.inf
    for point in itertools.product(*own.values):
        x = np.array(point)
        if (asked(x)[0] <= 1).all() and all(r.factors @ x <= r.most + 1e-9 for r in rules):
            least = min(least, own.cost_of(x))
    return least


@pytest.mark.parametrize("seed", range(12))
def test_the_cheapest_is_that_of_all_combinations(seed: int) -> None:
    rng = np.random.default_rng(100 + seed)
    own = choices(range(13), range(0, 13, 2), range(1, 9), cost=rng.uniform(0.3, 3.0, 3))
    asked = trusses(seed)
    found = run(own, asked, (4.0, 4.0, 4.0))
    least = best_of_all(own, asked)
    assert found.best is not None
    assert own.cost_of(found.best.point) == pytest.approx(least, rel=1e-12)
    # Requirements of this kind are convex: nothing whole costs less than the relaxed one.
    assert found.relaxed is not None
    assert own.cost_of(found.relaxed.point) <= least * (1 + 5e-3)


def test_few_that_cost_less_are_all_answered_and_then_it_is_proved() -> None:
    own = choices(range(1, 5), range(1, 5), cost=(1.0, 1.3))
    found = run(own, trusses(1, 2), (4.0, 4.0))
    assert found.best is not None
    assert found.proved
    below = [
        p for p in itertools.product(*own.values) if own.cost_of(p) < own.cost_of(found.best.point)
    ]
    assert set(below) <= set(found.tried)
    assert not any(found.tried[p].holds for p in below)


def test_a_cheaper_one_that_has_no_answer_leaves_it_unproved() -> None:
    own = choices(range(1, 5), range(1, 5), cost=(1.0, 1.3))
    best = run(own, trusses(1, 2), (4.0, 4.0)).best
    assert best is not None
    cheaper = [
        p for p in itertools.product(*own.values) if own.cost_of(p) < own.cost_of(best.point)
    ]
    for silent in cheaper:
        found = run(own, trusses(1, 2), (4.0, 4.0), fails=[tuple(map(float, silent))])
        assert found.best is not None
        assert found.best.point == best.point
        assert not found.proved


def test_what_was_not_all_answered_is_not_called_proved() -> None:
    own = choices(range(1, 40), range(1, 40), range(1, 40), cost=(1.0, 1.1, 1.2))
    hard = trusses(2)
    found = run(own, lambda x: tuple(4 * v for v in hard(x)), (20.0, 20.0, 20.0), most=25)  # type: ignore[arg-type,return-value]
    assert found.best is not None
    assert found.solves <= 25
    assert not found.proved


def test_one_step_less_of_anything_fails_and_is_named() -> None:
    own = choices(range(1, 20), range(1, 20), cost=(1.0, 1.3))
    asked = trusses(5, 2)
    found = run(own, asked, (10.0, 10.0))
    assert found.best is not None
    for number, value in enumerate(found.best.point):
        if value == own.values[number][0]:
            assert number not in found.stops
            continue
        stop = found.stops[number]
        assert stop.point[number] == value - 1
        assert not stop.holds
        assert asked(np.array(stop.point))[0].max() > 1


def test_rules_tie_choices() -> None:
    own = choices(range(9), range(9), cost=(1.0, 5.0))
    asked = trusses(7, 2)
    free = run(own, asked, (4.0, 4.0))
    assert free.best is not None
    # No more than one more of the first than of the second.
    rule = Rule(np.array([1.0, -1.0]), 1.0)
    assert rule.factors @ np.array(free.best.point) > 1
    tied = run(own, asked, (4.0, 4.0), (rule,))
    assert tied.best is not None
    assert own.cost_of(tied.best.point) == pytest.approx(best_of_all(own, asked, (rule,)))


def test_where_nothing_holds_the_nearest_is_told() -> None:
    own = choices(range(1, 4), range(1, 4), cost=(1.0, 1.0))
    hard = trusses(3, 2)
    found = run(own, lambda x: tuple(9 * v for v in hard(x)), (1.0, 1.0))  # type: ignore[arg-type,return-value]
    assert found.best is None
    assert found.nearest is not None
    assert found.nearest.point == (3.0, 3.0)
    assert not found.proved


def test_a_point_without_answer_is_passed_over() -> None:
    own = choices(range(1, 9), range(1, 9), cost=(1.0, 1.3))
    asked = trusses(4, 2)
    plain = run(own, asked, (4.0, 4.0))
    assert plain.best is not None
    other = run(own, asked, (4.0, 4.0), fails=[plain.best.point])
    assert other.best is not None
    assert other.best.point != plain.best.point
    second = min(
        own.cost_of(p)
        for p in itertools.product(*own.values)
        if p != plain.best.point and (asked(np.array(p))[0] <= 1).all()
    )
    assert own.cost_of(other.best.point) == pytest.approx(second)


@pytest.mark.parametrize("seed", range(6))
def test_terms_touch_the_point_they_are_made_at(seed: int) -> None:
    rng = np.random.default_rng(seed)
    own = choices(range(1, 9), range(1, 9), range(1, 9), cost=(1.0, 1.0, 1.0))
    at = rng.uniform(1, 8, 3)
    rows = Rows(at, rng.normal(size=4), rng.normal(size=(4, 3)), rng.uniform(0, 2, 3))
    np.testing.assert_allclose(rows.of(own, at), rows.value)
    np.testing.assert_allclose(rows.slopes(own, at), rows.slope)
    x = rng.uniform(1, 8, 3)
    for k in range(3):
        h = 1e-6 * np.eye(3)[k]
        numeric = (rows.of(own, x + h) - rows.of(own, x - h)) / 2e-6
        np.testing.assert_allclose(rows.slopes(own, x)[:, k], numeric, rtol=1e-6, atol=1e-8)
    # Convex along every line: the middle lies below the mean of the ends.
    y = rng.uniform(1, 8, 3)
    middle = rows.of(own, (x + y) / 2)
    assert (middle <= (rows.of(own, x) + rows.of(own, y)) / 2 + 1e-12).all()


@pytest.mark.parametrize("seed", range(6))
def test_one_whole_problem_is_solved_to_its_end(seed: int) -> None:
    rng = np.random.default_rng(seed)
    own = choices(range(6), range(6), range(6), cost=rng.uniform(0.5, 2, 3))
    at = np.full(3, 3.0)
    rows = Rows(at, rng.uniform(0.9, 1.3, 3), -rng.uniform(0.05, 0.3, (3, 3)), np.ones(3))
    least = min(
        (own.cost_of(p), p)
        for p in itertools.product(*own.values)
        if (rows.of(own, np.array(p)) <= 1 + 1e-9).all()
    )
    found = whole(own, [rows], ())
    assert found is not None
    assert found[1] == pytest.approx(0.0, abs=1e-7)
    assert own.cost_of(found[0]) == pytest.approx(least[0])
    x, over = relaxed(own, rows, (), own.low, own.high)
    assert over < 1e-6
    assert own.cost_of(x) <= least[0] + 1e-6


def test_all_that_costs_less_is_listed_cheapest_first() -> None:
    own = choices(range(5), (0.5, 1.5), (-30.0, 0.0, 30.0), cost=(1.0, 2.0, 0.0))
    every = cheaper(own, (), 4.0, 1000)
    assert every is not None
    exact = sorted(
        own.cost_of(p) for p in itertools.product(*own.values) if own.cost_of(p) < 4.0 - 1e-9
    )
    assert [own.cost_of(p) for p in every] == pytest.approx(exact)
    assert cheaper(own, (), 4.0, len(exact) - 1) is None
