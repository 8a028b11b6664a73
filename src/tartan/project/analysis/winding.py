"""The winding plan of a vessel: wound rungs of its ladder as plies that vary over the rings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.vessel_shape import ENDS, End, Vessel, meridian_of
from tartan.core.stack import Ply, Stack
from tartan.core.vessel.plan import Hoop, Layer, LayerOn, Mandrel, Plain, lay_plan
from tartan.core.vessel.polar import polar_angle
from tartan.core.vessel.winding import Helical, check_helical
from tartan.project.document.partmodel import Part, Rung, Surface

CYLINDER_POINTS, DOME_POINTS = 60, 241
"""Points along half of a vessel's meridian."""

THINNEST = 1e-3
"""Where a ply is thinner than this share of its own thickness it is not laid."""

ALIKE = 1e-9
"""Places of a ring differ by less, as a share of the vessel's radius."""

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def mandrel_of(shape: Vessel) -> Mandrel:
    """What is wound of a vessel.

    Raises
    ------
    PartError
        Where its domes cannot be.
    """
    lower, upper = (shape.dome(end) for end in ENDS)
    openings = (shape.opening("lower"), shape.opening("upper"))
    return Mandrel(shape.radius, shape.length, (lower, upper), openings)


def vessel_of(surface: Surface, where: str) -> Vessel:
    """The vessel that a layer is wound on.

    Raises
    ------
    PartError
        Where the surface is none.
    """
    if not isinstance(surface, Vessel):
        raise PartError(
            "Only a vessel can be wound.", where, "Choose the surface 'vessel', or lay a ply."
        )
    return surface


def layer_of(rung: Rung, shape: Vessel) -> Layer:
    """A wound rung as the core winds it.

    Raises
    ------
    PartError
        Where a polar one finds no room.
    """
    wound, ply = rung.wound, rung.ply
    assert wound is not None
    assert ply is not None
    if wound.sort == "hoop":
        return Hoop(
            wound.start,
            wound.end,
            ply.thickness * wound.coverage,
            wound.count,
            wound.step_back,
            wound.run_out if wound.filler else 0.0,
        )
    opening = wound.opening or max(shape.opening(end) for end in ENDS)
    layer = Helical(
        opening,
        wound.bandwidth,
        ply.thickness,
        wound.turning,
        wound.coverage,
        wound.count,
        float(np.radians(wound.angle)),
        wound.run_out if wound.filler else 0.0,
    )
    if wound.sort == "polar":
        mandrel = mandrel_of(shape)
        check_helical(layer, shape.radius)
        return replace(layer, angle=polar_angle(mandrel, layer.turning_radius))
    return layer


def places_on(mesh: Mesh) -> tuple[Array, Array]:
    """Radius and height of the elements of a vessel, by their corners, shape (m,) [m]."""
    corners = mesh.nodes[mesh.corner_table]
    radius = np.hypot(corners[..., 0], corners[..., 1]).mean(axis=1)
    return radius, corners[..., 2].mean(axis=1)


def plan_of(part: Part, stacks: Mapping[str, Stack], mesh: Mesh) -> dict[int, LayerOn]:
    """Angle and thickness of every wound rung on every element, by the rung's number.

    Rungs between them, and those that are switched off, count as they are laid.

    Raises
    ------
    PartError
        Naming the rung that cannot be wound.
    """
    if not any(r.wound is not None and r.active for r in part.lay_up):
        return {}
    shape = vessel_of(part.surface, "Lay-up")
    layers = numbered_layers(part, stacks, shape)
    return dict(zip((n for n, _ in layers), _laid(shape, layers, mesh), strict=True))


Numbered = tuple[tuple[int, Layer], ...]


def numbered_layers(part: Part, stacks: Mapping[str, Stack], shape: Vessel) -> Numbered:
    """Layers that are laid, with the numbers of their rungs."""
    layers: list[tuple[int, Layer]] = []
    for number, rung in enumerate(part.lay_up):
        if not rung.active:
            continue
        if rung.wound is not None:
            layers.append((number, layer_of(rung, shape)))
        elif rung.region == "":
            # What lies on the whole of it lifts what is wound on top; patches do not.
            layers.append((number, Plain(_thickness(rung, stacks))))
    return tuple(layers)


@lru_cache(maxsize=16)
def _laid(shape: Vessel, layers: Numbered, mesh: Mesh) -> tuple[LayerOn, ...]:
    # Elements of a ring lie alike: the plan is laid once for each ring.
    places = np.stack(places_on(mesh))
    alike = np.round(places / (ALIKE * shape.radius)).astype(np.int64)
    _, first, ring = np.unique(alike, axis=1, return_index=True, return_inverse=True)
    ring = ring.ravel()
    return tuple(
        replace(
            on,
            angle=on.angle[ring],
            thickness=on.thickness[ring],
            filler=None if on.filler is None else on.filler[ring],
        )
        for on in lay_all(shape, layers, *places[:, first])
    )


def lay_all(shape: Vessel, layers: Numbered, radius: Array, z: Array) -> tuple[LayerOn, ...]:
    """Lay layers at places of a vessel, radius and z of shape (q,) [m].

    Raises
    ------
    PartError
        Naming the rung that cannot be wound.
    """
    try:
        return tuple(lay_plan(mandrel_of(shape), [each for _, each in layers], radius, z))
    except PartError as error:
        at = error.subject.removeprefix("Layer ")
        if not at.isdigit():
            raise
        number = layers[int(at) - 1][0] + 1
        raise PartError(error.what, f"Lay-up, rung {number}", error.mend) from error


def _thickness(rung: Rung, stacks: Mapping[str, Stack]) -> float:
    if rung.ply is not None:
        return rung.ply.thickness
    found = stacks.get(rung.stack)
    return 0.0 if found is None else found.thickness


@dataclass(frozen=True, eq=False)
class AlongMeridian:
    """A winding plan along half of a vessel, from the middle of the cylinder to an opening.

    Attributes
    ----------
    arc : ndarray, shape (q,)
        Length along the meridian, zero at the tangent line, positive on the dome [m].
    radius, z : ndarray, shape (q,)
        Of the mandrel; z from the tangent line outwards [m].
    normal : ndarray, shape (q, 2)
        Outwards, along r and z.
    layers : tuple of (int, LayerOn)
        Rungs by their numbers, and how they lie, arrays of shape (q,).
    """

    arc: Array
    radius: Array
    z: Array
    normal: Array
    layers: tuple[tuple[int, LayerOn], ...]


def along_meridian(part: Part, stacks: Mapping[str, Stack], end: End) -> AlongMeridian:
    """Lay the winding plan along the meridian of one end.

    Raises
    ------
    PartError
        Where the surface is no vessel, or naming the rung that cannot be wound.
    """
    shape = vessel_of(part.surface, "Winding")
    line = meridian_of(shape.dome(end), shape.opening(end))
    # Closer towards the opening, where all changes fast.
    share = np.sin(np.linspace(0.0, np.pi / 2, DOME_POINTS))
    r, rise = line.at(share)
    half = shape.length / 2
    back = np.linspace(-half, 0.0, CYLINDER_POINTS, endpoint=False)
    radius = np.concatenate([np.full(CYLINDER_POINTS, shape.radius), r])
    z = np.concatenate([back, rise])
    arc = np.concatenate([back, share * line.length])
    step = np.gradient(np.stack([radius, z]), axis=1, edge_order=1)
    normal = np.stack([step[1], -step[0]], axis=1) / np.hypot(*step)[:, None]
    # As the core counts: the lower tangent line at zero.
    own = -z if end == "lower" else shape.length + z
    layers = numbered_layers(part, stacks, shape)
    found = lay_all(shape, layers, radius, own)
    return AlongMeridian(
        arc, radius, z, normal, tuple(zip((n for n, _ in layers), found, strict=True))
    )


def nominal_plies(rung: Rung, surface: Surface) -> tuple[Ply, ...]:
    """Plies of a wound rung as they lie on the cylinder; the bare ply where it cannot be wound.

    Resin beside its ends is the last, as high as the whole layer.
    """
    wound, ply = rung.wound, rung.ply
    if wound is None or ply is None:
        return () if ply is None else (ply,)
    thick = ply.thickness * wound.coverage
    if wound.sort == "hoop":
        plies: tuple[Ply, ...] = (replace(ply, angle=90.0, thickness=thick * wound.count),)
    else:
        angle = 0.0
        if isinstance(surface, Vessel):
            layer = layer_of(rung, surface)
            assert isinstance(layer, Helical)
            geodesic = np.arcsin(min(1.0, layer.turning_radius / surface.radius))
            angle = float(np.degrees(layer.angle or geodesic))
        pair = tuple(replace(ply, angle=sign * angle, thickness=thick) for sign in (1.0, -1.0))
        plies = pair * wound.count
    if not wound.filler:
        return plies
    return (*plies, Ply(wound.filler, 0.0, sum(p.thickness for p in plies)))


def laid_over(rung: Rung, surface: Surface, on: LayerOn) -> list[tuple[Ply, Index, Array, Array]]:
    """A wound rung ply by ply: the ply, its elements, turn [deg] and thickness factor.

    Turn and factor have shape (q,) for q elements; helical plies come as pairs, + then −, and
    resin last.
    """
    wound, plies = rung.wound, nominal_plies(rung, surface)
    assert wound is not None
    fibres, resin = (plies[:-1], plies[-1:]) if wound.filler else (plies, ())
    here = np.flatnonzero(on.thickness > THINNEST * on.nominal)
    factor = on.thickness[here] / on.nominal
    turn = np.degrees(on.angle[here] - on.nominal_angle)
    found = []
    for k, ply in enumerate(fibres):
        way = 0.0 if wound.sort == "hoop" else (-1.0) ** k
        found.append((ply, here, way * turn, factor))
    for ply in resin:
        height = np.zeros(0) if on.filler is None else on.filler
        here = np.flatnonzero(height > THINNEST * ply.thickness)
        found.append((ply, here, np.zeros(len(here)), height[here] / ply.thickness))
    return found
