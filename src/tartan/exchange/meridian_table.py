"""Meridians of domes from CSV, XLSX or a clipboard: columns r and z, with units in the head."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from tartan.core.errors import DocumentError
from tartan.exchange.tables import as_rows, column_of, read_rows
from tartan.project.wording import units

Points = tuple[tuple[float, float], ...]

MOST_POINTS = 2000

_NUMBER = re.compile(r"[-+−]?[\d.,]+(?:[eE][-+]?\d+)?")


def read_meridian(path: Path) -> Points:
    """Read a meridian: radius and height over the tangent line, from the equator inwards [m].

    Raises
    ------
    DocumentError
        When the file cannot be read, lacks a column, or a cell is no number; the place is named.
    """
    return meridian_rows(read_rows(path), path.name)


def pasted_meridian(text: str) -> Points:
    """A meridian from a clipboard's rows.

    Raises
    ------
    DocumentError
        As `read_meridian`.
    """
    return meridian_rows(as_rows(text), "Clipboard")


def meridian_rows(rows: Sequence[Sequence[str]], where: str) -> Points:
    """Points from rows of r and z, under a head or in this order in the units in force.

    They may run either way along the meridian, from any height: the widest is the equator.

    Raises
    ------
    DocumentError
        As `read_meridian`.
    """
    filled = [(i, r) for i, r in enumerate(rows, start=1) if any(c.strip() for c in r)]
    if not filled:
        raise DocumentError("There are no points.", where, "Give rows of r and z.")
    columns = {"r": (0, ""), "z": (1, "")}
    if not all(_NUMBER.fullmatch(c.strip()) for c in filled[0][1][:2]):
        heads = [(n.lower(), unit) for n, unit in map(column_of, filled[0][1])]
        columns = {n: (j, unit) for j, (n, unit) in enumerate(heads) if n in ("r", "z")}
        lacking = [n for n in ("r", "z") if n not in columns]
        if lacking:
            raise DocumentError(
                f"There is no column {' and '.join(lacking)}.",
                f"{where}, row {filled[0][0]}",
                "Name the columns r [mm], z [mm].",
            )
        filled = filled[1:]
    if not 2 <= len(filled) <= MOST_POINTS:
        raise DocumentError(
            f"{len(filled)} points make no meridian.", where, f"Give 2 to {MOST_POINTS}."
        )
    points = [
        tuple(_value(row, *columns[n], f"{where}, row {number}") for n in ("r", "z"))
        for number, row in filled
    ]
    if points[0][0] < points[-1][0]:
        points.reverse()
    foot = points[0][1]
    up = 1.0 if points[-1][1] >= foot else -1.0
    return tuple((r, up * (z - foot)) for r, z in points)


def _value(row: Sequence[str], column: int, unit: str, where: str) -> float:
    if column >= len(row) or not row[column].strip():
        raise DocumentError("The row is too short.", where, "Give r and z.")
    text = row[column].strip()
    try:
        bare = _NUMBER.fullmatch(text)
        return units.parse(f"{text} {unit}" if bare and unit else text, units.LENGTH)
    except units.UnitError as error:
        raise DocumentError(error.what, f"{where}, column {column + 1}", error.mend) from error
