"""What an order of plies does on the part: requirements, and every case, before and after."""

from __future__ import annotations

import numpy as np

from tartan.exchange.tables import Table
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.document.model import Project
from tartan.project.findings.chosen_margins import case_worst
from tartan.project.findings.verdict import statuses
from tartan.project.wording import units
from tartan.project.wording.document_words import requirement_words


def on_the_part(
    before: tuple[Project, PartAnswer], after: tuple[Project, PartAnswer]
) -> tuple[Table, tuple[bool, ...]]:
    """Requirements, then the least reserve factor and the greatest displacement of every case.

    Returns
    -------
    tuple of Table and tuple of bool
        The table, and whether each row holds after.
    """
    # Each is sorted by how it is met, so that their orders differ.
    was = {s.requirement: s for s in statuses(*before)}
    rows: list[tuple[str, ...]] = []
    holds: list[bool] = []
    for one in statuses(*after):
        if (old := was.get(one.requirement)) is not None:
            rows.append((requirement_words(one.requirement), old.amount, one.amount))
            holds.append(one.met)
    first = {name: float(m.reserve[e]) for name, e, m in case_worst(before[1], before[0].left_out)}
    for name, e, m in case_worst(after[1], after[0].left_out):
        if name in first:
            each = (first[name], float(m.reserve[e]))
            rows.append((f"{name}: reserve factor", *(units.factor(x) for x in each)))
            holds.append(True)
    far = [_farthest(a) for a in (before[1], after[1])]
    for name, value in far[1].items():
        if name in far[0]:
            each = (far[0][name], value)
            rows.append((f"{name}: displacement", *(units.show(x, units.LENGTH) for x in each)))
            holds.append(True)
    return Table("on the part", ("on the part", "before", "after"), tuple(rows)), tuple(holds)


def _farthest(answer: PartAnswer) -> dict[str, float]:
    """Greatest displacement of every case [m]."""
    moved = np.linalg.norm(answer.solution.displacement[..., :3], axis=-1).max(axis=-1)
    return {n: float(u) for n, u in zip(answer.inputs.case_names, moved, strict=False)}
