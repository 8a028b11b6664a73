"""A laminate as the wall of a tube: pressure, axial force and torque as section forces.

x is axial, y hoop, z outward; the first ply is the innermost. The wall of a round tube keeps its
curvature: it strains, but does not bend.

Source: S. P. Timoshenko and S. Woinowsky-Krieger, Theory of Plates and Shells, 2nd ed., ch. 15
(membrane forces of a cylinder).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.bounds import LEAST_LENGTH, MOST_FORCE, MOST_LENGTH, MOST_STRESS, beyond
from tartan.core.errors import StackError

Array = NDArray[np.float64]

LEAST_SHARE = 1e-6
"""Least knock-down."""


@dataclass(frozen=True)
class TubeLoad:
    """What a tube is under.

    Attributes
    ----------
    radius : float
        Of the middle of the wall, or of its inside [m].
    at : {"mean", "inner"}
        Which of them is given. On a mean radius the pressure acts there, as thin-wall formulas
        have it; on an inner one a pressure acts on the face that it presses: inside, or, where
        it is negative, outside.
    closed : bool
        Whether end caps pass the pressure on as axial force.
    pressure : float
        Inside over outside [Pa].
    force, torque : float
        Axial force, pulling positive [N], and torque [N·m].
    length : float
        Between ends that stay round [m]; 0 for a long tube.
    knock_down : float
        What is taken of the buckling load of the perfect tube [1].
    """

    radius: float
    at: Literal["mean", "inner"] = "mean"
    closed: bool = True
    pressure: float = 0.0
    force: float = 0.0
    torque: float = 0.0
    length: float = 0.0
    knock_down: float = 1.0

    def mean(self, thickness: float) -> float:
        """Radius of the middle of a wall [m]."""
        return self.radius if self.at == "mean" else self.radius + thickness / 2

    def inner(self, thickness: float) -> float:
        """Inner radius of a wall [m]; not above zero where the wall is too thick."""
        return self.radius if self.at == "inner" else self.radius - thickness / 2

    def resultants(self, thickness: float) -> Array:
        """Membrane forces Nx, Ny, Nxy of a wall, shape (3,) [N/m].

        Raises
        ------
        StackError
            Where the wall is too thick for the mean radius.
        """
        check_wall(self, thickness)
        R = self.mean(thickness)
        pressed = R
        if self.at == "inner":
            pressed = self.radius + (thickness if self.pressure < 0 else 0.0)
        caps = self.pressure * pressed**2 / (2 * R) if self.closed else 0.0
        axial = caps + self.force / (2 * math.pi * R)
        return np.array([axial, self.pressure * pressed, self.torque / (2 * math.pi * R**2)])

    @property
    def alone(self) -> TubeLoad:
        """The same tube under its pressure alone."""
        return replace(self, force=0.0, torque=0.0)


def check_tube(tube: TubeLoad, where: str) -> TubeLoad:
    """Return a tube when it can be used.

    Raises
    ------
    StackError
        Naming the figure that makes no sense.
    """
    R, length, share = tube.radius, tube.length, tube.knock_down
    if not LEAST_LENGTH <= R <= MOST_LENGTH:
        raise StackError(
            f"A radius of {R:g} m makes no tube.", where, "Enter one greater than zero."
        )
    if length and not LEAST_LENGTH <= length <= MOST_LENGTH:
        raise StackError(
            f"A length of {length:g} m makes no tube.", where, "Enter one, or 0 for a long tube."
        )
    if not LEAST_SHARE <= share <= 1:
        raise StackError(
            f"A knock-down of {share:g} is none.", where, "Enter a factor up to 1, above 0."
        )
    for name, value, most, unit in (
        ("pressure", tube.pressure, MOST_STRESS, "Pa"),
        ("axial force", tube.force, MOST_FORCE, "N"),
        ("torque", tube.torque, MOST_FORCE, "N·m"),
    ):
        if not math.isfinite(value) or beyond(value, most):
            raise StackError(
                f"The {name} of {value:g} {unit} is beyond ±{most:g} {unit}.",
                where,
                "Check its unit.",
            )
    return tube


def check_wall(tube: TubeLoad, thickness: float) -> None:
    """Check that a wall has room within its mean radius.

    Raises
    ------
    StackError
        Where it has none.
    """
    if not tube.inner(thickness) > 0:
        raise StackError(
            f"A wall of {thickness:g} m has no room at a mean radius of {tube.radius:g} m.",
            "TubeLoad, radius",
            "Enter a greater radius, or lay fewer plies.",
        )
