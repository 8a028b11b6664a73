"""The sizing of a part: the lightest, or cheapest, of the designs that meet every requirement."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tartan.core.errors import DocumentError
from tartan.core.search.sizing import Choices, Rows
from tartan.core.search.sizingrun import Answered as Known
from tartan.core.search.sizingrun import Request, Run, Standing
from tartan.project.analysis.size_proposals import groups_of, variables_of
from tartan.project.analysis.sized import Made, part_of
from tartan.project.document.model import Project
from tartan.project.document.sizingmodel import Least, SizeAsk, SizeFound, SizeStep, SizeStop
from tartan.project.findings.size_points import Answered, Sizing, Task, answer_point
from tartan.project.findings.size_rules import choices_of, rules_of, start_of
from tartan.project.findings.size_words import variable_words
from tartan.project.findings.size_zones import zones_found

WHERE = "Sizing"

ENDLESS = 1e9
"""What stands for a ratio without end."""

MET = 1.005
"""A relaxed design that comes so near to its requirements meets them."""

Answer = Callable[[Sizing, Sequence[Task]], Sequence[Answered]]
"""Whoever answers points, in their order: here, or on workers."""


@dataclass(frozen=True, eq=False)
class SizeNews:
    """Where a sizing stands.

    Attributes
    ----------
    doing : str
        What it is about.
    solves, most : int
        Designs solved, and at most.
    found : SizeFound
        What was found until then.
    """

    doing: str
    solves: int
    most: int
    found: SizeFound


def here(sizing: Sizing, tasks: Sequence[Task]) -> list[Answered]:
    """Points answered in this process, one after the other."""
    return [answer_point(sizing, task) for task in tasks]


def sizing_of(project: Project, ask: SizeAsk) -> Sizing:
    """What is sized.

    Raises
    ------
    DocumentError
        No part, or linked variables that cannot take the same value.
    """
    part_of(project)
    variables = variables_of(project, ask)
    return Sizing(project, variables, groups_of(variables))


def sized(project: Project, ask: SizeAsk, answer: Answer = here) -> Iterator[SizeNews]:
    """Size the part of a project; the last news is the result.

    Parameters
    ----------
    project : Project
        The design as it is, with its requirements.
    ask : SizeAsk
        What may change, and what shall be small.
    answer : callable
        Who answers points.

    Raises
    ------
    TartanError
        What cannot be asked, or the design as it is where that cannot be solved.
    """
    sizing = sizing_of(project, ask)
    choices, rules = choices_of(sizing, ask), rules_of(sizing, ask)
    for rule in rules:
        least = sum(
            min(f * v for v in values)
            for f, values in zip(rule.factors, choices.values, strict=True)
        )
        if least > rule.most + 1e-9:
            raise DocumentError(
                f"More than {ask.most_dropped} plies end between two zones, whatever is chosen.",
                WHERE,
                "Allow more to end there, or fewer plies in the regions.",
            )
    run = Run(choices, rules, ask.most_solves)
    start = start_of(sizing)
    first = answer(sizing, [Task(start, solid=True)])[0]
    if first.judged is None:
        raise DocumentError(first.fault, WHERE, "Mend the design as it is first.")
    run.take(_known(start, first))
    told = _Told(sizing, choices, run.standing, {start: first}, start, ask.least)
    yield told.news("solving it as it is", ask.most_solves)
    steps = run.steps(start)
    try:
        request = next(steps)
        while True:
            yield told.news(request.doing, ask.most_solves)
            request = steps.send(told.answered(request, answer))
    except StopIteration:
        pass
    yield told.done(ask.most_solves)


@dataclass(eq=False)
class _Told:
    """Answers of a run by their points, and what they make."""

    sizing: Sizing
    choices: Choices
    standing: Standing
    known: dict[tuple[float, ...], Answered]
    start: tuple[float, ...]
    least: Least

    def answered(self, request: Request, answer: Answer) -> list[Known]:
        """Answers as the search reads them."""
        tasks = [Task(p, request.whole) for p in request.points]
        found = answer(self.sizing, tasks)
        if request.whole:
            self.known.update(zip(request.points, found, strict=True))
        return [_known(p, a) for p, a in zip(request.points, found, strict=True)]

    def news(self, doing: str, most: int) -> SizeNews:
        """Where it stands."""
        return SizeNews(doing, self.standing.solves, most, self.found())

    def done(self, most: int) -> SizeNews:
        """The result, zone by zone too."""
        news, best = self.news("done", most), self.standing.best
        if best is None:
            return news
        zones = zones_found(self.sizing, best.point)
        return replace(news, found=replace(news.found, zones=zones))

    def found(self) -> SizeFound:
        """What was found, as the project keeps it."""
        standing = self.standing
        relaxed, nearest = standing.relaxed, standing.nearest
        met = relaxed is not None and relaxed.worst <= MET
        return SizeFound(
            tuple(self.sizing.variables[g[0]] for g in self.sizing.groups),
            tuple(self._name(g) for g in self.sizing.groups),
            self.least,
            self.sizing.project.requirements,
            self._step(0, self.start),
            tuple(self._step(n, one.point) for n, one in standing.steps),
            None
            if nearest is None or standing.best is not None
            else self._step(standing.solves, nearest.point),
            self.choices.cost_of(relaxed.point) if relaxed is not None and met else None,
            standing.proved,
            standing.solves,
            tuple(self._stop(k, one) for k, one in sorted(standing.stops.items())),
        )

    def _name(self, group: Sequence[int]) -> str:
        name = variable_words(self.sizing.project, self.sizing.variables[group[0]])
        more = len(group) - 1
        return f"{name} and {more} more" if more else name

    def _step(self, solves: int, point: tuple[float, ...]) -> SizeStep:
        judged = self.known[point].judged
        assert judged is not None
        return SizeStep(
            solves,
            point,
            judged.mass,
            judged.cost,
            judged.holds,
            tuple(f if np.isfinite(f) else None for f in judged.figures),
            min(judged.worst, ENDLESS),
            judged.governs,
        )

    def _stop(self, number: int, one: Known) -> SizeStop:
        judged, fault = self.known[one.point].judged, self.known[one.point].fault
        value = one.point[number]
        if judged is None:
            return SizeStop(number, value, 0.0, fault)
        return SizeStop(number, value, min(judged.worst, ENDLESS), judged.governs)


def _known(point: tuple[float, ...], answer: Answered) -> Known:
    if answer.judged is None:
        return Known(point, None, holds=False, worst=float("inf"))
    rows = Rows(np.array(point), answer.values, answer.slopes, answer.beside)
    worst = float(answer.values.max(initial=0.0))
    return Known(point, rows, answer.judged.holds, worst)


def design_of(project: Project, ask: SizeAsk, values: Sequence[float]) -> Made:
    """The solid design of a step that was found.

    Raises
    ------
    DocumentError
        Where the lay-up is another one now.
    """
    sizing = sizing_of(project, ask)
    if len(values) != len(sizing.groups):
        raise DocumentError("What was found is of another lay-up.", WHERE, "Size it again.")
    return sizing.design(values, solid=True)
