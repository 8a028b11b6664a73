"""Edits: named functions Project → Project.

Each checks what it is given and raises, or returns the changed project; none leaves anything
half-applied.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import TypeVar

from tartan.core.errors import DocumentError, StackError, TartanError
from tartan.core.materials import Material, checked, replace_value
from tartan.core.stack import Ply, Stack
from tartan.core.stack.groups import bare, relay
from tartan.project.analysis import size_proposals
from tartan.project.document.model import Project, Version
from tartan.project.document.textgate import refuse_odd_text
from tartan.project.edits.design_edits import (
    check_design,
    check_name,
    forget_material,
    free_name,
    rename_in_sets,
)
from tartan.project.edits.part_edits import check_part_data, renamed_material
from tartan.project.edits.versions import as_project


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
    stacks, part = project.stacks, project.part
    if material.name != name:
        part = renamed_material(part, name, material.name)
        stacks = tuple(
            s.with_plies(
                replace(p, material=material.name) if p.material == name else p for p in s.plies
            )
            for s in stacks
        )
    changed = replace(project, materials=materials, stacks=stacks, part=part)
    if material.name != name:
        changed = rename_in_sets(changed, name, material.name)
        sizing = size_proposals.renamed(changed.sizing, material=(name, material.name))
        changed = replace(changed, sizing=sizing)
    for each in changed.materials:
        changed.in_force(each)
    return changed


def set_value(project: Project, name: str, field: str, value: float | str | None) -> Project:
    """Set one field of a material, wherever that is done; see `replace_value`.

    Raises
    ------
    MaterialError, DocumentError
        As `replace_value` and `put_material`.
    """
    material = project.material(name)
    if material is None:
        raise DocumentError(f"There is no material '{name}'.", "Materials", "Choose another.")
    return put_material(project, name, replace_value(material, field, value))


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
    used = [*project.stacks_using(name)]
    if project.part and any(name in r.materials() for r in project.part.lay_up):
        used.append("the part's lay-up")
    if used:
        raise DocumentError(
            f"'{name}' is used by {', '.join(used)}.",
            "Materials",
            "Give those plies another material first.",
        )
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
            raise StackError(
                f"there is no material '{ply.material}'.",
                where,
                "Choose one of the project's materials.",
            )
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
    """Add a stack; return the project and the name it got.

    Raises
    ------
    DocumentError
        Without a name.
    StackError
        As `put_plies`.
    """
    wanted = check_name(wanted, (), "stack")
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

    # The other versions follow, so that the stack is still compared with its earlier self.
    versions = tuple(
        v if any(s.name == new for s in v.stacks) else _renamed_stack(v, old, new)
        for v in project.versions
    )
    orders = tuple(replace(a, stack=new) if a.stack == old else a for a in project.orders)
    sizing = size_proposals.renamed(project.sizing, stack=(old, new))
    changed = _renamed_stack(project, old, new)
    return replace(changed, versions=versions, orders=orders, sizing=sizing)


Design_ = TypeVar("Design_", Project, Version)


def _renamed_stack(design: Design_, old: str, new: str) -> Design_:
    def renamed(s: Stack) -> Stack:
        plies = tuple(replace(p, sub=new) if p.sub == old else p for p in s.plies)
        return Stack(new if s.name == old else s.name, plies)

    part = design.part
    if part is not None:
        rungs = (replace(r, stack=new) if r.stack == old else r for r in part.lay_up)
        part = replace(part, lay_up=tuple(rungs))
    loads = tuple(replace(s, stack=new) if s.stack == old else s for s in design.load_cases)
    return replace(design, stacks=tuple(map(renamed, design.stacks)), part=part, load_cases=loads)


def remove_stack(project: Project, name: str) -> Project:
    """Remove a stack that is not laid on the part.

    Raises
    ------
    DocumentError
        When the part uses it.
    """
    if project.part is not None and name in project.part.stacks():
        raise DocumentError(
            f"'{name}' is laid on the part.", "Stacks", "Lay another stack in Part first."
        )
    return replace(
        project,
        stacks=tuple(s for s in project.stacks if s.name != name),
        load_cases=tuple(s for s in project.load_cases if s.stack != name),
        orders=tuple(a for a in project.orders if a.stack != name),
    )


def check_project(project: Project) -> Project:
    """Check a project as a whole, as when it is opened.

    Raises
    ------
    TartanError
        On the first thing that cannot stand; an empty stack or missing strengths can.
    """
    refuse_odd_text(project)
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
    check_part_data(replace(fresh, conditions=project.conditions), project)
    seen = [project.version]
    for version in project.versions:
        seen.append(check_name(version.name, seen, "version"))
        try:
            check_project(replace(as_project(project, version), versions=(), against=""))
        except TartanError as error:
            raise DocumentError(
                error.what, f"Version {version.name}, {error.where}", error.mend
            ) from error
    if project.against not in ("", *seen):
        raise DocumentError(
            f"There is no version '{project.against}'.", "Baseline", "Name one of the versions."
        )
    return check_design(project)
