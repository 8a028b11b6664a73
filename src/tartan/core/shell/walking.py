"""From element to element to the one that holds a place: compiled."""

from __future__ import annotations

import math
from typing import Any

from tartan.core.compiled import compiled

FARTHEST = 400
"""Elements that are walked over at most."""

OUT = 1e-9
"""Share of a side by which a place is outside of it."""


@compiled(nogil=True, error_model="numpy")
def walk(places: Any, element: Any, mesh: Any, links: Any, off: Any) -> None:
    """Move on from elements to those that hold places, or are nearest to them on the way.

    Parameters
    ----------
    places : ndarray, shape (q, 3)
        Where [m].
    element : ndarray of int, shape (q,)
        Where each walk begins; filled with where it ends.
    mesh : tuple of ndarray
        Nodes (n, 3) [m] and normals (m, 3) of the elements.
    links : tuple of ndarray
        First and last nodes of all sides, the element of each, the linked side or −1, and where
        the sides of each element begin, shape (m + 1,).
    off : ndarray, shape (q,)
        Filled with how far off the element each place lies [m].
    """
    first, last, owner, twin, begins = links
    nodes, normals = mesh
    for q in range(len(places)):
        x, e = places[q], element[q]
        best, far = e, math.inf
        for _ in range(FARTHEST):
            out, side = 0.0, -1
            for s in range(begins[e], begins[e + 1]):
                outside = _outside(x, nodes[first[s]], nodes[last[s]], normals[e])
                if outside > out:
                    out, side = outside, s
            gap, count = 0.0, begins[e + 1] - begins[e]
            for s in range(begins[e], begins[e + 1]):
                for i in range(3):
                    gap += (x[i] - nodes[first[s], i]) * normals[e, i] / count
            here = math.sqrt(out * out + gap * gap)
            if here < far * (1 - 1e-12):
                best, far = e, here
            if side < 0 or twin[side] < 0:
                break
            e = owner[twin[side]]
        # The sides of a warped element are not in its plane; what is on them is on it.
        for s in range(begins[best], begins[best + 1]):
            far = min(far, _from_side(x, nodes[first[s]], nodes[last[s]]))
        element[q], off[q] = best, far


@compiled(nogil=True, error_model="numpy")
def _from_side(x: Any, a: Any, b: Any) -> float:
    """Distance of a place from a side [m]."""
    long, dot, gap = 0.0, 0.0, 0.0
    for i in range(3):
        long += (b[i] - a[i]) ** 2
        dot += (b[i] - a[i]) * (x[i] - a[i])
    t = min(max(dot / long, 0.0), 1.0) if long > 0 else 0.0
    for i in range(3):
        gap += (x[i] - a[i] - t * (b[i] - a[i])) ** 2
    return math.sqrt(gap)


@compiled(nogil=True, error_model="numpy")
def _outside(x: Any, a: Any, b: Any, n: Any) -> float:
    """How far a place lies to the right of a side, in the plane of a normal [m]; 0 on it."""
    d0, d1, d2 = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    e0, e1, e2 = x[0] - a[0], x[1] - a[1], x[2] - a[2]
    size = math.sqrt(d0 * d0 + d1 * d1 + d2 * d2)
    left = n[0] * (d1 * e2 - d2 * e1) + n[1] * (d2 * e0 - d0 * e2) + n[2] * (d0 * e1 - d1 * e0)
    right = -left / size if size > 0 else 0.0
    return right if right > OUT * size else 0.0
