"""Yarns that follow a line on a surface: joints at equal lengths along it from the start."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.drape.surface import DrapeSurface, Foot
from tartan.core.errors import PartError

Array = NDArray[np.float64]
Index = NDArray[np.int64]

FOLLOWS = 30.0
"""Angle from a yarn within which a line is one that it can follow [deg]."""

FINE = 4
"""Points of a line to each cell."""

CORNER = 35.0
"""Turn of a line from which it has a corner there [deg]."""

LONGER = 1.02
"""Stretch between two joints, in cells, from which a line jumps there."""

CLOSED = 1.5
"""Gap between the ends of a line, in its points' spacing, within which it runs round."""


@dataclass(frozen=True, eq=False)
class Followed:
    """A yarn that follows a line.

    Attributes
    ----------
    axis : int
        The warp, 0, or the weft, 1.
    number : ndarray of int, shape (k,)
        Cells of its joints from the start.
    feet : Foot
        Its joints on the surface.
    ways : ndarray, shape (4, 3)
        Directions of the warp, forth and back, and of the weft: those of the yarn on the line at
        its two ends, of the other one at the start.
    """

    axis: int
    number: Index
    feet: Foot
    ways: Array


def follow_line(
    surface: DrapeSurface,
    line: Array,
    begin: tuple[Foot, Array],
    cell: tuple[float, float],
    reach: float,
    *,
    tape: bool,
) -> Followed:
    """Lay joints along a line, from the place on it next to a start.

    Parameters
    ----------
    surface : DrapeSurface
        What it is laid on.
    line : ndarray, shape (k, 3)
        Points of the line; it is put on the surface [m].
    begin : tuple of Foot and ndarray
        The start, and the directions there, shape (4, 3): warp forth and back, weft forth and
        back.
    cell : tuple of float
        Sides of a cell [m].
    reach : float
        How far off the surface the line may be [m].
    tape : bool
        Whether it has to be the fibre that follows.

    Raises
    ------
    PartError
        Where the line has no length or lies off the surface, or no yarn runs along it.
    """
    start, ways = begin
    x, normals, round_about = _laid(surface, line, start.place, min(cell) / FINE, reach)
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(x, axis=0), axis=1))])
    at = int(np.linalg.norm(x - start.place, axis=1).argmin())
    ahead = x[min(at + 1, len(x) - 1)] - x[max(at - 1, 0)]
    n = normals[at]
    ahead = ahead - (ahead @ n) * n
    ahead /= max(float(np.linalg.norm(ahead)), 1e-300)
    cosines = ways[[0, 2]] @ ahead
    axis = 0 if tape or abs(cosines[0]) >= abs(cosines[1]) else 1
    turned = math.degrees(math.acos(min(abs(float(cosines[axis])), 1.0)))
    if turned > FOLLOWS:
        raise PartError(
            f"The ply lies {turned:.3g}° off the line at its start: no "
            f"{'fibre' if tape else 'yarn'} can follow it.",
            "Draping, line",
            f"Turn the ply to within {FOLLOWS:g}° of it, or start from a point.",
        )
    if cosines[axis] < 0:
        x, length, at = x[::-1], length[-1] - length[::-1], len(x) - 1 - at
    if round_about:
        # Cut open opposite to the start, so that it goes half round either way.
        roll = at - len(x) // 2
        x = np.roll(x[:-1], -roll, axis=0)
        x = np.concatenate([x, x[:1]])
        length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(x, axis=0), axis=1))])
        at = int(np.linalg.norm(x[:-1] - start.place, axis=1).argmin())
    side = cell[axis]
    back, forth = int(length[at] / side), int((length[-1] - length[at]) / side)
    number = np.arange(-back, forth + 1)
    there = length[at] + number * side
    places = np.stack([np.interp(there, length, x[:, k]) for k in range(3)], axis=1)
    found = surface.foot(places, np.full(len(places), -1))
    low, high = _yarn(found.place, back, side)
    number, found = number[low:high], _part(found, low, high)
    ahead = ahead * np.sign(cosines[axis])
    return Followed(axis, number, found, _leading(found, axis, n, ahead))


def _yarn(x: Array, at: int, side: float) -> tuple[int, int]:
    """Joints about the start that one yarn can hold: it neither jumps nor turns a corner."""
    step = np.diff(x, axis=0)
    size = np.linalg.norm(step, axis=1)
    ends = size > LONGER * side
    unit = step / np.where(size > 0, size, 1.0)[:, None]
    sharp = np.einsum("ki,ki->k", unit[1:], unit[:-1]) < math.cos(math.radians(CORNER))
    # A corner is at the joint between two stretches: the yarn ends there, and goes on straight.
    behind = [*(np.flatnonzero(ends[:at]) + 1), *(np.flatnonzero(sharp[: max(at - 1, 0)]) + 1)]
    first = at + int(at == 0)
    before = [*(np.flatnonzero(ends[at:]) + at), *(np.flatnonzero(sharp[first - 1 :]) + first)]
    return max(behind, default=0), min(before, default=len(x) - 1) + 1


def _part(feet: Foot, low: int, high: int) -> Foot:
    return Foot(
        feet.place[low:high], feet.normal[low:high], feet.beyond[low:high], feet.hint[low:high]
    )


def _laid(
    surface: DrapeSurface, line: Array, start: Array, spacing: float, reach: float
) -> tuple[Array, Array, bool]:
    """Points of a line on the surface, normals there, and whether it runs round.

    As far as it lies on the surface about the start: an edge may go on beyond a ply.
    """
    line = _points(line)
    feet = surface.foot(line, np.full(len(line), -1))
    far = np.linalg.norm(line - feet.place, axis=1) + np.maximum(feet.beyond, 0.0)
    at = int(np.linalg.norm(feet.place - start, axis=1).argmin())
    if not far[at] <= reach:
        raise PartError(
            f"The line lies {far[at]:.4g} m off the surface next to the start.",
            "Draping, line",
            "Choose points on the part.",
        )
    off = np.flatnonzero(far > reach)
    low, high = int(off[off < at].max(initial=-1)) + 1, int(off[off > at].min(initial=len(line)))
    if high - low < 2:
        raise PartError(
            "The line has no length on the ply.", "Draping, line", "Give two points or more on it."
        )
    whole = high - low == len(line)
    # What is between its points is put on the surface however far their chords stand off it.
    points, round_about = _fine(line[low:high], spacing, whole=whole)
    feet = surface.foot(points, np.full(len(points), -1))
    return feet.place, feet.normal, round_about


def _leading(feet: Foot, axis: int, n: Array, ahead: Array) -> Array:
    """Directions in which both yarns go on, shape (4, 3)."""
    ends = np.stack([ahead, -ahead])
    if len(feet.place) > 1:
        # Half a turn on from the last chord, as the line turned before.
        ends[0] = feet.place[-1] - feet.place[-2]
        ends[1] = feet.place[0] - feet.place[1]
    for k, at in ((0, -1), (1, 0)):
        normal = feet.normal[at]
        ends[k] -= (ends[k] @ normal) * normal
        ends[k] /= np.linalg.norm(ends[k])
    across = np.cross(n, ahead) if axis == 0 else -np.cross(n, ahead)
    other = np.stack([across, -across])
    return np.concatenate([ends, other] if axis == 0 else [other, ends])


def _points(line: Array) -> Array:
    """Points of a line, those that stand twice once, shape (k, 3) [m]."""
    line = np.asarray(line, float).reshape(-1, 3)
    line = line[np.concatenate([[True], (np.diff(line, axis=0) != 0).any(axis=1)])]
    if len(line) < 2 or not np.isfinite(line).all():
        raise PartError(
            "The line has no length.", "Draping, line", "Give two points or more along it."
        )
    return line


def _fine(line: Array, spacing: float, *, whole: bool) -> tuple[Array, bool]:
    """Points along a line at a spacing, and whether it runs round."""
    step = np.linalg.norm(np.diff(line, axis=0), axis=1)
    gap = float(np.linalg.norm(line[-1] - line[0]))
    round_about = whole and len(line) > 3 and gap <= CLOSED * float(step.mean())
    if round_about and gap > 0:
        line = np.concatenate([line, line[:1]])
    # Between its corners a line is a smooth curve: what is picked or meshed are points of it.
    pieces = [0, *_corners(line), len(line) - 1]
    smooth_round = round_about and len(pieces) == 2
    found = [
        _curve(line[i : j + 1], spacing, round_about=smooth_round)[:-1]
        for i, j in pairwise(pieces)
    ]
    return np.concatenate([*found, line[-1:]]), round_about


def _corners(line: Array) -> list[int]:
    """Points at which a line turns sharply."""
    step = np.diff(line, axis=0)
    step /= np.linalg.norm(step, axis=1, keepdims=True)
    cosine = np.einsum("ki,ki->k", step[1:], step[:-1])
    return (np.flatnonzero(cosine < math.cos(math.radians(CORNER))) + 1).tolist()


def _curve(points: Array, spacing: float, *, round_about: bool) -> Array:
    """Points at a spacing of a curve through some, the last included [m]."""
    at = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    there = np.linspace(0.0, at[-1], max(2, math.ceil(at[-1] / spacing) + 1))
    if len(points) < 4:
        return np.stack([np.interp(there, at, points[:, k]) for k in range(3)], axis=1)
    ends = "periodic" if round_about else "not-a-knot"
    return np.asarray(scipy.interpolate.CubicSpline(at, points, bc_type=ends)(there))
