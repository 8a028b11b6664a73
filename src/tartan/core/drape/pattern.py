"""Where places of a surface lie in a draped net: yarn lengths, angles, and flat patterns."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

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
        self._tree = cKDTree(corners.mean(axis=1)) if len(corners) else None

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
            for k in range(many):
                at = np.flatnonzero(
                    (far[:, k] <= 2 * self._size) & ((k < AT_ONCE) | np.isinf(best))
                )
                self._try(points, at, near[at, k], (best, cell, share), INSIDE)
            for k in range(min(AT_ONCE, many)):
                at = np.flatnonzero((far[:, k] <= 2 * self._size) & np.isinf(best))
                self._try(points, at, near[at, k], (best, cell, share), NEAR)
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

    def _try(
        self,
        points: Array,
        at: Index,
        cells: Index,
        kept: tuple[Array, Index, Array],
        outside: float,
    ) -> None:
        """Take a cell for some places where it holds them and lies nearer to the start."""
        best, cell, share = kept
        i, j = self._i[cells], self._j[cells]
        x = self._corners(self.net.places, i, j)
        s = np.full((len(at), 2), 0.5)
        for _ in range(_ROUNDS):
            gap = points[at] - np.einsum("qk,qki->qi", _weights(s), x)
            a, b = s[:, :1], s[:, 1:]
            along = (1 - b) * (x[:, 1] - x[:, 0]) + b * (x[:, 3] - x[:, 2])
            across = (1 - a) * (x[:, 2] - x[:, 0]) + a * (x[:, 3] - x[:, 1])
            g = [np.einsum("qi,qi->q", p, r) for p, r in ((along, along), (along, across))]
            h = np.einsum("qi,qi->q", across, across)
            e = [np.einsum("qi,qi->q", gap, p) for p in (along, across)]
            det = np.maximum(g[0] * h - g[1] ** 2, 1e-300)
            step = np.stack([h * e[0] - g[1] * e[1], g[0] * e[1] - g[1] * e[0]], axis=1)
            s = np.clip(s + step / det[:, None], -1.0, 2.0)
        gap = points[at] - np.einsum("qk,qki->qi", _weights(s), x)
        inside = (np.abs(s - 0.5).max(axis=1) <= 0.5 + outside) & (
            np.linalg.norm(gap, axis=1) <= 0.5 * self._size
        )
        u, v = self.net.lengths
        way = np.hypot(u[i] + s[:, 0] * self.net.cell[0], v[j] + s[:, 1] * self.net.cell[1])
        # Of a place on the border between two cells either will do; of overlaps the inner one.
        better = inside & (way < best[at] - 0.5 * self._size)
        best[at[better]], cell[at[better]] = way[better], cells[better]
        share[at[better]] = s[better]


def _weights(share: Array) -> Array:
    a, b = share[:, 0], share[:, 1]
    return np.stack([(1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b], axis=1)


def area_of(outline: Array) -> float:
    """Area of a flat outline of points, shape (q, 2), signed by its way round [m²]."""
    x, y = outline.T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)
