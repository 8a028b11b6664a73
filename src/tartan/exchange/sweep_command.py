"""Sweeps and samples on the command line."""

from __future__ import annotations

import math
import sys
from collections.abc import Iterator, Sequence
from functools import partial
from pathlib import Path

from tartan.core.errors import DocumentError
from tartan.exchange.sweep_tables import path_words, spread_table, sweep_table
from tartan.exchange.tables import Table, write_table
from tartan.project.analysis.engine import Engine
from tartan.project.document.model import Project
from tartan.project.edits.figures import figures
from tartan.project.files import storage
from tartan.project.findings.answer_figures import need_of, needs_part, offered
from tartan.project.findings.sweeps import (
    Outcome,
    Task,
    check_sweep,
    idle,
    over_of,
    run_task,
    samples_of,
    scatter_of,
    spread_of,
    tasks_of,
)

FEW = 40
"""Tasks of stacks alone that are done here: starting workers would take longer."""


def listing(file: Path) -> Iterator[str]:
    """All figures of a project with their values, and all answers.

    Raises
    ------
    DocumentError
        As reading the file.
    """
    project = storage.load(file)
    for path, value in figures(project):
        yield f"{path} = {value:.10g}"
    yield ""
    yield from offered(project)


def outcomes(
    project: Project, tasks: Sequence[Task], engine: Engine
) -> Iterator[tuple[int, Outcome]]:
    """Answers of tasks as they come; few and light ones without workers.

    Raises
    ------
    EngineError
        As `Engine.run`.
    """
    light = not any(needs_part(n) for n in tasks[0].answers)
    if light and len(tasks) <= FEW and not engine.address:
        for number, task in enumerate(tasks):
            yield number, run_task(project, task)
        return
    yield from engine.run(run_task, project, tasks)


def run(
    file: Path,
    overs: Sequence[str],
    scatters: Sequence[str],
    names: Sequence[str],
    *,
    samples: int,
    out: Path | None = None,
    cluster: str = "",
) -> Iterator[str]:
    """Lines of a sweep, or of samples.

    Raises
    ------
    TartanError
        What cannot be read, answered or written.
    """
    project = storage.load(file)
    if bool(overs) == bool(scatters):
        raise DocumentError(
            "A sweep goes over figures, or samples what scatters.",
            "Sweep",
            "Give --over or --scatter, and --answer.",
        )
    if overs:
        tasks = tasks_of([over_of(project, x) for x in overs], names)
    else:
        tasks = samples_of([scatter_of(project, x) for x in scatters], names, samples)
    check_sweep(project, tasks)
    found = [Outcome((math.nan,) * len(names), "not reached")] * len(tasks)
    with Engine(cluster) as engine:
        for done, (number, outcome) in enumerate(outcomes(project, tasks, engine)):
            found[number] = outcome
            sys.stderr.write(f"\r{(done + 1) / len(tasks):4.0%}")
    sys.stderr.write("\n")
    table = sweep_table(project, tasks, found)
    shown = table
    if scatters:
        spreads = spread_of(tasks, found, partial(need_of, project))
        shown = spread_table(project, tasks[0].paths, spreads)
    yield from _lines(shown)
    if overs:
        yield from (f"Nothing changes with {path_words(p)}." for p in idle(tasks, found))
    if out is not None:
        write_table(table, out)
        yield str(out)


def _lines(table: Table) -> Iterator[str]:
    yield "  ".join(table.head)
    for row in table.rows:
        yield "  ".join(map(_cell, row))


def _cell(cell: object) -> str:
    if cell is None:
        return "–"
    return f"{cell:.6g}" if isinstance(cell, float) else str(cell)
