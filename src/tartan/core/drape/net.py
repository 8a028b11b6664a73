"""A pin-jointed net on a surface: two families of yarns that neither stretch nor slip.

From a start two yarns run as geodesics, at right angles there; every further joint is where the
yarns of its two neighbours meet on the surface. Between joints a yarn is an arc that bends as the
normals at its ends do: its chord is that much shorter. The joints of a diagonal depend on those
before it alone, so that all of one are found at once, in the four quarters together.

Sources: P. Chebyshev (1878) (nets of inextensible yarns); C. Mack and H. M. Taylor, J. Text. Inst.
47 (1956) T477–T488 (joints as meeting points of spheres on the surface).
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.drape.surface import DrapeSurface, Foot
from tartan.core.drape.triangles import OUT_OF_MEASURE, TriangleSurface
from tartan.core.drape.weave import weave, yarns
from tartan.core.errors import PartError
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Mask = NDArray[np.bool_]

STEPS = 14
"""Steps of Newton's method for a joint."""

CLOSE, FITS = 1e-11, 1e-6
"""Shares of a cell's side: of the last step, and by which yarns may be off their length."""

FLAT = 0.02
"""Sine of the yarns' angle below which a net is folded up."""

THREADS = min(os.cpu_count() or 1, 4)
"""Quarters that are laid at once; compiled, they let go of the interpreter."""

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
    """

    places: Array
    normals: Array
    beyond: Array
    start: tuple[int, int]
    cell: tuple[float, float]

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
        """Angle between warp and weft, shape (p, q) [deg]."""
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


def drape(
    surface: DrapeSurface,
    start: Array,
    direction: Array,
    cell: tuple[float, float],
    counts: tuple[int, int, int, int],
    over: float = 0.0,
    reach: float = np.inf,
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
    over : float
        How far beyond the rim joints are still laid [m].
    reach : float
        How far off the surface the start may be [m].

    Returns
    -------
    Net
        With NaN where a joint cannot be: beyond the rim, or where yarns do not reach.

    Raises
    ------
    PartError
        Where the start is off the surface or the direction is its normal.
    """
    first = check_start(surface, start, direction, reach)
    shape = (counts[0] + counts[1] + 1, counts[2] + counts[3] + 1)
    at = (counts[1], counts[3])
    made = _Weaving(surface, shape, at, cell, over)
    x, t, n = first.place[0], first.place[1], first.normal[0]
    made.put(np.array([at[0]]), np.array([at[1]]), Foot(x[None], n[None], np.zeros(1), first.hint))
    ways = np.stack([t, -t, np.cross(n, t), -np.cross(n, t)])
    if isinstance(surface, TriangleSurface):
        laid = (made.places, made.normals, made.beyond, made.hints)
        sides = float(cell[0]), float(cell[1])
        yarns(surface.arrays, laid, at, ways, (sides, float(over)))
        arrays, limits = surface.arrays, (float(over), FLAT)
        with ThreadPoolExecutor(THREADS) as pool:
            list(pool.map(lambda q: weave(arrays, laid, at, sides, limits, q), range(4)))
    else:
        made.yarns(counts, ways)
        made.fill(counts)
    return Net(made.places, made.normals, made.beyond, at, cell)


class _Weaving:
    """A net in the making."""

    def __init__(
        self,
        surface: DrapeSurface,
        shape: tuple[int, int],
        at: tuple[int, int],
        cell: tuple[float, float],
        over: float,
    ) -> None:
        self.surface, self.at, self.cell, self.over = surface, at, cell, over
        self.places = np.full((*shape, 3), np.nan)
        self.normals = np.full((*shape, 3), np.nan)
        self.beyond = np.full(shape, np.inf)
        self.hints = np.full(shape, -1, np.int64)

    def put(self, i: Index, j: Index, found: Foot) -> None:
        """Keep joints."""
        self.places[i, j], self.normals[i, j] = found.place, found.normal
        self.beyond[i, j], self.hints[i, j] = found.beyond, found.hint

    def yarns(self, counts: tuple[int, int, int, int], way: Array) -> None:
        """Lay both yarns through the start, forth and back at once, as geodesics.

        Their joints lie a cell apart, each in the plane of the yarn before it and the normal: so
        their curvature has no part in the surface. `way` holds the four directions, (4, 3).
        """
        step = np.array([(1, 0), (-1, 0), (0, 1), (0, -1)])
        left, cell = np.array(counts), np.array(self.cell)[[0, 0, 1, 1]]
        at, first = np.tile(np.array(self.at), (4, 1)), True
        while (left > 0).any():
            on = np.flatnonzero(left > 0)
            i, j = at[on].T
            x, n = self.places[i, j], self.normals[i, j]
            guess, hints = x + cell[on, None] * way[on], self.hints[i, j]
            found = self._joint(guess, hints, (x, n, cell[on]), (x, _across(n, way[on])))
            if first:
                # From a tangent its first chord turns with a third of the normal's turn.
                mixed = 2 * n + found.normal
                found = self._joint(guess, hints, (x, n, cell[on]), (x, _across(mixed, way[on])))
                first = False
            good = found.beyond <= self.over
            left[on[~good]] = 0
            on = on[good]
            at[on] += step[on]
            left[on] -= 1
            place, normal = found.place[good], found.normal[good]
            i, j = at[on].T
            self.put(i, j, Foot(place, normal, found.beyond[good], found.hint[good]))
            ahead = place - x[good]
            ahead = ahead - np.einsum("qi,qi->q", ahead, normal)[:, None] * normal
            way[on] = ahead / np.linalg.norm(ahead, axis=1, keepdims=True)

    def fill(self, counts: tuple[int, int, int, int]) -> None:
        """Lay all other joints, diagonal by diagonal."""
        quarters = [(1, 1, counts[0], counts[2]), (-1, 1, counts[1], counts[2])]
        quarters += [(1, -1, counts[0], counts[3]), (-1, -1, counts[1], counts[3])]
        for diagonal in range(2, max(a + b for _, _, a, b in quarters) + 1):
            rows = [self._cells(diagonal, *quarter) for quarter in quarters]
            i, j, di, dj = (np.concatenate(x) for x in zip(*rows, strict=True))
            before, beside = self.places[i - di, j], self.places[i, j - dj]
            corner = self.places[i - di, j - dj]
            there = np.isfinite(before[:, 0] + beside[:, 0] + corner[:, 0])
            if not there.any():
                return
            i, j, di, dj = i[there], j[there], di[there], dj[there]
            a, b, c = before[there], beside[there], corner[there]
            ones = np.ones(len(i))
            found = self._joint(
                a + b - c,
                self.hints[i - di, j],
                (a, self.normals[i - di, j], self.cell[0] * ones),
                (b, self.normals[i, j - dj], self.cell[1] * ones),
            )
            # Yarns that lie along each other meet nowhere for certain; past it the net is folded.
            meet = np.cross(found.place - a, found.place - b)
            across = np.einsum("qi,qi->q", meet, found.normal) * di * dj
            good = (found.beyond <= self.over) & (across >= FLAT * self.cell[0] * self.cell[1])
            self.put(
                i[good],
                j[good],
                Foot(found.place[good], found.normal[good], found.beyond[good], found.hint[good]),
            )

    def _cells(
        self, diagonal: int, di: int, dj: int, most: int, across: int
    ) -> tuple[Index, Index, Index, Index]:
        a = np.arange(max(1, diagonal - across), min(most, diagonal - 1) + 1)
        b = diagonal - a
        full = np.ones(len(a), np.int64)
        return self.at[0] + di * a, self.at[1] + dj * b, di * full, dj * full

    def _joint(
        self,
        guess: Array,
        hint: Index,
        one: tuple[Array, Array, Array],
        other: tuple[Array, Array, Array] | tuple[Array, Array],
    ) -> Foot:
        """Places on the surface a yarn's length from one place, and from another or in a plane.

        `other` is a place, its normal and a length, or a place and the normal of a plane.
        """
        found = self.surface.foot(guess, hint)
        x = found.place.copy()
        a, size, plane = one[0], max(self.cell), len(other) == 2
        for _ in range(STEPS):
            to_a, to_b = x - a, x - other[0]
            da = _chord(to_a, found.normal, one[1], one[2])
            if plane:
                row, over = other[1], np.einsum("qi,qi->q", to_b, other[1])
            else:
                db = _chord(to_b, found.normal, other[1], other[-1])
                row, over = 2 * to_b, np.einsum("qi,qi->q", to_b, to_b) - db**2
            rows = np.stack([2 * to_a, row, found.normal], axis=1)
            left = np.stack(
                [
                    np.einsum("qi,qi->q", to_a, to_a) - da**2,
                    over,
                    np.einsum("qi,qi->q", x - found.place, found.normal),
                ],
                axis=1,
            )
            step = _solved(rows, left)
            # A step of more than half a cell would leave for the other meeting point.
            long = np.linalg.norm(step, axis=1)
            step *= np.minimum(1.0, 0.5 * size / np.maximum(long, 1e-300))[:, None]
            x = x - step
            found = self.surface.foot(x, found.hint)
            if (long <= CLOSE * size).all():
                break
        # Whatever the steps came to, a joint is one where its yarns are as long as they are.
        gap = np.linalg.norm(x - found.place, axis=1)
        to_a, to_b = x - a, x - other[0]
        gap += np.abs(np.linalg.norm(to_a, axis=1) - _chord(to_a, found.normal, one[1], one[2]))
        if plane:
            return Foot(
                found.place,
                found.normal,
                np.where(gap <= FITS * size, found.beyond, np.inf),
                found.hint,
            )
        gap += np.abs(
            np.linalg.norm(to_b, axis=1) - _chord(to_b, found.normal, other[1], other[-1])
        )
        beyond = np.where(gap <= FITS * size, found.beyond, np.inf)
        return Foot(found.place, found.normal, beyond, found.hint)


def _across(normal: Array, way: Array) -> Array:
    side = np.cross(normal, way)
    return np.asarray(side / np.linalg.norm(side, axis=1, keepdims=True))


def _chord(way: Array, normal: Array, before: Array, length: Array) -> Array:
    """Chord of a yarn of a length that bends as the normals at its ends do, shape (q,) [m]."""
    along = np.einsum("qi,qi->q", way, normal - before)
    sine = np.clip(along / np.maximum(np.linalg.norm(way, axis=1), 1e-300) / 2, -0.9, 0.9)
    turn = np.arcsin(sine)
    return np.asarray(length * np.where(np.abs(sine) > 1e-9, sine / np.where(turn, turn, 1), 1.0))


def _solved(rows: Array, right: Array) -> Array:
    """Solve many systems of three by Cramer's rule; NaN-free where one is singular."""
    a, b, c = rows[:, 0], rows[:, 1], rows[:, 2]
    bc, ca, ab = np.cross(b, c), np.cross(c, a), np.cross(a, b)
    det = np.einsum("qi,qi->q", a, bc)
    det = np.where(np.abs(det) > 1e-300, det, np.inf)
    top = right[:, :1] * bc + right[:, 1:2] * ca + right[:, 2:] * ab
    return np.asarray(top / det[:, None])


def compile_all() -> None:
    """Compile the loops of nets on meshes, or read them from their cache."""
    x = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    mesh = Mesh(x, np.array([[0, 1, 2, 3]]), {}, np.zeros((0, 2)), np.zeros((0, 3), np.int64), {})
    drape(TriangleSurface(mesh), x.mean(axis=0), x[1], (0.25, 0.25), (1, 1, 1, 1))
