"""Feet of points on triangles that curve: compiled, walking from triangle to triangle."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import njit

WALK = 400
"""Triangles that a search walks over at most."""

ROUNDS = 8
"""Steps of Newton's method on a triangle."""

_OUT, _ON = 1e-12, 1e-7
"""Shares by which a place is outside of a triangle, and by which it counts as on it still."""


@njit(cache=True)  # type: ignore[untyped-decorator]
def feet(points: Any, hint: Any, surface: Any, found: Any) -> None:
    """Find feet of points, shape (q, 3), from triangles, shape (q,), which are moved on.

    Parameters
    ----------
    points, hint : ndarray
        Places [m], and where each search begins.
    surface : tuple of ndarray
        Nodes (n, 3) [m], corners (t, 3), neighbours (t, 3) and bows (t, 3, 3) [m].
    found : tuple of ndarray
        Filled with feet (q, 3) [m], normals (q, 3) and how far beyond the rim (q,) [m]; −1
        where the search was lost.
    """
    place, normal, beyond = found
    at = np.zeros((3, 3))
    for q in range(len(points)):
        x = points[q]
        u, v = _walked(x, hint, q, surface, at)
        rim = min(u, v, 1 - u - v) < -_ON
        if rim:
            # Beyond the rim the surface goes on flat, from the nearest place of its last triangle.
            a, b, c = max(u, 0.0), max(v, 0.0), max(1 - u - v, 0.0)
            whole = a + b + c
            _patch(surface, hint[q], a / whole, b / whole, at)
        p = at[0]
        n = np.cross(at[1], at[2])
        n /= math.sqrt((n * n).sum())
        beyond[q] = 0.0
        if rim:
            high = ((x - p) * n).sum()
            away = x - high * n - p
            beyond[q] = math.sqrt((away * away).sum())
            if not _at_rim(surface[2][hint[q]], u, v):
                beyond[q] = -1.0
            p += away
        place[q] = p
        normal[q] = n


@njit(cache=True)  # type: ignore[untyped-decorator]
def _patch(surface: Any, t: int, u: float, v: float, at: Any) -> None:
    """Place on a triangle and its derivatives by u and v, into the rows of `at`."""
    nodes, corners, _, bows = surface
    a, b, c = nodes[corners[t, 0]], nodes[corners[t, 1]], nodes[corners[t, 2]]
    bow = bows[t]
    w = 1 - u - v
    for i in range(3):
        at[0, i] = w * a[i] + u * b[i] + v * c[i]
        at[0, i] -= bow[0, i] * w * u + bow[1, i] * u * v + bow[2, i] * v * w
        at[1, i] = b[i] - a[i] - bow[0, i] * (w - u) - bow[1, i] * v + bow[2, i] * v
        at[2, i] = c[i] - a[i] + bow[0, i] * u - bow[1, i] * u - bow[2, i] * (w - v)


@njit(cache=True)  # type: ignore[untyped-decorator]
def _nearest(x: Any, surface: Any, t: int, at: Any) -> Any:
    """Shares of the nearest place on a triangle's quadratic, which may lie outside of it."""
    u, v = 1 / 3, 1 / 3
    for _ in range(ROUNDS):
        _patch(surface, t, u, v, at)
        e0, e1, g00, g01, g11 = 0.0, 0.0, 0.0, 0.0, 0.0
        for i in range(3):
            gap, pu, pv = x[i] - at[0, i], at[1, i], at[2, i]
            e0 += gap * pu
            e1 += gap * pv
            g00 += pu * pu
            g01 += pu * pv
            g11 += pv * pv
        det = g00 * g11 - g01 * g01
        du, dv = (g11 * e0 - g01 * e1) / det, (g00 * e1 - g01 * e0) / det
        long = max(abs(du), abs(dv))
        # Far out the quadratic runs away: the search goes on from near by.
        cut = min(1.0, 1.0 / max(long, 1e-300))
        u, v = u + cut * du, v + cut * dv
        if long < 1e-13:
            break
    _patch(surface, t, u, v, at)
    return u, v


@njit(cache=True)  # type: ignore[untyped-decorator]
def _walked(x: Any, hint: Any, q: int, surface: Any, at: Any) -> Any:
    """Shares of the nearest place on the triangle that holds it, or is the last before a rim."""
    came = -1
    u, v = 0.0, 0.0
    for _ in range(WALK):
        u, v = _nearest(x, surface, hint[q], at)
        ahead = _ahead(surface[2][hint[q]], u, v, came)
        if ahead < 0:
            break
        came = hint[q]
        hint[q] = ahead
    return u, v


@njit(cache=True)  # type: ignore[untyped-decorator]
def _at_rim(beside: Any, u: float, v: float) -> bool:
    """Whether a place lies across rims alone: across another side its search was lost."""
    shares = (v, 1 - u - v, u)
    inner = False
    for side in range(3):
        inner |= shares[side] < -_ON and beside[side] >= 0
    return not inner


@njit(cache=True)  # type: ignore[untyped-decorator]
def _ahead(beside: Any, u: float, v: float, came: int) -> int:
    """Triangle across the side that is farthest behind; −1 where there is none or none is.

    Back to where the walk came from it does not go: on the crease between two either does.
    """
    shares = np.array([v, 1 - u - v, u])
    for _ in range(3):
        side = int(shares.argmin())
        if shares[side] >= -_OUT:
            return -1
        if beside[side] >= 0 and beside[side] != came:
            return int(beside[side])
        # A rim: another side may still lead on.
        shares[side] = 1.0
    return -1
