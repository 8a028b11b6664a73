"""Orders of the plies of a symmetric stack under rules of the shop: every one that is admissible.

A half stack is read from the outside to the mid-plane. Orders are found one after the other by a
search that leaves a branch where a rule is broken, so that what is counted is complete.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.stack.plies import normal_angle

Orders = NDArray[np.int8]

BLOCK = 100_000
"""Orders that are looked at together."""

MOST_PLIES = 60


@dataclass(frozen=True)
class OrderRules:
    """Rules that an order of plies has to keep; None where one does not count.

    Attributes
    ----------
    max_run : int or None
        Most neighbouring plies of one angle in the full stack, where a run at the mid-plane
        counts twice.
    cover : tuple of float or None
        Angles of which the outermost ply is one [deg].
    pairs_adjacent : bool
        Whether a ply other than 0° and 90° is followed at once by that of the opposite sign.
    max_step : float or None
        Greatest angle between neighbours in the half stack, 0 to 90 [deg].
    max_zero_at_middle : int or None
        Most successive plies at 0° at the mid-plane of the half stack.
    """

    max_run: int | None = None
    cover: tuple[float, ...] | None = None
    pairs_adjacent: bool = False
    max_step: float | None = None
    max_zero_at_middle: int | None = None


def total_orders(counts: Sequence[int]) -> int:
    """Number of different half stacks of so many plies of each angle, without rules."""
    found = math.factorial(sum(counts))
    for count in counts:
        found //= math.factorial(count)
    return found


def admissible_orders(
    angles: Sequence[float], counts: Sequence[int], rules: OrderRules
) -> Iterator[Orders]:
    """All admissible half stacks, a block at a time.

    Parameters
    ----------
    angles : sequence of float
        Different angles [deg].
    counts : sequence of int
        Plies of each in the half stack.
    rules : OrderRules
        What they keep.

    Yields
    ------
    ndarray of int8, shape (k, n)
        Index into `angles` of every ply, outermost first.

    Raises
    ------
    StackError
        Angles that are the same, counts that are none, or too many plies.
    """
    _check(angles, counts)
    n = sum(counts)
    table = _Table(angles, rules)
    left = np.array(counts, np.int64)
    order, expected = np.full(n, -1, np.int64), np.full(n + 1, -1, np.int64)
    state = np.zeros(1, np.int64)
    while True:
        found = np.empty((BLOCK, n), np.int8)
        filled = _more(state, order, left, expected, table.arrays, found)
        if filled:
            yield found[:filled]
        if filled < BLOCK:
            return


def _check(angles: Sequence[float], counts: Sequence[int]) -> None:
    where = "Order of plies"
    if len(angles) != len(counts) or not len(angles):
        raise StackError("Angles and counts are not as many.", where, "Give a count to each.")
    if len({round(normal_angle(a), 9) for a in angles}) != len(angles):
        raise StackError("An angle stands twice.", where, "Add its counts up.")
    if any(c < 0 for c in counts) or not 1 <= sum(counts) <= MOST_PLIES:
        raise StackError(f"A half stack has 1 to {MOST_PLIES} plies.", where, "Change the counts.")


class _Table:
    """Rules as a compiled search takes them."""

    def __init__(self, angles: Sequence[float], rules: OrderRules) -> None:
        own = [normal_angle(a) for a in angles]
        apart = np.abs(np.subtract.outer(own, own)) % 180
        apart = np.minimum(apart, 180 - apart)
        most = math.inf if rules.max_step is None else rules.max_step
        beside = apart <= most + 1e-9
        cover = [rules.cover is None or any(_same(a, c) for c in rules.cover) for a in own]
        straight = [_same(a, 0.0) or _same(a, 90.0) for a in own]
        opposite = [next((j for j, b in enumerate(own) if _same(b, -a)), -1) for a in own]
        limits = [
            0 if rules.max_run is None else rules.max_run,
            int(rules.pairs_adjacent),
            -1 if rules.max_zero_at_middle is None else rules.max_zero_at_middle,
            next((j for j, a in enumerate(own) if _same(a, 0.0)), -1),
        ]
        self.arrays = (
            np.ascontiguousarray(beside),
            np.array(cover),
            np.array(straight),
            np.array(opposite, np.int64),
            np.array(limits, np.int64),
        )


def _same(a: float, b: float) -> bool:
    return abs(normal_angle(a - b)) < 1e-9


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _more(state: Any, order: Any, left: Any, expected: Any, table: Any, found: Any) -> int:
    """Go on with the search from where it stands until a block is full; how many were found."""
    n, filled = len(order), 0
    p = state[0]
    while p >= 0:
        if order[p] >= 0:
            left[order[p]] += 1
        a = order[p] + 1
        while a < len(left) and not (left[a] > 0 and _fits(a, p, order, left, expected, table)):
            a += 1
        if a == len(left):
            order[p] = -1
            p -= 1
            continue
        order[p] = a
        left[a] -= 1
        pairs = table[4][1] != 0 and not table[2][a]
        expected[p + 1] = table[3][a] if pairs and expected[p] < 0 else -1
        if p < n - 1:
            p += 1
            order[p] = -1
        elif _ends(order, expected, table):
            found[filled] = order
            filled += 1
            if filled == len(found):
                break
    state[0] = p
    return filled


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _fits(a: int, p: int, order: Any, left: Any, expected: Any, table: Any) -> bool:
    """Whether a ply may stand at a place, by what is outside of it."""
    beside, cover, straight, opposite, limits = table
    if p == 0 and not cover[a]:
        return False
    if p > 0 and not beside[order[p - 1], a]:
        return False
    if limits[1] != 0:
        if expected[p] >= 0:
            if a != expected[p]:
                return False
        elif not straight[a] and (opposite[a] < 0 or left[opposite[a]] < 1):
            return False
    if limits[0] > 0:
        run = 1
        while run <= p and order[p - run] == a:
            run += 1
        if run > limits[0]:
            return False
    return True


@njit(cache=True, nogil=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _ends(order: Any, expected: Any, table: Any) -> bool:
    """Whether a whole half stack keeps what counts at the mid-plane."""
    limits, n = table[4], len(order)
    if expected[n] >= 0:
        return False
    run = 1
    while run < n and order[n - 1 - run] == order[n - 1]:
        run += 1
    if limits[0] > 0 and 2 * run > limits[0]:
        return False
    return not (limits[2] >= 0 and order[n - 1] == limits[3] and run > limits[2])
