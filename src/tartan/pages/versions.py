"""What the Versions station says: cards, differences in words, requirements. No Qt."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from tartan.core.errors import TartanError
from tartan.exchange.tables import Table
from tartan.pages.shown import Card
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.document.model import Project
from tartan.project.edits import versions
from tartan.project.findings.differences import Difference, differences
from tartan.project.findings.verdict import Status, signed, statuses
from tartan.project.wording import units
from tartan.project.wording.document_words import requirement_words


class Answered(Protocol):
    """A project whose versions are answered."""

    @property
    def project(self) -> Project:
        """The project as it stands."""
        ...

    def answer_of(self, name: str) -> PartAnswer | None:
        """Answer of a version, if it is there."""
        ...

    def refusal_of(self, name: str) -> TartanError | None:
        """Why a version has no answer."""
        ...


def cards(session: Answered) -> list[Card]:
    """Every version: mass, cost, and its governing reserve factor once it is answered."""
    project = session.project
    found = []
    for name in versions.version_names(project):
        marks = ["at work"] if name == project.version else []
        marks += ["baseline"] if name == project.against else []
        words, fault = _line(session, name)
        found.append(Card(name, words, mark=" · ".join(marks), fault=fault))
    return found


def _line(session: Answered, name: str) -> tuple[str, bool]:
    answer = session.answer_of(name)
    if answer is None:
        refusal = session.refusal_of(name)
        return (refusal.what, True) if refusal else ("not answered yet", False)
    found = statuses(
        versions.as_project(session.project, versions.find_version(session.project, name)), answer
    )
    reserve = next((s for s in found if s.requirement.kind == "reserve factor"), None)
    kilograms = answer.layout().mass()
    mass = "mass not known" if kilograms is None else f"{units.number(kilograms)} kg"
    factor = f"RF {units.factor(reserve.value)}" if reserve else ""
    return ", ".join(w for w in (factor, mass) if w), not all(s.met for s in found)


def changes(project: Project, name: str) -> list[Difference]:
    """What the version at work does differently from another; empty without another."""
    if name in ("", project.version):
        return []
    return differences(versions.find_version(project, name), project)


@dataclass(frozen=True)
class Line:
    """A requirement, or a property of the whole, in two versions.

    Attributes
    ----------
    words, then, now, change : str
        What it is, and its values in words.
    better : bool or None
        Whether the change is for the better; None where it is neither.
    met : bool
        Whether the version at work meets it.
    status : Status or None
        Where it leads; None for properties.
    """

    words: str
    then: str
    now: str
    change: str
    better: bool | None
    met: bool
    status: Status | None = None


def lines(project: Project, now: PartAnswer | None, then: PartAnswer | None) -> list[Line]:
    """Requirement by requirement, then mass and cost."""
    if now is None:
        return []
    found = []
    before = statuses(project, then) if then is not None else []
    for s in statuses(project, now):
        old = next((b for b in before if b.requirement == s.requirement), None)
        change, better = "", None
        if old is not None and np.isfinite(old.value) and np.isfinite(s.value):
            step = s.value - old.value
            change = "same" if abs(step) <= 1e-9 * abs(old.value) else signed(s, step)
            better = None if change == "same" else s.ratio > old.ratio
        found.append(
            Line(
                requirement_words(s.requirement),
                old.amount if old else "–",
                s.amount,
                change,
                better,
                s.met,
                s,
            )
        )
    masses = [a.layout().mass() if a is not None else None for a in (then, now)]
    found.append(_property("mass", masses, "kg"))
    costs = [a.layout().cost() if a is not None else None for a in (then, now)]
    found.append(_property("cost of materials", costs, ""))
    return found


def _property(words: str, values: Sequence[float | None], unit: str) -> Line:
    then, now = values
    said = [f"{units.number(v)} {unit}".strip() if v is not None else "–" for v in values]
    change, better = "", None
    if then is not None and now is not None:
        step = now - then
        same = abs(step) <= 1e-9 * abs(then)
        better = None if same else step < 0
        text = f"{units.number(step, 3)} {unit}".strip()
        change = "same" if same else text if step < 0 else f"+{text}"
    return Line(words, said[0], said[1], change, better, met=True)


def table_of(found: Sequence[Line], before: str, now: str) -> Table:
    """The lines as a table."""
    rows = tuple((x.words, x.then, x.now, x.change) for x in found)
    return Table("requirement by requirement", ("requirement", before or "–", now, "change"), rows)
