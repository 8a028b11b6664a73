"""The point of a triangle that is nearest to a point of space."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


def nearest_shares(p: Array, x: Array) -> Array:
    """Area coordinates of the points of triangles (..., 3, 3) nearest to p, shape (..., 3)."""
    a, b, c = x[..., 0, :], x[..., 1, :], x[..., 2, :]
    best = _barycentric(p, a, b, c)
    inside = (best >= 0).all(axis=-1)
    distance = np.where(inside, np.linalg.norm(_point(best, x) - p, axis=-1), np.inf)
    for i, j in ((0, 1), (1, 2), (2, 0)):
        start, side = x[..., i, :], x[..., j, :] - x[..., i, :]
        share = ((p - start) * side).sum(axis=-1) / (side**2).sum(axis=-1)
        share = np.clip(share, 0.0, 1.0)
        weight = np.zeros(best.shape)
        weight[..., i], weight[..., j] = 1 - share, share
        gap = np.linalg.norm(_point(weight, x) - p, axis=-1)
        nearer = gap < distance
        best = np.where(nearer[..., None], weight, best)
        distance = np.where(nearer, gap, distance)
    return best


def _point(weight: Array, x: Array) -> Array:
    return np.asarray((weight[..., None] * x).sum(axis=-2))


def _barycentric(p: Array, a: Array, b: Array, c: Array) -> Array:
    u, v, w = b - a, c - a, p - a
    uu, uv, vv = (u * u).sum(-1), (u * v).sum(-1), (v * v).sum(-1)
    wu, wv = (w * u).sum(-1), (w * v).sum(-1)
    d = uu * vv - uv * uv
    s, t = (vv * wu - uv * wv) / d, (uu * wv - uv * wu) / d
    return np.stack([1 - s - t, s, t], axis=-1)
