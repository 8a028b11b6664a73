"""Where closed lines on a surface cross themselves or one another."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.compiled import compiled
from tartan.core.shell.outlines import Outline

Array = NDArray[np.float64]

SHEET = 0.5
"""Share of their lengths by which sides may pass over one another without crossing."""


def crossing(outlines: Sequence[Outline]) -> Array | None:
    """A place where outlines cross themselves or one another, shape (3,) [m]; None for none."""
    begin = np.concatenate([x.points for x in outlines])
    end = np.concatenate([np.roll(x.points, -1, axis=0) for x in outlines])
    up = np.concatenate([x.normals for x in outlines])
    # Swept along the longest way of the box: most pairs are never looked at.
    axis = int(np.ptp(begin, axis=0).argmax())
    low = np.minimum(begin[:, axis], end[:, axis])
    order = np.argsort(low, kind="stable")
    high = np.maximum(begin[:, axis], end[:, axis])
    arrays = (np.ascontiguousarray(x[order]) for x in (begin, end, up, low, high))
    hit = _first(*arrays)
    return None if hit < 0 else (begin[order[hit]] + end[order[hit]]) / 2


@compiled(nogil=True)
def _first(begin: Any, end: Any, up: Any, low: Any, high: Any) -> int:
    """First side that another crosses, of sides in the order of where they begin; −1 for none."""
    for i in range(len(begin)):
        for j in range(i + 1, len(begin)):
            if low[j] > high[i]:
                break
            if _cross(begin[i], end[i], begin[j], end[j], up[i]):
                return i
    return -1


@compiled(nogil=True)
def _cross(a: Any, b: Any, c: Any, d: Any, n: Any) -> bool:
    """Whether two sides cross within both, seen along a normal."""
    over, one, other = 0.0, 0.0, 0.0
    for k in range(3):
        over += (a[k] + b[k] - c[k] - d[k]) / 2 * n[k]
        one += (b[k] - a[k]) ** 2
        other += (d[k] - c[k]) ** 2
    if abs(over) > SHEET * (math.sqrt(one) + math.sqrt(other)) / 2:
        return False
    small = 1e-9 * math.sqrt(one * other)
    p, q = _side(a, b, c, n), _side(a, b, d, n)
    if not ((p > small and q < -small) or (p < -small and q > small)):
        return False
    p, q = _side(c, d, a, n), _side(c, d, b, n)
    return bool((p > small and q < -small) or (p < -small and q > small))


@compiled(nogil=True)
def _side(a: Any, b: Any, x: Any, n: Any) -> float:
    """Twice the area of a triangle, negative where its corner lies to the right."""
    d0, d1, d2 = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    e0, e1, e2 = x[0] - a[0], x[1] - a[1], x[2] - a[2]
    out = n[0] * (d1 * e2 - d2 * e1) + n[1] * (d2 * e0 - d0 * e2) + n[2] * (d0 * e1 - d1 * e0)
    return float(out)
