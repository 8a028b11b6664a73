"""Edits: named functions Project → Project.

Each checks what it is given and raises, or returns the changed project; none leaves anything
half-applied.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace

from tartan.core.errors import DocumentError, PartError, StackError
from tartan.core.materials import Material, checked
from tartan.core.shell.mesh import EDGES, check_panel
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.core.stack import Ply, Stack
from tartan.core.stack.groups import bare, relay
from tartan.project.design_edits import (
    check_design,
    check_name,
    forget_material,
    free_name,
    rename_in_sets,
)
from tartan.project.model import (
    PLACES,
    Acceleration,
    Case,
    DisplacementRequirement,
    EdgeForce,
    Load,
    Part,
    Pressure,
    Project,
    Requirement,
    Support,
)


def rename_project(project: Project, name: str) -> Project:
    """Give the project another name."""
    return replace(project, name=check_name(name, (), "project"))


def put_material(project: Project, name: str, material: Material) -> Project:
    """Replace the material called `name`; a new name is carried into the stacks.

    Raises
    ------
    MaterialError
        When it is not admissible.
    DocumentError
        When there is no such material, or the new name is taken or empty.
    """
    checked(material)
    if project.material(name) is None:
        raise DocumentError(f"There is no material '{name}'.", "Materials", "")
    others = [m.name for m in project.materials if m.name != name]
    material = replace(material, name=check_name(material.name, others, "material"))
    materials = tuple(material if m.name == name else m for m in project.materials)
    stacks = project.stacks
    if material.name != name:
        stacks = tuple(
            s.with_plies(replace(p, material=material.name) if p.material == name else p
                         for p in s.plies)
            for s in stacks
        )  # fmt: skip
    changed = replace(project, materials=materials, stacks=stacks)
    if material.name != name:
        changed = rename_in_sets(changed, name, material.name)
    for each in changed.materials:
        changed.in_force(each)
    return changed


def add_materials(project: Project, materials: Iterable[Material]) -> Project:
    """Add materials; a name that is taken gets a number."""
    for material in materials:
        name = free_name(material.name, (m.name for m in project.materials))
        added = (*project.materials, checked(replace(material, name=name)))
        project = replace(project, materials=added)
    return project


def remove_material(project: Project, name: str) -> Project:
    """Remove a material that no stack uses.

    Raises
    ------
    DocumentError
        Naming the stacks that use it.
    """
    used = project.stacks_using(name)
    if used:
        raise DocumentError(f"'{name}' is used by {', '.join(used)}.", "Materials",
                            "Give those plies another material first.")  # fmt: skip
    left = tuple(m for m in project.materials if m.name != name)
    return forget_material(replace(project, materials=left), name)


def put_plies(project: Project, stack: str, plies: Iterable[Ply]) -> Project:
    """Replace the plies of a stack; it may be left empty.

    Raises
    ------
    StackError
        When a ply has no positive thickness, no finite angle or an unknown material.
    """
    plies = tuple(plies)
    for number, ply in enumerate(plies, start=1):
        where = f"Stack '{stack}', ply {number}"
        if not (math.isfinite(ply.thickness) and ply.thickness > 0):
            what = f"thickness must be greater than zero, it is {ply.thickness * 1e3:g} mm."
            raise StackError(what, where, "Enter a positive thickness.")
        if not math.isfinite(ply.angle) or abs(ply.angle) > 360:
            raise StackError("the angle must lie between -360° and 360°.", where, "Enter degrees.")
        if project.material(ply.material) is None:
            raise StackError(f"there is no material '{ply.material}'.", where,
                             "Choose one of the project's materials.")  # fmt: skip
    return _relaid(project, stack, plies, frozenset())


def _relaid(project: Project, stack: str, plies: tuple[Ply, ...], seen: frozenset[str]) -> Project:
    """Project with the new plies, also where the stack is laid as a sub-laminate."""
    old = project.stack(stack)
    if old is None:
        return project
    stacks = tuple(s.with_plies(plies) if s.name == stack else s for s in project.stacks)
    project = replace(project, stacks=stacks)
    # Two stacks may have been laid in each other; each is laid anew once.
    seen = seen | {stack}
    for other in stacks:
        if other.name not in seen:
            relaid = relay(other.plies, stack, old.plies, plies)
            if relaid != other.plies:
                project = _relaid(project, other.name, relaid, seen)
    return project


def add_stack(project: Project, wanted: str, plies: Iterable[Ply]) -> tuple[Project, str]:
    """Add a stack; return the project and the name it got."""
    name = free_name(wanted, (s.name for s in project.stacks))
    project = replace(project, stacks=(*project.stacks, Stack(name, ())))
    return put_plies(project, name, plies), name


def make_sub_laminate(project: Project, stack: str, plies: Iterable[int]) -> Project:
    """Make plies that lie together a stack of their own, laid here as a sub-laminate.

    Raises
    ------
    StackError
        When the stack or the plies do not exist.
    """
    found, chosen = project.stack(stack), sorted(plies)
    if found is None or not chosen or chosen[-1] >= len(found.plies):
        raise StackError("There are no such plies.", f"Stack '{stack}'", "Pick plies first.")
    taken = bare(found.plies[chosen[0] : chosen[-1] + 1])
    project, name = add_stack(project, "sub-laminate", taken)
    laid = tuple(replace(p, sub=name) for p in taken)
    whole = (*found.plies[: chosen[0]], *laid, *found.plies[chosen[-1] + 1 :])
    return put_plies(project, stack, whole)


def rename_stack(project: Project, old: str, new: str) -> Project:
    """Rename a stack, also where the part names it."""
    new = check_name(new, (s.name for s in project.stacks if s.name != old), "stack")

    def renamed(s: Stack) -> Stack:
        plies = tuple(replace(p, sub=new) if p.sub == old else p for p in s.plies)
        return Stack(new if s.name == old else s.name, plies)

    part, base = project.part, project.baseline
    if part is not None and part.stack == old:
        part = replace(part, stack=new)
    if base is not None:
        base = replace(base, stacks=tuple(map(renamed, base.stacks)))
    loads = tuple(replace(s, stack=new) if s.stack == old else s for s in project.load_sets)
    return replace(project, stacks=tuple(map(renamed, project.stacks)), part=part, baseline=base,
                   load_sets=loads)  # fmt: skip


def remove_stack(project: Project, name: str) -> Project:
    """Remove a stack that is not laid on the part.

    Raises
    ------
    DocumentError
        When the part uses it.
    """
    if project.part is not None and project.part.stack == name:
        raise DocumentError(f"'{name}' is laid on the part.", "Stacks",
                            "Lay another stack in Part first.")  # fmt: skip
    return replace(project, stacks=tuple(s for s in project.stacks if s.name != name),
                   load_sets=tuple(s for s in project.load_sets if s.stack != name))  # fmt: skip


def put_part(project: Project, part: Part) -> Project:
    """Replace the part.

    Raises
    ------
    PartError
        When the shape, mesh size or reference direction makes no sense.
    DocumentError
        When its stack does not exist.
    """
    check_panel(part.surface, part.mesh_size)
    if not all(map(math.isfinite, part.reference)) or not any(part.reference):
        raise PartError("The reference direction has no length.", "Reference direction",
                        "Enter a vector such as 1, 0, 0.")  # fmt: skip
    if project.stack(part.stack) is None:
        raise DocumentError(f"There is no stack '{part.stack}'.", "Part", "Choose another.")
    return replace(project, part=part)


def put_supports(project: Project, supports: Iterable[Support]) -> Project:
    """Replace the supports.

    Raises
    ------
    PartError
        When a place or kind is unknown.
    """
    supports = tuple(dict.fromkeys(supports))
    for support in supports:
        if support.place not in PLACES:
            raise PartError(f"There is no '{support.place}'.", "Supports",
                            f"Choose one of {', '.join(PLACES)}.")  # fmt: skip
        if support.kind not in SUPPORT_KINDS:
            raise PartError(f"There is no support '{support.kind}'.", "Supports",
                            f"Choose one of {', '.join(SUPPORT_KINDS)}.")  # fmt: skip
    return replace(project, supports=supports)


def check_load(load: Load, where: str) -> None:
    """Raise `PartError` when a load is not finite or its edge unknown."""
    values: tuple[float, ...] = ()
    if isinstance(load, Pressure):
        values = (load.value,)
    elif isinstance(load, EdgeForce):
        values = load.force
        if load.edge not in EDGES:
            raise PartError(f"There is no edge '{load.edge}'.", where,
                            f"Choose one of {', '.join(EDGES)}.")  # fmt: skip
    elif isinstance(load, Acceleration):
        values = load.vector
    if not all(map(math.isfinite, values)):
        raise PartError("A load is not a finite number.", where, "Enter a number.")


def put_cases(project: Project, cases: Iterable[Case]) -> Project:
    """Replace the load cases; requirements of cases that are gone go with them.

    Raises
    ------
    DocumentError, PartError
        Names that are empty or doubled, loads that are not finite.
    """
    cases = tuple(cases)
    seen: list[str] = []
    for case in cases:
        seen.append(check_name(case.name, seen, "case"))
        for load in case.loads:
            check_load(load, f"Case '{case.name}', {load.kind}")
    kept = tuple(
        r for r in project.requirements
        if not isinstance(r, DisplacementRequirement) or r.case in seen
    )  # fmt: skip
    return replace(project, cases=cases, requirements=kept)


def rename_case(project: Project, old: str, new: str) -> Project:
    """Rename a case, also in the requirements."""
    new = check_name(new, (c.name for c in project.cases if c.name != old), "case")
    cases = tuple(replace(c, name=new) if c.name == old else c for c in project.cases)
    requirements = tuple(
        replace(r, case=new) if isinstance(r, DisplacementRequirement) and r.case == old else r
        for r in project.requirements
    )
    return replace(project, cases=cases, requirements=requirements)


def put_requirements(project: Project, requirements: Iterable[Requirement]) -> Project:
    """Replace the requirements.

    Raises
    ------
    DocumentError
        When a limit is not positive or its case unknown.
    """
    requirements = tuple(requirements)
    cases = {c.name for c in project.cases}
    for requirement in requirements:
        where = f"Requirement, {requirement.kind}"
        if not (math.isfinite(requirement.value) and requirement.value > 0):
            raise DocumentError("The limit must be greater than zero.", where, "Enter a number.")
        if isinstance(requirement, DisplacementRequirement) and requirement.case not in cases:
            raise DocumentError(f"There is no case '{requirement.case}'.", where,
                                "Choose a case.")  # fmt: skip
    return replace(project, requirements=requirements)


def check_project(project: Project) -> Project:
    """Check a project as a whole, as when it is opened.

    Raises
    ------
    TartanError
        On the first thing that cannot stand; an empty stack or missing strengths can.
    """
    fresh = Project(check_name(project.name, (), "project"))
    names: list[str] = []
    for material in project.materials:
        names.append(check_name(material.name, names, "material"))
        checked(material)
    fresh = replace(fresh, materials=project.materials)
    stack_names: list[str] = []
    for stack in project.stacks:
        stack_names.append(check_name(stack.name, stack_names, "stack"))
        put_plies(replace(fresh, stacks=(stack,)), stack.name, stack.plies)
    fresh = replace(fresh, stacks=project.stacks)
    if project.part is not None:
        fresh = put_part(fresh, project.part)
    fresh = put_cases(put_supports(fresh, project.supports), project.cases)
    put_requirements(fresh, project.requirements)
    return check_design(project)
