"""Taking a ply layout over: what it changes against the lay-up at work, and the new project."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from decimal import Decimal
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray
from pydantic import TypeAdapter, ValidationError

from tartan.core.errors import DocumentError, TartanError
from tartan.core.stack import Ply, Stack
from tartan.exchange.plies.differences import Change, changes_between
from tartan.exchange.plies.form import Entry, PlyLayout
from tartan.exchange.plies.form import Ply as PlyForm
from tartan.exchange.plies.read import STAY, Lying, Placement, entry_title, extras, lay
from tartan.project.analysis.own_fibres import directions_at, turn_between
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.pieces import locator_of
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_rows
from tartan.project.document.partmodel import (
    WHOLE,
    Direction,
    Draped,
    Part,
    Region,
    Rung,
    Vector,
    Wound,
)
from tartan.project.edits.part_edits import put_part

Array = NDArray[np.float64]
Index = NDArray[np.int64]

WITHIN = 0.5
"""Angle within which the part's 0° is that of the layout [deg]."""

_WOUND = TypeAdapter(Wound)
_OF_WOUND = {f.name for f in fields(Wound)}

_WOUND_LENGTHS = ("opening", "bandwidth", "start", "end", "step_back")


@dataclass(frozen=True, eq=False)
class Taken:
    """A project with a layout taken over, what that changed, and how far off it lay [m]."""

    project: Project
    changes: tuple[Change, ...]
    off: float


def unknown_materials(layout: PlyLayout, project: Project) -> dict[str, str]:
    """Materials of a layout that the project does not have, each with where it is used first."""
    known = {m.name for m in project.materials}
    found: dict[str, str] = {}
    for number, entry in enumerate(layout.plies, start=1):
        for ply in _entry_plies(layout, entry):
            if ply.material not in known:
                found.setdefault(ply.material, entry_title(entry, number))
    return found


def _entry_plies(layout: PlyLayout, entry: Entry) -> list[PlyForm]:
    if entry.ply is not None:
        return [entry.ply]
    return next(x.plies for x in layout.laminates if x.name == entry.laminate)


def take_layout(
    project: Project,
    layout: PlyLayout,
    names: Mapping[str, str] | None = None,
    placement: Placement = STAY,
    far: float | None = None,
) -> Taken:
    """Lay a layout on the part of a project, in place of what is laid there.

    Parameters
    ----------
    project : Project
        Whose part.
    layout : PlyLayout
        As `read_layout` gives it.
    names : mapping of str to str, optional
        Materials of the project by those of the layout, for those that are called otherwise.
    placement : Placement
        How the layout is moved first.
    far : float, optional
        How far off the surface it may lie [m].

    Raises
    ------
    DocumentError
        Without a part, or naming a material that the project does not have.
    PartError, StackError
        Where a ply cannot be laid; nothing is changed then.
    """
    if project.part is None:
        raise DocumentError(
            "There is no part to lay it on.", "Ply layout", "Choose or read a surface in Part."
        )
    names = {k: v for k, v in (names or {}).items() if v}
    known = {m.name for m in project.materials}
    for name, where in unknown_materials(layout, project).items():
        if names.get(name, name) not in known:
            raise DocumentError(
                f"The project has no material '{name}'.",
                f"Ply layout, {where}",
                f"Choose which it is: {', '.join(sorted(known)) or 'add one in Materials first'}.",
            )
    taking = _Taking(project, project.part, layout, names)
    lying = lay(layout, locator_of(meshed(project.part).mesh), placement, far)
    made = taking.onto(lying, placement)
    return Taken(
        made, changes_between(project, made), float(max((x.off for x in lying), default=0.0))
    )


class _Taking:
    """A layout on its way into a project."""

    def __init__(
        self, project: Project, part: Part, layout: PlyLayout, names: Mapping[str, str]
    ) -> None:
        self.project, self.part, self.layout, self.names = project, part, layout, names
        self._unit = Decimal(repr(layout.metres))

    def onto(self, lying: list[Lying], placement: Placement) -> Project:
        """The project with the layout laid."""
        part = replace(self.part, lay_up=())
        part = self._on_their_side(part, lying)
        part, regions = self._regions(part, lying)
        part = self._directed(part, lying, placement)
        whole = meshed(part)
        rungs = tuple(
            self._rung(whole, entry, at, region, placement)
            for entry, at, region in zip(self.layout.plies, lying, regions, strict=True)
        )
        surface = self.layout.reference_surface or part.reference_surface
        part = replace(part, lay_up=rungs, reference_surface=surface, kept=self._kept())
        return put_part(replace(self.project, stacks=self._stacks()), part)

    def _length(self, value: float) -> float:
        """A length in metres: as typed, to the last digit that the file's unit can hold."""
        found = float(Decimal(repr(float(value))) * self._unit)
        return found if self.layout.units.length != "in" else float(f"{found:.15g}")

    def _ply(self, ply: PlyForm) -> Ply:
        material = self.names.get(ply.material, ply.material)
        return Ply(material, ply.angle, self._length(ply.thickness), ply.sub)

    def _stacks(self) -> tuple[Stack, ...]:
        made = {
            x.name: Stack(x.name, tuple(self._ply(p) for p in x.plies))
            for x in self.layout.laminates
        }
        old = [made.pop(s.name, s) for s in self.project.stacks]
        return (*old, *made.values())

    def _kept(self) -> str:
        """What the file says beyond its form, apart from its entries."""
        kept: dict[str, Any] = dict(self.layout.model_extra or {})
        kept.pop("written_by", None)
        for name, records in (
            ("materials", self.layout.materials),
            ("laminates", self.layout.laminates),
        ):
            by_name = {x.name: extras(x) for x in records}
            by_name = {k: v for k, v in by_name.items() if v}
            if by_name:
                kept[name] = by_name
        return json.dumps(kept, ensure_ascii=False) if kept else ""

    # The part

    def _on_their_side(self, part: Part, lying: list[Lying]) -> Part:
        """Turn the laying side round where the layout is laid from the other one."""
        mesh = meshed(part).mesh
        odd = np.zeros(mesh.count, bool)
        for x in lying:
            at = mesh.centres()[x.elements]
            there = x.normals[_nearest(x.at, at)]
            odd[x.elements] |= np.einsum("qi,qi->q", there, mesh.normals()[x.elements]) < 0
        if not odd.any():
            return part
        covered = np.unique(np.concatenate([x.elements for x in lying]))
        if odd[covered].all():
            flipped = tuple(n for n in part.flipped if n != WHOLE)
            return replace(part, flipped=flipped if WHOLE in part.flipped else (*flipped, WHOLE))
        taken = [*(r.name for r in part.regions), *mesh.regions, *mesh.edges]
        name = _free("laid from the other side", taken)
        region = Region(name, elements=tuple(np.flatnonzero(odd).tolist()))
        return replace(part, regions=(*part.regions, region), flipped=(*part.flipped, region.name))

    def _regions(self, part: Part, lying: list[Lying]) -> tuple[Part, list[str]]:
        """Regions for all entries: those that there are where they fit, else new ones."""
        whole = meshed(part)
        known = {x.tobytes(): n for n, x in reversed(list(whole.regions.items()))}
        known[np.arange(whole.mesh.count).tobytes()] = WHOLE
        made: list[Region] = []
        found = []
        for number, (entry, x) in enumerate(zip(self.layout.plies, lying, strict=True), start=1):
            key = x.elements.tobytes()
            if entry.wound is not None:
                # A wound layer lies where its winding takes it.
                found.append(WHOLE)
                continue
            if entry.region in whole.regions and np.array_equal(
                np.sort(whole.regions[entry.region]), x.elements
            ):
                found.append(entry.region)
                continue
            if key not in known:
                taken = [*whole.regions, *whole.mesh.edges, *(r.name for r in made)]
                wanted = entry.region or entry.name or f"ply {number}"
                made.append(Region(_free(wanted, taken), elements=tuple(x.elements.tolist())))
                known[key] = made[-1].name
            found.append(known[key])
        return replace(part, regions=(*part.regions, *made)), found

    def _directed(self, part: Part, lying: list[Lying], placement: Placement) -> Part:
        """The part with the layout's rules for 0° where they hold and its own do not."""
        if self._agrees(part, lying) or not self.layout.reference:
            return part
        rules = tuple(
            Direction(
                x.region,
                x.way,
                _vector(placement.way(np.array([x.vector]))[0]),
                _vector(placement.place(np.array([x.origin]) * self.layout.metres)[0]),
                x.edge,
            )
            for x in self.layout.reference
        )
        other = replace(part, directions=rules)
        try:
            return other if self._agrees(other, lying) else part
        except TartanError:
            # They name an edge or a region that this part does not have.
            return part

    def _agrees(self, part: Part, lying: list[Lying]) -> bool:
        whole = meshed(part)
        return all(
            np.abs(self._turns(whole, entry, x)).max(initial=0.0) <= WITHIN
            for entry, x in zip(self.layout.plies, lying, strict=True)
            if entry.wound is None
        )

    def _turns(self, whole: Meshed, entry: Entry, x: Lying) -> Array:
        """Angle from the part's 0° to the entry's at the places it is given, shape (q,) [deg]."""
        if entry.draped is not None:
            if x.start is None:
                return np.zeros(1)
            at, zero = x.start[:1], x.start[1:2]
        else:
            at, zero = x.at, x.zero
        centres = whole.mesh.centres()[x.elements]
        own = directions_at(centres, whole.direction[x.elements], at)
        normals = whole.mesh.normals()[x.elements[_nearest(centres, at)]]
        return turn_between(normals, own, zero)

    # Rungs

    def _rung(
        self, whole: Meshed, entry: Entry, x: Lying, region: str, placement: Placement
    ) -> Rung:
        turns = np.zeros(1) if entry.wound is not None else self._turns(whole, entry, x)
        # A fibre has no front: turns on both sides of a right angle are near to each other.
        middle = float(np.degrees(np.angle(np.exp(2j * np.radians(turns)).mean())) / 2)
        spread = np.abs((turns - middle + 90) % 180 - 90).max(initial=0.0)
        fibres, turn = "", 0.0
        if spread > WITHIN:
            fibres = pack_rows(np.concatenate([x.at, x.zero], axis=1))
        elif abs(middle) > WITHIN:
            turn = middle
        ply = None if entry.ply is None else self._ply(entry.ply)
        if ply is not None:
            ply = replace(ply, angle=ply.angle + turn)
        kept = extras(entry)
        beyond = {k: v for k, v in (entry.wound or {}).items() if k not in _OF_WOUND}
        if beyond:
            kept["wound"] = beyond
        return Rung(
            region,
            entry.laminate,
            ply,
            entry.turn + (turn if ply is None else 0.0),
            entry.active,
            self._wound(entry),
            self._draped(entry, x, placement),
            entry.name.strip(),
            fibres,
            json.dumps(kept, ensure_ascii=False) if kept else "",
        )

    def _wound(self, entry: Entry) -> Wound | None:
        if entry.wound is None:
            return None
        try:
            values = {k: v for k, v in entry.wound.items() if k in _OF_WOUND}
            values |= {k: self._length(values[k]) for k in _WOUND_LENGTHS if k in values}
            return _WOUND.validate_python(values)
        except (TypeError, ValueError, ArithmeticError) as error:
            first = error.errors()[0] if isinstance(error, ValidationError) else None
            what = str(error) if first is None else f"{first['loc'][0]}: {first['msg']}"
            raise DocumentError(
                f"Its winding cannot be read: {what}.",
                f"Ply layout, '{entry.name or entry.region}'",
                "Have it written anew.",
            ) from error

    def _draped(self, entry: Entry, x: Lying, placement: Placement) -> Draped | None:
        draped = entry.draped
        if draped is None:
            return None
        start = x.at[0] if x.start is None else x.start[0]
        given = None if entry.start is None else entry.start.at

        def many(points: list[list[float]]) -> tuple[Vector, ...]:
            return tuple(self._placed(p, placement) for p in points)

        return Draped(
            _vector(start) if given is None else self._placed(given, placement),
            self._length(draped.cell),
            draped.way,
            draped.edge,
            many(draped.line),
            tuple(many(cut) for cut in draped.cuts),
            many(draped.starts),
        )

    def _placed(self, point: list[float], placement: Placement) -> Vector:
        """A point where it comes to; one that is not moved as it is written, to the last digit."""
        if placement is STAY:
            return self._vector(point)
        return _vector(placement.place(np.array([point]) * self.layout.metres)[0])

    def _vector(self, point: list[float]) -> Vector:
        x, y, z = (self._length(v) for v in point)
        return x, y, z


def _nearest(places: Array, points: Array) -> Index:
    """Numbers of the nearest of some places to points, shape (q,)."""
    return np.asarray(scipy.spatial.cKDTree(places).query(points)[1], np.int64)


def _vector(x: Array) -> Vector:
    return float(x[0]), float(x[1]), float(x[2])


def _free(name: str, taken: list[str]) -> str:
    clean = "".join(c for c in name if c.isprintable()).strip() or "ply"
    found, number = clean, 2
    while found in taken:
        found, number = f"{clean} {number}", number + 1
    return found
