"""Joints of a net on a mesh, compiled: one after the other, each from three that are laid."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from tartan.core.compiled import compiled
from tartan.core.drape.feet import MIDDLE, feet, foot

NEAR = 1e-3
"""Share of a cell's side by which the last step for a joint in a crease may move."""

STEPS = 14
"""Steps of Newton's method for a joint."""

SMALL = 4e-4
"""Square of a sine up to which four terms of sine over arc are exact to 1e-15."""

CLOSE = 3e-6
"""Share of a cell's side of the last step, after which Newton's next would be its square."""


@compiled(nogil=True, error_model="numpy")
def weave(surface: Any, laid: Any, at: Any, cell: Any, limits: Any, quarter: int) -> None:
    """Fill a quarter of a net between the two yarns through its start, beside the others or not.

    Parameters
    ----------
    surface : tuple of ndarray
        As `feet` takes it.
    laid : tuple of ndarray
        Places (p, q, 3) [m], normals (p, q, 3), how far beyond the rim (p, q) [m] and triangles
        (p, q); NaN, NaN, infinite and −1 where nothing is laid. Filled in place.
    at, cell : tuple
        Numbers of the start's joint, and sides of a cell [m].
    limits : tuple of float
        How far beyond the rim joints are laid [m], and the sine of the yarns' angle below which
        a net is folded up.
    quarter : int
        0 to 3.
    """
    places, normals, beyond, hints = laid
    over, flat = limits
    p, q = beyond.shape
    x, out, normal, far = np.zeros((1, 3)), np.zeros((1, 3)), np.zeros((1, 3)), np.zeros(1)
    hint = np.zeros(1, np.int64)
    ends = np.zeros((4, 3))
    scratch = (x, hint, (out, normal, far), np.zeros((6, 3)), np.zeros((3, 3)), np.zeros(2))
    di, dj = 1 - 2 * (quarter % 2), 1 - 2 * (quarter // 2)
    rows = p - 1 - at[0] if di > 0 else at[0]
    columns = q - 1 - at[1] if dj > 0 else at[1]
    for r in range(1, rows + 1):
        i = at[0] + di * r
        for s in range(1, columns + 1):
            j = at[1] + dj * s
            if hints[i - di, j] < 0 or hints[i, j - dj] < 0 or hints[i - di, j - dj] < 0:
                continue
            for k in range(3):
                ends[0, k], ends[1, k] = places[i - di, j, k], normals[i - di, j, k]
                ends[2, k], ends[3, k] = places[i, j - dj, k], normals[i, j - dj, k]
            for tried in range(3):
                hint[0] = (
                    hints[i - di, j]
                    if tried == 0
                    else (hints[i, j - dj] if tried == 1 else hints[i - di, j - dj])
                )
                _guess(laid, (i, j), (di, dj), tried == 0 and r > 1, x)
                if _joint(surface, scratch, ends, cell, flat * di * dj) and far[0] <= over:
                    for k in range(3):
                        places[i, j, k], normals[i, j, k] = out[0, k], normal[0, k]
                    beyond[i, j], hints[i, j] = far[0], hint[0]
                    break


@compiled(error_model="numpy")
def _guess(laid: Any, at: Any, way: Any, further: bool, x: Any) -> None:
    """Where a joint may be: at the corner of a parallelogram, or as far off one as that before."""
    places, hints = laid[0], laid[3]
    i, j = at
    p, q = i - way[0], j - way[1]
    for k in range(3):
        x[0, k] = places[p, j, k] + places[i, q, k] - places[p, q, k]
    o = p - way[0]
    if further and hints[o, j] >= 0 and hints[o, q] >= 0:
        for k in range(3):
            x[0, k] += places[p, j, k] - places[o, j, k] + places[o, q, k] - places[p, q, k]


@compiled(nogil=True, error_model="numpy")
def yarns(surface: Any, laid: Any, begins: Any, steps: Any, ways: Any, limits: Any) -> None:
    """Lay yarns from joints that are laid, as geodesics.

    Parameters
    ----------
    surface, laid
        As `weave` takes them.
    begins, steps : ndarray of int, shape (k, 2)
        Joint that each begins at, and what its number changes by from joint to joint.
    ways : ndarray, shape (k, 3)
        Directions that they leave in.
    limits : tuple
        Sides of a cell, and how far beyond the rim joints are laid [m].
    """
    places, normals, beyond, hints = laid
    cell, over = limits
    p, q = beyond.shape
    scratch = (np.zeros((1, 3)), np.zeros(1, np.int64), np.zeros((1, 3)), np.zeros((1, 3)))
    far = np.zeros(1)
    for yarn in range(len(begins)):
        di, dj = steps[yarn]
        side = cell[0] if di != 0 else cell[1]
        i, j = begins[yarn]
        if hints[i, j] < 0:
            continue
        first = True
        way = ways[yarn].copy()
        while 0 <= i + di < p and 0 <= j + dj < q:
            scratch[1][0] = hints[i, j]
            across = np.cross(normals[i, j], way)
            here = (places[i, j], normals[i, j], way)
            if not _ahead(surface, scratch, far, here, across, side):
                break
            if first:
                # From a tangent its first chord turns with a third of the normal's turn.
                first = False
                scratch[1][0] = hints[i, j]
                across = np.cross(2 * normals[i, j] + scratch[3][0], way)
                if not _ahead(surface, scratch, far, here, across, side):
                    break
            if far[0] > over:
                break
            way = scratch[2][0] - places[i, j]
            i, j = i + di, j + dj
            places[i, j], normals[i, j] = scratch[2][0], scratch[3][0]
            beyond[i, j], hints[i, j] = far[0], scratch[1][0]
            way -= (way * normals[i, j]).sum() * normals[i, j]
            way /= math.sqrt((way * way).sum())


@compiled(nogil=True, error_model="numpy")
def _ahead(surface: Any, scratch: Any, far: Any, here: Any, across: Any, side: float) -> bool:
    """Next joint of a yarn: a cell ahead, in a plane by its normal `across`."""
    x, hint, out, n = scratch
    start, normal, way = here
    across = across / math.sqrt((across * across).sum())
    x[0] = start + side * way
    for _ in range(STEPS):
        feet(x, hint, surface, (out, n, far))
        if far[0] < 0:
            return False
        p = x[0] - start
        e0 = (p * p).sum() - _chord(p, n[0], normal, side) ** 2
        e1, e2 = (p * across).sum(), ((x[0] - out[0]) * n[0]).sum()
        bc, ca, ab = np.cross(across, n[0]), np.cross(n[0], 2 * p), np.cross(2 * p, across)
        det = 2 * (p * bc).sum()
        if abs(det) < 1e-300:
            return False
        step = (e0 * bc + e1 * ca + e2 * ab) / det
        long = math.sqrt((step * step).sum())
        if not math.isfinite(long):
            return False
        x[0] -= step * min(1.0, 0.5 * side / max(long, 1e-300))
        if long <= CLOSE * side:
            break
    feet(x, hint, surface, (out, n, far))
    gap, p = x[0] - out[0], x[0] - start
    left = math.sqrt((gap * gap).sum())
    left += abs(math.sqrt((p * p).sum()) - _chord(p, n[0], normal, side))
    return bool(far[0] >= 0 and left <= NEAR * side)


@compiled(error_model="numpy")
def _chord(way: Any, normal: Any, before: Any, length: float) -> Any:
    """Chord of a yarn of a length that bends as the normals at its ends do."""
    size, along = 0.0, 0.0
    for i in range(3):
        size += way[i] * way[i]
        along += way[i] * (normal[i] - before[i])
    return _bent(size, along, length)


@compiled(error_model="numpy")
def _bent(size: float, along: float, length: float) -> float:
    """The same by the square of the way, and its product with how far the normal turns."""
    sine = along / max(math.sqrt(size), 1e-300) / 2
    square = sine * sine
    if square < SMALL:
        # Its series: an arc sine takes longer than the rest.
        return float(length * (1 - square * (1 / 6 + square * (17 / 360 + square * 367 / 15120))))
    sine = min(max(sine, -0.9), 0.9)
    return float(length * sine / math.asin(sine))


@compiled(error_model="numpy")
def _cross(a: Any, p: int, b: Any, q: int, into: int, rows: Any) -> None:
    """Cross product of a row of `a` and one of `b`, into one of `rows`."""
    rows[into, 0] = a[p, 1] * b[q, 2] - a[p, 2] * b[q, 1]
    rows[into, 1] = a[p, 2] * b[q, 0] - a[p, 0] * b[q, 2]
    rows[into, 2] = a[p, 0] * b[q, 1] - a[p, 1] * b[q, 0]


@compiled(error_model="numpy")
def _joint(surface: Any, scratch: Any, ends: Any, cell: Any, flat: float) -> bool:
    """Find the place on the surface a cell from two others, from a guess in `scratch`.

    `flat` is the least sine of the yarns' angle, negative where one of them runs back.
    """
    x, hint, found, rows, at, shares = scratch
    out, normal, far = found
    size = max(cell[0], cell[1])
    long = math.inf
    shares[:] = MIDDLE
    for _ in range(STEPS):
        # The next foot is searched from the last.
        foot(x, hint, 0, surface, found, at, shares)
        if far[0] < 0:
            return False
        long = _step(x, out, normal, ends, cell, rows)
        if not math.isfinite(long):
            return False
        # A step of more than half a cell would leave for the other meeting point.
        cut = min(1.0, 0.5 * size / max(long, 1e-300))
        for i in range(3):
            x[0, i] -= cut * rows[5, i]
        if long <= CLOSE * size:
            break
    # In a crease the normal jumps, and the chord with it: steps end at that small difference.
    if long > NEAR * size:
        return False
    # So short a step leaves the surface by its square alone: that is the joint.
    _cross(rows, 0, rows, 1, 4, rows)
    across = 0.0
    for i in range(3):
        out[0, i] = x[0, i]
        across += rows[4, i] * normal[0, i]
    # Yarns that lie along each other meet nowhere for certain; past it the net is folded over.
    return bool(across / flat >= cell[0] * cell[1])


@compiled(error_model="numpy")
def _step(x: Any, foot: Any, n: Any, ends: Any, cell: Any, rows: Any) -> float:
    """Newton's step for a joint, into the last of the rows; its length, infinite where none."""
    e0, e1, e2, turn0, turn1 = 0.0, 0.0, 0.0, 0.0, 0.0
    for i in range(3):
        p, q = x[0, i] - ends[0, i], x[0, i] - ends[2, i]
        rows[0, i], rows[1, i] = p, q
        e0 += p * p
        e1 += q * q
        e2 += (x[0, i] - foot[0, i]) * n[0, i]
        turn0 += p * (n[0, i] - ends[1, i])
        turn1 += q * (n[0, i] - ends[3, i])
    e0 = (e0 - _bent(e0, turn0, cell[0]) ** 2) / 2
    e1 = (e1 - _bent(e1, turn1, cell[1]) ** 2) / 2
    _cross(rows, 1, n, 0, 2, rows)
    _cross(n, 0, rows, 0, 3, rows)
    _cross(rows, 0, rows, 1, 4, rows)
    det = rows[0, 0] * rows[2, 0] + rows[0, 1] * rows[2, 1] + rows[0, 2] * rows[2, 2]
    if abs(det) < 1e-300:
        return math.inf
    long = 0.0
    for i in range(3):
        rows[5, i] = (e0 * rows[2, i] + e1 * rows[3, i] + e2 * rows[4, i]) / det
        long += rows[5, i] * rows[5, i]
    return math.sqrt(long)
