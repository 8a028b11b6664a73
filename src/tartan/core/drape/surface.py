"""What a net needs of a surface, and surfaces that are given by an equation.

A net asks for the foot of points near a surface, its normal there, and whether that still lies on
the piece that there is; beyond its rim a surface goes on as it ran.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError

Array = NDArray[np.float64]
Index = NDArray[np.int64]

ITERATIONS = 30


@dataclass(frozen=True, eq=False)
class Foot:
    """Feet of q points on a surface.

    Attributes
    ----------
    place : ndarray, shape (q, 3)
        On the surface [m].
    normal : ndarray, shape (q, 3)
        Outward unit normal there.
    beyond : ndarray, shape (q,)
        How far beyond the rim a place lies, 0 on the surface; infinite where it is lost [m].
    hint : ndarray of int, shape (q,)
        Where the search may begin next time.
    """

    place: Array
    normal: Array
    beyond: Array
    hint: Index


class DrapeSurface(Protocol):
    """A surface that nets are laid on."""

    def foot(self, points: Array, hint: Index) -> Foot:
        """Feet of points, shape (q, 3) [m], searched from hints, shape (q,); −1 for none."""


@dataclass(frozen=True, eq=False)
class Level:
    """Surface F = 0, without a rim.

    Attributes
    ----------
    value : callable
        F and its gradient at points, shape (q, 3): arrays (q,) and (q, 3); the gradient points
        outwards.
    """

    value: Callable[[Array], tuple[Array, Array]]

    def foot(self, points: Array, hint: Index) -> Foot:
        """As `DrapeSurface.foot`; Newton's method along the gradient, shape (q, 3) [m].

        Raises
        ------
        PartError
            Where a point has no foot.
        """
        x = np.array(points, float)
        for _ in range(ITERATIONS):
            f, grad = self.value(x)
            with np.errstate(divide="ignore", invalid="ignore"):
                step = grad * (f / np.einsum("qi,qi->q", grad, grad))[:, None]
            x -= step
            if not np.abs(step).max(initial=0.0) > 1e-13 * np.abs(x).max(initial=1e-30):
                break
        grad = self.value(x)[1]
        size = np.linalg.norm(grad, axis=1, keepdims=True)
        if not (np.isfinite(x).all() and (size > 0).all()):
            raise PartError(
                "A point has no place on the surface.",
                "Draping",
                "Start nearer to it.",
            )
        return Foot(x, grad / size, np.zeros(len(x)), hint)


def sphere(R: float) -> Level:
    """Sphere of a radius about the origin [m]."""

    def value(x: Array) -> tuple[Array, Array]:
        return (np.einsum("qi,qi->q", x, x) / R - R) / 2, x / R

    return Level(value)


def cylinder(R: float) -> Level:
    """Cylinder of a radius about x [m]."""

    def value(x: Array) -> tuple[Array, Array]:
        across = x * [0.0, 1.0, 1.0]
        return (np.einsum("qi,qi->q", across, across) / R - R) / 2, across / R

    return Level(value)


def cone(half_angle: float) -> Level:
    """Cone of a half angle [rad] with its apex at the origin, z its axis, z > 0."""
    s, c = np.sin(half_angle), np.cos(half_angle)

    def value(x: Array) -> tuple[Array, Array]:
        r = np.hypot(x[:, 0], x[:, 1])
        grad = np.stack([c * x[:, 0] / r, c * x[:, 1] / r, np.full(len(x), -s)], axis=1)
        return r * c - x[:, 2] * s, grad

    return Level(value)


def graph(height: Callable[[Array, Array], tuple[Array, Array, Array]]) -> Level:
    """Surface z = f(x, y), its normal upwards; `height` gives f, f_x and f_y of shape (q,)."""

    def value(x: Array) -> tuple[Array, Array]:
        z, along, across = height(x[:, 0], x[:, 1])
        return x[:, 2] - z, np.stack([-along, -across, np.ones(len(x))], axis=1)

    return Level(value)
