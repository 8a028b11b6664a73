"""Commands in three dimensions: a coupon of a stack, and the spot that governs a part."""

from __future__ import annotations

import sys
from collections.abc import Generator
from pathlib import Path
from typing import Annotated, Any

import typer

from tartan.cli.saying import refused, say
from tartan.core.errors import DocumentError, StackError, TartanError
from tartan.exchange.tables import Table


def add_to(app: typer.Typer) -> None:
    """Add the commands to those of the program."""
    app.command()(coupon)
    app.command()(spot)


def _finished(steps: Generator[str, None, Any]) -> Any:
    """What a generator returns; what it is at goes to the terminal's other stream."""
    while True:
        try:
            sys.stderr.write(f"{next(steps)} …\n")
        except StopIteration as end:
            return end.value


def _told(table: Table, out: Path | None) -> None:
    from tartan.exchange.tables import write_table

    say("  ".join(table.head))
    for row in table.rows:
        say("  ".join(c if isinstance(c, str) else f"{c:.4g}" for c in row if c is not None))
    if out is not None:
        write_table(table, out)
        say(str(out))


Assume = Annotated[
    bool, typer.Option("--assume", help="Estimate what three dimensions need and is missing.")
]


def coupon(  # noqa: PLR0913, PLR0917 - options of a command
    file: Path,
    stack: str,
    loading: Annotated[
        str, typer.Option(help="tension, bending, shear, torsion or four-point bending.")
    ] = "tension",
    load: Annotated[float, typer.Option(help="Force in N, or moment in N·m.")] = 1000.0,
    length: Annotated[float, typer.Option(help="Between the grips, in mm.")] = 100.0,
    width: Annotated[float, typer.Option(help="In mm.")] = 20.0,
    outer: Annotated[float, typer.Option(help="Between the lines it lies on, in mm.")] = 80.0,
    inner: Annotated[float, typer.Option(help="Between the lines that press it, in mm.")] = 40.0,
    stress: Annotated[str, typer.Option(help="σ1, σ2, σ3, τ12, τ13 or τ23.")] = "σ1",
    edge: Annotated[float | None, typer.Option(help="Means over so many mm at the edge.")] = None,
    assume: Assume = False,
    out: Annotated[Path | None, typer.Option(help="CSV or XLSX.")] = None,
) -> None:
    """A coupon of a stack as a shell, as one solid, and as solids ply by ply, side by side."""
    from tartan.core.solid.coupon import Coupon
    from tartan.pages import coupon as page
    from tartan.pages.three_ways import section_table
    from tartan.project.analysis.solids import tried
    from tartan.project.files import storage

    try:
        symbol, project = _symbol(stress), storage.load(file)
        found = project.stack(stack)
        if found is None:
            known = ", ".join(s.name for s in project.stacks) or "none"
            raise StackError(f"There is no stack '{stack}'.", "Coupon", f"There are {known}.")
        sizes = [v * 1e-3 for v in (length, width, outer, inner)]
        asked = Coupon(sizes[0], sizes[1], loading, load, sizes[2], sizes[3])
        solved = _finished(tried(project, found, asked, assume=assume))
        say(page.about(solved))
        for line in (page.words(solved), *solved.assumed):
            say(line)
        if edge is not None:
            table = page.edge_table(solved, edge * 1e-3)
        else:
            table = section_table(page.ways_of(solved), symbol)
        _told(table, out)
    except TartanError as error:
        raise refused(error) from error


def spot(  # noqa: PLR0913, PLR0917 - options of a command
    file: Path,
    case: Annotated[str, typer.Option(help="Name of a case; the one that governs.")] = "",
    element: Annotated[int | None, typer.Option(help="From 1; the one that governs.")] = None,
    cut: Annotated[float, typer.Option(help="Distance of the cut in mm; 0 for usual.")] = 0.0,
    per_ply: Annotated[int, typer.Option(help="Solids through every ply at least.")] = 1,
    stress: Annotated[str, typer.Option(help="σ1, σ2, σ3, τ12, τ13 or τ23.")] = "σ1",
    whole: Annotated[bool, typer.Option(help="All of the part that has its plies.")] = False,
    assume: Assume = False,
    out: Annotated[Path | None, typer.Option(help="CSV or XLSX.")] = None,
) -> None:
    """Check a spot of the part in 3-D: solids ply by ply, cut out of the shell and moved by it."""
    from tartan.pages import spot_solid as page
    from tartan.pages.three_ways import section_table
    from tartan.project.analysis.inputs import part_inputs, where_words
    from tartan.project.analysis.jobs import solve_now
    from tartan.project.files import storage
    from tartan.project.findings.chosen_margins import Ask, margins_for, worst_of
    from tartan.project.findings.spot_solid import SpotAsk, question_for, solved

    try:
        symbol, project = _symbol(stress), storage.load(file)
        answer = solve_now(part_inputs(project))
        names = answer.inputs.case_names
        if case and case not in names:
            raise DocumentError(
                f"There is no case '{case}'.", "Check in 3-D", f"There are {', '.join(names)}."
            )
        ask = Ask((case,) if case else ())
        count = answer.layout().mesh.count
        at = worst_of(answer, ask, project.left_out) if element is None else element - 1
        if at is None or not 0 <= at < count:
            raise DocumentError(
                "There is no such element, or none that ever fails.",
                "Check in 3-D",
                f"Give --element 1 to {count}.",
            )
        governs = int(margins_for(answer, ask).case[at])
        number = names.index(case) if case else governs
        wanted = SpotAsk(at, number, cut * 1e-3, per_ply, assume=assume, whole=whole)
        question = question_for(answer, project.governing_sets, wanted)
        found = _finished(solved(question))
        where = f"{where_words(answer.inputs, at)}, element {at + 1}, {names[number]}"
        say(where)
        for line in (page.words(found), *question.assumed):
            say(line)
        _told(section_table(page.ways_of(found, where), symbol), out)
    except TartanError as error:
        raise refused(error) from error


def _symbol(text: str) -> str:
    """A stress by its name, with its numbers low or not.

    Raises
    ------
    DocumentError
        Where there is none of that name.
    """
    from tartan.pages.three_ways import STRESSES

    low = text.translate(str.maketrans("123", "₁₂₃"))
    if low not in STRESSES:
        known = "σ1, σ2, σ3, τ12, τ13 or τ23"
        raise DocumentError(f"There is no stress '{text}'.", "Stress", f"Name {known}.")
    return low
