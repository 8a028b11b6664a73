"""A net in the making: joints on a surface, yarn by yarn or diagonal by diagonal.

On meshes the loops are compiled, on surfaces given by an equation they are NumPy's; both take the
same steps.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from tartan.core.drape.lines import follow_line
from tartan.core.drape.surface import DrapeSurface, Foot
from tartan.core.drape.tape import folded
from tartan.core.drape.triangles import TriangleSurface
from tartan.core.drape.weave import weave, yarns

Array = NDArray[np.float64]
Index = NDArray[np.int64]

STEPS = 14
"""Steps of Newton's method for a joint."""

CLOSE, FITS = 1e-11, 1e-6
"""Shares of a cell's side: of the last step, and by which yarns may be off their length."""

FLAT = 0.02
"""Sine of the yarns' angle below which a net is folded up."""

THREADS = min(os.cpu_count() or 1, 4)
"""Quarters that are laid at once; compiled, they let go of the interpreter."""


class Weaving:
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
        """Keep joints, `i` and `j` of shape (q,)."""
        self.places[i, j], self.normals[i, j] = found.place, found.normal
        self.beyond[i, j], self.hints[i, j] = found.beyond, found.hint

    def follow(
        self, line: Array, start: Foot, ways: Array, reach: float, *, tape: bool
    ) -> tuple[Index, int, Array]:
        """Lay the yarn that follows a line; warp 0 or weft 1, its ends and where they lead.

        Returns the joints at its ends, shape (2, 2), which yarn it is, and the four directions
        `ways` with those of both yarns as the line has them.
        """
        found = follow_line(self.surface, line, (start, ways), self.cell, reach, tape=tape)
        axis, at = found.axis, np.array(self.at)
        count = self.beyond.shape[axis]
        number = found.number + at[axis]
        there = (number >= 0) & (number < count)
        i = np.full(there.sum(), at[0])
        j = np.full(there.sum(), at[1])
        (i if axis == 0 else j)[:] = number[there]
        feet = found.feet
        self.put(
            i,
            j,
            Foot(feet.place[there], feet.normal[there], feet.beyond[there], feet.hint[there]),
        )
        ends = np.tile(at, (2, 1))
        ends[0, axis], ends[1, axis] = number[there].max(), number[there].min()
        return ends, axis, found.ways

    def run(self, begins: Index, steps: Index, ways: Array) -> None:
        """Lay yarns as geodesics from joints, shapes (k, 2), (k, 2) and (k, 3).

        Their joints lie a cell apart, each in the plane of the yarn before it and the normal: so
        their curvature has no part in the surface.
        """
        if isinstance(self.surface, TriangleSurface):
            laid = (self.places, self.normals, self.beyond, self.hints)
            limits = ((float(self.cell[0]), float(self.cell[1])), float(self.over))
            begins, steps = (np.ascontiguousarray(x, np.int64) for x in (begins, steps))
            yarns(self.surface.arrays, laid, begins, steps, np.ascontiguousarray(ways), limits)
            return
        at, way, first = begins.copy(), ways.copy(), np.ones(len(begins), bool)
        shape = np.array(self.beyond.shape)
        cell = np.where(steps[:, 0] != 0, *self.cell)
        left = np.isfinite(self.places[at[:, 0], at[:, 1], 0])
        while True:
            ahead = at + steps
            left &= ((ahead >= 0) & (ahead < shape)).all(axis=1)
            on = np.flatnonzero(left)
            if not len(on):
                return
            i, j = at[on].T
            x, n = self.places[i, j], self.normals[i, j]
            guess, hints = x + cell[on, None] * way[on], self.hints[i, j]
            found = self._joint(guess, hints, (x, n, cell[on]), (x, _across(n, way[on])))
            if first[on].any():
                # From a tangent its first chord turns with a third of the normal's turn.
                mixed = np.where(first[on, None], 2 * n + found.normal, n)
                found = self._joint(guess, hints, (x, n, cell[on]), (x, _across(mixed, way[on])))
                first[on] = False
            good = found.beyond <= self.over
            left[on[~good]] = False
            on = on[good]
            at[on] += steps[on]
            place, normal = found.place[good], found.normal[good]
            i, j = at[on].T
            self.put(i, j, Foot(place, normal, found.beyond[good], found.hint[good]))
            ahead = place - x[good]
            ahead = ahead - np.einsum("qi,qi->q", ahead, normal)[:, None] * normal
            way[on] = ahead / np.linalg.norm(ahead, axis=1, keepdims=True)

    def comb(self) -> None:
        """Lay geodesics across the first fibre from all its joints, to both sides."""
        j = self.at[1]
        i = np.flatnonzero(np.isfinite(self.places[:, j, 0]))
        x, n = self.places[i, j], self.normals[i, j]
        if len(i) < 2:
            return
        t = np.gradient(x, axis=0)
        across = _across(n, t)
        begins = np.stack([i, np.full(len(i), j)], axis=1)
        for sign in (1, -1):
            steps = np.tile([0, sign], (len(i), 1))
            self.run(begins, steps, sign * across)
        lost = folded(self.places, self.normals, self.at, self.cell[0] * FLAT)
        for kept, none in ((self.places, np.nan), (self.normals, np.nan), (self.beyond, np.inf)):
            kept[lost] = none

    def fill(self, counts: tuple[int, int, int, int]) -> None:
        """Lay all other joints, diagonal by diagonal; on a mesh the four quarters at once."""
        surface = self.surface
        if isinstance(surface, TriangleSurface):
            laid = (self.places, self.normals, self.beyond, self.hints)
            at, sides = self.at, (float(self.cell[0]), float(self.cell[1]))
            arrays, limits = surface.arrays, (float(self.over), FLAT)
            with ThreadPoolExecutor(THREADS) as pool:
                list(pool.map(lambda q: weave(arrays, laid, at, sides, limits, q), range(4)))
            return
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
