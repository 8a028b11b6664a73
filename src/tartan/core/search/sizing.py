"""Least cost of choices under requirements known by value and slope where they were asked.

Each requirement is a number that must not exceed one. About a point that was answered it is taken
as a sum of terms of one choice each: straight where it grows with the choice, and falling as
``1 / (x + s)`` where more of it helps, s being what the other plies are worth. The relaxed problem
is then convex; with the allowed values as zeros and ones the whole one is linear, and is solved by
branch and bound.

Source: V. Braibant, C. Fleury, Comput. Meth. Appl. Mech. Eng. 53 (1985) 119–148 (mixed convex
terms); K. Svanberg, Int. J. Numer. Meth. Eng. 24 (1987) 359–373 (terms with asymptotes).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

SECONDS = 20.0
"""Longest that branch and bound may take over one whole candidate."""

EXACT = 1e-7
"""What a relaxed point may exceed a requirement by and still be said to meet it."""

SLACK = 1e3
"""What exceeding a requirement costs, in times the dearest design."""


@dataclass(frozen=True, eq=False)
class Choices:
    """What may be chosen.

    Attributes
    ----------
    values : tuple of tuple of float
        Allowed values of every variable, ascending.
    cost : ndarray, shape (n,)
        Cost of one unit of each.
    falls : ndarray of bool, shape (n,)
        Whether more of it can help as ``1 / (x + s)``; angles do not.
    base : float
        Cost of all else.
    """

    values: tuple[tuple[float, ...], ...]
    cost: Array
    falls: NDArray[np.bool_]
    base: float = 0.0

    @property
    def low(self) -> Array:
        """Least values, shape (n,)."""
        return np.array([v[0] for v in self.values])

    @property
    def high(self) -> Array:
        """Greatest values, shape (n,)."""
        return np.array([v[-1] for v in self.values])

    def cost_of(self, x: Sequence[float] | Array) -> float:
        """Cost of a point, shape (n,)."""
        return self.base + float(self.cost @ np.asarray(x))


@dataclass(frozen=True, eq=False)
class Rule:
    """A sum of choices that must not exceed a number."""

    factors: Array
    most: float


@dataclass(frozen=True, eq=False)
class Rows:
    """Requirements about a point that was answered.

    Attributes
    ----------
    at : ndarray, shape (n,)
        The point.
    value : ndarray, shape (c,)
        What they come to there; at most one where they hold.
    slope : ndarray, shape (c, n)
        Their derivatives.
    beside : ndarray, shape (n,)
        What else there is beside each choice, in its units.
    """

    at: Array
    value: Array
    slope: Array
    beside: Array

    def terms(self, choices: Choices, number: int, x: Array) -> Array:
        """What a choice adds at values of it, shape (c, p) of (p,)."""
        at, slope = self.at[number], self.slope[:, number, None]
        straight = x - at
        if not choices.falls[number]:
            return np.asarray(slope * straight)
        s = self.beside[number]
        falling = (at + s) * (1 - (at + s) / (x + s))
        return np.asarray(np.where(slope < 0, slope * falling, slope * straight))

    def of(self, choices: Choices, x: Array) -> Array:
        """What the requirements are taken to be at a point, shape (c,)."""
        found = self.value.copy()
        for number in range(len(x)):
            found += self.terms(choices, number, x[number : number + 1])[:, 0]
        return found

    def slopes(self, choices: Choices, x: Array) -> Array:
        """Derivatives of that, shape (c, n)."""
        s = self.beside
        falling = ((self.at + s) / (x + s)) ** 2
        return np.where((self.slope < 0) & choices.falls, self.slope * falling, self.slope)

    def some(self, which: NDArray[np.bool_]) -> Rows:
        """Some of them, by a mask of shape (c,)."""
        return Rows(self.at, self.value[which], self.slope[which], self.beside)


def relaxed(
    choices: Choices, rows: Rows, rules: Sequence[Rule], low: Array, high: Array
) -> tuple[Array, float]:
    """Cheapest point between the bounds by what is known about one, whole or not.

    Parameters
    ----------
    choices : Choices
        What may be chosen.
    rows : Rows
        Requirements about a point.
    rules : sequence of Rule
        Sums that must not be exceeded.
    low, high : ndarray, shape (n,)
        Bounds.

    Returns
    -------
    tuple of ndarray and float
        The point, shape (n,), and by how much its worst requirement exceeds one.
    """
    from scipy.optimize import minimize

    width = np.where(high > low, high - low, 1.0)
    top = max(float(np.abs(choices.cost) @ np.maximum(np.abs(low), np.abs(high))), 1e-300)
    count = len(width)

    def point(y: Array) -> Array:
        found: Array = low + y[:count] * width
        return found

    def cost(y: Array) -> float:
        return float(choices.cost @ point(y)) / top + SLACK * float(y[count])

    grad = np.append(choices.cost * width / top, SLACK)

    def room(y: Array) -> Array:
        found: Array = 1.0 + y[count] - rows.of(choices, point(y))
        return found

    def room_slope(y: Array) -> Array:
        own = -rows.slopes(choices, point(y)) * width
        return np.hstack([own, np.ones((len(own), 1))])

    limits = [{"type": "ineq", "fun": room, "jac": room_slope}] if len(rows.value) else []
    for rule in rules:
        row = np.append(-rule.factors * width, 0.0)
        limits.append(
            {
                "type": "ineq",
                "fun": lambda y, r=rule: np.array([r.most - r.factors @ point(y)]),
                "jac": lambda _, row=row: row[None],
            }
        )
    inside = np.clip((rows.at - low) / width, 0.0, 1.0)
    worst = max(0.0, float(rows.of(choices, low + inside * width).max(initial=0.0)) - 1.0)
    ends = [(0.0, 1.0 if h > w else 0.0) for w, h in zip(low, high, strict=True)]
    x, over = rows.at, np.inf
    # Nothing is exceeded first; only where that cannot be, as little as can be.
    for begin, most in ((0.0, 0.0), (worst, np.inf)):
        found = minimize(
            cost,
            np.append(inside, begin),
            jac=lambda _: grad,
            bounds=[*ends, (0.0, most)],
            constraints=limits,
            method="SLSQP",
            options={"maxiter": 200, "ftol": 1e-10},
        )
        tried = np.clip(low + np.nan_to_num(found.x[:count]) * width, low, high)
        exceeds = max(0.0, float(rows.of(choices, tried).max(initial=0.0)) - 1.0)
        if exceeds < over:
            x, over = tried, exceeds
        if over < EXACT:
            break
    return x, over


def whole(
    choices: Choices,
    rows: Sequence[Rows],
    rules: Sequence[Rule],
    below: float = np.inf,
    tried: Sequence[tuple[float, ...]] = (),
) -> tuple[tuple[float, ...], float] | None:
    """Cheapest allowed point by what is known about several, by branch and bound.

    Parameters
    ----------
    choices : Choices
        What may be chosen.
    rows : sequence of Rows
        Requirements about points.
    rules : sequence of Rule
        Sums that must not be exceeded.
    below : float
        What it has to cost less than.
    tried : sequence of tuple of float
        Points that are out of question.

    Returns
    -------
    tuple of tuple of float and float, or None
        The point, and by how much its worst requirement is taken to exceed one; none where
        nothing is left.
    """
    from scipy.optimize import Bounds, LinearConstraint, milp

    sizes = [len(v) for v in choices.values]
    starts = np.concatenate([[0], np.cumsum(sizes)])
    count = int(starts[-1])
    which = np.repeat(np.arange(len(sizes)), sizes)
    flat = np.concatenate([np.array(v) for v in choices.values])
    price = choices.cost[which] * flat
    top = max(float(np.abs(price).sum()), 1e-300)
    limits = []
    one = np.zeros((len(sizes), count + 1))
    one[which, np.arange(count)] = 1.0
    limits.append(LinearConstraint(one, 1.0, 1.0))
    for each in rows:
        block = np.empty((len(each.value), count + 1))
        for number, values in enumerate(choices.values):
            at = slice(starts[number], starts[number + 1])
            block[:, at] = each.terms(choices, number, np.array(values))
        block[:, count] = -1.0
        limits.append(LinearConstraint(block, -np.inf, 1.0 - each.value))
    limits += [
        LinearConstraint(np.append(r.factors[which] * flat, 0.0), -np.inf, r.most + 1e-9)
        for r in rules
    ]
    if np.isfinite(below):
        least = 1e-9 * max(abs(below), 1e-300)
        limits.append(
            LinearConstraint(np.append(price, 0.0), -np.inf, below - choices.base - least)
        )
    for point in tried:
        row = np.zeros(count + 1)
        for number, value in enumerate(point):
            row[starts[number] + choices.values[number].index(value)] = 1.0
        limits.append(LinearConstraint(row, -np.inf, len(point) - 1.0))
    found = milp(
        np.append(price / top, SLACK),
        integrality=np.append(np.ones(count), 0.0),
        bounds=Bounds(np.zeros(count + 1), np.append(np.ones(count), np.inf)),
        constraints=limits,
        options={"time_limit": SECONDS},
    )
    if found.x is None:
        return None
    picks = [int(np.argmax(found.x[a:b])) for a, b in pairwise(starts)]
    chosen = tuple(choices.values[i][k] for i, k in enumerate(picks))
    if chosen in set(tried):
        return None
    return chosen, max(0.0, float(found.x[count]))


def cheaper(
    choices: Choices, rules: Sequence[Rule], below: float, most: int
) -> list[tuple[float, ...]] | None:
    """All allowed points that cost less, cheapest first; None where there are more than `most`."""
    order = np.argsort(-np.abs(choices.cost), kind="stable")
    least = np.array(
        [min(c * v[0], c * v[-1]) for c, v in zip(choices.cost, choices.values, strict=True)]
    )
    rest = np.append(np.cumsum(least[order][::-1])[::-1], 0.0)
    edge = below - choices.base - 1e-9 * max(abs(below), 1e-300)
    found: list[tuple[float, ...]] = []
    partial: list[tuple[int, float, dict[int, float]]] = [(0, 0.0, {})]
    while partial:
        depth, spent, chosen = partial.pop()
        if depth == len(order):
            point = tuple(chosen[i] for i in range(len(order)))
            if all(r.factors @ np.array(point) <= r.most + 1e-9 for r in rules):
                found.append(point)
            if len(found) > most:
                return None
            continue
        number = int(order[depth])
        for value in choices.values[number]:
            now = spent + float(choices.cost[number]) * value
            if now + rest[depth + 1] < edge:
                partial.append((depth + 1, now, {**chosen, number: value}))
        if len(partial) > 50 * (most + 1) * len(order):
            return None
    return sorted(found, key=choices.cost_of)
