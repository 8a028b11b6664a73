"""The isotensoid: the dome of a closed vessel whose geodesic fibres are all pulled alike.

Source: J. Zickel, ARS Journal 32 (1962) 950–951.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.meridian import WHERE, Dome, check_radius
from tartan.core.vessel.pieces import NODES, WEIGHTS, Piece, line

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Isotensoid(Dome):
    """The dome on which geodesic fibres that turn at `r0` are all pulled alike [m].

    With u the sine of the angle between normal and axis, u = (r/R)³ √((R² − r0²)/(r² − r0²)) and
    dz/dr = −u/√(1 − u²), of a vessel that is closed by its bosses. Inside the inflection at
    √(3/2) r0 it goes on along its tangent.
    """

    R: float
    r0: float

    def __post_init__(self) -> None:
        check_radius(self.R)
        if not self.r0 > 0:
            raise PartError(
                f"A turning radius of {self.r0:g} m makes no isotensoid.",
                WHERE,
                "Enter a positive radius.",
            )
        if not self.r0 < math.sqrt(2 / 3) * self.R:
            raise PartError(
                f"A turning radius of {self.r0:g} m is too large for an isotensoid on a cylinder "
                f"of {self.R:g} m.",
                WHERE,
                f"Choose one below {math.sqrt(2 / 3) * self.R:g} m.",
            )

    @cached_property
    def _roots(self) -> tuple[float, float]:
        """(r/R)² where the curve is upright again, and the other root's distance."""
        c = (self.r0 / self.R) ** 2
        d = 1 - c
        x = (-d + math.sqrt(d * d + 4 * c * d)) / (2 * d)
        return x, 1 + x

    @property
    def r_inflection(self) -> float:
        """Radius of the inflection [m]."""
        return math.sqrt(1.5) * self.r0

    @property
    def r_vertical(self) -> float:
        """Radius where the curve itself, continued, is parallel to the axis again [m]."""
        return self.R * math.sqrt(self._roots[0])

    @property
    def z_vertical(self) -> float:
        """Height there [m]."""
        return float(self._z(np.array([math.pi / 2]))[0])

    def _z(self, theta: Array) -> Array:
        """Height of the curve over its parameter, x = (r/R)² = 1 − (1 − x_v) sin² θ."""
        x_v, other = self._roots
        nodes = theta[:, None] * NODES
        x = 1 - (1 - x_v) * np.sin(nodes) ** 2
        found: Array = self.R * theta * ((x / np.sqrt(x + other)) @ WEIGHTS)
        return found

    def _theta(self, r: Array) -> Array:
        x_v, _ = self._roots
        share = (1 - (np.asarray(r, float) / self.R) ** 2) / (1 - x_v)
        return np.asarray(np.arcsin(np.sqrt(np.clip(share, 0, 1))))

    def pieces(self, end: float) -> list[Piece]:
        """The curve, and its tangent inside the inflection."""
        self._checked(end)
        last = float(self._theta(np.array([max(end, self.r_inflection)]))[0])
        x_v, other = self._roots
        R = self.R

        def slopes(tau: Array) -> tuple[Array, Array, Array]:
            theta = last * tau
            s, c = np.sin(theta), np.cos(theta)
            x = 1 - (1 - x_v) * s * s
            r = R * np.sqrt(x)
            dr = -R * (1 - x_v) * s * c / np.sqrt(x)
            return r, last * dr, last * R * x / np.sqrt(x + other)

        curve = Piece(
            slopes,
            lambda tau: self._z(last * tau),
            R,
            max(end, self.r_inflection),
            lambda r: self._theta(r) / last,
        )
        if end >= self.r_inflection:
            return [curve]
        top = (self.r_inflection, float(self._z(np.array([last]))[0]))
        u = float(self._sine(np.array([self.r_inflection]))[0])
        rise = (self.r_inflection - end) * u / math.sqrt(1 - u * u)
        return [curve, line(top, (end, top[1] + rise))]

    def _sine(self, r: Array) -> Array:
        found: Array = (r / self.R) ** 3 * np.sqrt((self.R**2 - self.r0**2) / (r * r - self.r0**2))
        return found

    def curvature(self, radii: Array) -> tuple[Array, Array]:
        """As `Dome.curvature`, in the radii's shape [1/m]."""
        r = np.asarray(radii, float)
        curve = np.maximum(r, self.r_inflection)
        u = self._sine(curve)
        one = u / curve * (2 - self.r0**2 / (curve**2 - self.r0**2))
        return np.where(r < self.r_inflection, 0.0, one), u / np.maximum(r, 1e-300)
