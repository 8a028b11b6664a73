"""`tartan`: open the window, check a project, verify against solved cases."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from typer.core import TyperGroup

from tartan import __version__
from tartan.cli import searching, solids
from tartan.cli.saying import refused as _refuse
from tartan.cli.saying import say as _say
from tartan.core.errors import TartanError

if TYPE_CHECKING:
    from tartan.project.analysis.jobs import PartAnswer
    from tartan.project.document.model import Project


class FileFirst(TyperGroup):
    """Commands; a file where a command would stand is opened in the window."""

    def resolve_command(self, ctx: Any, args: list[str]) -> tuple[Any, Any, list[str]]:
        """Take ``tartan FILE`` for ``tartan open FILE``."""
        first = args[0]
        if first not in self.commands and (Path(first).exists() or Path(first).suffix):
            args = ["open", *args]
        return super().resolve_command(ctx, args)


app = typer.Typer(
    cls=FileFirst,
    add_completion=False,
    invoke_without_command=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    help="Composite laminates and shells: does it hold, and what governs.",
)


@app.callback()
def window(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    """Open the window when no command is named."""
    if version:
        _say(f"Tartan {__version__}")
        raise typer.Exit
    if context.invoked_subcommand is None:
        _open(None)


@app.command("open")
def open_file(file: Path) -> None:
    """Open the window on a project file, as the file alone does."""
    _open(file)


def _open(file: Path | None) -> None:
    if sys.platform == "linux" and not any(
        os.environ.get(n) for n in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    ):
        raise _refuse(
            TartanError(
                "There is no display to open a window on.",
                "Start",
                "Start it from a desktop, or use 'tartan check'.",
            )
        )
    try:
        from tartan.desktop import opening

        standing = opening.begin(file)
    except ImportError as error:
        missing = TartanError(
            f"The window cannot be loaded ({error}).",
            "Start",
            "Install the system packages: scripts/system_packages.sh",
        )
        raise _refuse(missing) from error
    if standing is None:
        # Closed early, before there was anything to see.
        raise typer.Exit(0)
    try:
        status = opening.stay(file, standing)
    except TartanError as error:
        raise _refuse(error) from error
    raise typer.Exit(status)


@app.command()
def check(
    file: Path,
    as_json: Annotated[bool, typer.Option("--json", help="Write JSON for scripts.")] = False,
) -> None:
    """Print the verdict and the requirements; exit status 0 when all are met, 1 when not."""
    from tartan.project.findings.limits import limits
    from tartan.project.findings.verdict import statuses, verdict

    try:
        project, answer = _answered(file)
        said, found = verdict(project, answer), statuses(project, answer)
    except TartanError as error:
        raise _refuse(error) from error
    if as_json:
        from tartan.exchange.check_json import as_data

        _say(json.dumps(as_data(project, answer), indent=1, ensure_ascii=False, allow_nan=False))
        raise typer.Exit(0 if all(s.met for s in found) else 1)
    _say(f"{said.figure}. {said.sentence}")
    _say()
    for status in found:
        mark = "met    " if status.met else "NOT MET"
        margin = f"{status.ratio - 1:+.1%}"
        _say(f"{mark}  {status.figure}. {status.need}  {margin}  {status.where}")
    for limit in limits(answer):
        _say(f"{limit.words}")
    if answer.note:
        _say(answer.note)
    solution = answer.solution
    cases = len(answer.inputs.case_names)
    _say(
        f"\n{solution.unknowns} unknowns, {cases} cases, reactions balance the "
        f"loads to {solution.imbalance:.1e} of their size, equilibrium holds to "
        f"{solution.residual:.1e}"
    )
    raise typer.Exit(0 if all(s.met for s in found) else 1)


def _answered(file: Path) -> tuple[Project, PartAnswer]:
    """Open a project and answer it."""
    from tartan.project.analysis.jobs import solve_now
    from tartan.project.analysis.shellinputs import part_inputs
    from tartan.project.files import storage

    project = storage.load(file)
    return project, solve_now(part_inputs(project))


@app.command()
def report(
    file: Path,
    out: Annotated[list[Path], typer.Argument(help="Files that end in .html or .pdf.")],
    chapters: Annotated[str, typer.Option(help="Chapters, parted by commas.")] = "",
    title: Annotated[str, typer.Option(help="Title below the project's name.")] = "",
    version: Annotated[str, typer.Option(help="Version, if not the one at work.")] = "",
) -> None:
    """Write a report; needs no display."""
    from tartan.exchange.report.request import ReportRequest
    from tartan.exchange.report.write import report_steps
    from tartan.project.edits import versions
    from tartan.project.files import storage

    try:
        project = storage.load(file)
        if version:
            project = versions.switch_version(project, version)
        changes: dict[str, Any] = {"title": title} if title else {}
        if chapters:
            changes["wanted"] = tuple(c.strip() for c in chapters.split(",") if c.strip())
        for step in report_steps(ReportRequest(project, tuple(out), **changes)):
            sys.stderr.write(f"{step.share:4.0%}  {step.doing}\n")
    except TartanError as error:
        raise _refuse(error) from error
    for path in out:
        _say(str(path))


@app.command()
def export(
    file: Path,
    what: Annotated[str, typer.Argument(help="A table, fields or map; see below.")],
    out: Annotated[Path, typer.Argument(help="CSV, XLSX, VTU, SVG, PNG, DXF or .plies.json.")],
    field: Annotated[str, typer.Option(help="Field of a map.")] = "reserve",
    case: Annotated[str, typer.Option(help="Case of a map or of ply stresses.")] = "",
    ply: Annotated[int, typer.Option(help="Ply of a map, from 1.")] = 1,
) -> None:
    """Write materials, stacks, lay-up, zones, cases, requirements, hot-spots, by-case, margins,
    ply-stresses, fields, ply-fields, map, patterns or plies; needs no display."""  # noqa: D205, D209
    from tartan.exchange.exports import UNSOLVED, export_unsolved
    from tartan.exchange.exports import export as write
    from tartan.exchange.maps.fields import View
    from tartan.project.files import storage

    try:
        if what in UNSOLVED:
            export_unsolved(what, storage.load(file), out)
            _say(str(out))
            return
        project, answer = _answered(file)
        write(what, project, answer, out, View(field, case=case, ply=ply - 1))
    except TartanError as error:
        raise _refuse(error) from error
    _say(str(out))


@app.command(name="import-plies")
def import_plies(
    file: Path,
    layout: Annotated[Path, typer.Argument(help="A ply layout that ends in .plies.json.")],
    out: Annotated[Path | None, typer.Option(help="Where to save; FILE when left out.")] = None,
    material: Annotated[
        list[str] | None, typer.Option(help="NAME IN THE LAYOUT=NAME IN THE PROJECT.")
    ] = None,
    at: Annotated[
        list[str] | None, typer.Option(help="Where its three anchors come to: x,y,z in metres.")
    ] = None,
    far: Annotated[float | None, typer.Option(help="Distance it may be off, in metres.")] = None,
    look: Annotated[bool, typer.Option("--look", help="List the changes, save nothing.")] = False,
) -> None:
    """Lay a ply layout on the part in place of its lay-up, and list what that changes."""
    from tartan.exchange.plies.command import anchored, names_of
    from tartan.exchange.plies.read import read_layout
    from tartan.exchange.plies.take import take_layout
    from tartan.project.files import storage

    try:
        project, read = storage.load(file), read_layout(layout)
        names = names_of(material or [])
        taken = take_layout(project, read, names, anchored(read, at or []), far)
        for change in taken.changes:
            _say(f"{change.kind:18}{change.what}: {change.words}")
        _say(f"{len(read.plies)} plies, {taken.off:.3g} m off the surface at most")
        if not look:
            storage.save(taken.project, out or file)
            _say(str(out or file))
    except TartanError as error:
        raise _refuse(error) from error


@app.command()
def verify(
    file: Annotated[Path | None, typer.Argument(help="A file of solved cases.")] = None,
    answers: Annotated[Path | None, typer.Option(help="Write the answers as JSON.")] = None,
) -> None:
    """Answer solved cases and compare: computed, expected, difference, source."""
    from tartan.exchange.verify import load_cases
    from tartan.exchange.verify import verify as run_cases
    from tartan.exchange.verify.obstacles import BENCHMARKS, convergence_lines
    from tartan.exchange.verify.table import case_lines, summary
    from tartan.project.files.storage import write_whole

    try:
        cases = load_cases(file)
        report = None
        for case, so_far in run_cases(cases):
            report = so_far
            for line in case_lines(case, so_far):
                _say(line)
        if answers is not None:
            found = {} if report is None else report.answers
            write_whole(json.dumps(found, indent=1, allow_nan=False), answers)
    except TartanError as error:
        raise _refuse(error) from error
    if file is None:
        _say("\nConvergence on the obstacle course of shell elements")
        for name in BENCHMARKS:
            for line in convergence_lines(name):
                _say(line)
    _say()
    _say(summary(report))
    raise typer.Exit(1 if report is not None and report.failed else 0)


@app.command()
def sample(
    name: Annotated[str, typer.Argument(help="dish or light")],
    file: Annotated[Path, typer.Argument(help="Where to write it.")],
) -> None:
    """Write a sample project to a file."""
    from tartan.project.document.samples import SAMPLES
    from tartan.project.files import storage

    found = next((make for key, make in SAMPLES.items() if key.startswith(name)), None)
    try:
        if found is None:
            raise TartanError(
                f"There is no sample '{name}'.", "Samples", f"There are {', '.join(SAMPLES)}."
            )
        storage.save(found(), file)
    except TartanError as error:
        raise _refuse(error) from error


searching.add_to(app)
solids.add_to(app)


@app.command("at-home")
def at_home(
    remove: Annotated[bool, typer.Option("--remove", help="Take everything away again.")] = False,
    forget: Annotated[
        bool,
        typer.Option("--forget", help="With --remove: materials, preferences, unsaved work too."),
    ] = False,
) -> None:
    """Put icon, menu entry, file type, man page and completion where the desktop looks for them.

    Project files then open by a double click. Nothing outside the user's own folders is touched.
    """
    from tartan.cli import athome

    try:
        for path in athome.take_away() if remove else athome.settle(typer.main.get_command(app)):
            _say(str(path))
    except TartanError as error:
        raise _refuse(error) from error
    if remove:
        for what, path, gone in athome.forget(everything=forget):
            _say(f"{path}{'' if gone else f'  (kept: {what})'}")


@app.command()
def man() -> None:
    """Print the man page."""
    from tartan.cli.man import man_page

    _say(man_page(typer.main.get_command(app)))


@app.command()
def completion(
    shell: Annotated[str, typer.Argument(help="bash, zsh or fish")] = "bash",
) -> None:
    """Print what lets a shell complete commands, options and files."""
    from tartan.cli.completion import script

    try:
        _say(script(typer.main.get_command(app), shell))
    except TartanError as error:
        raise _refuse(error) from error


def main() -> None:
    """Run the command line."""
    app()
