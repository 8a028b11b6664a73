"""How draped rungs lie, in words, lines and colours. No Qt."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.stack import Ply
from tartan.exchange.maps import colours
from tartan.pages.fields import Number, OneOf, Said, Table, Unit, Vector, line
from tartan.pages.part import rung_plies
from tartan.project.analysis.draping import Draping, draping_of
from tartan.project.analysis.partmesh import meshed, place_names
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Draped
from tartan.project.wording import units

Array = NDArray[np.float64]
Vector3 = tuple[float, float, float]
Bytes = NDArray[np.uint8]

LOCKING = 45.0
"""Shear that a map is centred on where the material's locking angle is not known [deg]."""

MAPS = ("shear", "fibre off nominal", "thickness")
"""What a draped ply is coloured by."""

WAYS = {"woven": "woven, pinned", "tape": "tape, slipping"}
"""Ways to lay a ply."""


def draped_fields(edges: Callable[[], Sequence[str]]) -> Table:
    """Fields of `Draped`; `edges` gives those that a yarn can follow."""
    return (
        line(
            Said(
                "laid as",
                "Pinned where yarns cross (Chebyshev; Mack and Taylor 1956), or fibres that keep "
                "their distance and slip least along each other (Spencer 1972)",
            ),
            None,
            OneOf("way", lambda: tuple(WAYS), "way of draping", shown=WAYS, widest=220),
        ),
        line(
            Said("start", "Where warp and weft cross at a right angle, and the angle holds"),
            Vector("start", units.LENGTH, "start of the draping", wide=64),
            Unit(units.LENGTH),
        ),
        line(
            Said(
                "along", "An edge that the yarn through the start follows; the net grows from it"
            ),
            None,
            OneOf(
                "edge",
                lambda: ("", *edges()),
                "edge of the draping",
                shown={"": "straight on"},
                widest=220,
            ),
        ),
        line(
            Said("cells", "Side of a cell of the net; 0 for as long as elements are"),
            None,
            Number("cell", units.LENGTH, "cell of the net", wide=70),
            Unit(units.LENGTH),
        ),
    )


@dataclass(frozen=True, eq=False)
class DrapedPly:
    """A ply of a rung as it is draped, its material's locking angle [deg], and where it lies."""

    ply: Ply
    made: Draping
    locking: float | None


def draped_ply(
    project: Project,
    number: int,
    draped: Draped | None = None,
    coarse: float = 1.0,
    turn: float = 0.0,
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
    turn : float
        Added to the ply's angle [deg], as while its direction is turned.

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
    made = draping_of(whole, own.tobytes(), chosen, plies[0].angle + turn, coarse)
    material = project.material(plies[0].material)
    return DrapedPly(plies[0], made, None if material is None else material.locking)


def turn_towards(found: DrapedPly, at: Vector3) -> float | None:
    """By how much a ply has to turn so that its warp runs from its start towards a place [deg].

    To whole degrees; None where the place is the start, or stands over it.
    """
    net = found.made.nets[0]
    start, n = net.places[net.start], net.normals[net.start]
    way = np.array(at) - start
    way = way - (way @ n) * n
    size = float(np.linalg.norm(way))
    if not size > 1e-9:
        return None
    warp = net.along(0)[net.start]
    angle = math.degrees(math.atan2(float(np.cross(warp, way) @ n), float(warp @ way)))
    return float(round((angle + 90.0) % 180.0 - 90.0))


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
    [where] = place_names(whole, [r.name for r in part.regions], [int(made.elements[worst])])
    at = f" at {where}" if where else ""
    off = f"Up to {units.number(float(np.nanmax(turn)), 3)}° off"
    sheared = f"{units.number(float(shear[worst]), 3)}° of shear"
    said = (
        f"{off}; {sheared} along the fibres{at}."
        if made.found.tape
        else f"{off} and {units.number(float(thick), 2)} % thicker; {sheared}{at}."
    )
    if len(made.pieces) > 1:
        said = f"{len(made.pieces)} pieces. {said}"
    areas = whole.mesh.areas()[made.elements]
    if found.locking is not None:
        share = 100 * areas[shear > found.locking].sum() / areas.sum()
        said += (
            f" Beyond the locking angle of {units.number(found.locking, 3)}° on "
            f"{units.number(float(share), 2)} % of its area: it cannot be laid there. Start "
            "elsewhere, turn it, or cut it into pieces."
            if share
            else f" It locks nowhere ({units.number(found.locking, 3)}°)."
        )
    if not covered.all():
        share = 100 * areas[~covered].sum() / areas.sum()
        said += f" The net does not reach {units.number(float(share), 2)} % of its area."
    return said


def starts(made: Draping) -> Array:
    """Where its pieces begin, shape (k, 3) [m]."""
    return np.stack([net.places[net.start] for net in made.nets])


def map_of(found: DrapedPly, which: str, count: int) -> tuple[Bytes, NDArray[np.bool_], str]:
    """Colours on the elements of a ply, which of a mesh's they are, and what they say.

    Parameters
    ----------
    found : DrapedPly
        The ply.
    which : str
        Of `MAPS`.
    count : int
        Elements of the mesh.

    Returns
    -------
    tuple of ndarray (q, 3), ndarray (count,) and str
        Colours of those that are covered, which they are, and the legend in words.
    """
    made = found.made
    values = np.full(count, np.nan)
    if which == "shear":
        limit = found.locking or LOCKING
        values[made.elements] = limit / np.maximum(np.abs(made.found.shear), 1e-3)
        on = np.isfinite(values)
        of = "of the yarns" if not made.found.tape else "along the fibres"
        said = f"shear {of}: teal below {limit:g}°, ember beyond"
        unknown = "" if found.locking else " (the material's locking angle is not known)"
        return colours.reserve_map(values[on], 1.0), on, said + unknown
    if which == "fibre off nominal":
        values[made.elements] = np.abs(made.turn)
        unit, what = "°", "fibres off the nominal angle"
    else:
        values[made.elements] = 100 * (made.found.factor - 1)
        unit, what = " %", "thicker than the flat ply"
    on = np.isfinite(values)
    most = float(values[on].max(initial=0.0))
    share = values[on] / most if most > 1e-9 else np.zeros(int(on.sum()))
    words = f"{what}: 0 to {units.number(most, 3)}{unit}, the darker the more"
    return colours.size_map(share), on, words
