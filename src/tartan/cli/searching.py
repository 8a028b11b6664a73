"""Commands that search, sweep, and look closer."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from tartan.cli.saying import refused, say
from tartan.core.errors import TartanError


def add_to(app: typer.Typer) -> None:
    """Add the commands to those of the program."""
    for command in (order, size, sweep, figures, edge):
        app.command()(command)


def order(  # noqa: PLR0913, PLR0917 - options of a command
    file: Path,
    stack: Annotated[str, typer.Argument(help="Name of the stack.")],
    goal: Annotated[
        list[str] | None,
        typer.Option(help="reserve, buckling, deflection, frequency, D11, D22 or D66."),
    ] = None,
    out: Annotated[Path | None, typer.Option(help="History as CSV or XLSX.")] = None,
    take: Annotated[bool, typer.Option("--take", help="Save the best order in FILE.")] = False,
    seed: Annotated[int | None, typer.Option(help="Of what is left to chance.")] = None,
    tries: Annotated[int, typer.Option(help="Orders tried where not all can be.")] = 200_000,
    seeds: Annotated[int, typer.Option(help="Searches by chance, each on a worker.")] = 1,
    cluster: Annotated[str, typer.Option(help="Address of a scheduler, tcp://…")] = "",
) -> None:
    """Search for the best order of a stack's plies under the project's shop rules."""
    from tartan.exchange.order_command import ordered, ordered_by_seeds, report_lines
    from tartan.exchange.order_tables import steps_table
    from tartan.exchange.tables import write_table
    from tartan.project.analysis.engine import Engine
    from tartan.project.edits.order_edits import take_order
    from tartan.project.files import storage
    from tartan.project.findings.order_words import best_of

    try:
        project = storage.load(file)
        found = None
        figures, first = tuple(goal or ()), seed or 0
        steps = ordered(project, stack, figures, seed, tries)
        if seeds > 1 or cluster:
            every = range(first, first + seeds)
            steps = ordered_by_seeds(project, stack, figures, every, Engine(cluster), tries)
        for share, stands in steps:
            found = stands
            sys.stderr.write(f"\r{share:4.0%}  {found.tried} orders")
        sys.stderr.write("\n")
        assert found is not None
        for line in report_lines(project, stack, found):
            say(line)
        if out is not None:
            write_table(steps_table(project, found), out)
            say(str(out))
        best = best_of(found)
        if take and best is not None:
            storage.save(take_order(project, stack, best.plies, found), file)
            say(str(file))
    except TartanError as error:
        raise refused(error) from error
    raise typer.Exit(0 if best is not None else 1)


def size(
    file: Path,
    least: Annotated[str, typer.Option(help="mass or cost; as the project asks by default.")] = "",
    most: Annotated[int | None, typer.Option(help="Designs solved at most.")] = None,
    ends: Annotated[int | None, typer.Option(help="Plies that may end at one border.")] = None,
    out: Annotated[Path | None, typer.Option(help="History as CSV or XLSX.")] = None,
    take: Annotated[bool, typer.Option("--take", help="Save the best design in FILE.")] = False,
    cluster: Annotated[str, typer.Option(help="Address of a scheduler, tcp://…")] = "",
) -> None:
    """Find the lightest or cheapest lay-up that meets every requirement."""
    from tartan.exchange.sizing_command import report_lines, run, taken
    from tartan.exchange.sizing_tables import steps_table
    from tartan.exchange.tables import write_table
    from tartan.project.analysis.engine import Engine
    from tartan.project.files import storage
    from tartan.project.findings.size_words import best_of

    engine = Engine(cluster)
    try:
        project = storage.load(file)
        ask, found = project.sizing, None
        for asked, news in run(project, least=least, most=most, ends=ends, engine=engine):
            ask, found = asked, news.found
            sys.stderr.write(f"\r{news.solves} designs, {news.doing}    ")
        sys.stderr.write("\n")
        assert found is not None
        for line in report_lines(found):
            say(line)
        if out is not None:
            write_table(steps_table(found), out)
            say(str(out))
        if take and best_of(found) is not None:
            storage.save(taken(project, ask, found), file)
            say(str(file))
    except TartanError as error:
        raise refused(error) from error
    finally:
        engine.close()
    raise typer.Exit(0 if best_of(found) is not None else 1)


def sweep(
    file: Path,
    over: Annotated[
        list[str] | None, typer.Option(help='"PATH = 0 to 90 by 15", "in 6", or "0, 30, 45".')
    ] = None,
    answer: Annotated[
        list[str] | None, typer.Option(help="Such as stacks[NAME].reserve or part.mass.")
    ] = None,
    scatter: Annotated[
        list[str] | None, typer.Option(help='"PATH = 5 %" (normal) or "PATH = 2 within".')
    ] = None,
    samples: Annotated[int, typer.Option(help="Samples of what scatters.")] = 200,
    out: Annotated[Path | None, typer.Option(help="CSV or XLSX.")] = None,
    cluster: Annotated[str, typer.Option(help="Address of a scheduler, tcp://…")] = "",
) -> None:
    """Answers over one or two figures, or over samples of figures that scatter."""
    from tartan.exchange.sweep_command import run

    try:
        asked = (over or [], scatter or [], answer or [])
        for line in run(file, *asked, samples=samples, out=out, cluster=cluster):
            say(line)
    except TartanError as error:
        raise refused(error) from error


def figures(file: Path) -> None:
    """List every figure of a project by the path that a sweep takes, and every answer."""
    from tartan.exchange.sweep_command import listing

    try:
        for line in listing(file):
            say(line)
    except TartanError as error:
        raise refused(error) from error


def edge(
    file: Path,
    stack: Annotated[str, typer.Argument(help="Name of a symmetric stack.")],
    width: Annotated[float, typer.Option(help="Of the strip, in mm.")] = 25.0,
    strain: Annotated[float, typer.Option(help="Extension, in per cent.")] = 0.1,
    over: Annotated[float, typer.Option(help="Length of the means from the edge, in mm.")] = 0.5,
    assume: Annotated[
        bool, typer.Option("--assume", help="Transverse isotropy where constants lack.")
    ] = False,
    out: Annotated[Path | None, typer.Option(help="CSV or XLSX.")] = None,
) -> None:
    """Stresses between the plies at the free edge of a strip in tension, in three dimensions."""
    from tartan.exchange.edge_command import run

    try:
        wishes = {"width": width * 1e-3, "strain": strain * 1e-2, "over": over * 1e-3}
        for line in run(file, stack, **wishes, assume=assume, out=out):
            say(line)
    except TartanError as error:
        raise refused(error) from error
