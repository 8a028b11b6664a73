"""Meridians of domes from CSV, XLSX or a clipboard: columns r and z, with units in the head."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from tartan.core.errors import DocumentError
from tartan.exchange.length_columns import length_rows
from tartan.exchange.tables import as_rows, read_rows

Points = tuple[tuple[float, float], ...]

MOST_POINTS = 2000


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
    found = length_rows(rows, ("r", "z"), where)
    if not 2 <= len(found) <= MOST_POINTS:
        raise DocumentError(
            f"{len(found)} points make no meridian.", where, f"Give 2 to {MOST_POINTS}."
        )
    points = [(r, z) for r, z in found]
    if points[0][0] < points[-1][0]:
        points.reverse()
    foot = points[0][1]
    up = 1.0 if points[-1][1] >= foot else -1.0
    return tuple((r, up * (z - foot)) for r, z in points)
