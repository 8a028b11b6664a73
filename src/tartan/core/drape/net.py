"""A pin-jointed net on a surface: two families of yarns that neither stretch nor slip.

From a start two yarns run as geodesics, at right angles there; every further joint is where the
yarns of its two neighbours meet on the surface. Between joints a yarn is an arc that bends as the
normals at its ends do: its chord is that much shorter. The joints of a diagonal depend on those
before it alone, so that all of one are found at once, in the four quarters together.

Sources: P. Chebyshev (1878) (nets of inextensible yarns); C. Mack and H. M. Taylor, J. Text. Inst.
47 (1956) T477–T488 (joints as meeting points of spheres on the surface).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tartan.core.drape.surface import DrapeSurface, Foot
from tartan.core.drape.tape import slip_angle, slip_of
from tartan.core.drape.triangles import OUT_OF_MEASURE, TriangleSurface
from tartan.core.drape.weaving import Weaving
from tartan.core.errors import PartError
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Mask = NDArray[np.bool_]

STEPS_OF = np.array([(1, 0), (-1, 0), (0, 1), (0, -1)])
"""Numbers of joints along the warp, forth and back, and along the weft."""

NORMAL = 0.05
"""Share of a direction that has to run along the surface."""

WHERE = "Draping"


@dataclass(frozen=True, eq=False)
class Net:
    """A net of joints; those that could not be laid are NaN.

    Attributes
    ----------
    places : ndarray, shape (p, q, 3)
        Joints by the number of their warp cell and weft cell [m].
    normals : ndarray, shape (p, q, 3)
        Of the surface there.
    beyond : ndarray, shape (p, q)
        How far beyond the rim each lies, 0 on the surface [m].
    start : tuple of int
        Numbers of the start's joint.
    cell : tuple of float
        Lengths of a cell along warp and weft [m].
    along_fibre : ndarray, shape (p, q), optional
        Of tape: length along its fibre at which each joint lies, for they slip [m].
    """

    places: Array
    normals: Array
    beyond: Array
    start: tuple[int, int]
    cell: tuple[float, float]
    along_fibre: Array | None = None

    @property
    def laid(self) -> Mask:
        """Joints that there are, shape (p, q)."""
        return np.asarray(np.isfinite(self.places[..., 0]))

    @property
    def lengths(self) -> tuple[Array, Array]:
        """Yarn lengths u and v from the start, shapes (p,) and (q,) [m]."""
        p, q = self.laid.shape
        u = (np.arange(p) - self.start[0]) * self.cell[0]
        v = (np.arange(q) - self.start[1]) * self.cell[1]
        return np.asarray(u), np.asarray(v)

    def along(self, axis: int) -> Array:
        """Unit direction of a family of yarns in the surface, warp 0 and weft 1, (p, q, 3).

        Central where both neighbours are there, to one side at the rim, NaN where none is.
        """
        return self._ways[axis]

    @cached_property
    def _ways(self) -> tuple[Array, Array]:
        return self._way(0), self._way(1)

    def _way(self, axis: int) -> Array:
        x = np.moveaxis(self.places, axis, 0)
        found = np.full(x.shape, np.nan)
        found[1:-1] = x[2:] - x[:-2]
        ahead, behind = x[1:] - x[:-1], x[1:] - x[:-1]
        lost = ~np.isfinite(found[..., 0])
        found[:-1][lost[:-1]] = ahead[lost[:-1]]
        lost = ~np.isfinite(found[..., 0])
        found[1:][lost[1:]] = behind[lost[1:]]
        found = np.moveaxis(found, 0, axis)
        found = found - np.einsum("pqi,pqi->pq", found, self.normals)[..., None] * self.normals
        return np.asarray(found / np.linalg.norm(found, axis=2, keepdims=True))

    def yarn_angle(self) -> Array:
        """Angle between warp and weft, shape (p, q) [deg].

        Of tape, between its fibres and what was across them while it was flat.
        """
        if self.along_fibre is not None:
            return np.asarray(90.0 - slip_angle(self.along_fibre, self.cell[1]))
        warp, weft = self.along(0), self.along(1)
        sine = np.einsum("pqi,pqi->pq", np.cross(warp, weft), self.normals)
        return np.asarray(np.degrees(np.arctan2(sine, np.einsum("pqi,pqi->pq", warp, weft))))

    def shear(self) -> Array:
        """What the yarns' angle lacks of a right one, signed, shape (p, q) [deg]."""
        return np.asarray(90.0 - self.yarn_angle())


def start_on(surface: DrapeSurface, start: Array, reach: float) -> Foot:
    """Foot of a start, shape (3,) [m].

    Raises
    ------
    PartError
        Where the start is no place, or off the surface by more than a reach [m].
    """
    if not (np.abs(start) < OUT_OF_MEASURE).all():
        raise PartError(
            "The start is no place.", f"{WHERE}, start", "Enter x, y and z of a point on the part."
        )
    found = surface.foot(np.asarray(start, float)[None], np.array([-1]))
    gap = float(np.linalg.norm(found.place[0] - start)) + float(found.beyond[0])
    if not gap <= reach:
        raise PartError(
            f"The start lies {gap:.4g} m off the surface.",
            f"{WHERE}, start",
            "Choose a place on the part.",
        )
    return found


def check_start(surface: DrapeSurface, start: Array, direction: Array, reach: float) -> Foot:
    """Foot of a start and its direction along the surface: `place` holds both, shape (2, 3).

    Start and direction have the shape (3,) [m].

    Raises
    ------
    PartError
        As `start_on`, or where the direction is the surface's normal.
    """
    found = start_on(surface, start, reach)
    along = np.asarray(direction, float)
    along = along - (along @ found.normal[0]) * found.normal[0]
    size = float(np.linalg.norm(along))
    if not size > NORMAL * float(np.linalg.norm(direction)):
        raise PartError(
            "The warp stands normal to the surface at the start.",
            f"{WHERE}, direction",
            "Choose one along the surface.",
        )
    return Foot(np.stack([found.place[0], along / size]), found.normal, found.beyond, found.hint)


@dataclass(frozen=True, eq=False)
class Laying:
    """How a net is laid.

    Attributes
    ----------
    over : float
        How far beyond the rim joints are still laid [m].
    reach : float
        How far off the surface the start, or a line, may be [m].
    tape : bool
        Whether fibres keep their distance and slip along each other, in place of a net that is
        pinned where its yarns cross: see `tartan.core.drape.tape`.
    line : ndarray, shape (k, 3), optional
        A line that a yarn through the start follows in place of a geodesic [m].
    """

    over: float = 0.0
    reach: float = np.inf
    tape: bool = False
    line: Array | None = None


PINNED = Laying()
"""A pinned net from a point, to the rim."""


def drape(
    surface: DrapeSurface,
    start: Array,
    direction: Array,
    cell: tuple[float, float],
    counts: tuple[int, int, int, int],
    laying: Laying = PINNED,
) -> Net:
    """Lay a net from a start.

    Parameters
    ----------
    surface : DrapeSurface
        What it is laid on.
    start : ndarray, shape (3,)
        Where warp and weft cross at a right angle [m].
    direction : ndarray, shape (3,)
        Of the warp there; what of it is normal to the surface does not count.
    cell : tuple of float
        Lengths of a cell along warp and weft [m].
    counts : tuple of int
        Cells at most from the start forth and back along warp, then weft.
    laying : Laying
        How it is laid.

    Returns
    -------
    Net
        With NaN where a joint cannot be: beyond the rim, or where yarns do not reach.

    Raises
    ------
    PartError
        Where the start is off the surface or the direction is its normal, or no yarn runs along
        the line.
    """
    found = check_start(surface, start, direction, laying.reach)
    tape, line = laying.tape, laying.line
    at = (counts[1], counts[3])
    shape = (counts[0] + counts[1] + 1, counts[2] + counts[3] + 1)
    made = Weaving(surface, shape, at, cell, laying.over)
    x, t, n = found.place[0], found.place[1], found.normal[0]
    here = Foot(x[None], n[None], np.zeros(1), found.hint)
    ahead = np.stack([t, -t, np.cross(n, t), -np.cross(n, t)])
    begins = np.tile(np.array(at), (4, 1))
    if line is not None:
        ends, along, ahead = made.follow(line, here, ahead, laying.reach, tape=tape)
        begins[2 * along : 2 * along + 2] = ends
    else:
        made.put(np.array([at[0]]), np.array([at[1]]), here)
    wanted = slice(0, 2) if tape else slice(0, 4)
    made.run(begins[wanted], STEPS_OF[wanted], ahead[wanted])
    if tape:
        made.comb()
        slipped = slip_of(made.places, made.normals, made.beyond, at)
        return Net(made.places, made.normals, made.beyond, at, cell, slipped)
    made.fill(counts)
    return Net(made.places, made.normals, made.beyond, at, cell)


def compile_all() -> None:
    """Compile the loops of nets on meshes, or read them from their cache."""
    x = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    mesh = Mesh(x, np.array([[0, 1, 2, 3]]), {}, np.zeros((0, 2)), np.zeros((0, 3), np.int64), {})
    drape(TriangleSurface(mesh), x.mean(axis=0), x[1], (0.25, 0.25), (1, 1, 1, 1))
