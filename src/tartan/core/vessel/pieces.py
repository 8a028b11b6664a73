"""Smooth pieces that the meridian of a dome is a chain of: lines, arcs, and what domes make.

Where the parameter runs evenly along a piece its length is known; elsewhere it is integrated by
Gauss's rule (24 points a stretch), which converges to all digits on what is smooth.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

NODES, WEIGHTS = np.polynomial.legendre.leggauss(24)
NODES, WEIGHTS = (NODES + 1) / 2, WEIGHTS / 2
"""Places from 0 to 1, and their weights."""

PANELS = 8
"""Stretches of a piece, each with 24 Gauss points."""


@dataclass(frozen=True)
class Piece:
    """A smooth piece of a meridian over a parameter from 0 to 1.

    Attributes
    ----------
    slopes : callable
        r and the derivatives of r and z by the parameter, each of its shape [m].
    height : callable
        z at the parameter, of its shape [m].
    start, end : float
        Radii of its ends [m].
    of_radius : callable
        Parameter where it has a radius.
    length : float or None
        Its length where the parameter runs evenly along it [m].
    """

    slopes: Callable[[Array], tuple[Array, Array, Array]]
    height: Callable[[Array], Array]
    start: float
    end: float
    of_radius: Callable[[Array], Array]
    length: float | None = None

    def at(self, tau: Array) -> tuple[Array, Array, Array, Array]:
        """r, z and their derivatives by the parameter, each of its shape [m]."""
        r, dr, dz = self.slopes(tau)
        return r, self.height(tau), dr, dz


def length_to(piece: Piece, tau: Array) -> Array:
    """Length of a piece up to parameters, shape (q,)."""
    if piece.length is not None:
        return np.asarray(tau * piece.length)
    edges = np.linspace(0.0, 1.0, PANELS + 1)
    inside = (edges[:-1, None] + np.diff(edges)[:, None] * NODES).ravel()
    weight = (np.diff(edges)[:, None] * WEIGHTS).ravel()
    at = tau[:, None] * inside
    _, dr, dz = piece.slopes(at.ravel())
    found: Array = tau * (np.hypot(dr, dz).reshape(at.shape) @ weight)
    return found


def line(start: tuple[float, float], end: tuple[float, float]) -> Piece:
    """Straight piece between two points (r, z) [m]."""
    (r0, z0), (r1, z1) = start, end

    def slopes(tau: Array) -> tuple[Array, Array, Array]:
        return r0 + (r1 - r0) * tau, np.full_like(tau, r1 - r0), np.full_like(tau, z1 - z0)

    return Piece(
        slopes,
        lambda tau: z0 + (z1 - z0) * tau,
        r0,
        r1,
        lambda r: (r - r0) / (r1 - r0),
        math.hypot(r1 - r0, z1 - z0),
    )


def arc(centre: tuple[float, float], radius: float, turn: tuple[float, float]) -> Piece:
    """Arc of a circle; `turn` is the normal's angle from the equator's plane at its ends."""
    (rc, zc), (a, b) = centre, turn

    def slopes(tau: Array) -> tuple[Array, Array, Array]:
        phi = a + (b - a) * tau
        c, s = np.cos(phi), np.sin(phi)
        step = (b - a) * radius
        return rc + radius * c, -step * s, step * c

    def height(tau: Array) -> Array:
        return np.asarray(zc + radius * np.sin(a + (b - a) * tau))

    def of_radius(r: Array) -> Array:
        found: Array = (np.arccos(np.clip((r - rc) / radius, -1, 1)) - a) / (b - a)
        return found

    ends = (rc + radius * math.cos(a), rc + radius * math.cos(b))
    return Piece(slopes, height, *ends, of_radius, abs(b - a) * radius)
