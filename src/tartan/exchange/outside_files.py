"""Section forces of another analysis from CSV, XLSX or VTU.

A table has one row an element: a column ``element`` with its number from 1, or columns ``x``,
``y`` and ``z`` with the place of its centre; and ``Nx``, ``Ny``, ``Nxy``, ``Mx``, ``My``,
``Mxy``, ``Qx``, ``Qy``, along the reference direction and across it, missing ones being zero. A
column ``case`` parts the rows into cases. Units stand in the head, as in ``Nx [N/mm]``. A VTU
file has cell data of the same names, with the case before a colon where there are several.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError
from tartan.exchange.meshfiles import check_corners
from tartan.exchange.tables import column_of, read_rows
from tartan.project.document.packed_arrays import pack_rows
from tartan.project.document.partmodel import OutsideForces
from tartan.project.wording import units

Array = NDArray[np.float64]

FORCES = {
    "Nx": units.LINE_FORCE,
    "Ny": units.LINE_FORCE,
    "Nxy": units.LINE_FORCE,
    "Mx": units.LINE_MOMENT,
    "My": units.LINE_MOMENT,
    "Mxy": units.LINE_MOMENT,
    "Qx": units.LINE_FORCE,
    "Qy": units.LINE_FORCE,
}
PLACES = ("x", "y", "z")
HEAD = "element, Nx [N/mm], Ny [N/mm], Nxy [N/mm], Mx [N], My [N], Mxy [N], Qx [N/mm], Qy [N/mm]"


def read_outside(path: Path) -> list[OutsideForces]:
    """Read the cases of a file; all or none.

    Raises
    ------
    DocumentError
        When it cannot be read, lacks columns or a unit, or a cell is no number; the place is
        named.
    """
    if path.suffix.lower() == ".vtu":
        return _from_vtu(path)
    return _from_table(read_rows(path), path)


def _from_table(rows: Sequence[Sequence[str]], path: Path) -> list[OutsideForces]:
    heads = [column_of(c) for c in rows[0]]
    names = [n for n, _ in heads]
    where = f"{path.name}, row 1"
    by_element = "element" in names
    if not by_element and not set(PLACES) <= set(names):
        raise DocumentError(
            "There is neither a column element nor x, y and z.", where, f"Name the columns {HEAD}."
        )
    if not set(FORCES) & set(names):
        raise DocumentError(
            "There is no column of a section force.", where, f"Name the columns {HEAD}."
        )
    keys = ("element",) if by_element else PLACES
    found: dict[str, list[list[float]]] = {}
    for number, row in enumerate(rows[1:], start=2):
        if not any(c.strip() for c in row):
            continue
        place = f"{path.name}, row {number}"
        cells = {n: (raw, unit) for (n, unit), raw in zip(heads, row, strict=False)}
        case = cells.get("case", ("", ""))[0].strip() or path.stem
        line = [
            _number(cells, k, units.RATIO if by_element else units.LENGTH, place) for k in keys
        ]
        if by_element:
            line[0] -= 1
        line += [_number(cells, k, q, place) if k in cells else 0.0 for k, q in FORCES.items()]
        found.setdefault(case, []).append(line)
    if not found:
        raise DocumentError("The table has no rows.", path.name, "Give one row an element.")
    by: Literal["element", "position"] = "element" if by_element else "position"
    return [
        OutsideForces(case, path.name, by, pack_rows(np.array(lines)))
        for case, lines in found.items()
    ]


def _number(
    cells: dict[str, tuple[str, str]], name: str, quantity: units.Quantity, where: str
) -> float:
    raw, unit = cells.get(name, ("", ""))
    text = raw.strip()
    bare = re.fullmatch(r"[-+−\d.,eE]+", text)
    if bare and not unit and quantity is not units.RATIO:
        raise DocumentError(
            f"Column {name} has no unit.",
            where,
            f"Write it in the head, as in {name} [{quantity.si}].",
        )
    try:
        return units.parse(f"{text} {unit}" if bare else text, quantity)
    except units.UnitError as error:
        raise DocumentError(error.what, f"{where}, column {name}", error.mend) from error


def _from_vtu(path: Path) -> list[OutsideForces]:
    import meshio

    try:
        # The general reader ends the program where it fails; this one raises.
        mesh = meshio.vtu.read(path)
    except Exception as error:
        # The reader of foreign files raises whatever a damaged one makes it meet.
        raise DocumentError(
            "The file cannot be read as VTU.", path.name, "Save it anew as VTU, or as CSV."
        ) from error
    check_corners(mesh.cells, len(mesh.points), path.name)
    blocks = [i for i, b in enumerate(mesh.cells) if b.type in ("quad", "triangle")]
    if not blocks:
        raise DocumentError(
            "It has no quadrilaterals or triangles.", path.name, "Write the shell's own elements."
        )
    points = np.column_stack([mesh.points, np.zeros((len(mesh.points), 3))])[:, :3]
    centres = np.concatenate([points[mesh.cells[i].data].mean(axis=1) for i in blocks])
    cases: dict[str, dict[str, Array]] = {}
    for label, data in mesh.cell_data.items():
        head, _, tail = label.rpartition(":")
        name, unit = column_of(tail)
        if name in FORCES:
            values = np.concatenate([np.asarray(data[i], float).reshape(-1) for i in blocks])
            scale = _scale(unit, FORCES[name], f"{path.name}, {label}")
            cases.setdefault(head.strip() or path.stem, {})[name] = values * scale
    if not cases:
        raise DocumentError(
            "It has no cell data of a section force.",
            path.name,
            "Name them Nx [N/m], Ny [N/m] … Qy [N/m].",
        )
    zero, found = np.zeros(len(centres)), []
    for case, data in cases.items():
        rows = np.column_stack([centres, *(data.get(k, zero) for k in FORCES)])
        found.append(OutsideForces(case, path.name, "position", pack_rows(rows)))
    return found


def _scale(unit: str, quantity: units.Quantity, where: str) -> float:
    if not unit:
        raise DocumentError(
            "The field has no unit.", where, f"Write it behind the name, as in Nx [{quantity.si}]."
        )
    try:
        return units.parse(f"1 {unit}", quantity)
    except units.UnitError as error:
        raise DocumentError(error.what, where, error.mend) from error
