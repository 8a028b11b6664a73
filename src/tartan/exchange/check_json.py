"""The verdict and the requirements as plain data, for scripts."""

from __future__ import annotations

import math
from typing import Any

from tartan import __version__
from tartan.project.analysis import results
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.document.model import Project
from tartan.project.findings.chosen_margins import excluded
from tartan.project.findings.limits import limits
from tartan.project.findings.verdict import Status, statuses, verdict
from tartan.project.wording.document_words import requirement_words

FORM = 1
"""Version of this form; raised when a field changes its meaning."""


def as_data(project: Project, answer: PartAnswer) -> dict[str, Any]:
    """Verdict and requirements with value, margin, case and place; SI units throughout.

    Parameters
    ----------
    project, answer : Project, PartAnswer
        What is checked.
    """
    said, found = verdict(project, answer), statuses(project, answer)
    out = excluded(answer, project.left_out)
    return {
        "form": FORM,
        "tartan": __version__,
        "project": project.name,
        "version": project.version,
        "inputs": results.digest(answer.inputs),
        "met": all(s.met for s in found),
        "verdict": f"{said.figure}. {said.sentence}",
        "left out": {"what": out.words, "share of area": out.share},
        "not covered": [x.words for x in limits(answer)],
        "requirements": [_requirement(s, answer) for s in found],
    }


def _requirement(status: Status, answer: PartAnswer) -> dict[str, Any]:
    at, m = status.address, answer.margins
    found: dict[str, Any] = {
        "kind": status.requirement.kind,
        "words": requirement_words(status.requirement),
        "met": status.met,
        "value": _finite(status.value),
        "limit": status.requirement.value,
        "margin": _finite(status.ratio - 1),
        "where": status.where,
        "case": answer.inputs.case_names[at.case] if at else status.case or None,
    }
    if at is not None:
        found["element"] = at.element + 1
        found["position [m]"] = [float(v) for v in answer.layout().mesh.centres()[at.element]]
        if at.ply is not None:
            found["ply"] = at.ply + 1
            found["mode"] = m.mode_label(at.element) if at.ply == int(m.ply[at.element]) else None
    return found


def _finite(value: float) -> float | None:
    """A number JSON can hold; what never fails has none."""
    return value if math.isfinite(value) else None
