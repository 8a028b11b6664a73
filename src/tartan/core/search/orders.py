"""Orders of plies that keep the rules of the shop: every one, or every one that a bound leaves.

Orders are found one after the other by a search that leaves a branch where a rule is broken, so
that what is counted is complete. Given forms that are linear in what lies where, it also leaves a
branch that no order can come out of better than what is known.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from tartan.core.compiled import compiled
from tartan.core.search.plyset import Array, Orders, PlySet
from tartan.core.search.shoprules import (
    COVER,
    MIDDLE,
    PAIRS,
    RUN,
    STEP,
    ShopRule,
    number_of,
    opposites,
)
from tartan.core.search.shoprules import steps as steps_of
from tartan.core.stack.plies import Ply

BLOCK = 20_000
"""Orders that are handed on together."""

NODES = 2_000_000
"""Branches looked at before it is heard whether to go on."""


@dataclass(frozen=True, eq=False)
class Bound:
    """What leaves a branch: the least of forms Σ share(place) × coefficient(kind).

    Attributes
    ----------
    shares : ndarray, shape (places,)
        Of each place, none of them negative.
    coefficients : ndarray, shape (m, kinds)
        Of each form.
    rest : ndarray, shape (m,)
        What each form has besides.
    known : ndarray, shape (1,)
        What an order has to be better than; it may be raised while the search goes on.
    """

    shares: Array
    coefficients: Array
    rest: Array
    known: Array = field(default_factory=lambda: np.array([-math.inf]))

    def value(self, orders: Orders) -> Array:
        """The least form of orders, shape (k,)."""
        found = self.coefficients[:, orders] @ self.shares
        return np.asarray((found + self.rest[:, None]).min(axis=0))


@dataclass(frozen=True, eq=False)
class Piece:
    """Part of a search: orders found in it (k, places), and branches looked at so far."""

    orders: Orders
    nodes: int


def pruned(rules: Sequence[ShopRule]) -> tuple[ShopRule, ...]:
    """Rules that the search itself keeps; the others are looked at in what it finds."""
    kinds = (RUN, COVER, PAIRS, STEP, MIDDLE)
    return tuple(r for r in rules if r.active and r.weight is None and r.kind in kinds)


def admissible_orders(
    plies: PlySet, rules: Sequence[ShopRule] = (), bound: Bound | None = None
) -> Iterator[Piece]:
    """All orders that keep those of the rules that `pruned` names, a piece at a time.

    Parameters
    ----------
    plies : PlySet
        What is ordered.
    rules : sequence of ShopRule
        What has to be kept; soft and inactive ones do not count.
    bound : Bound, optional
        Orders not better than what it knows are left out.

    Yields
    ------
    Piece
        Orders hold kinds, first place first. A piece may hold none.
    """
    n = plies.places
    tables = _tables(plies, pruned(rules))
    forms = bound or Bound(np.ones(n), np.zeros((0, len(plies.kinds))), np.zeros(0))
    limits = _bounds(plies, forms)
    left = np.array(plies.counts, np.int64)
    order, expected = np.full(n, -1, np.int64), np.full(n + 1, -1, np.int64)
    sums = np.zeros((len(forms.coefficients), n + 1))
    sums[:, 0] = forms.rest
    state = np.zeros(2, np.int64)
    while state[0] >= 0:
        found = np.empty((BLOCK, n), np.int8)
        filled = _more(state, (order, left, expected, sums), tables, limits, found, NODES)
        yield Piece(found[:filled], int(state[1]))


def _tables(plies: PlySet, rules: Sequence[ShopRule]) -> Any:
    """Rules as the compiled search takes them."""
    ways, n, kinds = plies.directions, plies.places, len(plies.kinds)
    beside = np.ones((kinds, kinds), bool)
    fits = np.ones((n, kinds), bool)
    runs = np.full(max(int(ways.max()) + 1, 1), 10**6)
    middle = runs.copy()
    pairs = 0
    for rule in rules:
        if rule.kind == STEP:
            beside &= steps_of(plies) <= rule.limit + 1e-9
        elif rule.kind == PAIRS:
            pairs = 1
        elif rule.kind == COVER:
            good = np.isin(ways, [number_of(plies, a) for a in rule.angles])
            fits[0] &= good
            if not plies.symmetric:
                fits[-1] &= good
        else:
            limit = runs if rule.kind == RUN else middle
            own = [number_of(plies, rule.angle)] if rule.angle is not None else range(len(limit))
            for way in own:
                if way >= 0:
                    limit[way] = min(limit[way], int(rule.limit))
    held = np.array(plies.held or (-1,) * n, np.int64)
    # How many of each kind are still held from each place on.
    ahead = np.zeros((n + 1, kinds), np.int64)
    for p in range(n - 1, -1, -1):
        ahead[p] = ahead[p + 1]
        if held[p] >= 0:
            ahead[p, held[p]] += 1
    flags = np.array([pairs, int(plies.symmetric), plies.middle], np.int64)
    return (ways, beside, fits, opposites(plies), runs, middle, held, ahead, flags)


def _bounds(plies: PlySet, forms: Bound) -> Any:
    """Of every form the kinds by their coefficient, and of every place the shares that follow.

    What is left of a form is at most what it is with the greatest coefficients at the places of
    the greatest shares (the rearrangement inequality).
    """
    n = plies.places
    after = np.zeros((n + 1, n + 1))
    for p in range(n):
        after[p, 1 : n - p + 1] = np.cumsum(np.sort(forms.shares[p:])[::-1])
    ranked = np.argsort(-forms.coefficients, axis=1).astype(np.int64)
    # Of one arrangement in memory: the search is compiled anew for every other.
    shares, coefficients = (np.ascontiguousarray(x) for x in (forms.shares, forms.coefficients))
    return (shares, coefficients, ranked, after, forms.known)


def compile_all() -> None:
    """Compile the search beforehand, or read it from its cache."""
    kinds = tuple(Ply("", angle, 1e-3) for angle in (0.0, 90.0))
    list(admissible_orders(PlySet(kinds, (1, 1), symmetric=False)))


@compiled(nogil=True, error_model="numpy")
def _more(state: Any, at: Any, tables: Any, limits: Any, found: Any, most: int) -> int:
    """Go on with the search until a piece is full or long enough; how many orders were found."""
    order, left, expected, sums = at
    ways, opposite, ahead, flags = tables[0], tables[3], tables[7], tables[8]
    shares, coefficients = limits[0], limits[1]
    n, filled, end = len(order), 0, state[1] + most
    p = state[0]
    while p >= 0 and state[1] < end:
        if order[p] >= 0:
            left[order[p]] += 1
        a = order[p] + 1
        while a < len(left) and not (
            left[a] > ahead[p + 1, a] and _fits(a, p, order, expected, tables)
        ):
            a += 1
        if a == len(left):
            order[p] = -1
            p -= 1
            continue
        state[1] += 1
        order[p] = a
        left[a] -= 1
        for m in range(len(sums)):
            sums[m, p + 1] = sums[m, p] + shares[p] * coefficients[m, a]
        if len(sums) and not _worth(p + 1, left, sums, limits):
            continue
        waits = flags[0] != 0 and expected[p] < 0
        expected[p + 1] = opposite[a] if waits else -1
        if p < n - 1:
            p += 1
            order[p] = -1
        elif _ends(order, expected, ways, tables):
            found[filled] = order
            filled += 1
            if filled == len(found):
                break
    state[0] = p
    return filled


@compiled(nogil=True, error_model="numpy")
def _worth(p: int, left: Any, sums: Any, limits: Any) -> bool:
    """Whether what may follow can be better than what is known."""
    _, coefficients, ranked, after, known = limits
    for m in range(len(sums)):
        best, taken = sums[m, p], 0
        for a in ranked[m]:
            count = left[a]
            if count > 0:
                best += coefficients[m, a] * (after[p, taken + count] - after[p, taken])
                taken += count
        if best <= known[0]:
            return False
    return True


@compiled(nogil=True, error_model="numpy")
def _fits(a: int, p: int, order: Any, expected: Any, tables: Any) -> bool:
    """Whether a ply may lie at a place, by what lies before it."""
    ways, beside, fits, opposite, runs, _, held, _, flags = tables
    if not fits[p, a] or (held[p] >= 0 and held[p] != a):
        return False
    if p > 0 and not beside[order[p - 1], a]:
        return False
    if flags[0] != 0:
        if expected[p] >= 0:
            if ways[a] != expected[p]:
                return False
        elif opposite[a] == -2:
            return False
    way = ways[a]
    if way < 0:
        return True
    run = 1
    while run <= p and ways[order[p - run]] == way:
        run += 1
    return bool(run <= runs[way])


@compiled(nogil=True, error_model="numpy")
def _ends(order: Any, expected: Any, ways: Any, tables: Any) -> bool:
    """Whether a whole order keeps what counts at its end, or at the mid-plane."""
    beside, opposite, runs, middle, flags = tables[1], tables[3], tables[4], tables[5], tables[8]
    n = len(order)
    if flags[1] == 0:
        return bool(expected[n] < 0) and _inner(order, ways, middle)
    centre = flags[2]
    if flags[0] != 0 and not _paired(order, expected, ways, opposite, centre):
        return False
    last = ways[order[n - 1]]
    run = 1
    while run < n and ways[order[n - 1 - run]] == last:
        run += 1
    if last >= 0 and run > middle[last]:
        return False
    whole = 2 * run
    if centre >= 0:
        if not beside[order[n - 1], centre]:
            return False
        whole = 2 * run + 1 if ways[centre] == last else (run if last >= 0 else 0)
        if ways[centre] >= 0 and runs[ways[centre]] < 1:
            return False
    return bool(last < 0 or whole <= runs[last])


@compiled(nogil=True, error_model="numpy")
def _paired(order: Any, expected: Any, ways: Any, opposite: Any, centre: int) -> bool:
    """Whether pairs also close where a half meets its image, or a ply on the mid-plane."""
    n = len(order)
    waits = expected[n]
    if centre >= 0:
        if waits >= 0:
            if ways[centre] != waits:
                return False
            waits = -1
        elif opposite[centre] == -2:
            return False
        else:
            waits = opposite[centre]
    for q in range(n - 1, -1, -1):
        kind = order[q]
        if waits >= 0:
            if ways[kind] != waits:
                return False
            waits = -1
        else:
            waits = opposite[kind]
            if waits == -2:
                return False
    return bool(waits == -1)


@compiled(nogil=True, error_model="numpy")
def _inner(order: Any, ways: Any, middle: Any) -> bool:
    """Whether runs on both sides of the mid-plane of a whole stack are short enough."""
    half = len(order) // 2
    for side in range(2):
        start, step = (half - 1, -1) if side == 0 else (len(order) - half, 1)
        if half == 0:
            return True
        way, run = ways[order[start]], 1
        while run < half and ways[order[start + run * step]] == way:
            run += 1
        if way >= 0 and run > middle[way]:
            return False
    return True
