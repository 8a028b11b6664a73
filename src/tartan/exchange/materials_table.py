"""Materials as a table: one row a material, a header that states units in brackets."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Any, get_args

from tartan.core.errors import DocumentError, TartanError
from tartan.core.materials import FIELD_NAMES, Kind, Material, checked
from tartan.exchange.tables import Table, exact, read_rows, spread, write_table
from tartan.project.wording import units
from tartan.project.wording.document_words import QUANTITIES

_NEEDED = ("E1", "E2", "nu12", "G12")
_TEXT = ("name", "kind", "source")
_HEADER = re.compile(r"\s*([A-Za-z0-9_]+)\s*(?:\[(.*)\])?\s*$")


def read_materials(path: Path) -> list[Material]:
    """Read materials; all rows or none.

    Parameters
    ----------
    path : Path
        A CSV or XLSX file with a header such as ``name, E1 [GPa], nu12``; comma or semicolon.

    Raises
    ------
    DocumentError
        Naming row and column of what cannot be read.
    """
    return materials_of(read_rows(path), path.name)


def materials_of(rows: Sequence[Sequence[str]], where: str) -> list[Material]:
    """Read materials of the rows of a table whose first is its header; all or none.

    Raises
    ------
    DocumentError
        Naming row and column of what cannot be read.
    """
    if not rows:
        raise DocumentError("There is no table to read.", where, "Copy its header too.")
    columns = [_column(cell, i, where) for i, cell in enumerate(rows[0], start=1)]
    named = [field for field, _ in columns]
    for field in ("name", *_NEEDED):
        if field not in named:
            raise DocumentError(
                f"The column {field} is missing.",
                f"{where}, row 1",
                f"Add it; needed are name, {', '.join(_NEEDED)}.",
            )
    found = [
        _material(row, columns, f"{where}, row {number}")
        for number, row in enumerate(rows[1:], start=2)
        if any(cell.strip() for cell in row)
    ]
    if not found:
        raise DocumentError("There are no materials below the header.", where, "Add a row.")
    return found


def _column(cell: str, number: int, where: str) -> tuple[str, str]:
    match = _HEADER.match(cell)
    field = match.group(1) if match else cell.strip()
    if field not in FIELD_NAMES and field not in _TEXT:
        raise DocumentError(
            f"The column '{cell.strip()}' is not known.",
            f"{where}, row 1, column {number}",
            f"Known are {', '.join((*_TEXT, *FIELD_NAMES))}.",
        )
    return field, (match.group(2) or "") if match else ""


def _material(row: Sequence[str], columns: list[tuple[str, str]], where: str) -> Material:
    fields: dict[str, Any] = {}
    if len(row) > len(columns):
        raise DocumentError(
            f"The row has {len(row)} cells, the header {len(columns)}.",
            where,
            "Write decimal points, not commas, or use semicolons.",
        )
    for (field, unit), cell in zip(columns, row, strict=False):
        text = cell.strip()
        if field in _TEXT:
            fields[field] = text
        elif text:
            try:
                plain = re.fullmatch(r"[-+−\d.,eE]+", text) and unit
                fields[field] = units.parse(f"{text} {unit}" if plain else text, QUANTITIES[field])
            except TartanError as error:
                raise DocumentError(error.what, f"{where}, column {field}", error.mend) from error
    for field in ("name", *_NEEDED):
        if not fields.get(field) and fields.get(field) != 0:
            raise DocumentError(f"{field} is empty.", f"{where}, column {field}", "Fill it in.")
    fields = {k: v for k, v in fields.items() if v != ""}
    if fields.get("kind", "ply") not in get_args(Kind):
        raise DocumentError(
            f"'{fields['kind']}' is not a kind of material.",
            f"{where}, column kind",
            "Use ply, woven, isotropic, core or filler.",
        )
    try:
        return checked(Material(**fields))
    except TartanError as error:
        raise DocumentError(error.what, f"{where}, {error.where}", error.mend) from error


def write_materials(materials: Sequence[Material], path: Path) -> None:
    """Write materials as CSV or XLSX, in display units with full digits.

    Raises
    ------
    DocumentError
        When the file cannot be written.
    """
    write_table(materials_table(materials), path)


def materials_table(materials: Sequence[Material]) -> Table:
    """All data of materials in display units, with full digits."""
    head = ["name", "kind", *(f"{f} [{q.unit}]" if q.unit else f for f, q in QUANTITIES.items())]
    rows = [
        [m.name, m.kind, *(exact(getattr(m, f), q) for f, q in QUANTITIES.items()), m.source]
        for m in materials
    ]
    return Table("materials", (*head, "source"), spread(rows))
