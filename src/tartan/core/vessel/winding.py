"""What winding lays: the angle by Clairaut, the thickness by conservation of the tow.

A layer of geodesics keeps r sin α. As many tows cross every circle of latitude, so that its
thickness is t R cos α_R / (r cos α): without bound at the turning circle, where tows lie along it.
There the band's width is seen: each of its threads turns at a radius of its own, and the mean of
their thicknesses is finite. Within two widths of the turning circle that mean is taken, joined
to the plain thickness with its slope, and scaled so that what is laid stays what was delivered.

Sources: A. C. Clairaut, Mém. Acad. Sci. Paris (1733) (geodesics of surfaces of revolution);
R. Wang, W. Jiao, W. Liu and F. Yang, J. Reinf. Plast. Compos. 29 (2010) 3345–3352 (the zone of two
widths, joined in value and slope and keeping the volume); the mean over the threads of a band is
derived here.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.meridian import Dome
from tartan.core.vessel.offgeodesic import OffGeodesic, off_geodesic

Array = NDArray[np.float64]

ZONE = 2.0
"""Band widths from the turning circle within which the band's width is seen."""

WHERE = "Winding"


def _half_turn(count: int) -> tuple[Array, Array]:
    """Places of a half turn, and their weights."""
    nodes, weights = np.polynomial.legendre.leggauss(count)
    return (nodes + 1) / 2 * np.pi, weights / 2 * np.pi


_MANY, _FEW = _half_turn(80), _half_turn(14)


@dataclass(frozen=True)
class Helical:
    """A pair of geodesic layers ±α over cylinder and dome.

    Attributes
    ----------
    opening : float
        Radius of the polar opening that the band winds round [m].
    bandwidth : float
        Of the band [m].
    ply_thickness : float
        Of one of both plies on the cylinder, fully covered [m].
    turning : {"edge", "centre"}
        What of the band touches the opening.
    coverage : float
        Share of the surface that is covered [1].
    pairs : int
        How often the pair is laid.
    angle : float
        On the cylinder, where it is not the geodesic's; 0 where it is [rad].
    run_out : float
        Length in which resin runs out inside its crest, as a multiple of the height; 0 for no
        resin [1].
    """

    opening: float
    bandwidth: float
    ply_thickness: float
    turning: Literal["edge", "centre"] = "edge"
    coverage: float = 1.0
    pairs: int = 1
    angle: float = 0.0
    run_out: float = 0.0

    @property
    def turning_radius(self) -> float:
        """Radius where the band's centre line turns [m]."""
        return self.opening + (self.bandwidth / 2 if self.turning == "edge" else 0.0)

    @property
    def thickness(self) -> float:
        """Of all pairs on the cylinder [m]."""
        return 2 * self.pairs * self.coverage * self.ply_thickness


def check_helical(layer: Helical, R: float) -> Helical:
    """Return a layer when it can be wound on a cylinder.

    Raises
    ------
    PartError
        Naming the figure that makes no sense, and its limit.
    """
    positive = (
        ("opening", layer.opening),
        ("band width", layer.bandwidth),
        ("ply thickness", layer.ply_thickness),
    )
    for name, value in positive:
        if not 0 < value < np.inf:
            raise PartError(f"The {name} of {value:g} m is none.", WHERE, "Enter one above 0.")
    if not 0 < layer.coverage <= 10 or not 0 < layer.pairs <= 1000:
        raise PartError(
            f"{layer.pairs} pairs of {layer.coverage:.4g} coverage are no layer.",
            WHERE,
            "Enter a coverage above 0, 1 for all of the surface, and 1 pair or more.",
        )
    if not layer.opening < R:
        raise PartError(
            f"The opening of {layer.opening:g} m is not smaller than the cylinder, {R:g} m.",
            WHERE,
            f"Choose one below {R:g} m.",
        )
    most = (R - layer.opening) * (1 if layer.turning == "edge" else 2)
    if not layer.bandwidth < most:
        raise PartError(
            f"A band {layer.bandwidth:g} m wide finds no room between the opening of "
            f"{layer.opening:g} m and the cylinder of {R:g} m.",
            WHERE,
            f"Choose one below {most:g} m.",
        )
    return layer


@dataclass(frozen=True, eq=False)
class WoundDome:
    """A helical layer on a dome.

    Parameters
    ----------
    dome : Dome
        The surface it lies on.
    layer : Helical
        What is wound.

    Raises
    ------
    PartError
        Where the layer does not fit.
    """

    dome: Dome
    layer: Helical

    def __post_init__(self) -> None:
        check_helical(self.layer, self.dome.R)
        self.dome.pieces(self.turning_radius)

    @property
    def turning_radius(self) -> float:
        """Radius where the centre line turns [m]."""
        return self.layer.turning_radius

    def angle(self, radii: Array) -> Array:
        """Winding angle from the meridian at radii, in their shape [rad]; 90° inside the turn."""
        r = np.maximum(np.asarray(radii, float), self.turning_radius)
        return np.asarray(np.arcsin(np.minimum(self.clairaut(r) / r, 1.0)))

    @cached_property
    def off(self) -> OffGeodesic | None:
        """The path where it is off the geodesic."""
        if not self.layer.angle:
            return None
        return off_geodesic(self.dome, self.turning_radius, self.layer.angle)

    def clairaut(self, radii: Array) -> Array:
        """``r sin α`` at radii, in their shape [m]: the same everywhere on a geodesic."""
        if self.off is None:
            return np.full(np.shape(radii), self.turning_radius)
        return self.off.at(radii)

    @property
    def flux(self) -> float:
        """T r cos α, which the tow conserves [m²]."""
        R = self.dome.R
        c = float(self.clairaut(np.array(R)))
        return self.layer.thickness * math.sqrt(R * R - c * c)

    def plain_thickness(self, radii: Array) -> Array:
        """Thickness of the centre lines alone, in the radii's shape [m]; infinite at the turn."""
        r = np.asarray(radii, float)
        with np.errstate(divide="ignore", invalid="ignore"):
            across = np.sqrt(np.maximum(r * r - self.clairaut(r) ** 2, 0.0))
            return np.where(r > self.turning_radius, self.flux / across, np.inf)

    @cached_property
    def path_length(self) -> float:
        """Length of the centre line from the equator to its turn [m]."""
        r0 = self.turning_radius

        def along(r: Array, dr: Array, dz: Array) -> Array:
            return np.asarray(np.hypot(dr, dz) * r / np.sqrt(r * r - self.clairaut(r) ** 2))

        return self.dome.integral(r0, along)

    @cached_property
    def turn_angle(self) -> float:
        """Azimuth that the centre line gains from the equator to its turn [rad]."""
        r0 = self.turning_radius

        def around(r: Array, dr: Array, dz: Array) -> Array:
            c = self.clairaut(r)
            return np.asarray(np.hypot(dr, dz) * c / (r * np.sqrt(r * r - c * c)))

        return self.dome.integral(r0, around)

    @property
    def volume(self) -> float:
        """Laid on the dome, from the equator to the turn [m³]."""
        return 2 * math.pi * self.flux * self.path_length

    # Near the turn

    @property
    def inner(self) -> float:
        """Radius of the layer's inner edge [m]."""
        return max(self.turning_radius - self.layer.bandwidth / 2, self.layer.opening)

    @property
    def outer(self) -> float:
        """Radius up to which the band's width is seen [m]."""
        return min(self.turning_radius + ZONE * self.layer.bandwidth, self.dome.R)

    def _threads(self, r: Array) -> Array:
        """Mean thickness over the threads of a band, each turning at a radius of its own [m]."""
        w = self.layer.bandwidth
        first, last = self.turning_radius - w / 2, self.turning_radius + w / 2
        r = np.maximum(r, 1e-300)
        found: Array = (
            np.arcsin(np.minimum(last / r, 1.0)) - np.arcsin(np.clip(first / r, -1.0, 1.0))
        ) * (self.flux / w)
        return found

    @cached_property
    def _join(self) -> tuple[float, float, float]:
        """Ramp and curve that join the zone to the plain thickness, and the share that is laid."""
        a, b = self.inner, self.outer
        r0, half = self.turning_radius, self.layer.bandwidth / 2
        value = float(self.plain_thickness(np.array(b)) - self._threads(np.array(b)))
        first, last = r0 - half, r0 + half
        c, d = (float(self.clairaut(np.array(x))) for x in (b, b * (1 + 1e-6)))
        rate = -(b - c * (d - c) / (b * 1e-6)) / (b * b - c * c) ** 1.5
        for end, sign in ((last, 1.0), (first, -1.0)):
            rate += sign * end / (b * math.sqrt(b * b - end * end)) / (2 * half)
        slope = self.flux * rate * (b - a)
        made = self._laid(lambda r: self._zone(r, value, slope, 0.0))
        wanted = self.volume / (2 * math.pi) - self._outer_part()
        return value, slope, (wanted - made) / self._laid(self._bump)

    def _outer_part(self) -> float:
        """∫ t r ds from the equator to the zone."""
        if self.outer >= self.dome.R:
            return 0.0

        def laid(r: Array, dr: Array, dz: Array) -> Array:
            return np.asarray(self.plain_thickness(r) * r * np.hypot(dr, dz))

        return self.dome.integral(self.outer, laid)

    def _laid(self, thickness: Callable[[Array], Array]) -> float:
        """∫ t r ds over the zone."""
        a, b, w = self.inner, self.outer, self.layer.bandwidth
        # The threads' mean has a corner where the outermost turns, the meridian where its pieces
        # meet: the sum parts there. By cosines slopes without bound cost nothing at either end.
        corner = min(self.turning_radius + w / 2, b)
        within = {x for x in self.dome.joints(a) if a < x < b}
        marks = np.array(sorted({a, corner, b} | within))
        marks = marks[np.concatenate([[True], np.diff(marks) > 1e-12 * b])]
        low, high = marks[:-1, None], marks[1:, None]
        # A surface of many short lines needs few places on each.
        turn, step = _MANY if len(marks) < 20 else _FEW
        r = ((low + high) / 2 - (high - low) / 2 * np.cos(turn)).ravel()
        dr = ((high - low) / 2 * np.sin(turn) * step).ravel()
        return float(dr @ (thickness(r) * r * self.dome.slant(r, self.inner)))

    def _share(self, r: Array) -> Array:
        return (self.outer - r) / (self.outer - self.inner)

    def _bump(self, r: Array) -> Array:
        """Zero with its slope at the zone's outer end, one at its inner."""
        x = self._share(r)
        return x * x

    def _zone(self, r: Array, value: float, slope: float, more: float) -> Array:
        x = self._share(r)
        # Value and slope of the gap at the outer end die away inwards.
        joined = (value - (slope - 2 * value) * x) * (1 - x) ** 2
        return self._threads(r) + joined + more * x * x

    def thickness(self, radii: Array) -> Array:
        """Thickness of all pairs at radii, in their shape [m]; nothing inside the inner edge.

        Outside of the zone it is plain; what is laid from the equator to the inner edge is the
        volume that the tow brings.
        """
        r = np.asarray(radii, float)
        found = np.where(r >= self.outer, self.plain_thickness(r), 0.0)
        near = (r < self.outer) & (r >= self.inner * (1 - 1e-12))
        if near.any():
            found[near] = np.maximum(self._zone(r[near], *self._join), 0.0)
        return found

    @property
    def peak(self) -> tuple[float, float]:
        """Greatest thickness and its radius [m]."""
        r = np.linspace(self.inner, self.outer, 2001)
        corner = self.turning_radius + self.layer.bandwidth / 2
        r = np.sort(np.append(r, min(corner, self.outer)))
        t = self.thickness(r)
        at = int(t.argmax())
        return float(t[at]), float(r[at])
