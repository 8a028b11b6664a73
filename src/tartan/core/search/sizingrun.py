"""The search for the cheapest design that holds: relaxed, then whole, then what is cheaper still.

It asks for points and is told what they come to; whoever runs it answers them, here or on workers.
"""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tartan.core.search.sizing import Choices, Rows, Rule, cheaper, relaxed, whole

Array = NDArray[np.float64]

ROUNDS = 14
"""Relaxed points asked for at most."""

NEAR = 0.01
"""A relaxed step within this share of the ranges is none."""

PENALTY = 10.0
"""What exceeding a requirement counts against the cost when two relaxed points are compared."""


@dataclass(frozen=True)
class Request:
    """Points to be answered; whole ones as they would be made."""

    points: tuple[tuple[float, ...], ...]
    whole: bool
    doing: str


@dataclass(frozen=True, eq=False)
class Answered:
    """A point and what came of it.

    Attributes
    ----------
    point : tuple of float
        The values.
    rows : Rows or None
        Requirements with their slopes; none where the point could not be answered.
    holds : bool
        Whether every requirement was met in full.
    worst : float
        The requirement that is least met, at most one where it holds; endless where there is no
        answer.
    """

    point: tuple[float, ...]
    rows: Rows | None
    holds: bool
    worst: float


@dataclass(eq=False)
class Standing:
    """Where a search stands.

    Attributes
    ----------
    best : Answered or None
        The cheapest whole point that holds.
    steps : list of Answered
        Every best one, in the order in which it was found.
    relaxed : Answered or None
        The relaxed point.
    nearest : Answered or None
        The whole point that comes nearest to holding, while none does.
    solves : int
        Points answered.
    proved : bool
        Whether all that would cost less was answered and does not hold.
    stops : dict
        For every variable that could still be less: the point with one step less, that fails.
    tried : dict
        Whole points that were answered.
    """

    best: Answered | None = None
    steps: list[tuple[int, Answered]] = field(default_factory=list)
    relaxed: Answered | None = None
    nearest: Answered | None = None
    solves: int = 0
    proved: bool = False
    stops: dict[int, Answered] = field(default_factory=dict)
    tried: dict[tuple[float, ...], Answered] = field(default_factory=dict)


Search = Generator[Request, Sequence[Answered], None]


@dataclass(eq=False)
class Run:
    """One search.

    Attributes
    ----------
    choices : Choices
        What may be chosen.
    rules : tuple of Rule
        Sums that must not be exceeded.
    most : int
        Points answered at most.
    standing : Standing
        Where it stands.
    """

    choices: Choices
    rules: tuple[Rule, ...]
    most: int
    standing: Standing = field(default_factory=Standing)

    def steps(self, start: Sequence[float]) -> Search:
        """Ask for points until nothing cheaper is to be expected, or the most are answered."""
        rows = yield from self._relax(np.array(start, float))
        yield from self._round(list(rows))
        yield from self._descend()
        yield from self._prove()
        self._note_stops()

    def take(self, one: Answered) -> None:
        """Take a whole point that was answered before, where it may be chosen."""
        x = np.array(one.point)
        allowed = all(v in own for v, own in zip(one.point, self.choices.values, strict=True))
        if allowed and all(r.factors @ x <= r.most + 1e-9 for r in self.rules):
            self._keep(one)

    def _left(self) -> int:
        return self.most - self.standing.solves

    def _relax(self, start: Array) -> Generator[Request, Sequence[Answered], list[Rows]]:
        low, high = self.choices.low, self.choices.high
        width = np.where(high > low, high - low, 1.0)
        now = (yield from self._ask([tuple(np.clip(start, low, high))], "relaxing"))[0]
        if now.rows is None:
            return []
        trust, first = 0.5, abs(self.choices.cost_of(now.point)) or 1.0
        for _ in range(min(ROUNDS, self._left() // 2)):
            assert now.rows is not None
            at = np.array(now.point)
            box = np.maximum(low, at - trust * width), np.minimum(high, at + trust * width)
            x, _ = relaxed(self.choices, now.rows, self.rules, *box)
            if float((np.abs(x - at) / width).max()) < NEAR:
                break
            trial = (yield from self._ask([tuple(map(float, x))], "relaxing"))[0]
            better = self._merit(trial, first) < self._merit(now, first)
            if better:
                now, trust = trial, min(1.0, 1.5 * trust)
            else:
                trust *= 0.4
            if trust < NEAR:
                break
        self.standing.relaxed = now
        return [] if now.rows is None else [now.rows]

    def _merit(self, one: Answered, first: float) -> float:
        if one.rows is None:
            return np.inf
        return self.choices.cost_of(one.point) / first + PENALTY * max(0.0, one.worst - 1.0)

    def _ask(
        self, points: Sequence[tuple[float, ...]], doing: str, *, solid: bool = False
    ) -> Generator[Request, Sequence[Answered], list[Answered]]:
        """Answers of points; whole ones are kept."""
        found = list((yield Request(tuple(points), solid, doing)))
        self.standing.solves += len(found)
        if solid:
            for one in found:
                self._keep(one)
        return found

    def _keep(self, one: Answered) -> None:
        here = self.standing
        here.tried[one.point] = one
        if one.holds:
            if here.best is None or self._costs(one) < self._costs(here.best):
                here.best = one
                here.steps.append((here.solves, one))
                here.stops.clear()
        elif here.nearest is None or one.worst < here.nearest.worst:
            here.nearest = one

    def _costs(self, one: Answered) -> float:
        return self.choices.cost_of(one.point)

    def _below(self) -> float:
        best = self.standing.best
        return np.inf if best is None else self._costs(best)

    def _round(self, rows: list[Rows]) -> Search:
        """Whole points by all that is known, each one's failure added to it."""
        # One step less of everything is to be asked of the best.
        spare = len(self.choices.values)
        while self._left() > (spare if self.standing.best is not None else 0):
            found = whole(self.choices, rows, self.rules, self._below(), list(self.standing.tried))
            if found is None or (found[1] > 1e-6 and self.standing.best is not None):
                return
            one = (yield from self._ask([found[0]], "rounding", solid=True))[0]
            if not one.holds and one.rows is not None:
                failing = one.rows.value > 1.0
                # What fails by nothing that was derived is only left out.
                if failing.any():
                    rows.append(one.rows.some(failing))
            if not one.holds and found[1] > 1e-6 and self._stuck(one):
                return

    def _stuck(self, one: Answered) -> bool:
        """Whether even the most of everything that helps fails as it is expected to."""
        top = self.choices.high[self.choices.falls]
        return bool((np.array(one.point)[self.choices.falls] >= top).all())

    def _descend(self) -> Search:
        """One step less of every choice, then whatever the best one's own slopes promise."""
        while self.standing.best is not None and self._left() > 0:
            best = self.standing.best
            lesser = self._lesser(best.point)
            new = [p for p in lesser.values() if p not in self.standing.tried][: self._left()]
            if new:
                yield from self._ask(new, "one step less", solid=True)
            if self.standing.best is not best:
                continue
            self._note_stops()
            known = [best.rows] if best.rows is not None else []
            known += [
                one.rows.some(one.rows.value > 1.0)
                for one in self.standing.stops.values()
                if one.rows is not None and (one.rows.value > 1.0).any()
            ]
            yield from self._round(known)
            if self.standing.best is best:
                return

    def _note_stops(self) -> None:
        """Keep which of the best one's cheaper neighbours were answered."""
        here = self.standing
        if here.best is not None:
            lesser = self._lesser(here.best.point)
            here.stops = {n: here.tried[p] for n, p in lesser.items() if p in here.tried}

    def _lesser(self, point: tuple[float, ...]) -> dict[int, tuple[float, ...]]:
        """The cheaper neighbour of a point in every choice that has one and keeps the rules."""
        found = {}
        for number, value in enumerate(point):
            values = self.choices.values[number]
            cost = self.choices.cost[number]
            k = values.index(value) - (1 if cost > 0 else -1)
            if cost == 0 or not 0 <= k < len(values):
                continue
            other = (*point[:number], values[k], *point[number + 1 :])
            if all(r.factors @ np.array(other) <= r.most + 1e-9 for r in self.rules):
                found[number] = other
        return found

    def _prove(self) -> Search:
        """Answer all that costs less, where that is little."""
        while self.standing.best is not None:
            best = self.standing.best
            room = self._left() + len(self.standing.tried)
            every = cheaper(self.choices, self.rules, self._costs(best), room)
            if every is None:
                return
            new = [p for p in every if p not in self.standing.tried]
            if len(new) > self._left():
                return
            if not new:
                # What has no answer may as well hold.
                tried = self.standing.tried
                self.standing.proved = all(tried[p].rows is not None for p in every)
                return
            # The cheapest that holds is the best: what comes after it need not be asked.
            yield from self._ask(new[:2], "proving", solid=True)
