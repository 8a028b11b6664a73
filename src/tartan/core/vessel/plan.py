"""A winding plan on a vessel: angle and thickness of every layer, each on what lies below it.

Each layer's mandrel is the surface below: the meridian moved outwards along its normal by what is
laid already. On the cylinder a helical layer keeps its thickness; a hoop layer lies between its
ends, which step back pass by pass.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.filler import beside_hoops, inside_crest, ring_volume
from tartan.core.vessel.meridian import Dome, Profile
from tartan.core.vessel.winding import Helical, WoundDome, check_helical

Array = NDArray[np.float64]

POINTS = 240
"""Points of a meridian that is moved outwards."""


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
    places = _Places(mandrel, np.asarray(radius, float), np.asarray(z, float))
    found = []
    for number, layer in enumerate(layers, start=1):
        try:
            found.append(places.lay(layer))
        except PartError as error:
            raise error.of(f"Layer {number}") from error
    return found


class _Places:
    """Places on a mandrel, and how thick it is wound so far, there and along both meridians."""

    def __init__(self, mandrel: Mandrel, radius: Array, z: Array) -> None:
        self.mandrel, self.radius, self.z = mandrel, radius, z
        self.on = (z < 0, z > mandrel.length)
        self.below = np.zeros(radius.shape)
        self.lines = tuple(
            _Line(dome, opening)
            for dome, opening in zip(mandrel.domes, mandrel.openings, strict=True)
        )
        self.wall = 0.0
        """Thickness so far at mid-length, where all hoops lie."""
        lower, upper = (
            line.arc_at(radius[on], rise[on])
            for line, on, rise in zip(self.lines, self.on, (-z, z - mandrel.length), strict=True)
        )
        self.along = z.copy()
        self.along[self.on[0]], self.along[self.on[1]] = -lower, mandrel.length + upper

    def lay(self, layer: Layer) -> LayerOn:
        """Lay one layer on what is there."""
        if isinstance(layer, Plain):
            made = LayerOn(
                np.zeros(self.radius.shape),
                np.full(self.radius.shape, layer.thickness),
                layer.thickness,
                0.0,
            )
            for line in self.lines:
                line.height += layer.thickness
            self.wall += layer.thickness
        elif isinstance(layer, Hoop):
            made = self._hoop(layer)
        else:
            made = self._helical(layer)
        self.below += made.thickness
        if made.filler is not None:
            self.below += made.filler
        return made

    def _hoop(self, layer: Hoop) -> LayerOn:
        check_hoop(layer, self.mandrel.length)
        thickness = np.zeros(self.radius.shape)
        for k in range(layer.passes):
            back = layer.step_back * k
            inside = (self.z >= layer.start + back) & (
                self.z <= self.mandrel.length - layer.end - back
            )
            thickness += np.where(inside, layer.pass_thickness, 0.0)
        whole = layer.passes * layer.pass_thickness
        volume, ring = 0.0, 2 * math.pi * layer.pass_thickness
        for k in range(layer.passes):
            length = self.mandrel.length - layer.start - layer.end - 2 * layer.step_back * k
            volume += ring * (self.mandrel.radius + self.wall + k * layer.pass_thickness) * length
        hoop = np.full(self.radius.shape, np.pi / 2)
        made = LayerOn(hoop, thickness, whole, np.pi / 2, volume)
        if layer.run_out:
            made = self._beside(layer, made)
        self.wall += whole
        return made

    def _beside(self, layer: Hoop, made: LayerOn) -> LayerOn:
        """Hoops with the resin beside their ends, which may reach on to the domes."""
        back: Array = layer.step_back * np.arange(layer.passes, dtype=np.float64)
        length = self.mandrel.length
        first = np.asarray(layer.start + back, np.float64)
        last = np.asarray(length - layer.end - back, np.float64)

        def resin(s: Array) -> Array:
            return beside_hoops(s, (first, last), layer.pass_thickness, layer.run_out)

        reach = made.nominal * layer.run_out
        share = (np.arange(1000) + 0.5) / 1000
        volume = 0.0
        for line, end, sign, start in zip(
            self.lines, (layer.start, layer.end), (-1, 1), (0.0, length), strict=True
        ):
            # Counted from the tangent line on to the dome.
            for s, width in (
                (-end - back[-1] * share, back[-1] / len(share)),
                (-end + reach * share, reach / len(share)),
            ):
                on = s[s <= line.arc[-1]]
                radius = np.interp(on, line.arc, line.r, left=self.mandrel.radius) + self.wall
                volume += 2 * math.pi * width * float(radius @ resin(start + sign * on))
            line.height += resin(start + sign * line.arc)
        return replace(made, filler=resin(self.along), filler_volume=volume)

    def _helical(self, layer: Helical) -> LayerOn:
        check_helical(layer, self.mandrel.radius)
        # As thick as entered on what lies below at mid-length; elsewhere as many tows pass.
        r0 = layer.turning_radius
        R = self.mandrel.radius + self.wall
        c = R * math.sin(layer.angle) if layer.angle else r0
        flux = layer.thickness * math.sqrt(R * R - c * c)
        own = self.mandrel.radius + self.below
        angle = np.arcsin(np.minimum(c / np.maximum(own, c), 1.0))
        thickness = flux / np.sqrt(np.maximum(own**2 - c**2, 1e-300))
        friction = resin_volume = 0.0
        resin = np.zeros(own.shape)
        volume = 2 * math.pi * R * layer.thickness * self.mandrel.length
        ends = zip(self.on, self.lines, (-1, 1), (0.0, self.mandrel.length), strict=True)
        for on, line, sign, start in ends:
            # Friction is told of the bare dome, whose curvature is known.
            made = wound(line.dome if layer.angle else line.surface(), layer)
            friction = max(friction, 0.0 if made.off is None else made.off.friction)
            more = flux / made.flux
            volume += more * made.volume
            if on.any():
                moved = self.radius[on] if layer.angle else line.moved(self.radius[on])
                angle[on], thickness[on] = made.angle(moved), more * made.thickness(moved)
            over = line.r if layer.angle else line.outer()
            tops = None
            if layer.run_out:
                tops, more_resin = line.filled(made, more, layer, over)
                resin_volume += more_resin
                resin[on] = np.maximum(
                    np.interp(self.along[on] * sign - start, *tops) - thickness[on], 0.0
                )
            laid = more * made.thickness(over)
            line.height += laid if tops is None else np.maximum(laid, np.interp(line.arc, *tops))
        self.wall += layer.thickness
        nominal = layer.angle or math.asin(r0 / self.mandrel.radius)
        return LayerOn(
            *(angle, thickness, layer.thickness, nominal, volume, friction),
            *((resin, resin_volume) if layer.run_out else ()),
        )


class _Line:
    """A dome's meridian in points from the equator inwards, with what is wound on it so far."""

    def __init__(self, dome: Dome, opening: float) -> None:
        self.dome, self.opening = dome, opening
        r, z, sine = [], [], []
        pieces = dome.pieces(opening)
        for piece in pieces:
            tau = np.linspace(0.0, 1.0, max(3, POINTS // len(pieces)))
            at = piece.at(tau)
            keep = slice(0 if piece is pieces[0] else 1, None)
            r.append(at[0][keep])
            z.append(at[1][keep])
            length = np.hypot(at[2], at[3])
            sine.append(np.stack([at[3] / length, -at[2] / length])[:, keep])
        self.r, self.z = np.concatenate(r), np.concatenate(z)
        # Outward normal: across the way of the meridian, which goes inwards.
        self.normal = np.concatenate(sine, axis=1)
        self.height = np.zeros(self.r.shape)
        self.arc = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(self.r), np.diff(self.z)))])
        # Rises along the meridian wherever it runs, flat or upright.
        self.mark = np.maximum.accumulate(self.r[0] - self.r + self.z)

    def arc_at(self, radius: Array, rise: Array) -> Array:
        """Length from the equator to places by radius and height over it, of one shape [m]."""
        return np.asarray(np.interp(self.r[0] - radius + rise, self.mark, self.arc))

    def filled(
        self, made: WoundDome, more: float, layer: Helical, over: Array
    ) -> tuple[tuple[Array, Array], float]:
        """Top of a layer and its resin by arc, and the resin's volume [m, m, m³]."""
        near = np.linspace(made.inner, made.outer, 1200)
        arc = np.union1d(self.arc, np.interp(-near, -over, self.arc))
        laid = more * made.thickness(np.interp(arc, self.arc, over))
        top = inside_crest(arc, laid, layer.run_out)
        radius = np.interp(arc, self.arc, over)
        return (arc, top), ring_volume(arc, radius, np.maximum(top - laid, 0.0))

    def outer(self) -> Array:
        """Radii of the surface as it is wound, at the points [m]."""
        return np.asarray(self.r + self.height * self.normal[0])

    def surface(self) -> Dome:
        """The surface as it is wound."""
        if not self.height.any():
            return self.dome
        r, z = self.outer(), self.z + self.height * self.normal[1]
        least = np.minimum.accumulate(r)
        # Where a thick layer below leans over, its edge is what the next one lies on.
        keep = np.concatenate([[True], r[1:] < least[:-1] - 1e-9 * r[0]])
        points = list(zip(r[keep].tolist(), z[keep].tolist(), strict=True))
        if points[-1][0] > self.opening:
            # The boss holds what is wound against it: the surface goes on straight to it.
            (ra, za), (rb, zb) = points[-2:]
            end = zb + (zb - za) / (rb - ra) * (self.opening - rb)
            points.append((self.opening * (1 - 1e-9), end))
        return Profile(tuple(points))

    def moved(self, radii: Array) -> Array:
        """Radii of the surface as it is wound, over places of the mandrel at radii [m]."""
        return np.interp(radii, self.r[::-1], self.outer()[::-1])
