"""How draped rungs lie, in words, lines and colours. No Qt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.stack import Ply
from tartan.pages.fields import Number, Said, Table, Unit, Vector, line
from tartan.pages.part import rung_plies
from tartan.project.analysis.draping import Draping, draping_of
from tartan.project.analysis.partmesh import meshed, place_name
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Draped
from tartan.project.wording import units

Array = NDArray[np.float64]

MOST_LINES = 12_000
"""Strokes of a net that are drawn."""

LOCKING = 45.0
"""Shear that a map is centred on where the material's locking angle is not known [deg]."""

DRAPED: Table = (
    line(
        Said("start", "Where warp and weft cross at a right angle, and the angle holds"),
        Vector("start", units.LENGTH, "start of the draping", wide=56),
        Unit(units.LENGTH),
    ),
    line(
        Said("cells", "Side of a cell of the net; 0 for as long as elements are"),
        None,
        Number("cell", units.LENGTH, "cell of the net", wide=70),
        Unit(units.LENGTH),
    ),
)
"""Fields of `Draped`."""


@dataclass(frozen=True, eq=False)
class DrapedPly:
    """A ply of a rung as it is draped, its material's locking angle [deg], and where it lies."""

    ply: Ply
    made: Draping
    locking: float | None


def draped_ply(
    project: Project, number: int, draped: Draped | None = None, coarse: float = 1.0
) -> DrapedPly | None:
    """First ply of a rung as it is draped, or as it would be from another start.

    Parameters
    ----------
    project : Project
        Whose part.
    number : int
        Of the rung.
    draped : Draped, optional
        In place of the rung's own.
    coarse : float
        By how much cells are longer, as while a start is dragged.

    Raises
    ------
    TartanError
        Where the start is off the surface, or the region does not exist.
    """
    part = project.part
    if part is None or not 0 <= number < len(part.lay_up):
        return None
    rung = part.lay_up[number]
    chosen = draped or rung.draped
    plies = rung_plies(project, rung)
    if chosen is None or not plies:
        return None
    whole = meshed(part)
    own = whole.elements(rung.region, f"Lay-up, rung {number + 1}")
    made = draping_of(whole, own.tobytes(), chosen, plies[0].angle, coarse)
    material = project.material(plies[0].material)
    return DrapedPly(plies[0], made, None if material is None else material.locking)


def words(project: Project, found: DrapedPly) -> str:
    """How a draped ply differs from the nominal one, and where it cannot be laid."""
    made = found.made
    part = project.part
    assert part is not None
    whole = meshed(part)
    covered = made.covered
    if not covered.any():
        return "The net reaches no element of its region: start nearer to its middle."
    turn, shear = np.abs(made.turn), np.abs(made.found.shear)
    thick = 100 * (np.nanmax(made.found.factor) - 1)
    worst = int(np.nanargmax(shear))
    where = place_name(whole, [r.name for r in part.regions], int(made.elements[worst]))
    said = (
        f"Up to {units.number(float(np.nanmax(turn)), 3)}° off and "
        f"{units.number(float(thick), 2)} % thicker; {units.number(float(shear[worst]), 3)}° of "
        f"shear{f' at {where}' if where else ''}."
    )
    areas = whole.mesh.areas()[made.elements]
    if found.locking is not None:
        share = 100 * areas[shear > found.locking].sum() / areas.sum()
        said += (
            f" Beyond the locking angle of {units.number(found.locking, 3)}° on "
            f"{units.number(float(share), 2)} % of its area: it cannot be laid there. Start "
            "elsewhere, turn it, or lay it in pieces."
            if share
            else f" It locks nowhere ({units.number(found.locking, 3)}°)."
        )
    if not covered.all():
        share = 100 * areas[~covered].sum() / areas.sum()
        said += f" The net does not reach {units.number(float(share), 2)} % of its area."
    return said


def lines(made: Draping) -> tuple[Array, Array]:
    """Warp and weft on the part as strokes, shapes (q, 2, 3) [m]."""
    net = made.net
    on = net.laid & (net.beyond <= 0.5 * max(net.cell))
    # A trace outwards, clear of the flat elements.
    places = net.places + 0.1 * max(net.cell) * net.normals
    found = []
    for axis in (0, 1):
        x, there = np.moveaxis(places, axis, 0), np.moveaxis(on, axis, 0)
        every = max(1, int(np.ceil(there.sum() / MOST_LINES)))
        # Whole yarns are left out, not pieces of them: from the start's yarn on.
        chosen = (np.arange(x.shape[1]) - net.start[1 - axis]) % every == 0
        x, there = x[:, chosen], there[:, chosen]
        both = there[1:] & there[:-1]
        found.append(np.stack([x[:-1][both], x[1:][both]], axis=1))
    return found[0], found[1]


def shear_share(found: DrapedPly, count: int) -> Array:
    """Locking angle over shear on every element of a mesh, shape (count,); NaN off the ply."""
    share = np.full(count, np.nan)
    shear = np.maximum(np.abs(found.made.found.shear), 1e-3)
    share[found.made.elements] = (found.locking or LOCKING) / shear
    return share
