"""What is different between two lay-ups, ply by ply, in words."""

from __future__ import annotations

from dataclasses import astuple, dataclass
from difflib import SequenceMatcher

import numpy as np

from tartan.core.errors import TartanError
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Draped, Rung, Wound
from tartan.project.wording import units
from tartan.project.wording.document_words import rung_words
from tartan.project.wording.units import counted


@dataclass(frozen=True)
class Change:
    """One change: of which kind, of which ply or thing, and what in words."""

    kind: str
    what: str
    words: str


def changes_between(old: Project, new: Project) -> tuple[Change, ...]:
    """Changes from one lay-up to another: plies added, gone, moved, turned, and the rest."""
    before, after = _keyed(old), _keyed(new)
    found = [Change("gone", k, rung_words(r)) for k, (_, r) in before.items() if k not in after]
    both = [k for k in before if k in after]
    order = [k for k in after if k in before]
    match = SequenceMatcher(None, both, order, autojunk=False)
    still = {k for block in match.get_matching_blocks() for k in both[block.a :][: block.size]}
    for key, (number, rung) in after.items():
        if key not in before:
            found.append(Change("added", key, f"{rung_words(rung)}, as rung {number}"))
            continue
        was, earlier = before[key]
        if key not in still:
            found.append(Change("moved", key, f"from rung {was} to rung {number}"))
        found += [Change(kind, key, words) for kind, words in _between(old, new, earlier, rung)]
    return (*found, *_stacks(old, new), *_part(old, new))


def _keyed(project: Project) -> dict[str, tuple[int, Rung]]:
    """Rungs with their numbers by what they are called, those alike told apart by a count."""
    found: dict[str, tuple[int, Rung]] = {}
    for number, rung in enumerate(project.part.lay_up if project.part else (), start=1):
        what = rung.stack or (rung.ply.material if rung.ply else "")
        name = rung.name or f"{what} on {rung.region or 'the whole part'}"
        key, count = name, 2
        while key in found:
            key, count = f"{name} · {count}", count + 1
        found[key] = (number, rung)
    return found


def _between(old: Project, new: Project, a: Rung, b: Rung) -> list[tuple[str, str]]:
    found = _of_ply(a, b)
    if a.turn != b.turn:
        found.append(("turned", f"by {units.number(a.turn)}° → by {units.number(b.turn)}°"))
    if a.active != b.active:
        found.append(("switched", "on" if b.active else "off"))
    if _rounded(a.draped) != _rounded(b.draped) or _rounded(a.wound) != _rounded(b.wound):
        found.append(("made otherwise", _made(a) + " → " + _made(b)))
    if a.fibres != b.fibres:
        found.append(("own 0°", "its directions are those of the file" if b.fibres else "none"))
    return [*found, *_places(old, new, a, b)]


def _of_ply(a: Rung, b: Rung) -> list[tuple[str, str]]:
    found = []
    if a.ply is not None and b.ply is not None:
        if a.ply.material != b.ply.material:
            found.append(("other material", f"{a.ply.material} → {b.ply.material}"))
        if a.ply.angle != b.ply.angle:
            one, other = (units.number(x) for x in (a.ply.angle, b.ply.angle))
            found.append(("turned", f"{one}° → {other}°"))
        if a.ply.thickness != b.ply.thickness:
            one, other = (units.show(x, units.LENGTH) for x in (a.ply.thickness, b.ply.thickness))
            found.append(("other thickness", f"{one} → {other}"))
    elif a.stack != b.stack or (a.ply is None) != (b.ply is None):
        found.append(("laid otherwise", f"{rung_words(a)} → {rung_words(b)}"))
    return found


def _places(old: Project, new: Project, a: Rung, b: Rung) -> list[tuple[str, str]]:
    areas = _area(old, a), _area(new, b)
    if a.region != b.region or None in areas or areas[0] != areas[1]:
        words = [
            f"{x.region or 'the whole part'}"
            + (f" ({units.number(1e4 * area, 4)} cm²)" if area is not None else "")
            for x, area in ((a, areas[0]), (b, areas[1]))
        ]
        if words[0] != words[1]:
            return [("lies elsewhere", f"{words[0]} → {words[1]}")]
    return []


def _rounded(record: Draped | Wound | None) -> object:
    """A record with its lengths to the nanometre: the last digit of an inch is no change."""

    def cut(x: object) -> object:
        if isinstance(x, float):
            return round(x, 9)
        return tuple(map(cut, x)) if isinstance(x, tuple) else x

    return None if record is None else tuple(map(cut, astuple(record)))


def _made(rung: Rung) -> str:
    if rung.wound is not None:
        return "wound"
    if rung.draped is None:
        return "as projected"
    x, y, z = (units.show(v, units.LENGTH, unit=False) for v in rung.draped.start)
    return f"draped ({rung.draped.way}) from {x}, {y}, {z} {units.LENGTH.unit}"


def _whole(project: Project) -> Meshed | None:
    if project.part is None:
        return None
    try:
        return meshed(project.part)
    except TartanError:
        return None


def _area(project: Project, rung: Rung) -> float | None:
    """Area of a rung's region [m²]; None where that is not there any more."""
    whole = _whole(project)
    try:
        return (
            None
            if whole is None
            else float(np.sum(whole.mesh.areas()[whole.elements(rung.region)]))
        )
    except TartanError:
        return None


def _stacks(old: Project, new: Project) -> list[Change]:
    before, after = ({s.name: s for s in p.stacks} for p in (old, new))
    found = []
    for name, stack in after.items():
        if name not in before:
            found.append(Change("laminate added", name, counted(len(stack.plies), "ply", "plies")))
        elif before[name].plies != stack.plies:
            counts = [counted(len(s.plies), "ply", "plies") for s in (before[name], stack)]
            words = " → ".join(counts) if counts[0] != counts[1] else "other plies"
            found.append(Change("laminate changed", name, words))
    return found


def _part(old: Project, new: Project) -> list[Change]:
    a, b = old.part, new.part
    if a is None or b is None:
        return []
    found = []
    if a.directions != b.directions:
        found.append(Change("0° direction", "part", "that of the file"))
    if a.flipped != b.flipped:
        found.append(Change("laying side", "part", "turned round, as the file lays it"))
    if a.reference_surface != b.reference_surface:
        words = f"{a.reference_surface} → {b.reference_surface} of the laminate"
        found.append(Change("reference surface", "part", words))
    return found
