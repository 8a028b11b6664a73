"""How the section of a zone changes with the thickness and angle of its plies.

A, B and D are of the third degree at most in thickness, of which central differences of fourth
order are exact but for rounding; in angle and for the transverse shear they err by the fourth
power of a small step. What is differenced is one laminate, never an answer of the shell.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import Load, free_resultants
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.inertia import mass_moments
from tartan.core.shell.model import section_matrix
from tartan.core.shell.prestress import free_second, second_stiffness

Array = NDArray[np.float64]

STEP = 0.02
"""Step in thickness, as a share of the thinnest ply that changes."""

LEAST = 1e-5
"""Least step, as a share of the laminate's thickness: a ply may have none yet."""

TURN = 0.05
"""Step in angle [deg]."""

STIFFNESS, SECOND, MOMENTS, HEAT = slice(0, 64), slice(64, 82), slice(82, 85), slice(85, 103)
"""Where the section's parts stand among its figures: C (8, 8), ∫ Q (1, z) z² dz (3, 6), I0 to I2,
and what free expansion would be resisted with under one kelvin and one kelvin a metre (2, 9)."""

FIGURES = 103


@dataclass(frozen=True)
class Needs:
    """Which figures of a section are asked for beside its stiffness."""

    second: bool = False
    moments: bool = False
    heat: bool = False


@dataclass(frozen=True, eq=False)
class Change:
    """What one unit of a variable changes in a laminate.

    Attributes
    ----------
    thickness, angle : ndarray, shape (n,)
        Of its plies [m and deg per unit].
    reference : float
        Height of the reference surface in the laminate: 0 its middle, -1 its bottom, 1 its top.
    """

    thickness: Array
    angle: Array
    reference: float = 0.0

    def step(self, laminate: Laminate) -> float:
        """How far to go for a difference, in units of the variable; zero where nothing changes."""
        thick, turn = np.abs(self.thickness).max(), np.abs(self.angle).max()
        steps = []
        if thick > 0:
            own = np.diff(laminate.z)[self.thickness != 0].min()
            steps.append(max(STEP * own, LEAST * laminate.thickness) / thick)
        if turn > 0:
            steps.append(TURN / turn)
        return float(min(steps)) if steps else 0.0

    def applied(self, laminate: Laminate, by: float) -> Laminate:
        """The laminate with the variable moved by some units."""
        plies = tuple(
            replace(p, thickness=p.thickness + by * float(t), angle=p.angle + by * float(a))
            for p, t, a in zip(laminate.stack.plies, self.thickness, self.angle, strict=True)
        )
        grown = by * float(self.thickness.sum())
        offset = laminate.offset - self.reference * grown / 2
        return Laminate(laminate.stack.with_plies(plies), laminate.materials, offset)


def slope(laminate: Laminate, change: Change, of: Callable[[Laminate], Array]) -> Array:
    """Derivative of a function of a laminate by a variable, as the function's shape.

    Source: central difference of fourth order, e.g. M. Abramowitz, I. A. Stegun, Handbook of
    Mathematical Functions (1964), 25.3.6.
    """
    h = change.step(laminate)
    if h == 0.0:
        return np.zeros_like(of(laminate))
    near, far = (
        of(change.applied(laminate, k * h)) - of(change.applied(laminate, -k * h)) for k in (1, 2)
    )
    return np.asarray((8 * near - far) / (12 * h))


def figures(laminate: Laminate, needs: Needs) -> Array:
    """Figures of a section in one row, shape (103,); those not asked for are zero.

    Raises
    ------
    MaterialError
        When a material lacks what they are made of.
    """
    found = np.zeros(FIGURES)
    found[STIFFNESS] = section_matrix(laminate.ABD, laminate.shear).ravel()
    if needs.second:
        found[SECOND] = second_stiffness(laminate).ravel()
    if needs.moments:
        found[MOMENTS] = mass_moments(laminate)
    if needs.heat:
        for start, one in ((0, Load(dT=1.0)), (9, Load(dT_gradient=1.0))):
            free = np.append(free_resultants(laminate, one), free_second(laminate, one))
            found[HEAT.start + start : HEAT.start + start + 9] = free
    return found
