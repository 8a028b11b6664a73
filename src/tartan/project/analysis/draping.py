"""Draped rungs of the lay-up: the net of a ply on its region, and how it lies on the elements."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tartan.core.drape.net import Laying, Net, drape, start_on
from tartan.core.drape.pattern import InNet, NetFinder
from tartan.core.drape.triangles import OUT_OF_MEASURE, TriangleSurface
from tartan.core.errors import PartError
from tartan.core.shell.directions import angle_about, in_plane, turned_about
from tartan.core.shell.mesh import Mesh
from tartan.project.analysis.pieces import locator_of, pieces_of
from tartan.project.document.partmodel import Draped, Vector

Array = NDArray[np.float64]
Index = NDArray[np.int64]

MOST_JOINTS = 160_000
"""Joints of a net; cells grow where there would be more."""

OVER = 0.9
"""How far beyond the rim a net goes on, as a share of the part's size: corners need it."""

AROUND = 1.3
"""Longest yarn from the start, as a multiple of the part's size."""

OFF = 0.5
"""How far off the surface a start may lie, as a share of an element's side."""


class Placed(Protocol):
    """A mesh with the reference direction of its elements, told apart by identity."""

    mesh: Mesh
    direction: Array


@dataclass(frozen=True, eq=False)
class Draping:
    """A ply as it is draped on some elements, in one piece or several.

    Attributes
    ----------
    nets : tuple of Net
        Its yarns, one net a piece.
    pieces : tuple of ndarray of int
        Elements of each.
    elements : ndarray of int, shape (q,)
        Of its region.
    found : InNet
        Their centres in the nets.
    fibre : ndarray, shape (q,)
        Angle of the warp from the reference direction there [deg]; NaN where the net is not.
    nominal : float
        The angle that was asked for [deg].
    """

    nets: tuple[Net, ...]
    pieces: tuple[Index, ...]
    elements: Index
    found: InNet
    fibre: Array
    nominal: float

    @cached_property
    def turn(self) -> Array:
        """What the warp is off the nominal angle, −90 to 90, shape (q,) [deg]."""
        return np.asarray((self.fibre - self.nominal + 90.0) % 180.0 - 90.0)

    @property
    def covered(self) -> NDArray[np.bool_]:
        """Elements that the net reaches, shape (q,)."""
        return self.found.covered


@lru_cache(maxsize=8)
def surface_of(mesh: Mesh, elements: bytes) -> TriangleSurface:
    """Elements, as the bytes of their numbers, as a surface to drape on, remembered."""
    return TriangleSurface(mesh, np.frombuffer(elements, np.int64))


def cell_of(surface: TriangleSurface, cell: float, coarse: float = 1.0) -> float:
    """Side of a cell: as given, or as the elements are; longer where joints were too many [m].

    Raises
    ------
    PartError
        Where it is too long for the region.
    """
    size = _size(surface)
    if cell > size / 4:
        raise PartError(
            f"Cells of {cell:g} m are too long for a region of {size:.4g} m.",
            "Draping, cells",
            "Enter a shorter side, or 0 for as long as elements are.",
        )
    least = 2 * AROUND * size / math.sqrt(MOST_JOINTS)
    return max(coarse * (cell or surface.size), least)


def _size(surface: TriangleSurface) -> float:
    used = surface.nodes[np.unique(surface.corners)]
    return float(np.linalg.norm(np.ptp(used, axis=0)))


@lru_cache(maxsize=32)
def draping_of(
    whole: Placed, elements: bytes, draped: Draped, angle: float, coarse: float = 1.0
) -> Draping:
    """Drape a ply, remembered.

    Parameters
    ----------
    whole : Placed
        The mesh and its reference directions.
    elements : bytes
        Numbers of the elements of its region.
    draped : Draped
        Where it starts, and its cells.
    angle : float
        Of the warp from the reference direction at the start [deg].
    coarse : float
        By how much cells are longer, as while a start is dragged.

    Raises
    ------
    PartError
        Where the start is off the surface, or the region has no elements.
    """
    if not elements:
        raise PartError("There is nothing to drape on.", "Draping", "Choose another region.")
    own = np.frombuffer(elements, np.int64)
    surface = surface_of(whole.mesh, elements)
    pieces = [own] if not draped.cuts else pieces_of(whole.mesh, surface, own, draped.cuts)
    nets: list[Net] = []
    lengths, warp, between = (np.full((len(own), *s), np.nan) for s in ((2,), (3,), ()))
    for piece, start in _begun(whole.mesh, pieces, draped):
        # A line is followed by the piece that the first start is on. Beyond a cut the surface is
        # known, so that yarns find their way to the piece's corners over it.
        net = _net(whole, surface, draped, (start, angle), coarse, along=start == draped.start)
        nets.append(net)
        at = np.searchsorted(own, piece)
        found = NetFinder(net).at(whole.mesh.centres()[piece])
        lengths[at], warp[at], between[at] = found.lengths, found.warp, found.yarn_angle
    inside = InNet(lengths, warp, between, draped.way == "tape")
    return Draping(tuple(nets), tuple(pieces), own, inside, _fibre(whole, own, inside.warp), angle)


def _begun(mesh: Mesh, pieces: list[Index], draped: Draped) -> list[tuple[Index, Vector]]:
    """Pieces with the start of each: the first of those given that is on it, or its middle."""
    if len(pieces) == 1:
        return [(pieces[0], draped.start)]
    given = (draped.start, *draped.starts)
    if not (np.abs(np.array(given)) < OUT_OF_MEASURE).all():
        raise PartError(
            "A start is no place.", "Draping, start", "Enter x, y and z of a point on the part."
        )
    element = locator_of(mesh).locate(np.array(given)).element
    found = []
    for piece in pieces:
        on = [at for at, e in zip(given, element.tolist(), strict=True) if e in piece]
        found.append((piece, on[0] if on else start_in(mesh, piece)))
    return found


def _net(
    whole: Placed,
    surface: TriangleSurface,
    draped: Draped,
    begin: tuple[Vector, float],
    coarse: float,
    *,
    along: bool,
) -> Net:
    """The net of one piece from a start, with its angle from 0° there [deg]."""
    start, angle = np.array(begin[0]), begin[1]
    size = _size(surface)
    cell = cell_of(surface, draped.cell, coarse)
    reach = OFF * surface.size
    foot = start_on(surface, start, reach)
    # About the normal of the surface, not of its flat element: angles are of the true surface.
    zero = whole.direction[np.maximum(surface.elements[foot.hint], 0)]
    warp = turned_about(foot.normal, in_plane(zero, foot.normal), np.array([angle]))[0]
    count = max(2, math.ceil(AROUND * size / cell))
    line = _line(whole.mesh, draped) if along else None
    laying = Laying(OVER * size, reach, draped.way == "tape", line)
    return drape(surface, start, warp, (cell, cell), (count,) * 4, laying)


def _line(mesh: Mesh, draped: Draped) -> Array | None:
    """The line that a yarn follows, shape (k, 3) [m]; None where it runs straight."""
    if draped.edge:
        if draped.edge not in mesh.edges:
            raise PartError(
                f"There is no edge '{draped.edge}'.",
                "Draping, along",
                f"There are {', '.join(mesh.edges)}.",
            )
        return np.asarray(mesh.nodes[mesh.edges[draped.edge]])
    return np.array(draped.line) if draped.line else None


def _fibre(whole: Placed, own: Index, warp: Array) -> Array:
    """Angle of the warp from the reference direction on elements, shape (q,) [deg]."""
    return angle_about(whole.mesh.normals()[own], whole.direction[own], warp)


def check_covered(made: Draping, where: str) -> None:
    """Refuse a ply whose net does not reach all of its region.

    Raises
    ------
    PartError
        With the share and the first element that it does not reach.
    """
    lost = np.flatnonzero(~made.covered)
    if len(lost):
        share = 100 * len(lost) / len(made.elements)
        raise PartError(
            f"The draped ply does not reach {share:.3g} % of its region: its yarns fold up or end "
            f"before, first at element {int(made.elements[lost[0]]) + 1}.",
            where,
            "Start nearer to the middle, turn it, or lay it in pieces.",
        )


def start_in(mesh: Mesh, elements: Index) -> Vector:
    """Place of a region from which a net is best begun: the element next to its middle [m]."""
    centres = mesh.centres()[elements]
    areas = mesh.areas()[elements][:, None]
    middle = (centres * areas).sum(axis=0) / areas.sum()
    x, y, z = centres[int(np.linalg.norm(centres - middle, axis=1).argmin())]
    return float(x), float(y), float(z)
