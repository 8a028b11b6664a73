"""What stands on a region or edge follows its new name, or goes with it."""

from __future__ import annotations

from dataclasses import replace

from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    POINT,
    WHOLE,
    EdgeForce,
    Force,
    Load,
    MappedPressure,
    Movement,
    Pressure,
    Support,
    SupportSet,
)
from tartan.project.edits.case_edits import edge_names, placed, regions_of


def renamed_region(project: Project, old: str, new: str) -> Project:
    """Carry a region's new name into supports and loads."""

    def moved(load: Load) -> Load:
        if isinstance(load, Pressure | MappedPressure) and load.region == old:
            return replace(load, region=new)
        if isinstance(load, Force | Movement) and load.place == old:
            return replace(load, place=new)
        return load

    def stood(supports: tuple[Support, ...]) -> tuple[Support, ...]:
        return tuple(replace(s, place=new) if s.place == old else s for s in supports)

    supports = stood(project.supports)
    sets = tuple(replace(x, supports=stood(x.supports)) for x in project.support_sets)
    cases = tuple(replace(c, loads=tuple(map(moved, c.loads))) for c in project.cases)
    left_out = tuple(replace(r, region=new) if r.region == old else r for r in project.left_out)
    return replace(project, supports=supports, support_sets=sets, cases=cases, left_out=left_out)


def forget_region(project: Project) -> tuple[Project, list[str]]:
    """Drop supports and loads whose place is gone; return the project and what it lost."""
    places_, regions_, edges = {*placed(project), POINT}, regions_of(project), edge_names(project)
    every = (SupportSet("", project.supports), *project.support_sets)
    lost = [f"support on {s.place}" for x in every for s in x.supports if s.place not in places_]
    own, *sets = (
        replace(x, supports=tuple(s for s in x.supports if s.place in places_)) for x in every
    )

    def stands(load: Load) -> bool:
        if isinstance(load, EdgeForce):
            return load.edge in edges
        if isinstance(load, Force | Movement):
            return load.place in places_
        return getattr(load, "region", WHOLE) in regions_

    cases = []
    for case in project.cases:
        kept = tuple(x for x in case.loads if stands(x))
        lost += [f"{x.kind} of case '{case.name}'" for x in case.loads if x not in kept]
        cases.append(replace(case, loads=kept))
    left_out = tuple(r for r in project.left_out if r.near != "region" or r.region in regions_)
    lost += [f"{r.region}, which margins left out" for r in project.left_out if r not in left_out]
    changed = replace(
        project,
        supports=own.supports,
        support_sets=tuple(sets),
        cases=tuple(cases),
        left_out=left_out,
    )
    return changed, lost
