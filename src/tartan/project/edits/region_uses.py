"""What stands on a region or edge follows its new name, or goes with it."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace
from typing import Any, TypeVar

from tartan.project.document.loadmodel import PLACE_FIELDS, places_of
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    POINT,
    EdgeForce,
    Force,
    Load,
    Movement,
    Support,
    SupportSet,
)
from tartan.project.edits.case_edits import edge_names, placed, regions_of


def renamed_region(project: Project, old: str, new: str) -> Project:
    """Carry a region's new name into supports and loads."""

    def stood(supports: tuple[Support, ...]) -> tuple[Support, ...]:
        return tuple(renamed_place(s, old, new) for s in supports)

    supports = stood(project.supports)
    sets = tuple(replace(x, supports=stood(x.supports)) for x in project.support_sets)
    cases = tuple(
        replace(c, loads=tuple(renamed_place(x, old, new) for x in c.loads)) for c in project.cases
    )
    left_out = tuple(replace(r, region=new) if r.region == old else r for r in project.left_out)
    return replace(project, supports=supports, support_sets=sets, cases=cases, left_out=left_out)


_Placed = TypeVar("_Placed", bound=Support | Load)


def renamed_place(one: _Placed, old: str, new: str) -> _Placed:
    """A support or load with a place's new name; corners and edges are never renamed."""
    if old not in places_of(one):
        return one
    return with_places(one, tuple(new if p == old else p for p in places_of(one)))


def left_of(one: _Placed, known: Collection[str]) -> _Placed | None:
    """What is left of a support or load where only some of its places are known."""
    kept = tuple(p for p in places_of(one) if p in known)
    if len(kept) == len(places_of(one)):
        return one
    return with_places(one, kept) if kept else None


def with_places(one: _Placed, places: tuple[str, ...]) -> _Placed:
    """A support or load at other places, each once."""
    first, *also = dict.fromkeys(places)
    field = next(k for k in PLACE_FIELDS if hasattr(one, k))
    changes: dict[str, Any] = {field: first, "also": tuple(also)}
    return replace(one, **changes)


def forget_region(project: Project) -> tuple[Project, list[str]]:
    """Drop supports and loads whose place is gone; return the project and what it lost."""
    places_, regions_, edges = {*placed(project), POINT}, regions_of(project), edge_names(project)
    every = (SupportSet("", project.supports), *project.support_sets)
    lost: list[str] = []

    def left(one: _Placed, known: Collection[str], words: str) -> list[_Placed]:
        """What is left of a support or load, and what of it is lost, said."""
        kept = left_of(one, known)
        lost.extend(f"{words} on {p}" for p in places_of(one) if p and p not in known)
        return [] if kept is None else [kept]

    own, *sets = (
        replace(x, supports=tuple(y for s in x.supports for y in left(s, places_, "support")))
        for x in every
    )
    cases = []
    for case in project.cases:
        kept: list[Load] = []
        for x in case.loads:
            known = (
                edges
                if isinstance(x, EdgeForce)
                else places_
                if isinstance(x, Force | Movement)
                else regions_
            )
            kept += left(x, known, f"{x.kind} of case '{case.name}'")
        cases.append(replace(case, loads=tuple(kept)))
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
