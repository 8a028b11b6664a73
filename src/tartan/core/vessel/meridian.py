"""Meridians of vessel domes: their shape, arc length, curvature and membrane forces.

A dome runs from the equator, r = R and z = 0, inwards to its opening; z grows away from the
cylinder. Each is a chain of pieces along which r and z are smooth functions of a parameter, so
that integrals over it converge to all digits.

Sources: S. P. Timoshenko and S. Woinowsky-Krieger, Theory of Plates and Shells, 2nd ed., sections
105 and 106 (membrane forces of shells of revolution); DIN 28011 and 28013 have the torispheres in
use.
"""

from __future__ import annotations

import itertools
import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.pieces import NODES, PANELS, WEIGHTS, Piece, arc, length_to, line

Array = NDArray[np.float64]

WHERE = "Vessel, dome"


class Dome(ABC):
    """A dome on a cylinder of radius `R` [m]."""

    R: float

    @abstractmethod
    def pieces(self, end: float) -> list[Piece]:
        """Pieces from the equator to a radius [m].

        Raises
        ------
        PartError
            Where the dome does not come as far in.
        """

    @abstractmethod
    def curvature(self, radii: Array) -> tuple[Array, Array]:
        """Curvatures 1/r1 of the meridian and 1/r2 across it at radii, in their shape [1/m]."""

    def _checked(self, end: float) -> float:
        # Rounding may leave a place on the equator a trace beyond it.
        if not 0 <= end <= self.R * (1 + 1e-9):
            raise PartError(
                f"A radius of {end:g} m is not on a dome of {self.R:g} m.",
                WHERE,
                f"Choose one from 0 to {self.R:g} m.",
            )
        return min(end, self.R)

    def places(self, radii: Array) -> tuple[Array, Array]:
        """Z and arc length from the equator at radii, in their shape [m].

        Raises
        ------
        PartError
            Where the dome does not come as far in.
        """
        r = np.asarray(radii, float)
        self._checked(float(r.max(initial=0.0)))
        r = np.minimum(r, self.R)
        pieces = self.pieces(self._checked(float(r.min(initial=self.R))))
        z, s = np.zeros(r.shape), np.zeros(r.shape)
        before = 0.0
        for piece in pieces:
            within = (r < piece.start) & (r >= piece.end - 1e-15 * self.R)
            if within.any():
                tau = np.clip(piece.of_radius(r[within]), 0.0, 1.0)
                z[within] = piece.height(tau)
                s[within] = before + length_to(piece, tau)
            before += float(length_to(piece, np.array([1.0]))[0])
        return z, s

    def slant(self, radii: Array, end: float) -> Array:
        """ds/dr of the meridian at radii down to `end`, in their shape [1]."""
        r = np.asarray(radii, float)
        found = np.empty_like(r)
        for piece in self.pieces(end):
            within = (r <= piece.start) & (r >= piece.end * (1 - 1e-12))
            if within.any():
                _, dr, dz = piece.slopes(np.clip(piece.of_radius(r[within]), 0.0, 1.0))
                with np.errstate(divide="ignore"):
                    found[within] = np.hypot(dr, dz) / np.abs(dr)
        return found

    def joints(self, end: float) -> list[float]:
        """Radii down to `end` where its pieces meet [m]."""
        return [piece.start for piece in self.pieces(end)[1:]]

    def integral(self, end: float, value: Callable[[Array, Array, Array], Array]) -> float:
        """∫ value(r, dr, dz) over the parameter, from the equator to a radius.

        The integrand may grow as 1/√(r − end) at the end.

        Parameters
        ----------
        end : float
            Radius where it ends [m].
        value : callable
            Of radius and the derivatives of r and z by the parameter, all of shape (q,).

        Raises
        ------
        PartError
            Where the dome does not come as far in.
        """
        total = 0.0
        pieces = self.pieces(self._checked(end))
        edges = np.linspace(0.0, 1.0, PANELS + 1)
        sigma = (edges[:-1, None] + np.diff(edges)[:, None] * NODES).ravel()
        weight = (np.diff(edges)[:, None] * WEIGHTS).ravel()
        for k, piece in enumerate(pieces):
            tau, w = sigma, weight
            if k == len(pieces) - 1:
                # Squared towards the end, where the integrand may be singular.
                tau, w = 1 - (1 - sigma) ** 2, 2 * (1 - sigma) * weight
            r, dr, dz = piece.slopes(tau)
            total += float(w @ value(r, dr, dz))
        return total


@dataclass(frozen=True)
class Ellipsoid(Dome):
    """(r/R)² + (z/height)² = 1; a hemisphere where the height is R [m]."""

    R: float
    height: float

    def __post_init__(self) -> None:
        check_radius(self.R)
        if not 0 < self.height < np.inf:
            raise PartError(
                f"A dome {self.height:g} m high is none.", WHERE, "Enter a positive height."
            )

    def pieces(self, end: float) -> list[Piece]:
        """One piece, over the angle of r = R cos φ."""
        last = math.acos(self._checked(end) / self.R)
        R, H = self.R, self.height

        def slopes(tau: Array) -> tuple[Array, Array, Array]:
            c, s = np.cos(last * tau), np.sin(last * tau)
            return R * c, -last * R * s, last * H * c

        def of_radius(r: Array) -> Array:
            return np.asarray(np.arccos(np.clip(r / R, -1, 1)) / last)

        return [Piece(slopes, lambda tau: H * np.sin(last * tau), R, end, of_radius)]

    def curvature(self, radii: Array) -> tuple[Array, Array]:
        """As `Dome.curvature`, in the radii's shape [1/m]."""
        c2 = (np.asarray(radii, float) / self.R) ** 2
        S = np.sqrt(self.height**2 * c2 + self.R**2 * (1 - c2))
        return self.R * self.height / S**3, self.height / (self.R * S)


@dataclass(frozen=True)
class Torisphere(Dome):
    """A sphere of radius `crown` on a knuckle of radius `knuckle` [m]."""

    R: float
    crown: float
    knuckle: float

    def __post_init__(self) -> None:
        check_radius(self.R)
        if not 0 < self.knuckle < self.R:
            raise PartError(
                f"A knuckle of {self.knuckle:g} m is not between 0 and the radius {self.R:g} m.",
                WHERE,
                "Enter a smaller knuckle.",
            )
        if not self.R < self.crown < np.inf:
            raise PartError(
                f"A crown of {self.crown:g} m is not greater than the radius {self.R:g} m.",
                WHERE,
                "Enter a greater crown, or an ellipsoid.",
            )

    @property
    def joint(self) -> float:
        """Angle of the normal from the equator's plane where knuckle and crown meet [rad]."""
        return math.acos((self.R - self.knuckle) / (self.crown - self.knuckle))

    def pieces(self, end: float) -> list[Piece]:
        """Knuckle, then crown."""
        self._checked(end)
        within, k, phi = self.R - self.knuckle, self.knuckle, self.joint
        if end >= within + k * math.cos(phi):
            return [arc((within, 0.0), k, (0.0, math.acos(max(-1.0, (end - within) / k))))]
        below = -math.sqrt((self.crown - k) ** 2 - within**2)
        return [
            arc((within, 0.0), k, (0.0, phi)),
            arc((0.0, below), self.crown, (phi, math.acos(end / self.crown))),
        ]

    def curvature(self, radii: Array) -> tuple[Array, Array]:
        """As `Dome.curvature`, in the radii's shape [1/m]."""
        r = np.asarray(radii, float)
        within, k = self.R - self.knuckle, self.knuckle
        in_knuckle = r > within + k * math.cos(self.joint)
        sine = np.where(in_knuckle, (r - within) / k, r / self.crown)
        one = np.where(in_knuckle, 1 / k, 1 / self.crown)
        return one, np.where(in_knuckle, sine / np.maximum(r, 1e-300), 1 / self.crown)


@dataclass(frozen=True)
class Profile(Dome):
    """A dome by points (r, z) from the equator inwards, joined by straight lines [m]."""

    points: tuple[tuple[float, float], ...]

    def __post_init__(self) -> None:
        if len(self.points) < 2:
            raise PartError("A meridian needs two points.", WHERE, "Give r and z of each.")
        if not np.isfinite(self.points).all():
            raise PartError("A point of the meridian is no number.", WHERE, "Mend the table.")
        check_radius(self.points[0][0])
        for k, ((a, _), (b, _)) in enumerate(zip(self.points, self.points[1:], strict=False)):
            if not 0 <= b < a:
                raise PartError(
                    f"The meridian turns back: point {k + 2} has a radius of {b:g} m after "
                    f"{a:g} m.",
                    WHERE,
                    "Order the points from the equator inwards.",
                )

    @property
    def R(self) -> float:  # type: ignore[override]  # noqa: N802 - the cylinder's radius
        """Radius of the equator [m]."""
        return self.points[0][0]

    def joints(self, end: float) -> list[float]:
        """As `Dome.joints`: at every point [m]."""
        return [r for r, _ in self.points[1:] if r > end]

    def _until(self, end: float) -> Array:
        """Points down to a radius, shape (q, 2) [m]."""
        points = np.array(self.points)
        self._checked(end)
        least = float(points[-1, 0])
        if end < least * (1 - 1e-12):
            raise PartError(
                f"The meridian ends at a radius of {least:g} m, outside of {end:g} m.",
                WHERE,
                "Give points as far in, or choose a wider opening.",
            )
        kept = points[points[:, 0] > end + 1e-10 * points[0, 0]]
        last = np.interp(end, points[::-1, 0], points[::-1, 1])
        return np.concatenate([kept, [[end, float(last)]]])

    def slant(self, radii: Array, end: float) -> Array:
        """As `Dome.slant`, in the radii's shape [1]."""
        points = self._until(end)
        step = np.diff(points, axis=0)
        at = np.searchsorted(-points[1:-1, 0], -np.asarray(radii, float), side="left")
        found: Array = (np.hypot(step[:, 0], step[:, 1]) / -step[:, 0])[at]
        return found

    def integral(self, end: float, value: Callable[[Array, Array, Array], Array]) -> float:
        """As `Dome.integral`, of values of shape (q,), over all lines at once.

        Raises
        ------
        PartError
            Where the meridian does not come as far in.
        """
        points = self._until(end)
        (dr, dz), tau = np.diff(points, axis=0).T[:, :, None], NODES
        weight = np.broadcast_to(WEIGHTS, (len(points) - 1, len(tau)))
        place = np.broadcast_to(tau, weight.shape).copy()
        # Squared towards the end, where the integrand may be singular.
        place[-1], last = 1 - (1 - tau) ** 2, 2 * (1 - tau) * WEIGHTS
        weight = np.concatenate([weight[:-1], last[None]])
        r = points[:-1, :1] + dr * place
        shape = (np.broadcast_to(x, r.shape).ravel() for x in (dr, dz))
        return float(weight.ravel() @ value(r.ravel(), *shape))

    def pieces(self, end: float) -> list[Piece]:
        """A line from point to point.

        Raises
        ------
        PartError
            Where the meridian does not come as far in.
        """
        points = [(float(r), float(z)) for r, z in self._until(end)]
        return [line(a, b) for a, b in itertools.pairwise(points)]

    def curvature(self, radii: Array) -> tuple[Array, Array]:
        """None along straight lines, whatever the shape: membrane forces are not asked for.

        Raises
        ------
        PartError
            Always.
        """
        raise PartError(
            "A meridian of straight lines has no curvature.",
            WHERE,
            "Membrane forces are answered for isotensoids, ellipsoids and torispheres.",
        )


def check_radius(R: float) -> None:
    """Check the radius of a cylinder.

    Raises
    ------
    PartError
        Where it is not above zero.
    """
    if not 0 < R < np.inf:
        raise PartError(
            f"A cylinder's radius of {R:g} m is none.", "Vessel, radius", "Enter one above 0."
        )


def membrane_forces(dome: Dome, radii: Sequence[float] | Array, p: float) -> tuple[Array, Array]:
    """Forces along the meridian and hoop of a closed dome under inner pressure [N/m].

    ``N = p r2 / 2`` and ``p r2 (1 − r2 / (2 r1))``; on the equator those of the dome.

    Parameters
    ----------
    dome : Dome
        The dome.
    radii : sequence of float
        Where [m].
    p : float
        Pressure inside [Pa].

    Raises
    ------
    PartError
        Where the dome has no curvature.
    """
    one, two = dome.curvature(np.asarray(radii, float))
    along = p / (2 * two)
    return along, p / two * (1 - one / (2 * two))
