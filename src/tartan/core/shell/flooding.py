"""Which elements lie within outlines: compiled loops."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from tartan.core.compiled import compiled

AGREE = 0.5
"""Cosine between an element's normal and a side's from which they are of one sheet."""

OVER, TINY = 0.15, 1e-10
"""Shares of the squares of a distance, and of a side, by which that may stand over the surface."""

REACH = 1.6
"""Diagonals of an element within which a side has to pass for it to be judged by that."""

CROWD = 40
"""Elements at the corners of one from which it is at a pole."""

PARTS = 8
"""Points each way of an element across an outline, at which its share is counted."""


@compiled(nogil=True, error_model="numpy")
def heights(points: Any, normals: Any, sides: Any, found: Any) -> None:
    """Distance of points to the left of the nearest side, in its plane, negative to the right.

    Parameters
    ----------
    points, normals : ndarray, shape (q, 3)
        Places [m], and normals of the surface there.
    sides : tuple of ndarray
        Begins and ends (s, 3) [m], normals (s, 3), the sides before and after (s,), and whether
        they count (s,).
    found : ndarray, shape (q,)
        Filled [m]; NaN where no side is of the same sheet.
    """
    every = np.arange(len(sides[0]))
    for q in range(len(points)):
        found[q] = height(points[q], normals[q], sides, every)


@compiled(nogil=True, error_model="numpy")
def _nearest(x: Any, n: Any, sides: Any, chosen: Any) -> Any:
    """Nearest of some sides of the sheet of a normal, −1 for none; where on it, and how far."""
    begin, end, up, on = sides[0], sides[1], sides[2], sides[5]
    best, at, share = math.inf, -1, 0.0
    for s in chosen:
        agree = n[0] * up[s, 0] + n[1] * up[s, 1] + n[2] * up[s, 2]
        if not on[s] or abs(agree) < AGREE:
            continue
        long, dot, size = 0.0, 0.0, 0.0
        for i in range(3):
            d, e = end[s, i] - begin[s, i], x[i] - begin[s, i]
            long += d * d
            dot += d * e
            size += e * e
        t = min(max(dot / long, 0.0), 1.0) if long > 0 else 0.0
        gap = size - 2 * t * dot + t * t * long
        if gap >= best:
            continue
        # What lies over or under a side is of another sheet, as the far wall of a hat.
        over = 0.0
        for i in range(3):
            over += n[i] * (x[i] - begin[s, i] - t * (end[s, i] - begin[s, i]))
        if over * over <= OVER * gap + TINY * long:
            best, at, share = gap, s, t
    return at, share, math.sqrt(max(best, 0.0))


@compiled(nogil=True, error_model="numpy")
def height(x: Any, n: Any, sides: Any, chosen: Any) -> float:
    """Distance of a point to the left of the nearest of some sides; NaN for none of its sheet."""
    begin, end, up, before, after = sides[0], sides[1], sides[2], sides[3], sides[4]
    at, share, far = _nearest(x, n, sides, chosen)
    if at < 0:
        return math.nan
    sign = _left(x, begin[at], end[at], up[at])
    if share <= 0.0 or share >= 1.0:
        one, other = (before[at], at) if share <= 0.0 else (at, after[at])
        there = one if share <= 0.0 else other
        agree = n[0] * up[there, 0] + n[1] * up[there, 1] + n[2] * up[there, 2]
        # Round a crease a side goes on straight, as if unfolded.
        if abs(agree) >= AGREE:
            # At a corner both sides count: left of both where it turns left, else of either.
            theirs = _left(x, begin[there], end[there], up[there])
            turn = _left(end[other], begin[one], end[one], up[one])
            sign = min(sign, theirs) if turn > 0 else max(sign, theirs)
    return float(math.copysign(far, sign))


@compiled(nogil=True, error_model="numpy")
def _left(x: Any, a: Any, b: Any, n: Any) -> float:
    """Distance of a point to the left of a line in the plane of a normal."""
    d0, d1, d2 = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    e0, e1, e2 = x[0] - a[0], x[1] - a[1], x[2] - a[2]
    size = math.sqrt(d0 * d0 + d1 * d1 + d2 * d2)
    if size == 0.0:
        return 0.0
    out = n[0] * (d1 * e2 - d2 * e1) + n[1] * (d2 * e0 - d0 * e2) + n[2] * (d0 * e1 - d1 * e0)
    return float(out / size)


@compiled(nogil=True, error_model="numpy")
def judge(at: Any, of: Any, mesh: Any, sides: Any, known: Any) -> Any:
    """Judge the elements about places on outlines by the share of their area that lies within.

    Parameters
    ----------
    at, of : ndarray of int, shape (q,)
        Elements of the places, and the sides they are on.
    mesh : tuple of ndarray
        Corners (m, 4), a triangle's last one repeated; nodes (n, 3) and normals (m, 3) [m]; and
        elements that share a node with each, in compressed rows.
    sides : tuple of ndarray
        As `heights` takes them.
    known : ndarray of int, shape (m,)
        −1; filled with 1 within and 0 outside.

    Returns
    -------
    ndarray of int
        Elements that no side of their sheet is near to.
    """
    met, head, after, side = _noted(at, of, mesh[3], mesh[4])
    lost, gone = np.empty(len(met), np.int64), 0
    chosen = np.empty(len(sides[0]), np.int64)
    for e in met:
        many, k = 0, head[e]
        while k >= 0 and many < len(chosen):
            # Of places on one side, which are noted one after the other, it counts once.
            if many == 0 or chosen[many - 1] != side[k]:
                chosen[many] = side[k]
                many += 1
            k = after[k]
        share = _share(mesh, e, sides, chosen[:many])
        if math.isnan(share):
            lost[gone] = e
            gone += 1
        else:
            known[e] = 1 if share > 0.5 else 0
    return lost[:gone]


@compiled(nogil=True, error_model="numpy")
def _noted(at: Any, of: Any, starts: Any, beside: Any) -> Any:
    """Note sides with all elements two away from them, and which lie one away.

    Returns those one away, and of every element the last note, and of every note the one before
    it and its side.
    """
    m = len(starts) - 1
    head, stamp, band = np.full(m, -1, np.int32), np.full(m, -1, np.int32), np.zeros(m, np.bool_)
    after, side = np.empty(64 * len(at) + 64, np.int32), np.empty(64 * len(at) + 64, np.int32)
    met, count, used = np.empty(m, np.int64), 0, 0
    for p in range(len(at)):
        for k in range(starts[at[p]], starts[at[p] + 1]):
            e = beside[k]
            if not band[e]:
                band[e] = True
                met[count] = e
                count += 1
            # About the pole of a dome all are one away already.
            last = starts[e + 1] if starts[e + 1] - starts[e] <= CROWD else starts[e]
            for j in range(starts[e] - 1, last):
                f = e if j < starts[e] else beside[j]
                if stamp[f] == p:
                    continue
                stamp[f] = p
                if used == len(side):
                    after, side = _longer(after), _longer(side)
                after[used], side[used] = head[f], of[p]
                head[f] = used
                used += 1
    return met[:count], head, after, side


@compiled(nogil=True, error_model="numpy")
def _longer(x: Any) -> Any:
    more = np.empty(2 * len(x), x.dtype)
    more[: len(x)] = x
    return more


@compiled(nogil=True, error_model="numpy")
def _share(mesh: Any, e: int, sides: Any, chosen: Any) -> float:
    """Share of an element's area that lies within; NaN where no side of its sheet is near."""
    c, nodes, n = mesh[0][e], mesh[1], mesh[2][e]
    at = (nodes[c[0]] + nodes[c[1]] + nodes[c[2]] + nodes[c[3]]) / 4
    if c[3] == c[2]:
        at[:] = (nodes[c[0]] + nodes[c[1]] + nodes[c[2]]) / 3
    middle = height(at, n, sides, chosen)
    size = 0.0
    for i in range(3):
        size += (nodes[c[2], i] - nodes[c[0], i]) ** 2
    if not abs(middle) <= REACH * math.sqrt(size):
        return math.nan
    half = 0.0
    for k in range(4):
        far = 0.0
        for i in range(3):
            far += (nodes[c[k], i] - at[i]) ** 2
        half = max(half, far)
    if middle * middle > half:
        # No outline comes as near as its corners.
        return 1.0 if middle > 0 else 0.0
    small = 1e-6 * math.sqrt(size)
    low, high = math.inf, -math.inf
    for k in range(4):
        h = height(nodes[c[k]], n, sides, chosen)
        low, high = min(low, h), max(high, h)
    if low >= -small and middle > 0:
        return 1.0
    if high <= small and middle <= 0:
        return 0.0
    return float(_counted(c, nodes, n, sides, chosen))


@compiled(nogil=True, error_model="numpy")
def _counted(c: Any, nodes: Any, n: Any, sides: Any, chosen: Any) -> float:
    """Share of an element's points that lie within, each counting by its area."""
    whole, within = 0.0, 0.0
    at, du, dv = np.zeros(3), np.zeros(3), np.zeros(3)
    for i in range(PARTS):
        for j in range(PARTS):
            u, v = (i + 0.5) / PARTS, (j + 0.5) / PARTS
            for k in range(3):
                p0, p1, p2, p3 = nodes[c[0], k], nodes[c[1], k], nodes[c[2], k], nodes[c[3], k]
                at[k] = (1 - v) * ((1 - u) * p0 + u * p1) + v * ((1 - u) * p3 + u * p2)
                du[k] = (1 - v) * (p1 - p0) + v * (p2 - p3)
                dv[k] = (1 - u) * (p3 - p0) + u * (p2 - p1)
            area = math.sqrt(
                (du[1] * dv[2] - du[2] * dv[1]) ** 2
                + (du[2] * dv[0] - du[0] * dv[2]) ** 2
                + (du[0] * dv[1] - du[1] * dv[0]) ** 2
            )
            whole += area
            if height(at, n, sides, chosen) > 0:
                within += area
    return within / whole if whole > 0 else 0.0


@compiled(nogil=True, error_model="numpy")
def flood(known: Any, starts: Any, beside: Any, whole: bool) -> None:
    """Carry 1 and 0 on to linked elements that are −1, each from the nearest that is known.

    Unless all of it is asked for it ends where 1 cannot be carried on: what is −1 then is
    outside, or linked to nothing that is known.

    Parameters
    ----------
    known : ndarray of int, shape (m,)
        1 within, 0 outside, −1 not known yet; filled.
    starts, beside : ndarray of int
        Linked elements in compressed rows.
    whole : bool
        Whether 0 is carried on to the end too.
    """
    m = len(known)
    queue = np.empty(m, np.int64)
    count, left = 0, 0
    for e in range(m):
        if known[e] >= 0:
            queue[count] = e
            count += 1
            left += known[e]
    at = 0
    while at < count and (whole or left > 0):
        e = queue[at]
        at += 1
        left -= known[e]
        for k in range(starts[e], starts[e + 1]):
            f = beside[k]
            if known[f] < 0:
                known[f] = known[e]
                left += known[e]
                queue[count] = f
                count += 1


@compiled(nogil=True, error_model="numpy")
def rings(corners: Any, starts: Any, owners: Any) -> Any:
    """Elements that share a node with each, itself too, in compressed rows.

    Parameters
    ----------
    corners : ndarray of int, shape (m, 4)
        Of the elements.
    starts, owners : ndarray of int
        Elements at each node in compressed rows.
    """
    m = len(corners)
    begin, stamp = np.zeros(m + 1, np.int64), np.full(m, -1, np.int64)
    found, used = np.empty(10 * m + 64, np.int64), 0
    for e in range(m):
        for c in range(4):
            for k in range(starts[corners[e, c]], starts[corners[e, c] + 1]):
                f = owners[k]
                if stamp[f] == e:
                    continue
                stamp[f] = e
                if used == len(found):
                    found = _longer(found)
                found[used] = f
                used += 1
        begin[e + 1] = used
    return begin, found[:used]
