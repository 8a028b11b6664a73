"""A sizing without a window: by the command line, or from Python."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from tartan.core.errors import DocumentError
from tartan.exchange.sizing_tables import changes_table, requirements_table, zones_table
from tartan.project.analysis.engine import Engine
from tartan.project.document.model import Project
from tartan.project.document.sizingmodel import SizeAsk, SizeFound
from tartan.project.edits.sizing_edits import check_ask, take_design
from tartan.project.findings.size_points import Answered, Sizing, Task, answer_point
from tartan.project.findings.size_words import best_of, result_words
from tartan.project.findings.sizing import Answer, SizeNews, here, sized, sizing_of


def by(engine: Engine, *, alone: bool = True) -> Answer:
    """Who answers points: the engine's workers.

    A single one is answered in this process where it may be kept busy (`alone`), so that workers
    of this machine are only started for more.
    """

    def answer(sizing: Sizing, tasks: Sequence[Task]) -> list[Answered]:
        if alone and len(tasks) == 1 and not engine.address:
            return here(sizing, tasks)
        found = dict(engine.run(answer_point, sizing, tasks))
        return [found[k] for k in range(len(tasks))]

    return answer


def run(
    project: Project,
    *,
    least: str = "",
    most: int | None = None,
    ends: int | None = None,
    engine: Engine,
    alone: bool = True,
) -> Iterator[tuple[SizeAsk, SizeNews]]:
    """Size a project as it asks, or with other wishes.

    Yields what is asked and where it stands; the last is the result.

    Raises
    ------
    TartanError
        What cannot be asked or answered.
    """
    ask = project.sizing
    if least:
        ask = replace(ask, least=least)  # type: ignore[arg-type]
    if most is not None:
        ask = replace(ask, most_solves=most)
    if ends is not None:
        ask = replace(ask, most_dropped=ends)
    check_ask(ask)
    for news in sized(project, ask, by(engine, alone=alone)):
        yield ask, news


def report_lines(found: SizeFound) -> list[str]:
    """The result in lines: what it weighs, what changed, and the requirements."""
    lines = [result_words(found)]
    chosen = best_of(found) or found.nearest
    if chosen is None:
        return lines
    for table in (
        changes_table(found, chosen),
        zones_table(found),
        requirements_table(found, chosen),
    ):
        if not table.rows:
            continue
        lines.append("")
        lines += ["  ".join(str(cell) for cell in row if cell != "") for row in table.rows]
    return lines


def taken(project: Project, ask: SizeAsk, found: SizeFound) -> Project:
    """The project with the best design that was found, and the search kept with it.

    Raises
    ------
    DocumentError, StackError
        Where nothing holds, or the lay-up is another one by now.
    """
    best = best_of(found)
    if best is None:
        raise DocumentError(
            "No design that holds was found.", "Sizing", "Allow more, or ask for less."
        )
    sizing = sizing_of(project, ask)
    chosen, values = sizing.changes(best.values)
    return take_design(project, chosen, replace(best, values=tuple(values)), found)
