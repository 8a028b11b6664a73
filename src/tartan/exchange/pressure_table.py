"""Pressure tables from CSV and XLSX: columns x, y, z and p, with units in the head."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from tartan.core.errors import DocumentError
from tartan.exchange.tables import Table, column_of, exact, read_rows
from tartan.project.document.partmodel import PressureTable
from tartan.project.wording import units

COLUMNS = {"x": units.LENGTH, "y": units.LENGTH, "z": units.LENGTH, "p": units.PRESSURE}
NAMES = {"pressure": "p"}


def read_pressure(path: Path) -> PressureTable:
    """Read a pressure table; its name is the file's.

    Raises
    ------
    DocumentError
        When the file cannot be read, lacks a column, or a cell is no number; the place is named.
    """
    return PressureTable(path.stem, pressure_rows(read_rows(path), path.name))


def pressure_rows(
    rows: Sequence[Sequence[str]], where: str
) -> tuple[tuple[float, float, float, float], ...]:
    """Points with their pressure from rows under a head, in SI.

    Raises
    ------
    DocumentError
        As `read_pressure`.
    """
    heads = [(NAMES.get(n.lower(), n.lower()), unit) for n, unit in map(column_of, rows[0])]
    names = [n for n, _ in heads]
    lacking = [n for n in COLUMNS if n not in names]
    if lacking:
        raise DocumentError(
            f"There is no column {', '.join(lacking)}.",
            f"{where}, row 1",
            "Name the columns x [mm], y [mm], z [mm], p [Pa].",
        )
    found = []
    for number, row in enumerate(rows[1:], start=2):
        if any(c.strip() for c in row):
            found.append(_point(row, heads, f"{where}, row {number}"))
    return tuple(found)


def _point(
    row: Sequence[str], heads: Sequence[tuple[str, str]], where: str
) -> tuple[float, float, float, float]:
    values: dict[str, float] = {}
    for number, ((name, unit), raw) in enumerate(zip(heads, row, strict=False), start=1):
        if name not in COLUMNS:
            continue
        text = raw.strip()
        bare = re.fullmatch(r"[-+−\d.,eE]+", text)
        try:
            values[name] = units.parse(f"{text} {unit}" if bare else text, COLUMNS[name])
        except units.UnitError as error:
            raise DocumentError(error.what, f"{where}, column {number}", error.mend) from error
    if len(values) < len(COLUMNS):
        raise DocumentError("The row is too short.", where, "Give x, y, z and p.")
    return values["x"], values["y"], values["z"], values["p"]


def pressure_table(table: PressureTable) -> Table:
    """Table of a pressure table in the units in force."""
    head = tuple(f"{name} [{quantity.unit}]" for name, quantity in COLUMNS.items())
    rows = tuple(
        tuple(exact(v, q) for v, q in zip(r, COLUMNS.values(), strict=True)) for r in table.rows
    )
    return Table(table.name, head, rows)
