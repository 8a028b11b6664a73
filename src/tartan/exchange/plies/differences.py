"""What is different between two lay-ups, ply by ply, in words."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import astuple, dataclass, replace
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
    before, after = _rungs(old), _rungs(new)
    pairs = _paired(before, after)
    found = [
        Change("gone", _title(r, i), _words(r)) for i, r in enumerate(before) if i not in pairs
    ]
    came = {j: i for i, j in pairs.items()}
    # Of all that stayed, the longest run in the old order has not moved.
    order = [came[j] for j in sorted(came)]
    match = SequenceMatcher(None, sorted(order), order, autojunk=False)
    still = {i for block in match.get_matching_blocks() for i in order[block.b :][: block.size]}
    for j, rung in enumerate(after):
        title = _title(rung, j)
        if j not in came:
            found.append(Change("added", title, f"{_words(rung)}, as rung {j + 1}"))
            continue
        if came[j] not in still:
            found.append(Change("moved", title, f"from rung {came[j] + 1} to rung {j + 1}"))
        each = _between(old, new, before[came[j]], rung)
        found += [Change(kind, title, words) for kind, words in each]
    return (*found, *_stacks(old, new), *_part(old, new))


def _rungs(project: Project) -> tuple[Rung, ...]:
    return project.part.lay_up if project.part else ()


def _title(rung: Rung, number: int) -> str:
    """What a rung is called, or its number and what is laid."""
    what = rung.stack or (rung.ply.material if rung.ply else "")
    return rung.name or f"rung {number + 1}, {what}"


def _paired(before: Sequence[Rung], after: Sequence[Rung]) -> dict[int, int]:
    """Rungs that are the same ones: by name, else alike in order, alike at all, or as near."""
    pairs: dict[int, int] = {}
    for like in (_by_name, _alike, _what):
        a = [i for i in range(len(before)) if i not in pairs and like(before[i]) is not None]
        b = [
            j for j in range(len(after)) if j not in pairs.values() and like(after[j]) is not None
        ]
        one, other = [like(before[i]) for i in a], [like(after[j]) for j in b]
        found: dict[int, int] = {}
        for block in SequenceMatcher(None, one, other, autojunk=False).get_matching_blocks():
            for k in range(block.size):
                found[a[block.a + k]] = b[block.b + k]
        # What is left over stands elsewhere.
        left = {like(after[j]): j for j in reversed(b) if j not in found.values()}
        for i in a:
            if i not in found and like(before[i]) in left:
                found[i] = left.pop(like(before[i]))
        pairs |= {i: j for i, j in found.items() if _may_be(before[i], after[j])}
    return pairs


def _may_be(a: Rung, b: Rung) -> bool:
    """Whether two rungs may be the same ply: those of two names are not."""
    return not a.name or not b.name or a.name == b.name


def _by_name(rung: Rung) -> Hashable:
    return rung.name or None


def _alike(rung: Rung) -> Hashable:
    return replace(rung, kept="")


def _what(rung: Rung) -> Hashable:
    return rung.stack or (rung.ply.material if rung.ply else ""), rung.region


def _words(rung: Rung) -> str:
    return rung_words(replace(rung, name=""))


def _between(old: Project, new: Project, a: Rung, b: Rung) -> list[tuple[str, str]]:
    found = _of_ply(a, b)
    if a.name != b.name:
        found.append(("called", f"{a.name or 'nothing'} → {b.name or 'nothing'}"))
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
