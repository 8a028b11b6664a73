"""Orders of plies under rules, against all permutations; their values against the laminate."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import pytest

from tartan.core.errors import StackError
from tartan.core.laminate import make_laminate
from tartan.core.laminate.response import Load
from tartan.core.search import orders as module
from tartan.core.search.goals import (
    Plies,
    bending,
    bending_goal,
    best_order,
    buckling_goal,
    reserve_goal,
)
from tartan.core.search.orders import OrderRules, admissible_orders, total_orders
from tartan.core.stack import Ply, Stack
from tartan.core.strength.reserve import first_failure
from tartan.project.document.samples import UNIDIRECTIONAL

PLIES = Plies(UNIDIRECTIONAL, 0.125e-3, (0.0, 45.0, -45.0, 90.0))


def keeps(half: Sequence[float], rules: OrderRules) -> bool:
    """Whether a half stack keeps the rules, ply by ply as they are worded."""
    full = [*half, *reversed(half)]
    runs = [len(list(same)) for _, same in itertools.groupby(full)]
    steps = [abs(a - b) for a, b in itertools.pairwise(half)]
    zeros = len(list(itertools.takewhile(lambda a: a == 0, reversed(half))))
    return all(
        (
            rules.max_run is None or max(runs) <= rules.max_run,
            rules.cover is None or half[0] in rules.cover,
            not rules.pairs_adjacent or _paired(half),
            rules.max_step is None or all(min(d, 180 - d) <= rules.max_step for d in steps),
            rules.max_zero_at_middle is None or zeros <= rules.max_zero_at_middle,
        )
    )


def _paired(half: Sequence[float]) -> bool:
    i = 0
    while i < len(half):
        if half[i] in (0, 90):
            i += 1
        elif i + 1 < len(half) and half[i + 1] == -half[i]:
            i += 2
        else:
            return False
    return True


def found_by(angles: Sequence[float], counts: Sequence[int], rules: OrderRules) -> set[tuple]:  # type: ignore[type-arg]
    blocks = list(admissible_orders(angles, counts, rules))
    every = [tuple(angles[a] for a in row) for block in blocks for row in block]
    assert len(every) == len(set(every))
    return set(every)


@pytest.mark.parametrize("seed", range(25))
def test_orders_are_those_of_all_permutations_that_keep_the_rules(seed: int) -> None:
    rng = np.random.default_rng(seed)
    angles = [0.0, 45.0, -45.0, 90.0, 30.0, -30.0][: rng.integers(2, 7)]
    counts = [int(c) for c in rng.integers(0, 3, len(angles))]
    counts[0] = max(counts[0], 1)
    while sum(counts) > 8:
        counts[int(np.argmax(counts))] -= 1
    rules = OrderRules(
        None if rng.random() < 0.4 else int(rng.integers(1, 5)),
        None if rng.random() < 0.5 else tuple(rng.choice(angles, 2).tolist()),
        bool(rng.random() < 0.3),
        None if rng.random() < 0.5 else float(rng.choice([30, 45, 60, 75])),
        None if rng.random() < 0.5 else int(rng.integers(0, 3)),
    )
    bag = [a for a, c in zip(angles, counts, strict=True) for _ in range(c)]
    every = set(itertools.permutations(bag))
    assert total_orders(counts) == len(every)
    assert found_by(angles, counts, rules) == {h for h in every if keeps(h, rules)}


def test_blocks_go_on_where_the_one_before_ended(monkeypatch: pytest.MonkeyPatch) -> None:
    rules, angles, counts = OrderRules(max_run=2), (0.0, 45.0, -45.0), (2, 2, 2)
    whole = found_by(angles, counts, rules)
    for size in (1, 7, len(whole), len(whole) + 1):
        monkeypatch.setattr(module, "BLOCK", size)
        assert found_by(angles, counts, rules) == whole


def test_what_cannot_be_ordered_is_refused() -> None:
    for angles, counts, words in (
        ((0.0, 180.0), (1, 1), "stands twice"),
        ((0.0, 45.0), (1,), "not as many"),
        ((0.0,), (0,), "has 1 to"),
        ((0.0, 45.0), (3, -1), "has 1 to"),
    ):
        with pytest.raises(StackError, match=words):
            list(admissible_orders(angles, counts, OrderRules()))
    with pytest.raises(StackError, match="no thickness"):
        bending(replace(PLIES, thickness=0.0), np.zeros((1, 2), np.int8))
    with pytest.raises(StackError, match="nothing presses"):
        buckling_goal(PLIES, (0.4, 0.2), (-1.0, 0.0))


def _half(order: np.ndarray) -> Stack:
    angles = [PLIES.angles[a] for a in order]
    plies = [Ply(UNIDIRECTIONAL.name, a, PLIES.thickness) for a in (*angles, *angles[::-1])]
    return Stack("candidate", tuple(plies))


def test_values_are_those_of_the_laminate() -> None:
    rng = np.random.default_rng(8)
    orders = rng.integers(0, 4, (12, 5)).astype(np.int8)
    load = (8e4, -2e4, 1.5e4, 40.0, -15.0, 8.0)
    rows = np.array(load)
    D = bending(PLIES, orders)
    found = reserve_goal(PLIES, [load, tuple(-x for x in load)])(orders)
    multiplier = buckling_goal(PLIES, (0.4, 0.25), (2.0, 1.0))(orders)
    for k, order in enumerate(orders):
        laminate = make_laminate(_half(order), {UNIDIRECTIONAL.name: UNIDIRECTIONAL})
        np.testing.assert_allclose(D[k], laminate.ABD[3:, 3:], rtol=1e-12, atol=1e-12)
        each = [
            first_failure(
                laminate, Load(sign * rows[:3], sign * rows[3:]), "tsai_wu"
            ).reserve.min()
            for sign in (1, -1)
        ]
        assert found[k] == pytest.approx(min(each), rel=1e-9)
        d = laminate.ABD[3:, 3:]
        least = min(
            math.pi**2
            * (
                d[0, 0] * (m / 0.4) ** 4
                + 2 * (d[0, 1] + 2 * d[2, 2]) * (m / 0.4) ** 2 * (n / 0.25) ** 2
                + d[1, 1] * (n / 0.25) ** 4
            )
            / (2.0 * (m / 0.4) ** 2 + 1.0 * (n / 0.25) ** 2)
            for m in range(1, 7)
            for n in range(1, 7)
        )
        assert multiplier[k] == pytest.approx(least, rel=1e-12)


def test_the_best_is_the_greatest_of_all_and_says_how_many_there_are() -> None:
    counts = (2, 1, 1, 1)
    rules = OrderRules(max_run=2)
    goal = bending_goal(PLIES)
    found = best_order(PLIES, counts, rules, goal)
    every = np.concatenate(list(admissible_orders(PLIES.angles, counts, rules)))
    values = goal(every)
    assert (found.admissible, found.total) == (len(every), 60)
    assert found.best == values.max()
    assert found.worst == values.min()
    assert found.second == values[values < values.max() * (1 - 1e-9)].max()
    # The stiffest along x has its fibres along x outermost.
    assert found.order[:2] == (0.0, 0.0)
    none = best_order(PLIES, counts, OrderRules(cover=(30.0,)), goal)
    assert (none.admissible, none.best, none.order, none.total) == (0, None, (), 60)
