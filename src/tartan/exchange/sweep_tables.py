"""Tables of a sweep and of samples that scatter, in the user's units."""

from __future__ import annotations

import math
from collections.abc import Sequence

from tartan.exchange.tables import Cell, Table
from tartan.project.document.model import Project
from tartan.project.findings.answer_figures import words_of
from tartan.project.findings.sweeps import QUANTILES, Outcome, Spread, Task
from tartan.project.wording.figure_units import figure_words, quantity_of
from tartan.project.wording.units import Quantity


def _head(words: str, quantity: Quantity) -> str:
    return f"{words} [{quantity.unit}]" if quantity.unit else words


def path_words(paths: Sequence[str]) -> str:
    """Figures that take one value, in words."""
    first = figure_words(paths[0])
    return first if len(paths) == 1 else f"{first} and {len(paths) - 1} more"


def sweep_table(project: Project, tasks: Sequence[Task], outcomes: Sequence[Outcome]) -> Table:
    """Every point with its answers; what could not be answered says why."""
    if not tasks:
        return Table("sweep", (), ())
    first = tasks[0]
    asked = [quantity_of(p[0].removeprefix("-")) for p in first.paths]
    answered = [words_of(project, n) for n in first.answers]
    head = [_head(path_words(p), q) for p, q in zip(first.paths, asked, strict=True)]
    head += [_head(words, q) for words, q in answered]
    rows: list[tuple[Cell, ...]] = []
    for task, outcome in zip(tasks, outcomes, strict=True):
        given = [v / q.scale for v, q in zip(task.values, asked, strict=True)]
        found: list[Cell] = [
            None if math.isnan(v) else v / q.scale
            for v, (_, q) in zip(outcome.values, answered, strict=True)
        ]
        rows.append((*given, *found, outcome.fault))
    faulty = any(o.fault for o in outcomes)
    if not faulty:
        rows = [row[:-1] for row in rows]
    return Table("sweep", (*head, "not answered") if faulty else tuple(head), tuple(rows))


def spread_table(
    project: Project, paths: Sequence[Sequence[str]], spreads: Sequence[Spread]
) -> Table:
    """Of every answer the share that holds, quantiles, and what matters by rank correlation."""
    every = [words_of(project, one.name) for one in spreads]
    head = ("of the samples", *(_head(words, quantity) for words, quantity in every))
    rows: list[tuple[Cell, ...]] = [
        ("hold", *("" if s.holds is None else f"{s.holds:.1%}" for s in spreads))
    ]
    for k, share in enumerate(QUANTILES):
        values = [
            s.quantiles[k] / quantity.scale if s.quantiles else None
            for s, (_, quantity) in zip(spreads, every, strict=True)
        ]
        rows.append((f"{share:.0%} are below", *values))
    for k, each in enumerate(paths):
        ranks = [f"{s.matters[k]:+.2f}".replace("-", "−") if s.matters else "" for s in spreads]
        rows.append((f"follow {path_words(each)}", *ranks))
    return Table("samples", head, tuple(rows))
