"""Edits of what goes with materials and stacks: load cases, criteria, conditions, the baseline."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from tartan.core.conditions import Condition, check_condition
from tartan.core.criteria import criterion, written
from tartan.core.errors import CriterionError, DocumentError
from tartan.core.laminate.loadcase import LoadCase, check_load_case
from tartan.project.document.model import (
    AppliedCondition,
    CriteriaSet,
    KeptWorking,
    Project,
)

KINDS = ("ply", "woven", "isotropic", "core", "filler")


def free_name(wanted: str, taken: Iterable[str]) -> str:
    """The name wanted, with a number when it is taken."""
    names = set(taken)
    if wanted not in names:
        return wanted
    number = 2
    while f"{wanted} {number}" in names:
        number += 1
    return f"{wanted} {number}"


def first_free(kind: str, taken: Iterable[str]) -> str:
    """The kind with the first number that is free, such as "opening 1"."""
    names, number = set(taken), 1
    while f"{kind} {number}" in names:
        number += 1
    return f"{kind} {number}"


def check_name(name: str, others: Iterable[str], what: str) -> str:
    """Return the name without blanks around it.

    Raises
    ------
    DocumentError
        When it is empty or taken.
    """
    clean = name.strip()
    if not clean:
        raise DocumentError(f"A {what} needs a name.", "Name", "Type one.")
    if clean in set(others):
        raise DocumentError(f"There is already a {what} '{clean}'.", "Name", "Choose another.")
    return clean


def put_load_cases(project: Project, load_cases: Iterable[LoadCase]) -> Project:
    """Replace the load cases.

    Raises
    ------
    DocumentError, StackError
        Names that are empty or doubled, a stack that does not exist, loads that are not finite.
    """
    load_cases = tuple(load_cases)
    names: list[str] = []
    for loads in load_cases:
        names.append(check_name(loads.name, names, "load case"))
        check_load_case(loads)
        if loads.stack and project.stack(loads.stack) is None:
            raise DocumentError(
                f"There is no stack '{loads.stack}'.",
                f"Load case '{loads.name}'",
                "Choose one of the project's stacks.",
            )
    return replace(project, load_cases=load_cases)


def add_load_case(project: Project, loads: LoadCase) -> Project:
    """Add a load case; a name that is taken gets a number."""
    name = free_name(loads.name, (s.name for s in project.load_cases))
    return put_load_cases(project, (*project.load_cases, replace(loads, name=name)))


def put_criteria(project: Project, criteria: Iterable[CriteriaSet]) -> Project:
    """Replace the sets of criteria; the first is in force.

    Raises
    ------
    DocumentError, CriterionError
        No set at all, names that are empty or doubled, unknown criteria, kinds without any.
    """
    criteria = tuple(criteria)
    if not criteria:
        raise DocumentError("There must be a set of criteria.", "Criteria", "Keep one.")
    names: list[str] = []
    for each in criteria:
        names.append(check_name(each.name, names, "set of criteria"))
        for kind, keys in each.rules:
            where = f"Criteria '{each.name}', {kind}"
            if not keys and kind != "filler":
                raise CriterionError(
                    f"{kind} layers would have no criterion.",
                    where,
                    "Leave at least one switched on.",
                )
            for key in keys:
                criterion(key)
    return replace(project, criteria=criteria)


def switched(criteria: CriteriaSet, kind: str, key: str, *, on: bool) -> CriteriaSet:
    """Set with a criterion of a kind of material switched on or off."""
    known = kind in criteria.sets
    rules = tuple(
        (k, tuple(dict.fromkeys((*keys, key))) if on else tuple(c for c in keys if c != key))
        if k == kind
        else (k, keys)
        for k, keys in (criteria.rules if known else (*criteria.rules, (kind, ())))
    )
    return CriteriaSet(criteria.name, rules)


def put_formula(project: Project, name: str, text: str, old: str = "") -> Project:
    """Keep a criterion that the user wrote, in place of an old one wherever that is chosen.

    Raises
    ------
    CriterionError
        A name that is empty or taken, or a formula that cannot be read.
    """
    key = written(name, text)
    others = [criterion(k).title for k in project.formulas if k != old]
    if name.strip() in others:
        raise CriterionError(
            f"There is a criterion '{name.strip()}' already.", "Criteria", "Give it another name."
        )
    if old not in project.formulas:
        return replace(project, formulas=(*project.formulas, key))
    sets = tuple(
        CriteriaSet(
            c.name, tuple((k, tuple(key if x == old else x for x in keys)) for k, keys in c.rules)
        )
        for c in project.criteria
    )
    formulas = tuple(key if k == old else k for k in project.formulas)
    return replace(project, formulas=formulas, criteria=sets)


def remove_formula(project: Project, key: str) -> Project:
    """Give up a criterion that the user wrote.

    Raises
    ------
    CriterionError
        When a set still uses it.
    """
    for each in project.criteria:
        for kind, keys in each.rules:
            if key in keys:
                what = f"'{criterion(key).title}' judges {kind} layers."
                raise CriterionError(what, f"Criteria '{each.name}'", "Switch it off there.")
    return replace(project, formulas=tuple(k for k in project.formulas if k != key))


def put_own_rule(project: Project, name: str) -> Project:
    """Give a material criteria of its own in the set in force, those of its kind at first.

    Raises
    ------
    DocumentError
        When there is no such material.
    """
    material = project.material(name)
    if material is None:
        raise DocumentError(f"There is no material '{name}'.", "Criteria", "Choose another.")
    first, *others = project.criteria
    rules = dict(first.rules)
    if name in rules:
        return project
    changed = replace(
        first, rules=(*first.rules, (name, rules.get(material.kind, ()) or ("von_mises",)))
    )
    return put_criteria(project, (changed, *others))


def drop_own_rule(project: Project, name: str) -> Project:
    """Judge a material by its kind again; the criteria of kinds stay."""
    first, *others = project.criteria
    kept = tuple(r for r in first.rules if r[0] != name or name in KINDS)
    return put_criteria(project, (replace(first, rules=kept), *others))


def add_criteria(project: Project, like: CriteriaSet) -> Project:
    """Add a set of criteria like another and put it in force; a taken name gets a number."""
    name = free_name(like.name, (c.name for c in project.criteria))
    return put_criteria(project, (replace(like, name=name), *project.criteria))


def put_conditions(project: Project, conditions: Iterable[AppliedCondition]) -> Project:
    """Replace the conditions.

    Raises
    ------
    DocumentError, MaterialError
        Names that are empty or doubled, unknown materials or fields, factors that are not
        positive, or a material that is no longer admissible under its conditions.
    """
    conditions = tuple(conditions)
    names: list[str] = []
    for each in conditions:
        names.append(check_name(each.name, names, "condition"))
        check_condition(Condition(each.name, each.factors))
        for material in each.materials:
            if project.material(material) is None:
                raise DocumentError(
                    f"There is no material '{material}'.",
                    f"Condition '{each.name}'",
                    "Choose another.",
                )
    changed = replace(project, conditions=conditions)
    for each_material in changed.materials:
        changed.in_force(each_material)
    return changed


def rename_in_sets(project: Project, old: str, new: str) -> Project:
    """Carry a material's new name into conditions and criteria."""

    def swap(name: str) -> str:
        return new if name == old else name

    conditions = tuple(
        replace(c, materials=tuple(map(swap, c.materials))) for c in project.conditions
    )
    criteria = tuple(
        replace(c, rules=tuple((swap(k), keys) for k, keys in c.rules)) for c in project.criteria
    )
    return replace(project, conditions=conditions, criteria=criteria)


def forget_material(project: Project, name: str) -> Project:
    """Take a removed material out of conditions and criteria."""
    conditions = tuple(
        replace(c, materials=tuple(m for m in c.materials if m != name))
        for c in project.conditions
    )
    criteria = tuple(
        replace(c, rules=tuple(r for r in c.rules if r[0] != name or name in KINDS))
        for c in project.criteria
    )
    return replace(project, conditions=conditions, criteria=criteria)


def keep_working(project: Project, title: str, text: str) -> Project:
    """Keep a working for the report, in place of an earlier one of the same title."""
    others = tuple(w for w in project.workings if w.title != title)
    return replace(project, workings=(*others, KeptWorking(title, text)))


def check_design(project: Project) -> Project:
    """Check what goes with materials and stacks, as when a project is opened.

    Raises
    ------
    TartanError
        On the first thing that cannot stand.
    """
    put_load_cases(project, project.load_cases)
    put_criteria(project, project.criteria)
    kept = replace(project, formulas=())
    for key in project.formulas:
        name, _, text = key.partition(" = ")
        kept = put_formula(kept, name, text)
    put_conditions(project, project.conditions)
    check_name(project.version, (), "version")
    return project
