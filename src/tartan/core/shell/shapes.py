"""The parametric surfaces a part can have, and their meshes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, fields, is_dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH, beyond
from tartan.core.errors import PartError
from tartan.core.shell import surfaces
from tartan.core.shell.mesh import (
    EDGES,
    MOST_ELEMENTS,
    Mesh,
    Opening,
    Pad,
    Panel,
    arc_height,
    check_panel,
    grid_mesh,
)
from tartan.core.shell.mesher import Finer, collected, generate, gmsh, session
from tartan.core.shell.refine import refined
from tartan.core.shell.vessel_shape import Vessel, on_vessel, vessel_mesh

Array = NDArray[np.float64]

FIELD = "field"
"""Region of a panel outside its pads."""

MANY = 5000
"""Elements of a trimmed panel from which pairs of triangles are no longer sought one by one."""

BEYOND = 20
"""Times the most elements there may be from which nothing is meshed to count them; the count
ahead is a rough one."""

PINCH = 0.02
"""Least distance between openings, pads and edges, as a share of the panel's smaller side."""


@dataclass(frozen=True)
class Tube:
    """Circular tube along z [m]."""

    radius: float
    length: float
    kind: Literal["tube"] = "tube"


@dataclass(frozen=True)
class Cone:
    """Cone along z; an upper radius of zero closes it [m]."""

    lower_radius: float
    upper_radius: float
    height: float
    kind: Literal["cone"] = "cone"


@dataclass(frozen=True)
class Dome:
    """Ellipsoidal dome of revolution about z, with an opening of a radius at its top [m]."""

    radius: float
    height: float
    opening: float = 0.0
    kind: Literal["dome"] = "dome"


@dataclass(frozen=True)
class StiffenedPanel:
    """Flat panel with blades, or hats where `foot` is not zero, along x on its upper side [m]."""

    length: float
    width: float
    count: int = 3
    height: float = 0.05
    foot: float = 0.0
    kind: Literal["stiffened panel"] = "stiffened panel"


Shape = Panel | Tube | Cone | Dome | StiffenedPanel | Vessel


def mesh_of(shape: Shape, size: float, finer: Sequence[Finer] = ()) -> Mesh:
    """Mesh a parametric surface.

    Parameters
    ----------
    shape : Shape
        The surface.
    size : float
        Element size [m].
    finer : sequence of Finer
        Smaller elements around edges and points.

    Raises
    ------
    PartError
        Dimensions, sizes or refinements that make no sense.
    """
    check_shape(shape, size, finer)
    if isinstance(shape, Panel):
        if is_trimmed(shape, finer):
            return trimmed_panel(shape, size, finer)
        return replace(grid_mesh(shape, *check_panel(shape, size)))
    mesh = _mapped(shape, size)
    for number, each in enumerate(finer, start=1):
        mesh = refined(mesh, each, number, lambda points: on_surface(shape, points))
    return mesh


def is_trimmed(shape: Shape, finer: Sequence[Finer] = ()) -> bool:
    """Whether a surface is meshed without a pattern, which takes its time."""
    return isinstance(shape, Panel) and bool(shape.openings or shape.pads or finer)


def check_shape(shape: Shape, size: float, finer: Sequence[Finer] = ()) -> None:
    """Refuse what can be seen to be wrong before anything is meshed.

    Raises
    ------
    PartError
        Figures beyond all parts, cut-outs that cannot be, or elements without number.
    """
    _refuse_beyond(shape, "Surface")
    for number, each in enumerate(finer, start=1):
        _refuse_beyond(each, f"Refinement {number}")
    if size > MOST_LENGTH or 0 < size < LEAST_LENGTH:
        what = f"The mesh size of {size:g} m is beyond {LEAST_LENGTH:g} m to {MOST_LENGTH:g} m."
        raise PartError(what, "Mesh size", "Check its unit.")
    if not (isinstance(shape, Panel) and is_trimmed(shape, finer)):
        return
    check_panel(shape, size)
    _check_cut(shape)
    count = expected_elements(shape, size, finer)
    if count > BEYOND * MOST_ELEMENTS:
        raise PartError(
            f"The mesh would have about {count:.2g} elements.",
            "Mesh size",
            "Choose a larger size, also where elements are smaller.",
        )


def _refuse_beyond(record: Any, where: str) -> None:
    """Refuse lengths that no part has, in a record and those that it holds."""
    for field in fields(record):
        value = getattr(record, field.name)
        for each in value if isinstance(value, tuple) else (value,):
            if is_dataclass(each):
                _refuse_beyond(each, f"{where}, {getattr(each, 'name', field.name)}")
            elif isinstance(each, float) and beyond(each, MOST_LENGTH):
                name = field.name.replace("_", " ")
                what = f"The {name} of {each:g} m is beyond ±{MOST_LENGTH:g} m."
                raise PartError(what, f"{where}, {name}", "Check its unit.")


def _mapped(shape: Tube | Cone | Dome | StiffenedPanel | Vessel, size: float) -> Mesh:
    if isinstance(shape, Vessel):
        return vessel_mesh(shape, size)
    if isinstance(shape, Tube):
        return surfaces.tube(shape.radius, shape.length, size)
    if isinstance(shape, Cone):
        return surfaces.cone(shape.lower_radius, shape.upper_radius, shape.height, size)
    if isinstance(shape, Dome):
        return surfaces.dome(shape.radius, shape.height, size, shape.opening)
    return surfaces.stiffened_panel(
        shape.length, shape.width, size, shape.count, shape.height, shape.foot
    )


def on_surface(shape: Tube | Cone | Dome | StiffenedPanel | Vessel, points: Array) -> Array:
    """Points near a surface of revolution carried to it along the radius, shape (q, 3) [m]."""
    if isinstance(shape, StiffenedPanel):
        return points
    if isinstance(shape, Vessel):
        return on_vessel(shape, points)
    z = points[:, 2]
    if isinstance(shape, Tube):
        radius = np.full_like(z, shape.radius)
    elif isinstance(shape, Cone):
        radius = shape.lower_radius + (shape.upper_radius - shape.lower_radius) * z / shape.height
    else:
        radius = shape.radius * np.sqrt(np.maximum(1 - (z / shape.height) ** 2, 0.0))
    own = np.hypot(points[:, 0], points[:, 1])
    factor = np.where(own > 0, radius / np.where(own > 0, own, 1.0), 1.0)
    return np.asarray(points * np.stack([factor, factor, np.ones_like(z)], axis=1))


def expected_elements(panel: Panel, size: float, finer: Sequence[Finer] = ()) -> float:
    """About how many elements a trimmed panel will have: those of its area, and of refinements.

    Parameters
    ----------
    panel : Panel
        The panel; its cut-outs are counted as if they were filled.
    size : float
        Element size [m].
    finer : sequence of Finer
        Smaller elements around edges and points.
    """
    if not size > 0:
        return 0.0
    whole, long = panel.length * panel.width, max(panel.length, panel.width)
    # Divided one after the other: the square of a tiny size is zero.
    count = whole / size / size
    for each in finer:
        reach = max(each.reach, 0.0)
        area = min(whole, reach * (long if each.edge else math.pi * reach))
        if each.size > 0:
            # Sizes stay at the finer one over the first 0.15 of the reach, and grow from there.
            count += 0.25 * area / each.size / each.size
    return count


def trimmed_panel(panel: Panel, size: float, finer: Sequence[Finer] = ()) -> Mesh:
    """Mesh a panel with openings and pads: trimmed in plan, then lifted to its curvature.

    Raises
    ------
    PartError
        Openings or pads that overlap or leave the panel, or as `generate`.
    """
    check_shape(panel, size, finer)
    with session():
        faces, curves = _plan(panel)
        # Distances are measured in plan.
        plan = [replace(f, at=(f.at[0], f.at[1], 0.0)) for f in finer]
        generate(size, curves, plan, many=expected_elements(panel, size, finer) > MANY)
        flat = collected(faces, curves)
    x, y = flat.nodes[:, 0], flat.nodes[:, 1]
    nodes = flat.nodes.copy()
    nodes[:, 2] = arc_height(x, panel.radius_x) + arc_height(y, panel.radius_y)
    mesh = replace(flat, nodes=nodes)
    down = np.flatnonzero(mesh.normals()[:, 2] < 0)
    if len(down):
        quads, triangles = mesh.quads.copy(), mesh.triangles.copy()
        first, second = down[down < len(quads)], down[down >= len(quads)] - len(quads)
        quads[first], triangles[second] = quads[first, ::-1], triangles[second, ::-1]
        mesh = replace(mesh, quads=quads, triangles=triangles)
    centre = mesh.centres()[:, :2]
    places = centre / np.array([panel.length, panel.width]) + 0.5
    return replace(mesh, places=places)


def _check_cut(panel: Panel) -> None:
    """Openings and pads lie on the panel, apart from each other."""
    least = PINCH * min(panel.length, panel.width)
    boxes: list[tuple[str, float, float, float, float]] = []
    names = {FIELD, *EDGES}
    every: tuple[Opening | Pad, ...] = (*panel.openings, *panel.pads)
    for each in every:
        if not each.name.strip() or each.name in names:
            raise PartError(
                f"The name '{each.name}' is empty or taken.",
                "Surface",
                "Give every opening and pad a name of its own.",
            )
        names.add(each.name)
        wide, tall = each.size
        where = f"Surface, {each.name}"
        if not (math.isfinite(each.x + each.y + wide + tall) and min(wide, tall) > 0):
            raise PartError("It needs a size greater than zero.", where, "Enter a positive size.")
        box = (
            each.name,
            each.x - wide / 2,
            each.x + wide / 2,
            each.y - tall / 2,
            each.y + tall / 2,
        )
        half = (panel.length / 2 - least, panel.width / 2 - least)
        if box[1] < -half[0] or box[2] > half[0] or box[3] < -half[1] or box[4] > half[1]:
            raise PartError(
                "It reaches over the panel's edge.",
                where,
                f"Keep it at least {least:.2g} m inside.",
            )
        for other in boxes:
            if (
                box[1] < other[2] + least
                and other[1] < box[2] + least
                and box[3] < other[4] + least
                and other[3] < box[4] + least
            ):
                raise PartError(f"It meets '{other[0]}'.", where, "Move them apart.")
        boxes.append(box)


def _plan(panel: Panel) -> tuple[dict[str, list[int]], dict[str, list[int]]]:
    """Faces and curves of the panel's plan in the current model, by name."""
    occ = gmsh.model.occ
    a, b = panel.length, panel.width
    sheet = (2, occ.addRectangle(-a / 2, -b / 2, 0, a, b))
    for each in panel.openings:
        occ.cut([sheet], [(2, _opening(each))])
    pads = [(2, occ.addDisk(p.x, p.y, 0, p.diameter / 2, p.diameter / 2)) for p in panel.pads]
    if pads:
        occ.fragment([sheet], pads)
    occ.synchronize()
    faces: dict[str, list[int]] = {FIELD: []}
    faces |= {p.name: [] for p in panel.pads}
    for _, face in gmsh.model.getEntities(2):
        x, y, _ = gmsh.model.occ.getCenterOfMass(2, face)
        area = gmsh.model.occ.getMass(2, face)
        owner = next((p.name for p in panel.pads if _is_pad(p, x, y, area)), FIELD)
        faces[owner].append(face)
    curves: dict[str, list[int]] = {name: [] for name in EDGES}
    curves |= {o.name: [] for o in panel.openings} | {f"rim of {p.name}": [] for p in panel.pads}
    for _, curve in gmsh.model.getEntities(1):
        curves[_curve_name(panel, gmsh.model.getBoundingBox(1, curve))].append(curve)
    return faces, curves


def _is_pad(pad: Pad, x: float, y: float, area: float) -> bool:
    own = math.pi * pad.diameter**2 / 4
    return math.hypot(x - pad.x, y - pad.y) < pad.diameter / 4 and abs(area / own - 1) < 0.01


def _opening(each: Opening) -> int:
    """Rounded rectangle, or an ellipse where the corners take the whole."""
    if each.corner is None or each.corner >= min(each.length, each.width) / 2 * 0.999:
        wide, tall = max(each.length, each.width), min(each.length, each.width)
        disk = gmsh.model.occ.addDisk(each.x, each.y, 0, wide / 2, tall / 2)
        if each.width > each.length:
            gmsh.model.occ.rotate([(2, disk)], each.x, each.y, 0, 0, 0, 1, math.pi / 2)
        return int(disk)
    return int(
        gmsh.model.occ.addRectangle(
            each.x - each.length / 2,
            each.y - each.width / 2,
            0,
            each.length,
            each.width,
            -1,
            each.corner,
        )
    )


def _curve_name(panel: Panel, box: Sequence[float]) -> str:
    """Name of a curve from the box round it."""
    low, high = np.array(box[:2]), np.array(box[3:5])
    half = np.array([panel.length, panel.width]) / 2
    near = 1e-6 * float(half.max()) + 1e-7
    for axis, names in ((0, EDGES[:2]), (1, EDGES[2:])):
        for name, at in zip(names, (-half[axis], half[axis]), strict=True):
            if abs(low[axis] - at) < near and abs(high[axis] - at) < near:
                return name
    middle = (low + high) / 2
    for each in panel.openings:
        if (np.abs(middle - (each.x, each.y)) <= np.array(each.size) / 2 + near).all():
            return each.name
    pad = min(panel.pads, key=lambda p: math.hypot(middle[0] - p.x, middle[1] - p.y))
    return f"rim of {pad.name}"
