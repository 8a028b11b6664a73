"""What a part's answer depends on, cut out of the project, and the part with its plies laid."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import LoadError, MaterialError, PartError, StackError, TartanError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.stiffness import of_one_count
from tartan.core.materials import ELASTIC_FIELDS, Material
from tartan.core.shell.mesh import Mesh, place_words
from tartan.core.shell.vessel_shape import Vessel
from tartan.core.shell.zones import Zones
from tartan.core.stack import Ply, Stack
from tartan.core.stack.groups import bare
from tartan.project.analysis.beside import Beside
from tartan.project.analysis.laying import Laid, laid_plies, zones_for
from tartan.project.analysis.partmesh import Meshed, meshed, place_names
from tartan.project.document.loadmodel import places_of
from tartan.project.document.model import USUAL, CriteriaSet, Project
from tartan.project.document.partmodel import (
    BucklingRequirement,
    Case,
    Combination,
    FrequencyRequirement,
    MappedPressure,
    OutsideForces,
    Part,
    PressureTable,
    Support,
    SupportSet,
    Wound,
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
    modes: tuple[str, ...] = ()
    outside: tuple[OutsideForces, ...] = ()
    support_sets: tuple[SupportSet, ...] = ()

    @property
    def case_names(self) -> tuple[str, ...]:
        """Cases, then combinations, then what outside forces bring."""
        return (*self.solved_names, *(c.name for c in self.outside))

    @property
    def solved_names(self) -> tuple[str, ...]:
        """Cases and combinations, whose displacements are known."""
        return (*(c.name for c in self.cases), *(c.name for c in self.combinations))

    def supports_of(self, name: str) -> tuple[Support, ...]:
        """Supports of a set by its name; the empty name is the project's own."""
        sets = {x.name: x.supports for x in self.support_sets}
        return sets.get(name, self.supports)

    def set_of(self, case: str) -> str:
        """Support set that a case or combination stands on; those of a combination agree."""
        own = {c.name: c.supports for c in self.cases}
        if case in own:
            return own[case]
        both = next((c for c in self.combinations if c.name == case), None)
        return next((own[n] for n, _ in both.factors), "") if both is not None else ""

    def elastic(self) -> PartInputs:
        """Return the inputs with all that a solution does not feel blanked.

        Solutions of two inputs agree when these are equal, whatever the strengths and names.
        Combinations and what is asked beyond the cases are derived from a solution; a region on
        which nothing lies, bears or presses is but a name.
        """
        materials = tuple(
            Material(
                m.name, m.E1, m.E2, m.nu12, m.G12, **{f: getattr(m, f) for f in ELASTIC_FIELDS[4:]}
            )
            for m in self.materials
        )
        cases = tuple(replace(c, name=str(i)) for i, c in enumerate(self.cases))
        names = {s.name: str(i) for i, s in enumerate(self.stacks)}
        stacks = tuple(Stack(names[s.name], bare(s.plies)) for s in self.stacks)
        rungs = tuple(
            replace(r, stack=names.get(r.stack, ""), wound=_as_it_lies(r.wound), name="", kept="")
            for r in self.part.lay_up
            if r.active
        )
        felt = {r.region for r in rungs} | {d.region for d in self.part.directions}
        used = {c.supports for c in self.cases}
        sets = tuple(x for x in self.support_sets if x.name in used)
        own = self.supports if "" in used else ()
        felt |= {*self.part.flipped, *(p for x in sets for s in x.supports for p in places_of(s))}
        felt |= {p for s in own for p in places_of(s)}
        felt |= {p for c in self.cases for x in c.loads for p in places_of(x)}
        regions_ = tuple(r for r in self.part.regions if r.name in felt)
        part = replace(self.part, lay_up=rungs, regions=regions_, kept="")
        return PartInputs(
            part, stacks, materials, own, cases, tables=self.tables, support_sets=sets
        )


def part_inputs(project: Project) -> PartInputs:
    """Cut the inputs out of a project.

    Raises
    ------
    PartError, LoadError, StackError
        When there is no part, no case, or a stack of the lay-up is empty or does not exist.
    """
    part = project.part
    if part is None:
        raise PartError("There is no part yet.", "Part", "Give the surface its size.")
    if not part.lay_up:
        raise PartError("Nothing is laid on the part.", "Part", "Lay a stack or a ply.")
    stacks = []
    for name in part.stacks():
        stack = project.stack(name)
        if stack is None:
            raise PartError(f"There is no stack '{name}'.", "Part", "Choose another.")
        if not stack.plies:
            raise StackError(
                "it is laid on the part and empty.", f"Stack '{name}'", "Give it plies."
            ).of(name)
        stacks.append(stack)
    if not project.cases and not project.outside:
        raise LoadError("There is no load case.", "Cases", "Add one in Cases.")
    used = dict.fromkeys(
        [p.material for s in stacks for p in s.plies]
        + [m for r in part.lay_up for m in r.materials()]
    )
    materials = tuple(project.in_force(m) for n in used if (m := project.material(n)) is not None)
    asked = project.requirements
    solved = [*(c.name for c in project.cases), *(c.name for c in project.combinations)]
    buckled = [r.case for r in asked if isinstance(r, BucklingRequirement)]
    # One without a case is asked of all of them.
    buckling = tuple(dict.fromkeys(n for each in buckled for n in ([each] if each else solved)))
    tables = {x.table for c in project.cases for x in c.loads if isinstance(x, MappedPressure)}
    return PartInputs(
        part,
        tuple(stacks),
        materials,
        project.supports,
        project.cases,
        replace(project.criteria[0], name=""),
        project.combinations,
        tuple(t for t in project.tables if t.name in tables),
        buckling,
        tuple(dict.fromkeys(r.case for r in asked if isinstance(r, FrequencyRequirement))),
        project.outside,
        project.support_sets,
    )


def _as_it_lies(wound: Wound | None) -> Wound | None:
    """How a layer is wound without what only its time and tow are worked out of."""
    return wound if wound is None else replace(wound, tows=1, speed=Wound.speed)


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
    """A part with its plies laid: mesh, plies in order, zones, and how often it stands."""

    whole: Meshed
    laid: tuple[Laid, ...]
    zones: Zones
    copies: int = 1

    @property
    def mesh(self) -> Mesh:
        """The part's mesh."""
        return self.whole.mesh

    @cached_property
    def signs(self) -> Array:
        """1 where the laying side is the surface's front, −1 where it was turned, shape (m,)."""
        return np.where(self.whole.turned, -1.0, 1.0)

    @cached_property
    def sided(self) -> Zones:
        """Zones whose elements are all laid from one side of the surface."""
        if np.ptp(self.signs) == 0:
            return self.zones
        count = len(self.zones.laminates)
        zone = self.zones.zone + count * self.whole.turned
        return Zones(2 * self.zones.laminates, zone, 2 * self.zones.plies)

    @cached_property
    def sides(self) -> Array:
        """Sign of every one of `sided`."""
        count = len(self.sided.laminates)
        if count == len(self.zones.laminates):
            return np.full(count, self.signs[0])
        return np.repeat([1.0, -1.0], count // 2)

    def laminate(self, element: int) -> Laminate:
        """Laminate of an element's zone."""
        return self.zones.laminates[int(self.zones.zone[element])]

    def local_plies(self, element: int) -> tuple[Ply, ...]:
        """Plies of an element as they lie there, bottom to top: wound ones turn and thicken."""
        return self.laminate(element).stack.plies

    def plies(self, element: int) -> tuple[int, ...]:
        """Numbers in the lay-up of an element's plies, bottom to top."""
        return self.zones.plies[int(self.zones.zone[element])]

    def mass(self) -> float | None:
        """Mass of the part, of a part of a ring that of the whole [kg]; None without a density."""
        return self._mass

    def needed_mass(self) -> float:
        """Mass of the part, for what cannot do without [kg].

        Raises
        ------
        MaterialError
            When a material has no density.
        """
        return self._sum(_density) if self._mass is None else self._mass

    def weightless(self) -> str:
        """Name of a material in it that has no density; empty where all have one."""
        laid = (m for x in self.zones.laminates for m in x.materials)
        return next((m.name for m in laid if m.rho is None), "")

    def cost(self) -> float | None:
        """Price of its materials; None when one has none."""
        return self._cost

    # Asked for at every verdict, and a draped part has thousands of zones.
    @cached_property
    def _mass(self) -> float | None:
        with suppress(MaterialError):
            return self._sum(_density)
        return None

    @cached_property
    def _cost(self) -> float | None:
        with suppress(MaterialError):
            return self._sum(lambda m: m.need("rho", "the cost") * m.need("price", "the cost"))
        return None

    def _sum(self, figure: Callable[[Material], float]) -> float:
        """Sum of a figure that every material has per volume."""
        areas = np.bincount(self.zones.zone, self.mesh.areas(), len(self.zones.laminates))
        of_each: dict[int, float] = {}
        total = 0.0
        for numbers, some in of_one_count(self.zones.laminates):
            for material in (m for x in some for m in x.materials):
                if id(material) not in of_each:
                    of_each[id(material)] = figure(material)
            per_volume = np.array([[of_each[id(m)] for m in x.materials] for x in some])
            thick = np.diff([x.z for x in some])
            total += float(areas[numbers] @ (per_volume * thick).sum(axis=1))
        return self.copies * total


def _density(material: Material) -> float:
    return material.need("rho", "the mass")


def copies(part: Part) -> int:
    """How often the meshed part stands in the whole."""
    return part.surface.parts if isinstance(part.surface, Vessel) else 1


def _layout(part: Part, stacks: tuple[Stack, ...], materials: tuple[Material, ...]) -> Layout:
    laid = laid_plies(part, {s.name: s for s in stacks})
    return Layout(meshed(part), laid, zones_for(part, laid, materials), copies(part))


_LAYOUT = Beside(_layout, "The plies are being laid.")


def layout_of(inputs: PartInputs) -> Layout:
    """Part with its plies laid, remembered.

    Raises
    ------
    TartanError
        Regions, stacks or materials that cannot be, or elements without a ply.
    """
    return _LAYOUT(inputs.part, inputs.stacks, inputs.materials)


def layout_soon(inputs: PartInputs) -> Layout:
    """Part with its plies laid, for whoever can do without for a moment.

    Raises
    ------
    MeshPending
        When the plies are being laid, in a window.
    TartanError
        As `layout_of`.
    """
    meshed(inputs.part)
    return _LAYOUT.soon(inputs.part, inputs.stacks, inputs.materials)


def lay_ahead(inputs: PartInputs) -> None:
    """Begin to lay plies that a window will ask for; nothing where there is no mesh yet."""
    with suppress(TartanError):
        meshed(inputs.part)
        _LAYOUT.ahead(inputs.part, inputs.stacks, inputs.materials)


def where_words(inputs: PartInputs, element: int) -> str:
    """Say in words where an element lies."""
    return where_all(inputs, [element])[0]


def where_all(inputs: PartInputs, elements: Sequence[int]) -> list[str]:
    """Say in words where each of many elements lies."""
    whole = meshed(inputs.part)
    names = [n for n in whole.regions if n != "field" and len(whole.regions[n]) < whole.mesh.count]
    found = place_names(whole, names, elements)
    if len(whole.mesh.places):
        plain = [place_words(whole.mesh.places[e]) for e in elements]
        return [
            named if named and not words.split(",")[0].endswith("edge") else words
            for named, words in zip(found, plain, strict=True)
        ]
    return [named or "field" for named in found]
