"""Where places of a surface lie in a draped net: yarn lengths, angles, and flat patterns."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.compiled import compiled
from tartan.core.drape.net import Net

Array = NDArray[np.float64]
Index = NDArray[np.int64]

AT_ONCE, LOOKED_AT = 5, 12
"""Cells that are tried for every place, and for one that none of these holds."""

INSIDE, NEAR = 0.02, 0.5
"""Shares of a cell by which a place may lie outside of it, and outside where none is nearer."""

FOLDED = 1.0
"""Angle between yarns, or from a straight one, at which cells are folded [deg]."""

_ROUNDS = 4
"""Steps of Newton's method in a cell, which is all but a parallelogram."""


@dataclass(frozen=True, eq=False)
class InNet:
    """Places in a net; NaN where it does not cover them.

    Attributes
    ----------
    lengths : ndarray, shape (q, 2)
        Yarn lengths u and v from the start [m].
    warp : ndarray, shape (q, 3)
        Unit direction of the warp.
    yarn_angle : ndarray, shape (q,)
        Between warp and weft [deg].
    tape : bool
        Whether fibres slip along each other, which keeps their thickness.
    """

    lengths: Array
    warp: Array
    yarn_angle: Array
    tape: bool = False

    @property
    def covered(self) -> NDArray[np.bool_]:
        """Places that the net covers, shape (q,)."""
        return np.asarray(np.isfinite(self.lengths[:, 0]))

    @property
    def shear(self) -> Array:
        """What the yarns' angle lacks of a right one, shape (q,) [deg]."""
        return np.asarray(90.0 - self.yarn_angle)

    @property
    def factor(self) -> Array:
        """Thickness of the ply over that of the flat one, shape (q,) [1]."""
        if self.tape:
            return np.where(self.covered, 1.0, np.nan)
        return np.asarray(1 / np.sin(np.radians(self.yarn_angle)))


class NetFinder:
    """Finds places of a surface in a net laid on it."""

    def __init__(self, net: Net) -> None:
        self.net = net
        laid = net.laid
        # Along a line that bends back cells can be folded: nothing lies in those.
        angle = self._fields[1]
        open_ = laid & ~((angle < FOLDED) | (angle > 180 - FOLDED))
        whole = open_[:-1, :-1] & open_[1:, :-1] & open_[:-1, 1:] & open_[1:, 1:]
        self._i, self._j = (np.asarray(x, np.int64) for x in np.nonzero(whole))
        corners = self._corners(net.places, self._i, self._j)
        self._size = float(max(net.cell))
        self._tree = scipy.spatial.cKDTree(corners.mean(axis=1)) if len(corners) else None

    @cached_property
    def _fields(self) -> tuple[Array, Array]:
        return self.net.along(0), self.net.yarn_angle()

    @staticmethod
    def _corners(values: Array, i: Index, j: Index) -> Array:
        return np.stack(
            [values[i, j], values[i + 1, j], values[i, j + 1], values[i + 1, j + 1]], axis=1
        )

    def at(self, points: Array) -> InNet:
        """Find places, shape (q, 3) [m]; of layers of a net that overlaps itself the first."""
        q = len(points)
        if self._tree is None:
            # Not one cell could be laid.
            lost = np.full((q, 3), np.nan)
            return InNet(lost[:, :2], lost, lost[:, 0], self.net.along_fibre is not None)
        best = np.full(q, np.inf)
        cell, share = np.zeros(q, np.int64), np.zeros((q, 2))
        if q:
            many = min(LOOKED_AT, len(self._i))
            points = np.where(np.isfinite(points), points, 1e30)
            far, near = self._tree.query(points, many)
            far, near = far.reshape(q, many), near.reshape(q, many)
            _tried(
                points,
                far,
                near,
                (self._i, self._j),
                self.net.places,
                (*self.net.lengths, *self.net.cell),
                (best, cell, share),
            )
        found = np.isfinite(best)
        i, j = self._i[cell], self._j[cell]
        u, v = self.net.lengths
        lengths = np.stack(
            [u[i] + share[:, 0] * self.net.cell[0], v[j] + share[:, 1] * self.net.cell[1]], axis=1
        )
        warp, angle = self._fields
        weights = _weights(share)
        slipped = self.net.along_fibre
        if slipped is not None:
            lengths[:, 0] = np.einsum("qk,qk->q", weights, self._corners(slipped, i, j))
        way = np.einsum("qk,qki->qi", weights, self._corners(warp, i, j))
        way /= np.linalg.norm(way, axis=1, keepdims=True)
        corners = self._corners(angle, i, j)
        # A little outside of a cell its angles are not carried on beyond those at its corners.
        between = np.einsum("qk,qk->q", weights, corners)
        between = np.clip(between, corners.min(axis=1), corners.max(axis=1))
        lengths[~found], way[~found], between[~found] = np.nan, np.nan, np.nan
        return InNet(lengths, way, between, slipped is not None)


@compiled(nogil=True, error_model="numpy")
def _tried(
    points: Array,
    far: Array,
    near: Index,
    cells: tuple[Index, Index],
    places: Array,
    net: tuple[Array, Array, float, float],
    kept: tuple[Array, Index, Array],
) -> None:
    """Of each place the cell that holds it and lies nearest to the start, among cells near it.

    A place that none of the first few holds is looked for in more, and beside them at last.
    """
    u, v, wide, tall = net
    size = max(wide, tall)
    best, cell, share = kept
    many = near.shape[1]
    for q in range(len(points)):
        for k in range(many + min(AT_ONCE, many)):
            beside = k >= many
            n = k - many if beside else k
            if far[q, n] > 2 * size or ((beside or k >= AT_ONCE) and np.isfinite(best[q])):
                continue
            i, j = cells[0][near[q, n]], cells[1][near[q, n]]
            a, b, gap = _place_in(points[q], places, i, j)
            outside = NEAR if beside else INSIDE
            if max(abs(a - 0.5), abs(b - 0.5)) > 0.5 + outside or gap > 0.5 * size:
                continue
            way = np.hypot(u[i] + a * wide, v[j] + b * tall)
            # Of a place on the border between two cells either will do; of overlaps the inner one.
            if way < best[q] - 0.5 * size:
                best[q], cell[q], share[q, 0], share[q, 1] = way, near[q, n], a, b


@compiled(error_model="numpy")
def _place_in(point: Array, places: Array, i: int, j: int) -> tuple[float, float, float]:
    """Shares of the cell at joint (i, j) nearest to a point, and the gap that is left [m]."""
    a, b = 0.5, 0.5
    for _ in range(_ROUNDS):
        g0, g1, h, e0, e1 = 0.0, 0.0, 0.0, 0.0, 0.0
        for n in range(3):
            o, p = places[i, j, n], places[i + 1, j, n] - places[i, j, n]
            r = places[i, j + 1, n] - o
            s = places[i + 1, j + 1, n] - places[i, j + 1, n] - p
            along, across = p + b * s, r + a * s
            gap = point[n] - (o + a * p + b * across)
            g0, g1, h = g0 + along * along, g1 + along * across, h + across * across
            e0, e1 = e0 + gap * along, e1 + gap * across
        det = max(g0 * h - g1**2, 1e-300)
        a = min(max(a + (h * e0 - g1 * e1) / det, -1.0), 2.0)
        b = min(max(b + (g0 * e1 - g1 * e0) / det, -1.0), 2.0)
    left = 0.0
    for n in range(3):
        low = (1 - a) * places[i, j, n] + a * places[i + 1, j, n]
        high = (1 - a) * places[i, j + 1, n] + a * places[i + 1, j + 1, n]
        left += (point[n] - (1 - b) * low - b * high) ** 2
    return a, b, np.sqrt(left)


def compile_all() -> None:
    """Compile the search beforehand, or read it from its cache."""
    flat = np.zeros((2, 2, 3))
    flat[1, :, 0] = flat[:, 1, 1] = 1.0
    one, none = np.zeros(1, np.int64), np.zeros((1, 1), np.int64)
    ends = np.arange(2.0)
    kept = (np.full(1, np.inf), one.copy(), np.zeros((1, 2)))
    _tried(
        np.full((1, 3), 0.5),
        np.zeros((1, 1)),
        none,
        (one, one),
        flat,
        (ends, ends, 1.0, 1.0),
        kept,
    )


def _weights(share: Array) -> Array:
    a, b = share[:, 0], share[:, 1]
    return np.stack([(1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b], axis=1)


def area_of(outline: Array) -> float:
    """Area of a flat outline of points, shape (q, 2), signed by its way round [m²]."""
    x, y = outline.T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)
