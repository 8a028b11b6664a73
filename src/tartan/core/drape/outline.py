"""The flat pattern of a draped ply: its outline in the net, as curves between its corners."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import reduce

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.drape.pattern import NetFinder, area_of
from tartan.core.errors import PartError
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.outlines import outlines

Array = NDArray[np.float64]
Index = NDArray[np.int64]

CORNER = 35.0
"""Turn of an outline from which it has a corner there [deg]."""

STAIR = 30.0
"""Mean turn from which an outline is the saw-tooth of elements [deg]."""

NEXT = 4
"""Points of a cut from whose end on a rim beside it meets that end."""

FINE = 4
"""Points of a smooth outline to each of its nodes."""


@dataclass(frozen=True, eq=False)
class FlatPattern:
    """What is cut of a flat fabric.

    Attributes
    ----------
    outline : ndarray, shape (q, 2)
        Along warp and weft from the start, anticlockwise [m].
    holes : tuple of ndarray, shape (q, 2)
        Openings, clockwise [m].
    """

    outline: Array
    holes: tuple[Array, ...] = ()

    @property
    def area(self) -> float:
        """Of the fabric [m²]."""
        return area_of(self.outline) + sum(area_of(h) for h in self.holes)

    @property
    def size(self) -> tuple[float, float]:
        """Length along the warp and width along the weft [m]."""
        length, width = np.ptp(self.outline, axis=0)
        return float(length), float(width)

    @property
    def around(self) -> float:
        """Length of all that is cut [m]."""
        return float(
            sum(
                np.linalg.norm(x - np.roll(x, 1, axis=0), axis=1).sum()
                for x in (self.outline, *self.holes)
            )
        )


def flat_pattern(
    mesh: Mesh, elements: Index, finder: NetFinder, cuts: Sequence[Array] = ()
) -> FlatPattern:
    """Unroll the region of a draped ply, or a piece of it.

    Parameters
    ----------
    mesh : Mesh
        The part.
    elements : ndarray of int
        The ply's region.
    finder : NetFinder
        Of its net.
    cuts : sequence of ndarray, shape (k, 3)
        Lines that part the ply: where its rim runs beside one it is that line [m].

    Raises
    ------
    PartError
        Where the region has no rim, or the net does not reach it.
    """
    reach = _reach(mesh, elements)
    rims = [
        reduce(lambda rim, cut: _along(rim, cut, reach), cuts, x.points)
        for x in outlines(mesh, elements)
    ]
    if not rims:
        raise PartError(
            "A ply that closes in itself has no flat pattern.",
            "Draping",
            "Lay it on a region that has a rim.",
        )
    found = []
    for rim in rims:
        flat = finder.at(rim).lengths
        known = np.isfinite(flat[:, 0])
        if known.sum() < 3 or known.mean() < 0.5:
            raise PartError(
                "The net does not reach the ply's rim.",
                "Draping",
                "Start nearer to its middle, or lay it in pieces.",
            )
        found.append(smooth(flat[known]))
    found.sort(key=lambda x: -abs(area_of(x)))
    turned = [x if (area_of(x) > 0) == (k == 0) else x[::-1] for k, x in enumerate(found)]
    return FlatPattern(turned[0], tuple(turned[1:]))


def _reach(mesh: Mesh, elements: Index) -> float:
    """How far beside a cut the rim of elements runs at most [m]."""
    corners = mesh.nodes[mesh.corner_table[elements]]
    return float(np.linalg.norm(corners[:, 2] - corners[:, 0], axis=1).max())


def _along(rim: Array, cut: Array, reach: float) -> Array:
    """A closed rim, shape (q, 3) [m], with its longest stretch beside a cut replaced by that."""
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(cut, axis=0), axis=1))])
    far, at = scipy.spatial.cKDTree(cut).query(rim)
    # Next to a cut's end the rim goes on as its own.
    near = (far <= reach) & (at > 0) & (at < len(cut) - 1) | (far <= 0.5 * reach)
    if near.all() or near.sum() < 3:
        return rim
    # The rim crosses the cut's ends too: the stretch that goes along it is the longest.
    first = int(np.flatnonzero(~near)[0])
    order = np.roll(np.arange(len(rim)), -first)
    runs = np.split(order, np.flatnonzero(np.diff(near[order].astype(np.int8))) + 1)
    beside = max((r for r in runs if near[r[0]]), key=len)
    ends = at[beside[0]], at[beside[-1]]
    if abs(length[ends[1]] - length[ends[0]]) < 2 * reach:
        return rim
    low, high = min(ends), max(ends)
    low, high = (0 if low <= NEXT else low), (len(cut) - 1 if high >= len(cut) - NEXT else high)
    line = cut[low : high + 1]
    after = int(np.flatnonzero(order == beside[-1])[0]) + 1
    rest = np.roll(order, -after)[: len(order) - len(beside)]
    return np.concatenate([rim[rest], line if ends[1] > ends[0] else line[::-1]])


def smooth(points: Array) -> Array:
    """An outline of points, shape (q, 2), as smooth curves between its corners [m]."""
    turn = _turns(points)
    if np.abs(turn).mean() > STAIR and len(points) > 8:
        # The steps of elements: the middles of the sides run where the rim is meant to.
        for _ in range(2):
            points = (points + np.roll(points, -1, axis=0)) / 2
        turn = _turns(points)
    corners = np.flatnonzero(np.abs(turn) > CORNER)
    if len(corners) == 0:
        closed = np.concatenate([points, points[:1]])
        return _curve(closed, "periodic")[:-1]
    pieces = []
    for k, first in enumerate(corners):
        last = corners[(k + 1) % len(corners)]
        many = (last - first) % len(points) or len(points)
        piece = points[(first + np.arange(many + 1)) % len(points)]
        pieces.append(_curve(piece, "not-a-knot")[:-1] if len(piece) > 3 else piece[:-1])
    return np.concatenate(pieces)


def _turns(points: Array) -> Array:
    """Turn of an outline at every point, shape (q,) [deg]."""
    side = np.roll(points, -1, axis=0) - points
    before = np.roll(side, 1, axis=0)
    cross = before[:, 0] * side[:, 1] - before[:, 1] * side[:, 0]
    return np.asarray(np.degrees(np.arctan2(cross, (before * side).sum(axis=1))))


def _curve(points: Array, ends: str) -> Array:
    step = np.linalg.norm(np.diff(points, axis=0), axis=1)
    at = np.concatenate([[0.0], np.cumsum(np.maximum(step, 1e-12))])
    fine = np.interp(np.linspace(0, len(at) - 1, FINE * (len(at) - 1) + 1), np.arange(len(at)), at)
    return np.asarray(scipy.interpolate.CubicSpline(at, points, bc_type=ends)(fine))


@dataclass(frozen=True)
class Placed:
    """A pattern on a roll: its number, and where its lower left corner lies [m]."""

    number: int
    x: float
    y: float


def nest(
    sizes: Sequence[tuple[float, float]], roll: float, gap: float
) -> tuple[list[Placed], float]:
    """Lay patterns on a roll, side by side in rows, their warp along it.

    The longest first, each in the first row that has room: simple, and honest about its waste.

    Parameters
    ----------
    sizes : sequence of (float, float)
        Length along the roll and width across it of every pattern [m].
    roll, gap : float
        Width of the roll, and what is left between patterns [m].

    Returns
    -------
    list of Placed, float
        In the order given, and the length of roll that they take [m].

    Raises
    ------
    PartError
        Naming the pattern that is wider than the roll.
    """
    for number, (_, width) in enumerate(sizes, start=1):
        if not width <= roll:
            raise PartError(
                f"Pattern {number} is {width * 1e3:.4g} mm wide, the roll {roll * 1e3:.4g} mm.",
                "Roll width",
                "Take a wider roll, turn the ply, or lay it in pieces.",
            )
    order = sorted(range(len(sizes)), key=lambda k: -sizes[k][0])
    rows: list[list[float]] = []
    placed: dict[int, Placed] = {}
    along = 0.0
    for k in order:
        length, width = sizes[k]
        row = next((r for r in rows if r[1] + width <= roll * (1 + 1e-12)), None)
        if row is None:
            # Longest first: a row is as long as the first that lies in it.
            row = [along, 0.0]
            rows.append(row)
            along += length + gap
        placed[k] = Placed(k, row[0], row[1])
        row[1] += width + gap
    return [placed[k] for k in range(len(sizes))], max(along - gap, 0.0)
