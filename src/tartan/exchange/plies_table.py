"""Plies as a table: angle, material, thickness, first-laid ply first."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from tartan.core.errors import DocumentError, StackError
from tartan.core.stack import Ply
from tartan.exchange.plies_columns import understand
from tartan.exchange.tables import Table, exact, read_rows
from tartan.project.document.model import Project
from tartan.project.wording import units

COLUMNS = {"angle": units.ANGLE, "thickness": units.LENGTH}


def plies_table(name: str, plies: Sequence[Ply]) -> Table:
    """Table of plies in display units."""
    unit = units.LENGTH.unit
    rows = tuple((p.angle, p.material, exact(p.thickness, units.LENGTH)) for p in plies)
    return Table(name, ("angle [°]", "material", f"thickness [{unit}]"), rows)


def read_plies(
    rows: Sequence[Sequence[str]], project: Project, like: Ply | None, where: str
) -> list[Ply]:
    """Read plies from rows, with or without a head.

    Parameters
    ----------
    rows : sequence of sequence of str
        A head may name the columns and give units; without one they are known by what stands in
        them, see `plies_columns`.
    project : Project
        Whose materials are known.
    like : Ply, optional
        Ply whose material stands where none is named.
    where : str
        Name of the source, for messages.

    Raises
    ------
    StackError
        Naming row and column that cannot be read, or that there are no plies.
    """
    read = understand(rows, where)
    found = [
        _ply(row, read.columns, (project, like), f"{where}, row {number}")
        for number, row in enumerate(rows[read.first :], start=read.first + 1)
        if any(c.strip() for c in row)
    ]
    if not found:
        raise StackError("There are no plies.", where, "Give rows of angle, material, thickness.")
    return found


def _ply(
    row: Sequence[str],
    columns: Sequence[tuple[str, str]],
    known: tuple[Project, Ply | None],
    where: str,
) -> Ply:
    project, like = known
    values: dict[str, float] = {}
    name = like.material if like else ""
    for number, ((column, unit), raw) in enumerate(zip(columns, row, strict=False), start=1):
        text = raw.strip()
        if column == "material" and text:
            name = text
        elif column in COLUMNS and (text or column == "angle"):
            bare = re.fullmatch(r"[-+−\d.,eE]+", text)
            try:
                values[column] = units.parse(f"{text} {unit}" if bare else text, COLUMNS[column])
            except units.UnitError as error:
                raise StackError(error.what, f"{where}, column {number}", error.mend) from error
    material = project.material(name)
    if material is None:
        known_names = ", ".join(m.name for m in project.materials) or "none yet"
        at = next((i for i, c in enumerate(columns, 1) if c[0] == "material"), 2)
        raise StackError(
            f"there is no material '{name}'.",
            f"{where}, column {at}",
            f"Use a material of this project ({known_names}).",
        )
    thickness = values.get("thickness", material.ply_thickness or (like.thickness if like else 0))
    return Ply(name, values.get("angle", 0.0), thickness)


def read_plies_file(path: Path, project: Project) -> list[Ply]:
    """Read a stack from a CSV or XLSX file.

    Raises
    ------
    DocumentError, StackError
        When the file or one of its cells cannot be read.
    """
    try:
        return read_plies(read_rows(path), project, None, path.name)
    except StackError as error:
        raise DocumentError(error.what, error.where, error.mend) from error
