"""A vessel as a surface: a cylinder along z between two domes with an opening each."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell import surfaces
from tartan.core.shell.cyclic import FAR, NEAR
from tartan.core.shell.mesh import Mesh
from tartan.core.vessel.isotensoid import Isotensoid
from tartan.core.vessel.meridian import Dome, Ellipsoid, Profile, Torisphere, check_radius

Array = NDArray[np.float64]
DomeSort = Literal["isotensoid", "ellipsoid", "torisphere", "table"]
End = Literal["lower", "upper"]

DOME_SORTS: tuple[DomeSort, ...] = ("isotensoid", "ellipsoid", "torisphere", "table")
ENDS: tuple[End, ...] = ("lower", "upper")

CYLINDER, LOWER, UPPER = "cylinder", "lower dome", "upper dome"
"""Regions of a vessel."""

LEAST_OPENING = 1e-3
"""Least radius of an opening as a share of the cylinder's."""

FINEST = 0.3
"""Length of the elements at an opening as a share of those on the cylinder."""

MOST_PARTS = 360
"""Parts of a ring."""

_SAMPLES = 400


@dataclass(frozen=True)
class Vessel:
    """A cylinder along z with two domes; its lower tangent line is at z = 0 [m].

    Attributes
    ----------
    radius, length : float
        Of the cylinder, between the tangent lines.
    lower_dome, upper_dome : {"isotensoid", "ellipsoid", "torisphere", "table"}
        Sort of each dome.
    lower_opening, upper_opening : float
        Radius of the polar opening, which the boss fills.
    lower_turn, upper_turn : float
        Of an isotensoid: where the fibres turn that it is made for; 0 for at the opening.
    lower_height, upper_height : float
        Of an ellipsoid.
    lower_crown, upper_crown, lower_knuckle, upper_knuckle : float
        Radii of a torisphere.
    lower_points, upper_points : tuple of (float, float)
        Of a table: radius, and height over the tangent line, from there inwards.
    parts : int
        Equal parts of the ring of which one is meshed; 1 for the whole.
    """

    radius: float
    length: float
    lower_dome: DomeSort = "isotensoid"
    lower_opening: float = 0.03
    lower_turn: float = 0.0
    lower_height: float = 0.1
    lower_crown: float = 0.3
    lower_knuckle: float = 0.03
    upper_dome: DomeSort = "isotensoid"
    upper_opening: float = 0.03
    upper_turn: float = 0.0
    upper_height: float = 0.1
    upper_crown: float = 0.3
    upper_knuckle: float = 0.03
    lower_points: tuple[tuple[float, float], ...] = ()
    upper_points: tuple[tuple[float, float], ...] = ()
    parts: int = 1
    kind: Literal["vessel"] = "vessel"

    def dome(self, end: End) -> Dome:
        """Dome of an end.

        Raises
        ------
        PartError
            Where its figures make no dome.
        """
        sort: DomeSort = getattr(self, f"{end}_dome")
        if sort == "ellipsoid":
            return Ellipsoid(self.radius, getattr(self, f"{end}_height"))
        if sort == "torisphere":
            crown, knuckle = getattr(self, f"{end}_crown"), getattr(self, f"{end}_knuckle")
            return Torisphere(self.radius, crown, knuckle)
        if sort == "table":
            return self._table(end)
        return Isotensoid(self.radius, getattr(self, f"{end}_turn") or self.opening(end))

    def _table(self, end: End) -> Dome:
        points: tuple[tuple[float, float], ...] = getattr(self, f"{end}_points")
        if not points:
            raise PartError(
                "No meridian has been read.",
                f"Surface, {end} dome",
                "Read one from a file, or paste its points.",
            )
        first = points[0][0]
        if not abs(first - self.radius) <= 1e-6 * self.radius:
            raise PartError(
                f"The meridian begins at {first:g} m, the cylinder has {self.radius:g} m.",
                f"Surface, {end} dome",
                f"Make the radius {first:g} m, or read another.",
            )
        return Profile(((self.radius, points[0][1]), *points[1:]))

    def opening(self, end: End) -> float:
        """Radius of an end's opening [m]."""
        return float(getattr(self, f"{end}_opening"))


def check_vessel(shape: Vessel) -> None:
    """Refuse a vessel that cannot be.

    Raises
    ------
    PartError
        Naming the figure.
    """
    check_radius(shape.radius)
    if not 0 < shape.length < math.inf:
        raise PartError(
            f"A cylinder {shape.length:g} m long is none.",
            "Surface, length",
            "Enter a positive length.",
        )
    if not 1 <= shape.parts <= MOST_PARTS:
        raise PartError(
            f"A ring of {shape.parts} parts is none.",
            "Surface, parts of the ring",
            f"Enter 1 for the whole ring, to {MOST_PARTS}.",
        )
    for end in ENDS:
        opening = shape.opening(end)
        for name, value in (("opening", opening), ("turn", getattr(shape, f"{end}_turn"))):
            if value and abs(value) < LEAST_OPENING * shape.radius:
                raise PartError(
                    f"The {end} {name} of {value:g} m is all but closed.",
                    f"Surface, {end} {name}",
                    f"Choose one from {LEAST_OPENING * shape.radius:g} m on.",
                )
        if not 0 < opening < shape.radius:
            raise PartError(
                f"The {end} opening of {opening:g} m is not between 0 and the radius "
                f"{shape.radius:g} m.",
                f"Surface, {end} opening",
                "Choose a smaller one, above 0.",
            )
        shape.dome(end)


@dataclass(frozen=True, eq=False)
class Meridian:
    """A dome's meridian by its arc length, from the tangent line to the opening.

    Attributes
    ----------
    length : float
        Of the arc [m].
    dome : Dome
        The dome.
    opening : float
        Radius where it ends [m].
    """

    dome: Dome
    opening: float
    length: float
    _starts: tuple[float, ...]
    _tables: tuple[tuple[Array, Array], ...]

    def at(self, share: Array) -> tuple[Array, Array]:
        """Radius and height over the tangent line at shares of the arc, in their shape [m]."""
        s = np.asarray(share, float) * self.length
        r, z = np.empty(s.shape), np.empty(s.shape)
        pieces = self.dome.pieces(self.opening)
        which = np.clip(np.searchsorted(self._starts, s, side="right") - 1, 0, len(pieces) - 1)
        for k, piece in enumerate(pieces):
            here = which == k
            if here.any():
                arc, tau = self._tables[k]
                found = piece.at(np.interp(s[here] - self._starts[k], arc, tau))
                r[here], z[here] = found[0], found[1]
        return r, z


@lru_cache(maxsize=32)
def meridian_of(dome: Dome, opening: float) -> Meridian:
    """Meridian of a dome down to its opening.

    Raises
    ------
    PartError
        Where the dome does not come as far in.
    """
    starts, tables, total = [], [], 0.0
    for piece in dome.pieces(opening):
        tau = np.linspace(0.0, 1.0, _SAMPLES + 1)
        middle = (tau[:-1] + tau[1:]) / 2
        step = np.hypot(*piece.at(middle)[2:]) / _SAMPLES
        arc = np.concatenate([[0.0], np.cumsum(step)])
        starts.append(total)
        tables.append((arc, tau))
        total += float(arc[-1])
    return Meridian(dome, opening, total, tuple(starts), tuple(tables))


def vessel_mesh(shape: Vessel, size: float) -> Mesh:
    """Mesh of a vessel, normals outwards, with rings that are finer towards the openings.

    Raises
    ------
    PartError
        Figures that make no vessel, or too many elements.
    """
    check_vessel(shape)
    turn = 2 * math.pi / shape.parts
    around = surfaces.element_count(turn * shape.radius, size, 8 if shape.parts == 1 else 1)
    cuts = {} if shape.parts == 1 else {"u0": NEAR, "u1": FAR}
    patches = []
    for end, region in zip(ENDS, (LOWER, UPPER), strict=True):
        line = meridian_of(shape.dome(end), shape.opening(end))
        mean = (1 - FINEST) / math.log(1 / FINEST)
        count = surfaces.element_count(line.length, size * mean, 4)
        below = end == "lower"

        edges = {"v0": "lower edge"} if below else {"v1": "upper edge"}
        edges |= cuts
        grade = (1.0, 1 / FINEST if below else FINEST)
        patches.append(
            surfaces.Patch(_dome_place(shape, line, below), (around, count), region, edges, grade)
        )

    def wall(u: Array, v: Array) -> Array:
        return _turned(u * turn, np.full_like(v, shape.radius), shape.length * v)

    along = surfaces.element_count(shape.length, size, 1)
    ends = {"v0": "lower tangent line", "v1": "upper tangent line", **cuts}
    patches.insert(1, surfaces.Patch(wall, (around, along), CYLINDER, ends))
    return surfaces.join(patches)


def _dome_place(shape: Vessel, line: Meridian, below: bool) -> surfaces.Place:
    def place(u: Array, v: Array) -> Array:
        r, z = line.at(1 - v if below else v)
        return _turned(2 * math.pi / shape.parts * u, r, -z if below else shape.length + z)

    return place


def _turned(u: Array, r: Array, z: Array) -> Array:
    return np.stack([r * np.cos(u), r * np.sin(u), z], axis=-1)


def on_vessel(shape: Vessel, points: Array) -> Array:
    """Points near a vessel carried to it along the radius, shape (q, 3) [m]."""
    z = points[:, 2]
    radius = np.full(len(points), shape.radius)
    for end, height in zip(ENDS, (-z, z - shape.length), strict=True):
        line = meridian_of(shape.dome(end), shape.opening(end))
        r, rise = line.at(np.linspace(0.0, 1.0, 2001))
        beyond = height > 0
        radius[beyond] = np.interp(height[beyond], rise, r)
    own = np.hypot(points[:, 0], points[:, 1])
    factor = np.where(own > 0, radius / np.where(own > 0, own, 1.0), 1.0)
    return np.asarray(points * np.stack([factor, factor, np.ones_like(z)], axis=1))
