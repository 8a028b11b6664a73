"""A winding plan on a vessel: angle and thickness of every layer, each on what lies below it.

Each layer's mandrel is the surface below: the meridian moved outwards along its normal by what is
laid already. On the cylinder a helical layer keeps its thickness; a hoop layer lies between its
ends, which step back pass by pass.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.filler import beside_hoops
from tartan.core.vessel.meridian import Dome
from tartan.core.vessel.meridian_line import MeridianLine
from tartan.core.vessel.winding import Helical, WoundDome, check_helical

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Hoop:
    """Hoop windings on the cylinder.

    Attributes
    ----------
    start, end : float
        Distance of the first pass from the lower and the upper tangent line, inwards [m].
    pass_thickness : float
        Of one pass [m].
    passes : int
        How many lie on each other.
    step_back : float
        By how much each pass ends before the one below it, at both ends [m].
    run_out : float
        Length in which resin runs out beside its ends, as a multiple of the height; 0 for no
        resin [1].
    """

    start: float
    end: float
    pass_thickness: float
    passes: int = 1
    step_back: float = 0.0
    run_out: float = 0.0


@dataclass(frozen=True)
class Plain:
    """What is not wound, such as a liner: the same thickness everywhere [m]."""

    thickness: float


Layer = Helical | Hoop | Plain


@dataclass(frozen=True)
class Mandrel:
    """Cylinder and domes that are wound.

    Attributes
    ----------
    radius, length : float
        Of the cylinder [m].
    domes : tuple of Dome
        Lower and upper.
    openings : tuple of float
        Radii at which they end [m].
    """

    radius: float
    length: float
    domes: tuple[Dome, Dome]
    openings: tuple[float, float]


@dataclass(frozen=True, eq=False)
class LayerOn:
    """A layer at places of a mandrel; arrays of shape (q,).

    Attributes
    ----------
    angle : ndarray
        From the meridian [rad]; 90° for hoops.
    thickness : ndarray
        Of the whole layer [m]; 0 where it does not lie.
    nominal : float
        Its thickness on the cylinder [m].
    nominal_angle : float
        Its angle there [rad].
    volume : float
        Of the whole layer on the vessel [m³]; 0 where it is not wound.
    friction : float
        That holds it where it is off the geodesic, the greater of both ends' [1].
    filler : ndarray or None
        Thickness of the resin beside it [m].
    filler_volume : float
        Of that on the vessel [m³].
    """

    angle: Array
    thickness: Array
    nominal: float
    nominal_angle: float
    volume: float = 0.0
    friction: float = 0.0
    filler: Array | None = None
    filler_volume: float = 0.0


@lru_cache(maxsize=256)
def wound(dome: Dome, layer: Helical) -> WoundDome:
    """A layer on a dome, remembered: charts and meshes ask for the same."""
    return WoundDome(dome, layer)


def check_hoop(layer: Hoop, length: float) -> Hoop:
    """Return a hoop layer when it can be wound.

    Raises
    ------
    PartError
        Naming the figure, and its limit.
    """
    where = "Winding, hoop"
    if not 0 < layer.pass_thickness < math.inf or not 1 <= layer.passes <= 1000:
        raise PartError(
            f"{layer.passes} passes of {layer.pass_thickness:g} m are no layer.",
            where,
            "Enter a thickness above 0 and 1 pass or more.",
        )
    if not (layer.step_back >= 0 and math.isfinite(layer.start + layer.end)):
        raise PartError(
            f"A step back of {layer.step_back:g} m is none.", where, "Enter 0 or more."
        )
    last = layer.start + layer.end + 2 * layer.step_back * (layer.passes - 1)
    if layer.start < 0 or layer.end < 0 or not last < length:
        raise PartError(
            f"Hoops from {layer.start:g} m to {layer.end:g} m from the ends, stepping back to "
            f"{last:g} m in all, find no room on a cylinder of {length:g} m.",
            where,
            "Begin nearer to the tangent lines, or step back less.",
        )
    return layer


@dataclass(frozen=True, eq=False)
class _OnDome:
    """A helical layer on one dome: how it lies, on which radii of the line's points, its top."""

    made: WoundDome
    more: float
    over: Array
    tops: tuple[Array, Array] | None


@dataclass(frozen=True, eq=False)
class _Course:
    """A layer as it is laid on those below; `wall` is what lies below it at mid-length [m]."""

    layer: Layer
    wall: float
    volume: float = 0.0
    friction: float = 0.0
    filler_volume: float = 0.0
    ends: tuple[_OnDome, ...] = ()


def lay_plan(mandrel: Mandrel, layers: Sequence[Layer], radius: Array, z: Array) -> list[LayerOn]:
    """Lay a plan, layer by layer.

    Parameters
    ----------
    mandrel : Mandrel
        What is wound; its lower tangent line is at z = 0.
    layers : sequence of Layer
        From inside out.
    radius, z : ndarray, shape (q,)
        Places on the mandrel [m].

    Returns
    -------
    list of LayerOn
        One a layer.

    Raises
    ------
    PartError
        Naming the layer that cannot be wound.
    """
    places = np.asarray(radius, float), np.asarray(z, float)
    return planned(mandrel, tuple(layers)).at(*places)


@lru_cache(maxsize=16)
def planned(mandrel: Mandrel, layers: tuple[Layer, ...]) -> Plan:
    """A plan, remembered: meshes, both meridians and paths ask for the same."""
    return Plan(mandrel, layers)


class Plan:
    """Layers laid on each other along both meridians; what lies at places is read from it.

    Raises
    ------
    PartError
        Naming the layer that cannot be wound.
    """

    def __init__(self, mandrel: Mandrel, layers: Sequence[Layer]) -> None:
        self.mandrel = mandrel
        self.lines = tuple(
            MeridianLine(dome, opening)
            for dome, opening in zip(mandrel.domes, mandrel.openings, strict=True)
        )
        self._wall = 0.0
        self._courses: list[_Course] = []
        for number, layer in enumerate(layers, start=1):
            try:
                self._courses.append(self._course(layer))
            except PartError as error:
                raise error.of(f"Layer {number}") from error

    # Laying

    def _course(self, layer: Layer) -> _Course:
        if isinstance(layer, Plain):
            made = _Course(layer, self._wall)
            for line in self.lines:
                line.height += layer.thickness
            self._wall += layer.thickness
            return made
        return self._hoop(layer) if isinstance(layer, Hoop) else self._helical(layer)

    def _hoop(self, layer: Hoop) -> _Course:
        check_hoop(layer, self.mandrel.length)
        volume, ring = 0.0, 2 * math.pi * layer.pass_thickness
        for k in range(layer.passes):
            length = self.mandrel.length - layer.start - layer.end - 2 * layer.step_back * k
            volume += ring * (self.mandrel.radius + self._wall + k * layer.pass_thickness) * length
        resin = self._beside(layer) if layer.run_out else 0.0
        made = _Course(layer, self._wall, volume, filler_volume=resin)
        self._wall += layer.passes * layer.pass_thickness
        return made

    def _resin(self, layer: Hoop, s: Array) -> Array:
        """Resin beside hoops by the length along the meridian from the lower tangent line."""
        back: Array = layer.step_back * np.arange(layer.passes, dtype=np.float64)
        first = np.asarray(layer.start + back, np.float64)
        last = np.asarray(self.mandrel.length - layer.end - back, np.float64)
        return beside_hoops(s, (first, last), layer.pass_thickness, layer.run_out)

    def _beside(self, layer: Hoop) -> float:
        """Lay the resin beside hoops, which may reach on to the domes; its volume [m³]."""
        back = layer.step_back * (layer.passes - 1)
        reach = layer.passes * layer.pass_thickness * layer.run_out
        share = (np.arange(1000) + 0.5) / 1000
        volume = 0.0
        for line, end, (sign, start) in zip(
            self.lines, (layer.start, layer.end), self._ways, strict=True
        ):
            # Counted from the tangent line on to the dome.
            for s, width in (
                (-end - back * share, back / len(share)),
                (-end + reach * share, reach / len(share)),
            ):
                on = s[s <= line.arc[-1]]
                radius = np.interp(on, line.arc, line.r, left=self.mandrel.radius) + self._wall
                volume += (
                    2 * math.pi * width * float(radius @ self._resin(layer, start + sign * on))
                )
            line.height += self._resin(layer, start + sign * line.arc)
        return volume

    @property
    def _ways(self) -> tuple[tuple[int, float], tuple[int, float]]:
        """Sign and place at which both domes begin, along the meridian."""
        return (-1, 0.0), (1, self.mandrel.length)

    def _flux(self, layer: Helical, wall: float) -> tuple[float, float]:
        """T r cos α that the tow conserves [m²], and r sin α on the cylinder [m]."""
        # As thick as entered on what lies below at mid-length; elsewhere as many tows pass.
        R = self.mandrel.radius + wall
        c = R * math.sin(layer.angle) if layer.angle else layer.turning_radius
        return layer.thickness * math.sqrt(R * R - c * c), c

    def _helical(self, layer: Helical) -> _Course:
        check_helical(layer, self.mandrel.radius)
        flux, _ = self._flux(layer, self._wall)
        R = self.mandrel.radius + self._wall
        volume = 2 * math.pi * R * layer.thickness * self.mandrel.length
        friction = filled = 0.0
        ends = []
        for line in self.lines:
            # Friction is told of the bare dome, whose curvature is known.
            made = wound(line.dome if layer.angle else line.surface(), layer)
            friction = max(friction, 0.0 if made.off is None else made.off.friction)
            more = flux / made.flux
            volume += more * made.volume
            over = line.r if layer.angle else line.outer()
            tops = None
            if layer.run_out:
                tops, resin = line.filled(made, more, layer, over)
                filled += resin
            ends.append(_OnDome(made, more, over, tops))
            laid = more * made.thickness(over)
            line.height += laid if tops is None else np.maximum(laid, np.interp(line.arc, *tops))
        made_of = _Course(layer, self._wall, volume, friction, filled, tuple(ends))
        self._wall += layer.thickness
        return made_of

    # Reading

    def at(self, radius: Array, z: Array) -> list[LayerOn]:
        """What lies at places of the mandrel, radius and z of shape (q,) [m]: one a layer."""
        on = (z < 0, z > self.mandrel.length)
        along = z.copy()
        rises = (-z, z - self.mandrel.length)
        for line, here, rise, (sign, start) in zip(self.lines, on, rises, self._ways, strict=True):
            along[here] = start + sign * line.arc_at(radius[here], rise[here])
        below = np.zeros(radius.shape)
        found = []
        for course in self._courses:
            layer = course.layer
            if isinstance(layer, Plain):
                thick = np.full(radius.shape, layer.thickness)
                made = LayerOn(np.zeros(radius.shape), thick, layer.thickness, 0.0)
            elif isinstance(layer, Hoop):
                made = self._hoop_at(layer, course, z, along)
            else:
                made = self._helical_at(layer, course, (radius, below, along), on)
            below += made.thickness
            if made.filler is not None:
                below += made.filler
            found.append(made)
        return found

    def _hoop_at(self, layer: Hoop, course: _Course, z: Array, along: Array) -> LayerOn:
        thickness = np.zeros(z.shape)
        for k in range(layer.passes):
            back = layer.step_back * k
            inside = (z >= layer.start + back) & (z <= self.mandrel.length - layer.end - back)
            thickness += np.where(inside, layer.pass_thickness, 0.0)
        whole = layer.passes * layer.pass_thickness
        resin = self._resin(layer, along) if layer.run_out else None
        hoop = np.full(z.shape, np.pi / 2)
        return LayerOn(
            *(hoop, thickness, whole, np.pi / 2, course.volume),
            *(0.0, resin, course.filler_volume),
        )

    def _helical_at(
        self,
        layer: Helical,
        course: _Course,
        places: tuple[Array, Array, Array],
        on: tuple[NDArray[np.bool_], NDArray[np.bool_]],
    ) -> LayerOn:
        radius, below, along = places
        flux, c = self._flux(layer, course.wall)
        own = self.mandrel.radius + below
        angle = np.arcsin(np.minimum(c / np.maximum(own, c), 1.0))
        thickness = flux / np.sqrt(np.maximum(own**2 - c**2, 1e-300))
        resin = np.zeros(own.shape) if layer.run_out else None
        for here, line, end, (sign, start) in zip(
            on, self.lines, course.ends, self._ways, strict=True
        ):
            if not here.any():
                continue
            moved = radius[here]
            if not layer.angle:
                moved = np.interp(moved, line.r[::-1], end.over[::-1])
            angle[here] = end.made.angle(moved)
            thickness[here] = end.more * end.made.thickness(moved)
            if resin is not None and end.tops is not None:
                top = np.interp(sign * (along[here] - start), *end.tops)
                resin[here] = np.maximum(top - thickness[here], 0.0)
        nominal = layer.angle or math.asin(layer.turning_radius / self.mandrel.radius)
        return LayerOn(
            *(angle, thickness, layer.thickness, nominal, course.volume),
            *(course.friction, resin, course.filler_volume),
        )
