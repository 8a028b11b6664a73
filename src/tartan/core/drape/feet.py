"""Feet of points on triangles that curve: compiled, walking from triangle to triangle."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from tartan.core.compiled import compiled

WALK = 400
"""Triangles that a search walks over at most."""

ROUNDS = 8
"""Steps of Newton's method on a triangle."""

MIDDLE = 1 / 3
"""Both shares of the middle of a triangle."""

_STILL = 1e-9
"""Share by which the last step on a triangle moves: the next would be less than rounding."""

_OUT, _ON, _CREASE = 1e-12, 1e-7, 0.2
"""Shares by which a place is outside of a triangle, by which it counts as on it still, and by
which it may lie outside where another triangle holds it no better."""


@compiled(error_model="numpy")
def feet(points: Any, hint: Any, surface: Any, found: Any) -> None:
    """Find feet of points, shape (q, 3), from triangles, shape (q,), which are moved on.

    Parameters
    ----------
    points, hint : ndarray
        Places [m], and where each search begins.
    surface : tuple of ndarray
        Nodes (n, 3) [m], corners (t, 3), neighbours (t, 3), bows (t, 3, 3) [m] and, of sides at
        a rim, the triangles and sides before and after along the rim (t, 3, 4), and normals at
        corners (t, 3, 3).
    found : tuple of ndarray
        Filled with feet (q, 3) [m], normals (q, 3) and how far beyond the rim (q,) [m]; −1
        where the search was lost.
    """
    at, shares = np.zeros((3, 3)), np.zeros(2)
    for q in range(len(points)):
        shares[:] = MIDDLE
        foot(points, hint, q, surface, found, at, shares)


@compiled(error_model="numpy")
def foot(points: Any, hint: Any, q: int, surface: Any, found: Any, at: Any, shares: Any) -> None:
    """Find the foot of one of the points, as `feet` does.

    `at` is of shape (3, 3), filled on the way; `shares`, shape (2,), is where on its triangle the
    search begins, `MIDDLE` where nothing nearer is known, and where it ends.
    """
    place, normal, beyond = found
    x = points[q]
    u, v = _walked(x, hint, q, surface, at, shares)
    least = min(u, v, 1 - u - v)
    side = _rim_of(surface[2][hint[q]], u, v) if least < -_ON else -1
    beyond[q] = 0.0
    if side >= 0:
        _on_rim(x, hint, q, side, surface, at)
    elif least < -_ON:
        # Between two triangles that do not quite meet it is near enough to this one.
        if least < -_CREASE:
            beyond[q] = -1.0
        a, b, c = max(u, 0.0), max(v, 0.0), max(1 - u - v, 0.0)
        whole = a + b + c
        _patch(surface, hint[q], a / whole, b / whole, at)
    _normal(at, side >= 0, normal[q])
    if least < -_ON:
        far = _gone_on(x, normal[q], at[0])
        if side >= 0:
            beyond[q] = far
    for i in range(3):
        place[q, i] = at[0, i]
    shares[0], shares[1] = (u, v) if least >= -_ON else (MIDDLE, MIDDLE)


@compiled(error_model="numpy")
def _normal(at: Any, rim: bool, into: Any) -> None:
    """Unit normal of the place in `at`: across its derivatives, or at a rim what it holds."""
    n0 = at[1, 1] * at[2, 2] - at[1, 2] * at[2, 1]
    n1 = at[1, 2] * at[2, 0] - at[1, 0] * at[2, 2]
    n2 = at[1, 0] * at[2, 1] - at[1, 1] * at[2, 0]
    if rim:
        # From side to side of a rim the way on changes without a jump.
        n0, n1, n2 = at[1, 0], at[1, 1], at[1, 2]
    size = math.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
    into[0], into[1], into[2] = n0 / size, n1 / size, n2 / size


@compiled(error_model="numpy")
def _gone_on(x: Any, normal: Any, place: Any) -> float:
    """Put the foot on the flat that goes on from a place in its stead; how far away that is."""
    high, far = 0.0, 0.0
    for i in range(3):
        high += (x[i] - place[i]) * normal[i]
    for i in range(3):
        away = x[i] - high * normal[i] - place[i]
        far += away * away
        place[i] += away
    return math.sqrt(far)


@compiled(error_model="numpy")
def _patch(surface: Any, t: int, u: float, v: float, at: Any) -> None:
    """Place on a triangle and its derivatives by u and v, into the rows of `at`."""
    nodes, corners, bows = surface[0], surface[1], surface[3]
    p, q, r = corners[t, 0], corners[t, 1], corners[t, 2]
    w = 1 - u - v
    # Numbers, not rows: a row taken out is counted, which takes longer than all of this.
    for i in range(3):
        a, b, c = nodes[p, i], nodes[q, i], nodes[r, i]
        d, e, f = bows[t, 0, i], bows[t, 1, i], bows[t, 2, i]
        at[0, i] = w * a + u * b + v * c - (d * w * u + e * u * v + f * v * w)
        at[1, i] = b - a - d * (w - u) - e * v + f * v
        at[2, i] = c - a + d * u - e * u - f * (w - v)


@compiled(error_model="numpy")
def _nearest(x: Any, surface: Any, t: int, at: Any, u: float, v: float) -> Any:
    """Shares of the nearest place on a triangle's quadratic, which may lie outside of it."""
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
        if long < _STILL:
            break
    _patch(surface, t, u, v, at)
    return u, v


@compiled(error_model="numpy")
def _walked(x: Any, hint: Any, q: int, surface: Any, at: Any, shares: Any) -> Any:
    """Shares of the nearest place on the triangle that holds it, or is the last before a rim."""
    came = -1
    u, v = shares[0], shares[1]
    for _ in range(WALK):
        u, v = _nearest(x, surface, hint[q], at, u, v)
        ahead = _ahead(surface[2][hint[q]], u, v, came)
        if ahead < 0:
            break
        came = hint[q]
        hint[q] = ahead
        u, v = MIDDLE, MIDDLE
    return u, v


@compiled(error_model="numpy")
def _rim_of(beside: Any, u: float, v: float) -> int:
    """The rim that a place lies farthest across; −1 where it is on it, or across another side."""
    shares = (v, 1 - u - v, u)
    found, least = -1, -_ON
    for side in range(3):
        if shares[side] < least:
            found, least = side, shares[side]
    return found if found >= 0 and beside[found] < 0 else -1


@compiled(error_model="numpy")
def _on_rim(x: Any, hint: Any, q: int, side: int, surface: Any, at: Any) -> None:
    """Place of the rim at whose foot a place lies, going along the rim, and its normal."""
    nodes, corners, _, _, rims, normals = surface
    t, came, share = hint[q], 0, 0.0
    for _ in range(WALK):
        a, b = nodes[corners[t, side]], nodes[corners[t, (side + 1) % 3]]
        top, whole = 0.0, 0.0
        for i in range(3):
            top += (x[i] - a[i]) * (b[i] - a[i])
            whole += (b[i] - a[i]) ** 2
        share = top / whole
        way = -1 if share < 0 else (1 if share > 1 else 0)
        share = min(max(share, 0.0), 1.0)
        k = 0 if way < 0 else 2
        # Back again: a corner of the rim is nearest.
        if way in (0, -came) or rims[t, side, k] < 0:
            break
        t, side = rims[t, side, k], rims[t, side, k + 1]
        came = way
    hint[q] = t
    if side == 0:
        _patch(surface, t, share, 0.0, at)
    elif side == 1:
        _patch(surface, t, 1 - share, share, at)
    else:
        _patch(surface, t, 0.0, 1 - share, at)
    for i in range(3):
        at[1, i] = (1 - share) * normals[t, side, i] + share * normals[t, (side + 1) % 3, i]


@compiled(error_model="numpy")
def _ahead(beside: Any, u: float, v: float, came: int) -> int:
    """Triangle across the side that is farthest behind; −1 where there is none or none is.

    Back to where the walk came from it does not go: on the crease between two either does.
    """
    a, b, c = v, 1 - u - v, u
    for _ in range(3):
        side = 0 if a <= b and a <= c else (1 if b <= c else 2)
        if min(a, b, c) >= -_OUT:
            return -1
        if beside[side] >= 0 and beside[side] != came:
            return int(beside[side])
        # A rim: another side may still lead on.
        if side == 0:
            a = 1.0
        elif side == 1:
            b = 1.0
        else:
            c = 1.0
    return -1
