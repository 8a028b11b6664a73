"""What can be taken elsewhere: tables, fields and maps by name, for the window and the command."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from tartan.core.errors import DocumentError
from tartan.exchange.fields_file import write_fields
from tartan.exchange.maps.fields import BY_KEY, View
from tartan.exchange.maps.mapped import make_map
from tartan.exchange.patterns import patterns_table, write_patterns
from tartan.exchange.plies.book import ply_book
from tartan.exchange.plies.form import SUFFIX
from tartan.exchange.plies.write import write_layout
from tartan.exchange.ply_fields import ply_table
from tartan.exchange.report import tables
from tartan.exchange.tables import Table, write_table
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.disk.wholefile import replacing
from tartan.project.document.model import Project
from tartan.project.files.storage import not_written, write_whole
from tartan.project.findings.chosen_margins import excluded
from tartan.project.findings.verdict import statuses

TABLES: dict[str, Callable[[Project, PartAnswer], Table]] = {
    "materials": lambda p, a: tables.materials_table(p),
    "stacks": lambda p, a: tables.stacks_table(p),
    "lay-up": lambda p, a: tables.lay_up_table(p),
    "zones": lambda p, a: tables.zones_table(a),
    "cases": lambda p, a: tables.cases_table(p),
    "requirements": lambda p, a: tables.requirements_table(statuses(p, a), a),
    "hot-spots": tables.hot_spots_table,
    "by-case": tables.by_case_table,
    "margins": tables.margins_table,
}
"""Tables by name; all but the last have a line for each thing, that one for each element."""

PLIES = "ply-stresses"
"""The table of stresses and strains of plies, in one case."""

PATTERNS = "patterns"
"""Flat patterns of draped plies: drawings true to size, or a table of them."""

LAYOUT = "plies"
"""The ply layout as a file of its own, or as a book of plies where it ends as a table."""

UNSOLVED = (PATTERNS, LAYOUT)
"""What asks for no solution."""

WHAT = (*TABLES, PLIES, *UNSOLVED, "fields", "ply-fields", "map")


def export_unsolved(what: str, project: Project, path: Path) -> None:
    """Write flat patterns (DXF, SVG, or a table of them) or the ply layout (JSON, or a table).

    Parameters
    ----------
    what : str
        One of `UNSOLVED`.
    project : Project
        What is exported.
    path : Path
        Its ending chooses the form.

    Raises
    ------
    TartanError
        Where nothing is laid or draped, another ending, or a file that cannot be written.
    """
    table = path.suffix.lower() in (".csv", ".xlsx")
    if what == PATTERNS:
        if table:
            write_table(patterns_table(project), path)
        else:
            write_patterns(project, path)
    elif table:
        write_table(ply_book(project), path)
    elif path.suffix.lower() == ".json":
        write_layout(project, path)
    else:
        raise DocumentError(
            f"'{path.suffix}' is no kind of ply layout.",
            path.name,
            f"End the name in {SUFFIX}, or in .csv or .xlsx for a book of plies.",
        )


def export(
    what: str, project: Project, answer: PartAnswer, path: Path, view: View | None = None
) -> None:
    """Write a table (CSV, XLSX), fields (VTU), a map (SVG, PNG), or what asks for no solution.

    Parameters
    ----------
    what : str
        One of `WHAT`.
    project, answer : Project, PartAnswer
        What is exported.
    path : Path
        Its ending chooses the form.
    view : View, optional
        What a map shows, and the case of ply stresses; the reserve factor when left out.

    Raises
    ------
    DocumentError
        An unknown thing or ending, or a file that cannot be written.
    """
    if what in ("fields", "ply-fields"):
        write_fields(project, answer, path, plies=what == "ply-fields")
    elif what in UNSOLVED:
        export_unsolved(what, project, path)
    elif what == "map":
        _write_map(project, answer, path, view or View())
    elif what in (*TABLES, PLIES):
        if path.suffix.lower() not in (".csv", ".xlsx"):
            raise DocumentError(
                f"'{path.suffix}' is no kind of table.",
                path.name,
                "End the name in .csv or .xlsx.",
            )
        if what == PLIES:
            write_table(ply_table(project, answer, (view or View()).case), path)
        else:
            write_table(TABLES[what](project, answer), path)
    else:
        raise DocumentError(
            f"There is no export '{what}'.", "Export", f"There are {', '.join(WHAT)}."
        )


def _write_map(project: Project, answer: PartAnswer, path: Path, view: View) -> None:
    from tartan.exchange.report import figures

    if view.field not in BY_KEY:
        raise DocumentError(
            f"There is no field '{view.field}'.", "Export", f"There are {', '.join(BY_KEY)}."
        )
    out = excluded(answer, project.left_out).mask
    sheet = figures.map_sheet(answer, make_map(project, answer, view), left_out=out)
    if path.suffix.lower() == ".svg":
        write_whole(figures.svg_of(sheet), path)
    elif path.suffix.lower() == ".png":
        try:
            with replacing(path) as beside:
                beside.write_bytes(figures.png_of(sheet))
        except OSError as error:
            raise not_written(error, path) from error
    else:
        raise DocumentError(
            f"'{path.suffix}' is no kind of picture.", path.name, "End the name in .svg or .png."
        )
