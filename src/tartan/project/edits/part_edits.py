"""Edits of the part: surface, regions, directions, sides and lay-up; and of supports and cases."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np

from tartan.core.bounds import MOST_LENGTH, beyond
from tartan.core.errors import DocumentError, PartError, TartanError
from tartan.core.shell import regions
from tartan.core.shell.defects import Kind, mended
from tartan.core.shell.shapes import Cone, Dome, Tube
from tartan.core.shell.vessel_shape import Vessel
from tartan.core.stack import Ply
from tartan.project.analysis.inputs import layout_soon, part_inputs
from tartan.project.analysis.laying import laid_soon
from tartan.project.analysis.meshes import MESHES, MeshPending
from tartan.project.analysis.partmesh import base_mesh, meshed, region_elements
from tartan.project.document.loadmodel import places_of
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_mesh
from tartan.project.document.partmodel import (
    WHOLE,
    Direction,
    Part,
    ReadSurface,
    Region,
    Rung,
    SupportSet,
    Surface,
    Vector,
    Wound,
)
from tartan.project.edits.case_edits import (
    put_cases,
    put_combinations,
    put_left_out,
    put_outside,
    put_requirements,
    put_support_sets,
    put_supports,
    put_tables,
)
from tartan.project.edits.design_edits import check_name
from tartan.project.edits.region_uses import forget_region, renamed_region
from tartan.project.edits.rungs import check_kept, check_rung

LEAST_ALIKE, MOST_ALIKE = 1e-3, 10.0
"""Tolerance within which elements are one zone [deg]."""

MOST_GROWN = 1000
"""Rings of elements by which a region can be grown or shrunk."""


def begin_part(project: Project, surface: Surface, mesh_size: float) -> Project:
    """Give the project its part, with its first stack laid on it."""
    stacks = [s.name for s in project.stacks]
    rungs = (Rung(stack=stacks[0]),) if stacks else ()
    directions, fallback = usual_directions(surface)
    part = Part(surface, mesh_size, rungs, directions=directions, fallback=fallback)
    if isinstance(surface, Vessel):
        # The surface is the mandrel: what is laid lies on it.
        part = replace(part, reference_surface="bottom")
    return put_part(project, part)


def usual_directions(surface: Surface) -> tuple[tuple[Direction, ...], Vector | None]:
    """Where 0° points on a surface until told otherwise, and where that stands normal to it.

    Along the axis of what is round, as the angles of wound parts are counted; along x elsewhere.
    """
    if isinstance(surface, Tube | Cone | Vessel):
        return (Direction(vector=(0.0, 0.0, 1.0)),), None
    if isinstance(surface, Dome):
        return (Direction(vector=(0.0, 0.0, 1.0)),), (1.0, 0.0, 0.0)
    return (Direction(),), None


def put_part(project: Project, part: Part) -> Project:
    """Replace the part.

    Raises
    ------
    PartError
        When the shape, mesh size, a region or a reference direction makes no sense.
    DocumentError
        When a stack of the lay-up does not exist.
    """
    for number, each in enumerate(part.directions, start=1):
        finite = all(map(math.isfinite, (*each.vector, *each.origin)))
        if not finite or (each.way != "edge" and not any(each.vector)):
            raise PartError(
                "The reference direction has no length.",
                f"Reference direction {number}",
                "Enter a vector such as 1, 0, 0.",
            )
    if beyond(part.offset, MOST_LENGTH) or beyond(part.tie_gap, MOST_LENGTH) or part.tie_gap < 0:
        raise PartError(
            f"The offset or the tie gap is no length up to {MOST_LENGTH:g} m.",
            "Part",
            "Enter a length.",
        )
    if not LEAST_ALIKE <= part.alike <= MOST_ALIKE:
        raise PartError(
            f"Zones alike within {part.alike:g}° are beyond {LEAST_ALIKE:g}° to {MOST_ALIKE:g}°.",
            "Zones",
            "Enter an angle between them; 0.05° is usual.",
        )
    check_kept(part.kept, "Part")
    names: list[str] = []
    taken = base_mesh(part.surface, part.mesh_size, part.finer)
    for region in part.regions:
        check_name(region.name, (*names, *taken.regions, *taken.edges), "region")
        names.append(region.name)
        if not (region.faces or region.near or region.elements):
            raise PartError("It holds nothing.", f"Region '{region.name}'", "Pick elements.")
        if abs(region.grow) > MOST_GROWN:
            raise PartError(
                f"It is grown by {region.grow} elements.",
                f"Region '{region.name}'",
                f"Enter up to {MOST_GROWN}.",
            )
    for number, rung in enumerate(part.lay_up, start=1):
        check_rung(project, rung, f"Part, rung {number}")
    changed = replace(project, part=part)
    _lay(changed, part)
    return changed


def _lay(project: Project, part: Part) -> None:
    """Refuse what cannot be laid; a window has the zones made with it that it will show."""
    meshed(part)
    if MESHES.heard_here:
        try:
            layout_soon(part_inputs(project))
        except MeshPending:
            raise
        except TartanError:
            # Something may be lacking yet to solve the part.
            pass
    laid_soon(part, {s.name: s for s in project.stacks})


def change_part(project: Project, **values: object) -> Project:
    """Change fields of the part.

    Raises
    ------
    TartanError
        As `put_part`; without a part there is nothing to change.
    """
    return put_part(project, replace(_part(project), **values))  # type: ignore[arg-type]


def _part(project: Project) -> Part:
    if project.part is None:
        raise DocumentError("There is no part yet.", "Part", "Choose a surface first.")
    return project.part


def put_surface(project: Project, part: Part) -> tuple[Project, list[str]]:
    """Give the part another surface or mesh; what stood on it stays where it still can.

    Picked elements are carried over by place. Regions, plies, directions, supports and loads
    whose faces or edges are gone are dropped.

    Parameters
    ----------
    project : Project
        The project.
    part : Part
        The part with its new surface, mesh size or refinements, all else as before.

    Returns
    -------
    tuple of Project and list of str
        The changed project, and what it lost, in words.

    Raises
    ------
    TartanError
        As `put_part`.
    """
    new = base_mesh(part.surface, part.mesh_size, part.finer)
    old_part, lost = project.part, []
    own = (part.directions, part.fallback)
    if old_part is not None and own == usual_directions(old_part.surface):
        directions, fallback = usual_directions(part.surface)
        part = replace(part, directions=directions, fallback=fallback)
    old = (
        None
        if old_part is None
        else base_mesh(old_part.surface, old_part.mesh_size, old_part.finer)
    )
    kept: list[Region] = []
    for region in part.regions:
        faces = tuple(f for f in region.faces if f in new.regions)
        near = tuple(n for n in region.near if not n.edge or n.edge in new.edges)
        picked = region.elements
        if picked and old is not None and old is not new:
            found = regions.carried(old, np.array(picked), new)
            picked = tuple(found.tolist())
        changed = replace(region, faces=faces, near=near, elements=picked)
        gone = [
            *(f for f in region.faces if f not in faces),
            *(f"near {n.edge}" for n in region.near if n not in near),
        ]
        if not (faces or near or picked):
            lost.append(f"region '{region.name}'")
            continue
        lost += [f"{g} of region '{region.name}'" for g in gone]
        kept.append(changed)
    names = {WHOLE, *new.regions, *(r.name for r in kept)}
    rungs = [r for r in part.lay_up if r.region in names]
    lost += [
        f"rung {i + 1} of the lay-up, on {r.region}"
        for i, r in enumerate(part.lay_up)
        if r.region not in names
    ]
    ways = [
        d
        for d in part.directions
        if d.region in names and (d.way != "edge" or d.edge in new.edges)
    ]
    lost += [
        f"the reference direction of {d.region or 'the whole part'}"
        for d in part.directions
        if d not in ways
    ]
    changed_part = replace(
        part,
        regions=tuple(kept),
        lay_up=tuple(rungs),
        directions=tuple(ways) or (Direction(),),
        flipped=tuple(f for f in part.flipped if f in names),
    )
    project = put_part(project, changed_part)
    project, more = forget_region(project)
    return project, lost + more


def put_region(project: Project, region: Region, old: str = "") -> Project:
    """Add a region, or replace the one called `old`; a new name is carried everywhere.

    Raises
    ------
    TartanError
        As `put_part`.
    """
    part = _part(project)
    if old and part.region(old) is None:
        raise DocumentError(f"There is no region '{old}'.", "Regions", "Choose another.")
    if old and old != region.name:
        swap = {old: region.name}
        part = replace(
            part,
            lay_up=tuple(replace(r, region=swap.get(r.region, r.region)) for r in part.lay_up),
            directions=tuple(
                replace(d, region=swap.get(d.region, d.region)) for d in part.directions
            ),
            flipped=tuple(swap.get(f, f) for f in part.flipped),
        )
    every = (
        tuple(region if r.name == old else r for r in part.regions)
        if old
        else (*part.regions, region)
    )
    mesh = base_mesh(part.surface, part.mesh_size, part.finer)
    if len(region_elements(mesh, region)) == 0:
        raise PartError(
            "It holds no elements.",
            f"Region '{region.name}'",
            "Widen its rules, or pick elements.",
        )
    changed = put_part(project, replace(part, regions=every))
    return renamed_region(changed, old, region.name) if old else changed


def remove_region(project: Project, name: str) -> Project:
    """Remove a region that nothing uses.

    Raises
    ------
    DocumentError
        Naming what uses it.
    """
    part = _part(project)
    used = [f"rung {i}" for i, r in enumerate(part.lay_up, start=1) if r.region == name]
    used += ["a reference direction" for d in part.directions if d.region == name]
    for x in (SupportSet("", project.supports), *project.support_sets):
        of = f" of {x.name}" if x.name else ""
        used += [f"support {i}{of}" for i, s in enumerate(x.supports, 1) if name in places_of(s)]
    used += [
        f"case '{c.name}'" for c in project.cases if any(name in places_of(x) for x in c.loads)
    ]
    used += ["areas left out" for r in project.left_out if r.region == name]
    if used:
        raise DocumentError(
            f"'{name}' is used by {', '.join(used)}.",
            "Regions",
            "Give those another region first.",
        )
    left = tuple(r for r in part.regions if r.name != name)
    sides = tuple(f for f in part.flipped if f != name)
    return put_part(project, replace(part, regions=left, flipped=sides))


def flip_side(project: Project, region: str = WHOLE) -> Project:
    """Turn the laying side of a region round."""
    part = _part(project)
    there = region in part.flipped
    flipped = tuple(f for f in part.flipped if f != region) if there else (*part.flipped, region)
    return put_part(project, replace(part, flipped=flipped))


def put_direction(project: Project, direction: Direction) -> Project:
    """Give a region its reference direction, in place of the one it had."""
    part = _part(project)
    others = tuple(d for d in part.directions if d.region != direction.region)
    whole = [d for d in (*others, direction) if d.region == WHOLE]
    ways = (*whole, *(d for d in (*others, direction) if d.region != WHOLE))
    return put_part(project, replace(part, directions=ways))


def mend_directions(project: Project) -> Project:
    """Give elements without a 0° the axis that lies flattest on them as their direction.

    Raises
    ------
    PartError
        When every element has its direction.
    """
    part = _part(project)
    whole = meshed(replace(part, fallback=None))
    if len(whole.undefined) == 0:
        raise PartError("Every element has a 0° direction.", "Reference direction", "")
    across = np.abs(whole.mesh.normals()[whole.undefined]).max(axis=0)
    axis = np.eye(3)[int(across.argmin())]
    return put_part(project, replace(part, fallback=tuple(axis.tolist())))


def put_lay_up(project: Project, rungs: Iterable[Rung]) -> Project:
    """Replace the lay-up."""
    return put_part(project, replace(_part(project), lay_up=tuple(rungs)))


def mirrored(project: Project, rungs: Sequence[Rung]) -> tuple[Rung, ...]:
    """Rungs in reverse order; stacks come apart into their plies, as their order turns too."""
    found: list[Rung] = []
    for rung in reversed(rungs):
        stack = project.stack(rung.stack) if rung.stack else None
        if stack is None:
            found.append(rung)
            continue
        found += [
            Rung(
                rung.region, ply=replace(p, angle=p.angle + rung.turn, sub=""), active=rung.active
            )
            for p in reversed(stack.plies)
        ]
    return tuple(found)


def renamed_material(part: Part | None, old: str, new: str) -> Part | None:
    """Part whose single plies carry a material's new name."""
    if part is None:
        return None

    def swap(ply: Ply | None) -> Ply | None:
        return replace(ply, material=new) if ply is not None and ply.material == old else ply

    def filled(wound: Wound | None) -> Wound | None:
        return replace(wound, filler=new) if wound is not None and wound.filler == old else wound

    rungs = (replace(r, ply=swap(r.ply), wound=filled(r.wound)) for r in part.lay_up)
    return replace(part, lay_up=tuple(rungs))


def mend_mesh(project: Project, kind: Kind) -> Project:
    """Take a sort of defect out of a mesh that was read.

    Raises
    ------
    PartError
        When the surface is not a mesh that was read.
    """
    part = project.part
    if part is None or not isinstance(part.surface, ReadSurface):
        raise PartError("This surface is meshed here.", "Surface", "Change its figures.")
    mesh = mended(base_mesh(part.surface, part.mesh_size, part.finer), kind)
    surface = replace(part.surface, mesh=pack_mesh(mesh))
    return change_part(project, surface=surface)


def check_part_data(fresh: Project, project: Project) -> None:
    """Check part, supports, tables, cases and requirements of a project that is opened.

    Raises
    ------
    TartanError
        On the first thing that cannot stand.
    """
    if project.part is not None:
        fresh = put_part(fresh, project.part)
    fresh = put_supports(put_tables(fresh, project.tables), project.supports)
    fresh = put_support_sets(fresh, project.support_sets)
    fresh = put_combinations(put_cases(fresh, project.cases), project.combinations)
    fresh = put_outside(fresh, project.outside)
    put_left_out(put_requirements(fresh, project.requirements), project.left_out)
