"""Paths off the geodesic: a given angle on the cylinder, held by friction on the dome.

Along a path on a surface of revolution d(r sin α)/ds = r k_g, s along the meridian, and a tow
stays where its sideways curvature is at most the friction times its normal one: k_g = λ k_n with
k_n = cos²α / r1 + sin²α / r2. The λ is sought that brings a given angle on the cylinder to 90°
at the turning radius; 0 is the geodesic.

Source: S. Koussios and O. K. Bergsma, J. Thermoplast. Compos. Mater. 19 (2006) 5–34 (friction of
tows in winding); the equation is Liouville's formula for the geodesic curvature.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.meridian import Dome

Array = NDArray[np.float64]

STEPS = 400
"""Steps along a piece of the meridian."""

MOST_FRICTION = 0.6
"""Friction beyond which no tow is held."""

WHERE = "Winding, angle"


@dataclass(frozen=True, eq=False)
class OffGeodesic:
    """A path that friction holds.

    Attributes
    ----------
    friction : float
        Least friction between tow and surface [1].
    radius, clairaut : ndarray, shape (q,)
        r from the turn outwards, and r sin α there [m].
    """

    friction: float
    radius: Array
    clairaut: Array

    def at(self, radii: Array) -> Array:
        """``r sin α`` at radii, in their shape [m]."""
        return np.interp(radii, self.radius, self.clairaut)


@dataclass(frozen=True, eq=False)
class _Road:
    """Places along a meridian at every half step; shapes (2 n + 1,)."""

    step: Array
    radius: Array
    one: Array
    two: Array


def _road(dome: Dome, end: float) -> _Road:
    step, radius, one, two = [], [], [], []
    for piece in dome.pieces(end):
        tau = np.linspace(0.0, 1.0, 2 * STEPS + 1)
        r, dr, dz = piece.slopes(tau)
        # Curvature of this piece, also at a joint where the next has another.
        a, b = dome.curvature(np.clip(r, piece.end + 1e-12 * r[0], piece.start - 1e-12 * r[0]))
        step.append(np.hypot(dr, dz) / STEPS)
        radius.append(r)
        one.append(a)
        two.append(b)
    return _Road(*(np.stack(x) for x in (step, radius, one, two)))


def _along(road: _Road, start: float, friction: float) -> tuple[Array, bool]:
    """R sin α at every whole step, and whether it has turned before the end."""
    found, c, turned = [start], start, False
    for step, r, one, two in zip(road.step, road.radius, road.one, road.two, strict=True):
        # The rate is u + v sin² α. As lists: a step of numbers is quicker than one of arrays.
        u, v = ((friction * step * r * x).tolist() for x in (one, two - one))
        over, radii = (1 / r**2).tolist(), r.tolist()
        for k in range(0, 2 * STEPS, 2):
            # Runge and Kutta's rule of fourth order.
            m, n = k + 1, k + 2
            a = u[k] + v[k] * min(1.0, c * c * over[k])
            at = c + a / 2
            b = u[m] + v[m] * min(1.0, at * at * over[m])
            at = c + b / 2
            d = u[m] + v[m] * min(1.0, at * at * over[m])
            at = c + d
            e = u[n] + v[n] * min(1.0, at * at * over[n])
            c += (a + 2 * b + 2 * d + e) / 6
            turned = turned or (c > radii[n] and n < 2 * STEPS)
            found.append(c)
    return np.array(found), turned


@lru_cache(maxsize=64)
def off_geodesic(dome: Dome, turning: float, angle: float) -> OffGeodesic:
    """Path from an angle on the cylinder to its turn.

    Parameters
    ----------
    dome : Dome
        With curvatures.
    turning : float
        Radius of the turn [m].
    angle : float
        From the meridian, on the cylinder [rad].

    Raises
    ------
    PartError
        Where no friction holds it, or the dome has no curvature.
    """
    if not 0 < angle < np.pi / 2:
        raise PartError(
            f"An angle of {np.degrees(angle):.4g}° is none of a helical layer.",
            WHERE,
            "Enter one between 0 and 90°.",
        )
    road, start = _road(dome, turning), dome.R * np.sin(angle)

    def miss(friction: float) -> float:
        c, turned = _along(road, start, friction)
        return float("inf") if turned else float(c[-1]) - turning

    low, high = -MOST_FRICTION, MOST_FRICTION
    if not miss(low) < 0 < miss(high):
        raise PartError(
            f"No friction holds {np.degrees(angle):.4g}° on the cylinder with a turn at "
            f"{turning:g} m.",
            WHERE,
            f"The geodesic has {np.degrees(np.arcsin(turning / dome.R)):.4g}°; stay nearer to it.",
        )
    # Halved until it is found: turning early has no measure but that it is too much.
    for _ in range(44):
        middle = (low + high) / 2
        if miss(middle) > 0:
            high = middle
        else:
            low = middle
    friction = (low + high) / 2
    c, _ = _along(road, start, friction)
    first = [road.radius[0][:1]]
    r = np.concatenate(first + [row[2::2] for row in road.radius])
    return OffGeodesic(abs(friction), r[::-1], np.minimum(c, r)[::-1])
