"""The lay-up as a book of plies: one line each, in laying order, with its area and mass."""

from __future__ import annotations

import numpy as np

from tartan.core.errors import DocumentError
from tartan.exchange.tables import Cell, Table
from tartan.project.analysis.laying import laid_plies
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Rung
from tartan.project.wording import units


def ply_book(project: Project) -> Table:
    """Every ply that is laid: order, name, where, material, angle, thickness, area and mass.

    The area is that of the cloth as it lies, thickened plies with more of it; the mass follows
    from it. A wound layer is listed with each of its plies.

    Raises
    ------
    DocumentError
        Where nothing is laid.
    PartError, StackError
        Where a ply cannot be laid.
    """
    part = project.part
    if part is None or not part.lay_up:
        raise DocumentError("Nothing is laid on the part.", "Book of plies", "Lay a ply in Part.")
    unit, mass_unit = units.LENGTH.unit, units.MASS.unit
    head = (
        *("order", "rung", "name", "region", "laminate", "material", "angle [°]"),
        *(f"thickness [{unit}]", "laid", "area [m²]", f"mass [{mass_unit}]", "fibre [%]"),
    )
    areas = meshed(part).mesh.areas()
    materials = {m.name: m for m in project.materials}
    rows: list[tuple[Cell, ...]] = []
    laid = laid_plies(part, {s.name: s for s in project.stacks})
    for order, ply in enumerate(laid, start=1):
        rung = part.lay_up[ply.rung]
        factor = np.ones(len(ply.elements)) if ply.factor is None else ply.factor
        # Winding says of each element how much lies there; draping how much cloth it takes.
        area = float((areas[ply.elements] * factor).sum())
        material = materials[ply.ply.material]
        mass = None if material.rho is None else area * ply.ply.thickness * material.rho
        share = material.fibre_share
        rows.append(
            (
                *(order, ply.rung + 1, rung.name, rung.region or "all", rung.stack),
                *(ply.ply.material, ply.ply.angle, ply.ply.thickness / units.LENGTH.scale),
                *(_made(rung), area, None if mass is None else mass / units.MASS.scale),
                None if share is None else 100 * share,
            )
        )
    return Table("book of plies", head, tuple(rows), f"{project.name}: book of plies")


def _made(rung: Rung) -> str:
    if rung.wound is not None:
        return f"wound, {rung.wound.sort}"
    if rung.draped is not None:
        return f"draped, {rung.draped.way}"
    return "as projected"
