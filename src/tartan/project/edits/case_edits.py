"""Edits of supports, load cases, combinations, pressure tables and requirements."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import fields, replace

from tartan.core.bounds import (
    MOST_FACTOR,
    MOST_FORCE,
    MOST_HEAT,
    MOST_LENGTH,
    MOST_STRESS,
    beyond,
)
from tartan.core.errors import DocumentError, PartError
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.project.analysis.partmesh import base_mesh, places, region_names
from tartan.project.document.loadmodel import places_of
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import unpack_rows
from tartan.project.document.partmodel import (
    POINT,
    WHOLE,
    Case,
    Combination,
    EdgeForce,
    Force,
    LeftOut,
    Load,
    MappedPressure,
    MassRequirement,
    Movement,
    OutsideForces,
    PressureTable,
    Requirement,
    ReserveRequirement,
    Support,
    SupportSet,
)
from tartan.project.edits.design_edits import check_name

_MOST = {
    "value": MOST_STRESS,
    "dT": MOST_HEAT,
    "gradient": 100 * MOST_HEAT,
    "factor": MOST_FACTOR,
    "vector": MOST_FACTOR,
    "at": MOST_LENGTH,
    "move": MOST_LENGTH,
    "reach": MOST_LENGTH,
}
"""Greatest figure of a load by its field; of forces and moments where it is not named."""

MOST_RINGS = 50
"""Elements round a support or force that can be left out."""


def placed(project: Project) -> list[str]:
    """Places that the part has: edges, regions and points by name."""
    return [] if project.part is None else places(project.part)


def regions_of(project: Project) -> list[str]:
    """Regions of the part, the whole of it first."""
    return [WHOLE] if project.part is None else region_names(project.part)


def edge_names(project: Project) -> list[str]:
    """Edges that the part's surface has."""
    part = project.part
    return [] if part is None else [*base_mesh(part.surface, part.mesh_size, part.finer).edges]


def put_supports(project: Project, supports: Iterable[Support], name: str = "") -> Project:
    """Replace the supports of a set, or the project's own; doubled ones count once.

    Raises
    ------
    PartError
        When a place or kind is unknown, or a figure is not finite.
    DocumentError
        When there is no such set.
    """
    supports = checked_supports(project, supports, name)
    if not name:
        return replace(project, supports=supports)
    if all(x.name != name for x in project.support_sets):
        raise DocumentError(f"There is no support set '{name}'.", "Supports", "Choose another.")
    sets = tuple(
        replace(x, supports=supports) if x.name == name else x for x in project.support_sets
    )
    return replace(project, support_sets=sets)


def checked_supports(
    project: Project, supports: Iterable[Support], name: str = ""
) -> tuple[Support, ...]:
    """Supports that can stand, each once; raise as `put_supports`."""
    supports = tuple(dict.fromkeys(supports))
    known = {*placed(project), POINT}
    for number, support in enumerate(supports, start=1):
        where = f"Supports{f' of {name}' if name else ''}, {number}"
        if gone := [p for p in places_of(support) if p not in known]:
            raise PartError(
                f"There is no '{gone[0]}'.", where, f"Choose one of {', '.join(known)}."
            )
        if support.kind not in SUPPORT_KINDS:
            raise PartError(
                f"There is no support '{support.kind}'.",
                where,
                f"Choose one of {', '.join(SUPPORT_KINDS)}.",
            )
        if any(beyond(v, MOST_LENGTH) for v in support.at):
            raise PartError(
                f"A figure is no length up to {MOST_LENGTH:g} m.", where, "Enter a number."
            )
    return supports


def put_support_sets(project: Project, sets: Iterable[SupportSet]) -> Project:
    """Replace the support sets; cases on sets that are gone stand on the project's own.

    Raises
    ------
    DocumentError, PartError
        Names that are empty or doubled, or supports that cannot stand.
    """
    sets = tuple(sets)
    seen: list[str] = []
    found = []
    for each in sets:
        seen.append(check_name(each.name, seen, "support set"))
        found.append(replace(each, supports=checked_supports(project, each.supports, each.name)))
    cases = tuple(c if c.supports in seen else replace(c, supports="") for c in project.cases)
    return replace(project, support_sets=tuple(found), cases=cases)


def rename_support_set(project: Project, old: str, new: str) -> Project:
    """Rename a support set, also in the cases that stand on it."""
    new = check_name(new, (x.name for x in project.support_sets if x.name != old), "support set")
    sets = tuple(replace(x, name=new) if x.name == old else x for x in project.support_sets)
    cases = tuple(replace(c, supports=new) if c.supports == old else c for c in project.cases)
    return replace(project, support_sets=sets, cases=cases)


def check_load(project: Project, load: Load, where: str) -> None:
    """Raise `PartError` when a load is not finite, or acts on what is not there."""
    for field in fields(load):
        value = getattr(load, field.name)
        figures = value if isinstance(value, tuple) else (value,)
        numbers = [v for v in figures if isinstance(v, int | float) and not isinstance(v, bool)]
        if not all(map(math.isfinite, numbers)):
            raise PartError("A load is not a finite number.", where, "Enter a number.")
        most = _MOST.get(field.name, MOST_FORCE)
        if wrong := [v for v in numbers if beyond(v, most)]:
            raise PartError(
                f"A figure of {wrong[0]:g} is beyond ±{most:g} in SI units.",
                where,
                "Check its unit.",
            )
    if isinstance(load, MappedPressure) and all(t.name != load.table for t in project.tables):
        raise PartError(f"There is no pressure table '{load.table}'.", where, "Read one in Cases.")
    _check_places(project, load, where)


def _check_places(project: Project, load: Load, where: str) -> None:
    """Raise `PartError` when a load names a place that is not there."""
    if isinstance(load, EdgeForce):
        sort, known = "edge", edge_names(project)
    elif isinstance(load, Force | Movement):
        sort, known = "place", [POINT, *placed(project)]
    else:
        sort, known = "region", regions_of(project)
    gone = next((p for p in places_of(load) if p not in known), None)
    if gone is not None:
        names = ", ".join(f"'{n}'" if n else "the whole part" for n in known)
        mend = f"Choose one of {names}." if names else "Give the part a surface first."
        raise PartError(f"There is no {sort} '{gone}'.", where, mend)


def put_cases(project: Project, cases: Iterable[Case]) -> Project:
    """Replace the load cases; what names cases that are gone goes with them.

    Raises
    ------
    DocumentError, PartError
        Names that are empty or doubled, loads that are not finite.
    """
    cases = tuple(cases)
    sets = {"", *(x.name for x in project.support_sets)}
    seen = [*(c.name for c in project.combinations), *(x.name for x in project.outside)]
    for case in cases:
        seen.append(check_name(case.name, seen, "case"))
        if case.supports not in sets:
            raise DocumentError(
                f"There is no support set '{case.supports}'.",
                f"Case '{case.name}'",
                "Choose another.",
            )
        for load in case.loads:
            check_load(project, load, f"Case '{case.name}', {load.kind}")
    names = {c.name for c in cases}
    combinations = tuple(
        replace(
            c,
            factors=tuple(f for f in c.factors if f[0] in names),
            held=tuple(n for n in c.held if n in names),
        )
        for c in project.combinations
    )
    return _kept_requirements(replace(project, cases=cases, combinations=combinations))


def _kept_requirements(project: Project) -> Project:
    """Project without the requirements of cases that are gone."""
    names = {"", *project.case_names}
    kept = tuple(r for r in project.requirements if getattr(r, "case", "") in names)
    return replace(project, requirements=kept)


def rename_case(project: Project, old: str, new: str) -> Project:
    """Rename a case or combination, also where it is named."""
    new = check_name(new, (c for c in project.case_names if c != old), "case")

    def swap(name: str) -> str:
        return new if name == old else name

    def renamed(r: Requirement) -> Requirement:
        if not isinstance(r, MassRequirement):
            return replace(r, case=swap(r.case))
        return r

    outside = tuple(replace(x, name=swap(x.name)) for x in project.outside)

    combinations = tuple(
        replace(
            c,
            name=swap(c.name),
            factors=tuple((swap(n), f) for n, f in c.factors),
            held=tuple(map(swap, c.held)),
        )
        for c in project.combinations
    )
    return replace(
        project,
        cases=tuple(replace(c, name=swap(c.name)) for c in project.cases),
        combinations=combinations,
        outside=outside,
        requirements=tuple(map(renamed, project.requirements)),
    )


def put_combinations(project: Project, combinations: Iterable[Combination]) -> Project:
    """Replace the combinations.

    Raises
    ------
    DocumentError
        Names that are empty or doubled, cases that do not exist, factors that are not finite.
    """
    combinations = tuple(combinations)
    names = {c.name for c in project.cases}
    seen = [*names, *(x.name for x in project.outside)]
    for each in combinations:
        seen.append(check_name(each.name, seen, "case"))
        for name, factor in each.factors:
            where = f"Case '{each.name}'"
            if name not in names:
                raise DocumentError(f"There is no case '{name}'.", where, "Choose a case.")
            if beyond(factor, MOST_FACTOR):
                raise DocumentError(
                    f"A factor is no number up to ±{MOST_FACTOR:g}.", where, "Enter a number."
                )
        if strange := [n for n in each.held if n not in names]:
            where = f"Case '{each.name}'"
            raise DocumentError(
                f"It holds '{strange[0]}', which is no case.", where, "Choose one."
            )
        sets = dict.fromkeys(
            c.supports for n, f in each.factors for c in project.cases if f and c.name == n
        )
        if len(sets) > 1:
            raise DocumentError(
                "It adds cases that stand on different supports.",
                f"Case '{each.name}'",
                "Combine cases of one set of supports.",
            )
    return _kept_requirements(replace(project, combinations=combinations))


def put_tables(project: Project, tables: Iterable[PressureTable]) -> Project:
    """Replace the pressure tables.

    Raises
    ------
    DocumentError, PartError
        Names that are empty or doubled, fewer than three points, figures that are not finite,
        or a table gone that a case uses.
    """
    tables = tuple(tables)
    seen: list[str] = []
    for table in tables:
        seen.append(check_name(table.name, seen, "pressure table"))
        where = f"Load, pressure table '{table.name}'"
        if len(table.rows) < 3:
            raise PartError(
                "A pressure table needs three points or more.", where, "Give rows of x, y, z, p."
            )
        for number, row in enumerate(table.rows, start=1):
            if any(map(beyond, row, (*[MOST_LENGTH] * 3, MOST_STRESS))):
                raise PartError(
                    "A value makes no sense.",
                    f"{where}, row {number}",
                    "Mend it, or check its unit.",
                )
    for case in project.cases:
        for load in case.loads:
            if isinstance(load, MappedPressure) and load.table not in seen:
                raise DocumentError(
                    f"'{load.table}' is used by case '{case.name}'.",
                    "Load",
                    "Take that load out first.",
                )
    return replace(project, tables=tables)


def put_requirements(project: Project, requirements: Iterable[Requirement]) -> Project:
    """Replace the requirements.

    Raises
    ------
    DocumentError
        When a limit is not positive or its case unknown.
    """
    requirements = tuple(requirements)
    names, outside = set(project.case_names), {x.name for x in project.outside}
    for each in requirements:
        where = f"Requirement, {each.kind}"
        if beyond(each.value, MOST_FORCE) or each.value <= 0:
            raise DocumentError("The limit must be greater than zero.", where, "Enter a number.")
        if isinstance(each, MassRequirement):
            continue
        # Without a case it is asked of all of them; a frequency then of the part without load.
        if each.case and each.case not in names:
            raise DocumentError(f"There is no case '{each.case}'.", where, "Choose a case.")
        if each.case in outside and not isinstance(each, ReserveRequirement):
            raise DocumentError(
                f"'{each.case}' has section forces and no displacements.",
                where,
                "Choose a case that is solved here.",
            )
    return replace(project, requirements=requirements)


def put_outside(project: Project, outside: Iterable[OutsideForces]) -> Project:
    """Replace the section forces of other analyses; requirements of those gone go with them.

    Raises
    ------
    DocumentError, PartError
        Names that are empty or doubled, or rows that do not lie on the part.
    """
    outside = tuple(outside)
    seen = [*(c.name for c in project.cases), *(c.name for c in project.combinations)]
    for each in outside:
        seen.append(check_name(each.name, seen, "case"))
        keys = 1 if each.by == "element" else 3
        unpack_rows(each.table, keys + 8)
    return _kept_requirements(replace(project, outside=outside))


def put_left_out(project: Project, rules: Iterable[LeftOut]) -> Project:
    """Replace the areas that margins leave out.

    Raises
    ------
    PartError
        When a number of elements is not 0 to 50, or a region does not exist.
    """
    rules = tuple(dict.fromkeys(rules))
    for rule in rules:
        if not 0 <= rule.rings <= MOST_RINGS:
            raise PartError(
                f"{rule.rings} elements cannot be left out.",
                "Areas left out",
                f"Enter 0 to {MOST_RINGS}.",
            )
        if rule.distance is not None and (
            beyond(rule.distance, MOST_LENGTH) or rule.distance <= 0
        ):
            raise PartError(
                "That is no distance that can be left out.",
                "Areas left out",
                "Enter a length greater than zero.",
            )
        if rule.near == "region" and rule.region not in regions_of(project)[1:]:
            raise PartError(
                f"There is no region '{rule.region}'.", "Areas left out", "Choose another."
            )
    return replace(project, left_out=rules)
