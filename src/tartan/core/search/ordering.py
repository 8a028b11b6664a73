"""The best order of plies: all of them where that can be, a bound or chance where it cannot.

A search is a generator of its progress, so that whoever runs it may stop it and keep what was
found. What it says of its result is what it can stand for: proved the best, or the best found.
"""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from tartan.core.search.chance import tries
from tartan.core.search.judging import Judged, Question
from tartan.core.search.orders import Bound, admissible_orders, pruned
from tartan.core.search.plyset import Orders, PlySet
from tartan.core.search.shoprules import ShopRule, costs

Array = NDArray[np.float64]

ALL, BOUNDED, TRIED = "all", "bounded", "tried"

MOST_ORDERS = 2_000_000
"""Orders that are all looked at."""

MOST_NODES = 20_000_000
"""Branches that are counted to find whether the rules leave few enough."""

MOST_TRIES = 200_000
"""Orders that are tried by chance."""

MOST_SECONDS = 600.0
"""Seconds that a search by a bound takes at most."""

HEAD_START = 20_000
"""Orders tried by chance before a bound is used, so that it has something to beat."""

ALIKE = 1e-9
"""Share by which two values are one."""

MOST_OF_FRONT = 400
"""Orders of a front that are kept."""

SMALL = 512
"""Orders whose quick values are looked at together."""


@dataclass(frozen=True)
class Found:
    """Where a search stands.

    Attributes
    ----------
    method : str
        ``all``, ``bounded`` or ``tried``.
    total : int
        Different orders without rules.
    share : float
        Of the work that is done, 0 to 1.
    tried : int
        Orders looked at.
    history : tuple of Judged
        The start, where there is one, and every order that was better than those before it.
    front : tuple of Judged
        Orders of which none is better in all goals, where there are several.
    proved : bool
        Whether no order can be better.
    admissible : int or None
        Orders that keep the rules, where all were looked at.
    limit : float or None
        What no order's goal can be better than.
    """

    method: str
    total: int
    share: float = 0.0
    tried: int = 0
    history: tuple[Judged, ...] = ()
    front: tuple[Judged, ...] = ()
    proved: bool = False
    admissible: int | None = None
    limit: float | None = None

    @property
    def best(self) -> Judged | None:
        """The best that keeps all rules that have to be kept."""
        return next((j for j in reversed(self.history) if j.kept), None)


def search(
    question: Question, most: int = MOST_TRIES, seconds: float = MOST_SECONDS
) -> Iterator[Found]:
    """Search for the best order.

    Parameters
    ----------
    question : Question
        What is asked.
    most : int
        Orders tried by chance where not all can be looked at.
    seconds : float
        After which a search by a bound is given up, which may take for ever; what it found stays.

    Yields
    ------
    Found
        Where it stands; the last is the result.

    Raises
    ------
    StackError, MaterialError, CriterionError
        As the goals.
    """
    _ = question.reference
    found = Found(ALL, question.plies.total)
    if question.start is not None:
        found = replace(found, history=tuple(question.judged(_row(question.start))))
    yield found
    count = _counted(question.plies, pruned(question.rules), MOST_ORDERS)
    if count is not None:
        yield from _all(question, found, count)
        return
    bound = _bound(question)
    if bound is None:
        yield from _tried(question, replace(found, method=TRIED), most, 1.0)
        return
    limit = _limit(question, bound)
    found = replace(found, method=BOUNDED, limit=limit)
    for stands in _tried(question, found, HEAD_START, 0.1):
        found = stands
        yield found
    yield from _bounded(question, found, bound, time.monotonic() + seconds)


def _row(order: tuple[int, ...]) -> Orders:
    return np.array([order], np.int8)


@lru_cache(maxsize=8)
def _counted(plies: PlySet, rules: tuple[ShopRule, ...], most: int) -> int | None:
    """Orders that keep the rules of the enumeration; None where they are too many to look at.

    It takes seconds, and is the same for every goal and every seed.
    """
    count = 0
    for piece in admissible_orders(plies, rules):
        count += len(piece.orders)
        if count > most or piece.nodes > MOST_NODES:
            return None
    return count


def _bound(question: Question) -> Bound | None:
    """What bounds the one goal that is improved."""
    chosen = question.improved
    return question.goals[chosen[0]].bound if len(chosen) == 1 else None


def _limit(question: Question, bound: Bound) -> float:
    """What the goal can come to at most, by its forms alone."""
    shares = np.sort(bound.shares)[::-1]
    counts = question.plies.counts
    least = math.inf
    for row, rest in zip(bound.coefficients, bound.rest, strict=True):
        each = np.repeat(row, counts)
        least = min(least, float(np.sort(each)[::-1] @ shares) + float(rest))
    goal = question.goals[question.improved[0]]
    low, high = 0.0, 1.0
    while goal.form(high) < least:
        high *= 2
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (middle, high) if goal.form(middle) < least else (low, middle)
    return high


@dataclass(eq=False)
class _Best:
    """The best so far, and what is known of the values of all."""

    question: Question
    history: list[Judged]
    front: list[Judged]

    @property
    def merit(self) -> float:
        kept = [j.merit for j in self.history if j.kept]
        return max(kept, default=-math.inf)

    @property
    def beats(self) -> float:
        """What is better than the best so far."""
        merit = self.merit
        return merit + ALIKE * abs(merit) if math.isfinite(merit) else merit

    def take(self, orders: Orders, tried: int) -> int:
        """Look at orders that keep the pruned rules, the most promising first.

        Returns how many of them keep the other rules too.
        """
        question = self.question
        full = question.plies.full(orders)
        kept, cost = costs(question.rest, question.stiff, full)
        orders, full, cost = orders[kept], full[kept], cost[kept]
        if not len(orders):
            return 0
        hoped, _ = question.merits(question.values(full, quick=True), cost)
        by = np.argsort(-hoped, kind="stable")
        for first in range(0, len(by), SMALL):
            some = by[first : first + SMALL]
            if not question.several:
                some = some[hoped[some] > self.beats]
                if not len(some):
                    break
            self._judge(orders[some], cost[some], tried)
        return len(orders)

    def _judge(self, orders: Orders, cost: Array, tried: int) -> None:
        question = self.question
        values = question.values(question.plies.full(orders))
        merit, _ = question.merits(values, cost)
        top = int(merit.argmax())
        if merit[top] > self.beats:
            self.history += question.judged(orders[top][None], tried)
        if question.several:
            self._widen(orders, values, cost, tried)

    def _widen(self, orders: Orders, values: Array, cost: Array, tried: int) -> None:
        """Put orders on the front, and leave out those that others are better than in all."""
        question = self.question
        chosen = list(question.improved)
        _, meets = question.merits(values, cost)
        gains = question.gains(values)[:, chosen] - cost[:, None]
        orders, gains = orders[meets], gains[meets]
        front = np.array([self._gain(j) for j in self.front]).reshape(-1, len(chosen))
        free = ~_beaten(gains, front)
        orders, gains = orders[free], gains[free]
        for i in _best_of_all(gains):
            own = gains[i]
            left = ~_beaten(front, own[None])
            self.front = [j for j, stays in zip(self.front, left, strict=True) if stays]
            self.front += question.judged(orders[i][None], tried)
            front = np.concatenate([front[left], own[None]])
        self.front = self.front[:MOST_OF_FRONT]

    def _gain(self, one: Judged) -> Array:
        chosen = list(self.question.improved)
        return np.asarray(self.question.gains(np.array([one.values]))[0, chosen] - one.cost)


def _beaten(gains: Array, others: Array) -> NDArray[np.bool_]:
    """Whether any of the others is as good in all, shapes (k, g), (m, g) and (k,)."""
    edge = ALIKE * np.abs(gains)
    found = [
        (others >= row - away).all(axis=1).any() for row, away in zip(gains, edge, strict=True)
    ]
    return np.array(found, bool)


def _best_of_all(gains: Array) -> list[int]:
    """Rows of which none other is better in all, shape (k, g); of equal ones the first."""
    left: list[int] = []
    for i in np.argsort(-gains.sum(axis=1), kind="stable"):
        if not _beaten(gains[i][None], gains[left])[0]:
            left.append(int(i))
    return left


def _started(question: Question, found: Found) -> _Best:
    return _Best(question, list(found.history), [j for j in found.front if j.kept])


def _all(question: Question, found: Found, count: int) -> Iterator[Found]:
    best = _started(question, found)
    tried = admissible = 0
    for piece in admissible_orders(question.plies, question.rules):
        for orders in _slices(piece.orders, tried):
            tried += len(orders)
            admissible += best.take(orders, tried)
            found = replace(
                found,
                share=tried / max(count, 1),
                tried=tried,
                history=tuple(best.history),
                front=tuple(best.front),
            )
            yield found
    yield replace(found, share=1.0, proved=True, admissible=admissible)


def _slices(orders: Orders, before: int) -> Iterator[Orders]:
    """Orders a few at a time at first, so that the history of a short search has its steps."""
    first = 0
    while first < len(orders):
        size = min(max((before + first) // 4, 4), SMALL * 8)
        yield orders[first : first + size]
        first += size


def _tried(question: Question, found: Found, most: int, share: float) -> Iterator[Found]:
    best = _started(question, found)
    for orders, tried in tries(question, most):
        best.take(orders, tried)
        yield replace(
            found,
            share=share * min(tried / most, 1.0),
            tried=tried,
            history=tuple(best.history),
            front=tuple(best.front),
        )


def _bounded(question: Question, found: Found, bound: Bound, end: float) -> Iterator[Found]:
    best = _started(question, found)
    goal = question.goals[question.improved[0]]
    scale = float(question.reference[question.improved[0]])
    tried, before = found.tried, found.tried

    def known() -> float:
        merit = best.merit
        return goal.form(scale * merit) * (1 + ALIKE) if merit > 0 else -math.inf

    bound.known[0] = known()
    for piece in admissible_orders(question.plies, question.rules, bound):
        for first in range(0, len(piece.orders), SMALL):
            orders = piece.orders[first : first + SMALL]
            tried += len(orders)
            best.take(orders, tried)
            bound.known[0] = known()
        # How many branches there are is not known: the share tells that it goes on.
        share = 0.1 + 0.85 * (1 - math.exp(-(piece.nodes) / (20 * MOST_NODES)))
        found = replace(found, share=share, tried=max(tried, before), history=tuple(best.history))
        yield found
        if time.monotonic() > end:
            return
    yield replace(found, share=1.0, proved=True)


def clash(question: Question) -> tuple[ShopRule, ...]:
    """The fewest rules that no order keeps together; none where that is not found."""
    hard = [r for r in question.rules if r.active and r.weight is None]
    for size in range(1, min(len(hard), 4) + 1):
        for some in combinations(hard, size):
            if _none_keeps(question, some):
                return some
    return ()


def _none_keeps(question: Question, rules: tuple[ShopRule, ...]) -> bool:
    rest = [r for r in rules if r not in pruned(rules)]
    for piece in admissible_orders(question.plies, rules):
        if len(piece.orders):
            kept, _ = costs(rest, question.stiff, question.plies.full(piece.orders))
            if kept.any():
                return False
        if piece.nodes > MOST_NODES:
            return False
    return True
