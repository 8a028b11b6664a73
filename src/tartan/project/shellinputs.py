"""What a part's answer depends on, cut out of the project and made into a shell model."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError, MaterialError, PartError, StackError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.response import Load as LaminateLoad
from tartan.core.materials import ELASTIC_FIELDS, Material
from tartan.core.shell import loads, pressure_map
from tartan.core.shell.constraints import Constraints, Held, Tie, constrain
from tartan.core.shell.inertia import mass_moments
from tartan.core.shell.mesh import Mesh, place_words
from tartan.core.shell.recovery import thermal_forces
from tartan.core.shell.solve import ShellModel
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.core.shell.tying import find_ties
from tartan.core.shell.zones import Zones
from tartan.core.stack import Stack
from tartan.core.stack.groups import bare
from tartan.project.model import USUAL, CriteriaSet, Project
from tartan.project.partmesh import Laid, Meshed, laid_plies, meshed, place_name, zones_for
from tartan.project.partmodel import (
    Acceleration,
    BucklingRequirement,
    Case,
    Combination,
    EdgeForce,
    Force,
    FrequencyRequirement,
    MappedPressure,
    OutsideForces,
    Part,
    Pressure,
    PressureTable,
    Support,
    Temperature,
)

Array = NDArray[np.float64]


@dataclass(frozen=True)
class PartInputs:
    """Everything the margins of a part depend on; equal inputs have equal answers."""

    part: Part
    stacks: tuple[Stack, ...]
    materials: tuple[Material, ...]
    supports: tuple[Support, ...]
    cases: tuple[Case, ...]
    criteria: CriteriaSet = USUAL
    combinations: tuple[Combination, ...] = ()
    tables: tuple[PressureTable, ...] = ()
    buckling: tuple[str, ...] = ()
    modes: bool = False
    outside: tuple[OutsideForces, ...] = ()

    @property
    def case_names(self) -> tuple[str, ...]:
        """Cases, then combinations, then what outside forces bring."""
        return (*self.solved_names, *(c.name for c in self.outside))

    @property
    def solved_names(self) -> tuple[str, ...]:
        """Cases and combinations, whose displacements are known."""
        return (*(c.name for c in self.cases), *(c.name for c in self.combinations))

    def elastic(self) -> PartInputs:
        """Return the inputs with all that a solution does not feel blanked.

        Solutions of two inputs agree when these are equal, whatever the strengths and names.
        Combinations and what is asked beyond the cases are derived from a solution; a region on
        which nothing lies, bears or presses is but a name.
        """
        materials = tuple(
            Material(m.name, m.E1, m.E2, m.nu12, m.G12,
                     **{f: getattr(m, f) for f in ELASTIC_FIELDS[4:]})
            for m in self.materials
        )  # fmt: skip
        cases = tuple(replace(c, name=str(i)) for i, c in enumerate(self.cases))
        names = {s.name: str(i) for i, s in enumerate(self.stacks)}
        stacks = tuple(Stack(names[s.name], bare(s.plies)) for s in self.stacks)
        rungs = tuple(replace(r, stack=names.get(r.stack, "")) for r in self.part.lay_up
                      if r.active)  # fmt: skip
        felt = {r.region for r in rungs} | {d.region for d in self.part.directions}
        felt |= {*self.part.flipped, *(s.place for s in self.supports)}
        felt |= {getattr(x, "region", "") or getattr(x, "place", "")
                 for c in self.cases for x in c.loads}  # fmt: skip
        regions_ = tuple(r for r in self.part.regions if r.name in felt)
        part = replace(self.part, lay_up=rungs, regions=regions_)
        return PartInputs(part, stacks, materials, self.supports, cases, tables=self.tables)


def part_inputs(project: Project) -> PartInputs:
    """Cut the inputs out of a project.

    Raises
    ------
    DocumentError
        When there is no part, no case, or a stack of the lay-up does not exist.
    """
    part = project.part
    if part is None:
        raise DocumentError("There is no part yet.", "Part", "Give the surface its size.")
    if not part.lay_up:
        raise DocumentError("Nothing is laid on the part.", "Part", "Lay a stack or a ply.")
    stacks = []
    for name in part.stacks():
        stack = project.stack(name)
        if stack is None:
            raise DocumentError(f"There is no stack '{name}'.", "Part", "Choose another.")
        if not stack.plies:
            raise StackError("it is laid on the part and empty.", f"Stack '{name}'",
                             "Give it plies.")  # fmt: skip
        stacks.append(stack)
    if not project.cases and not project.outside:
        raise DocumentError("There is no load case.", "Cases", "Add one in Cases.")
    used = dict.fromkeys([p.material for s in stacks for p in s.plies]
                         + [r.ply.material for r in part.lay_up if r.ply is not None])  # fmt: skip
    materials = tuple(project.in_force(m) for n in used if (m := project.material(n)) is not None)
    asked = project.requirements
    buckling = tuple(dict.fromkeys(r.case for r in asked if isinstance(r, BucklingRequirement)))
    tables = {x.table for c in project.cases for x in c.loads if isinstance(x, MappedPressure)}
    return PartInputs(part, tuple(stacks), materials, project.supports, project.cases,
                      replace(project.criteria[0], name=""), project.combinations,
                      tuple(t for t in project.tables if t.name in tables), buckling,
                      any(isinstance(r, FrequencyRequirement) for r in asked),
                      project.outside)  # fmt: skip


@lru_cache(maxsize=256)
def laminate_for(stack: Stack, materials: tuple[Material, ...], offset: float = 0.0) -> Laminate:
    """Laminate of a stack, remembered.

    Raises
    ------
    StackError, MaterialError
        As `make_laminate`.
    """
    return make_laminate(stack, {m.name: m for m in materials}, offset)


@dataclass(frozen=True, eq=False)
class Layout:
    """A part with its plies laid: mesh, plies in order, and zones."""

    whole: Meshed
    laid: tuple[Laid, ...]
    zones: Zones

    @property
    def mesh(self) -> Mesh:
        """The part's mesh."""
        return self.whole.mesh

    def laminate(self, element: int) -> Laminate:
        """Laminate of an element's zone."""
        return self.zones.laminates[int(self.zones.zone[element])]

    def plies(self, element: int) -> tuple[int, ...]:
        """Numbers in the lay-up of an element's plies, bottom to top."""
        return self.zones.plies[int(self.zones.zone[element])]

    def mass(self) -> float:
        """Mass of the part [kg]."""
        each = np.array([x.areal_mass for x in self.zones.laminates])
        return float(each[self.zones.zone] @ self.mesh.areas())

    def cost(self) -> float | None:
        """Price of its materials; None when one has none."""
        try:
            each = np.array([x.areal_cost for x in self.zones.laminates])
        except MaterialError:
            return None
        return float(each[self.zones.zone] @ self.mesh.areas())


@lru_cache(maxsize=8)
def _layout(part: Part, stacks: tuple[Stack, ...], materials: tuple[Material, ...]) -> Layout:
    laid = laid_plies(part, {s.name: s for s in stacks})
    return Layout(meshed(part), laid, zones_for(part, laid, materials))


def layout_of(inputs: PartInputs) -> Layout:
    """Part with its plies laid, remembered.

    Raises
    ------
    TartanError
        Regions, stacks or materials that cannot be, or elements without a ply.
    """
    return _layout(inputs.part, inputs.stacks, inputs.materials)


def where_words(inputs: PartInputs, element: int) -> str:
    """Say in words where an element lies."""
    whole = meshed(inputs.part)
    names = [n for n in whole.regions if n != "field" and len(whole.regions[n]) < whole.mesh.count]
    named = place_name(whole, names, element)
    if len(whole.mesh.places):
        plain = place_words(whole.mesh.places[element])
        return named if named and not plain.split(",")[0].endswith("edge") else plain
    return named or "field"


def shell_model(inputs: PartInputs) -> ShellModel:
    """Meshed model with zones, supports and ties.

    Raises
    ------
    TartanError
        When surface, stack, materials, supports or ties are not usable.
    """
    layout = layout_of(inputs)
    whole, mesh = layout.whole, layout.mesh
    if len(whole.undefined):
        what = (f"The reference direction stands normal to the surface in {len(whole.undefined)} "
                f"of {mesh.count} elements, so their 0° is undefined.")  # fmt: skip
        raise PartError(what, "Reference direction", "Choose a direction along the surface.")
    held = held_nodes(whole, inputs.supports)
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    rules: Constraints | None = None
    ties = ties_of(mesh, inputs.part.tie_gap)
    if ties or any(h.axes is not None or any(h.values) for h in held):
        rules = constrain(mesh, held, ties)
    else:
        for each in held:
            fixed[np.ix_(each.nodes, np.array(each.unknowns))] = True
    return ShellModel(mesh, layout.zones.laminates[0], whole.direction, fixed,
                      zones=layout.zones, constraints=rules)  # fmt: skip


def held_nodes(whole: Meshed, supports: tuple[Support, ...]) -> list[Held]:
    """Supports as held nodes.

    Raises
    ------
    PartError
        When a place does not exist.
    """
    found = []
    for number, support in enumerate(supports, start=1):
        nodes = whole.nodes(support.place, support.at, f"Support {number}")
        unknowns = SUPPORT_KINDS[support.kind]
        values = tuple(support.move[u] if u < 3 else 0.0 for u in unknowns)
        axes = local_axes(whole, nodes, f"Support {number}") if support.local else None
        found.append(Held(nodes, unknowns, values if any(values) else (), axes))
    return found


def local_axes(whole: Meshed, nodes: NDArray[np.int64], where: str = "Support") -> Array:
    """Reference direction, across it, and normal at nodes, shape (q, 3, 3).

    Raises
    ------
    PartError
        Where sides or directions of the elements round a node leave it without axes.
    """
    mesh = whole.mesh
    along, normal = np.zeros((2, len(mesh.nodes), 3))
    n, areas = mesh.normals(), mesh.areas()[:, None]
    for which, first in ((mesh.quads, 0), (mesh.triangles, len(mesh.quads))):
        part = slice(first, first + len(which))
        for corner in range(which.shape[1]):
            np.add.at(along, which[:, corner], (whole.direction * areas)[part])
            np.add.at(normal, which[:, corner], (n * areas)[part])
    size = np.linalg.norm(normal[nodes], axis=1, keepdims=True)
    up = normal[nodes] / np.where(size > 0, size, 1.0)
    x = along[nodes] - (along[nodes] * up).sum(axis=1, keepdims=True) * up
    length = np.linalg.norm(x, axis=1, keepdims=True)
    least = 0.05 * np.linalg.norm(along[nodes], axis=1, keepdims=True)
    if not ((size > 0) & (length > 0) & (length >= least)).all():
        raise PartError(
            "The 0° direction or the laying side is undefined there.",
            where,
            "Give the elements a direction along the surface, or use global axes.",
        )
    x = x / length
    return np.stack([x, np.cross(up, x), up], axis=1)


@lru_cache(maxsize=4)
def ties_of(mesh: Mesh, gap: float) -> tuple[Tie, ...]:
    """Ties between components nearer than a gap; none where it is zero."""
    return find_ties(mesh, gap)


def heat_of(case: Case) -> LaminateLoad | None:
    """Temperature of a case, all its temperatures together; None without any."""
    found = [x for x in case.loads if isinstance(x, Temperature)]
    if not any(x.dT or x.gradient for x in found):
        return None
    return LaminateLoad(dT=sum(x.dT for x in found), dT_gradient=sum(x.gradient for x in found))


def heat_forces(model: ShellModel, heat: LaminateLoad) -> Array:
    """Nodal forces of a temperature, shape (n, 6)."""
    return thermal_forces(model, heat.dT, heat.dT_gradient)


def case_forces(layout: Layout, case: Case, tables: tuple[PressureTable, ...] = ()) -> Array:
    """Nodal forces of a case but for its temperature, shape (n, 6) [N, N·m].

    Raises
    ------
    MaterialError
        When an acceleration meets a material without density.
    PartError
        A load on a place that is not there, or a pressure table that misses the part.
    """
    mesh, whole = layout.mesh, layout.whole
    total = np.zeros((len(mesh.nodes), 6))
    for load in case.loads:
        where = f"Case '{case.name}', {load.kind}"
        if isinstance(load, Pressure):
            # Positive presses on the laying side, against its normal.
            total += loads.pressure(mesh, -load.value * covered(whole, load.region, where))
        elif isinstance(load, MappedPressure):
            mapped = map_table(layout, load, tables, where).values
            total += loads.pressure(mesh, -mapped * covered(whole, load.region, where))
        elif isinstance(load, EdgeForce):
            if load.edge not in mesh.edges:
                raise PartError(f"There is no edge '{load.edge}'.", where, "Choose another.")
            total += loads.edge_force(mesh, mesh.edges[load.edge], np.array(load.force))
        elif isinstance(load, Force):
            nodes = whole.nodes(load.place, load.at, where, load.reach)
            total += loads.spread(mesh, nodes, np.array(load.force), np.array(load.moment))
        elif isinstance(load, Acceleration):
            each = np.array([mass_moments(x) for x in layout.zones.laminates])
            total += loads.acceleration(mesh, each[layout.zones.zone], np.array(load.vector))
    return total


def covered(whole: Meshed, region: str, where: str) -> Array:
    """One on a region and zero elsewhere, at the sampling points, shape (m, 4)."""
    inside = np.zeros((whole.mesh.count, 4))
    inside[whole.elements(region, where)] = 1.0
    return inside


@lru_cache(maxsize=32)
def _mapped(mesh: Mesh, rows: tuple[tuple[float, ...], ...]) -> pressure_map.Mapped:
    table = np.array(rows)
    return pressure_map.map_pressure(mesh, table[:, :3], table[:, 3])


def map_table(layout: Layout, load: MappedPressure, tables: tuple[PressureTable, ...],
              where: str) -> pressure_map.Mapped:  # fmt: skip
    """Pressure of a table on the part's sampling points, with its factor; positive presses.

    Raises
    ------
    PartError
        When the table does not exist or misses the part.
    """
    table = next((t for t in tables if t.name == load.table), None)
    if table is None:
        raise PartError(f"There is no pressure table '{load.table}'.", where, "Read one in Cases.")
    found = _mapped(layout.mesh, table.rows)
    k = load.factor
    return replace(found, values=k * found.values, force=-k * found.force, given=-k * found.given)
