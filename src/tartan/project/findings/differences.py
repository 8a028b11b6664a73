"""What differs between two versions, in words: old → new, with units."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, fields, is_dataclass
from difflib import SequenceMatcher
from typing import Any, Protocol, TypeVar

from tartan.core.materials import FIELD_NAMES, Material
from tartan.core.stack import Stack
from tartan.project.document.model import CriteriaSet, Project, Version
from tartan.project.document.partmodel import Case, Combination, Part, ReadSurface, SupportSet
from tartan.project.wording import units
from tartan.project.wording.document_words import (
    QUANTITIES,
    SYMBOLS,
    left_out_words,
    load_words,
    notation,
    requirement_words,
    rung_words,
    support_words,
)

Design = Project | Version


class Named(Protocol):
    """Whatever has a name."""

    @property
    def name(self) -> str: ...  # noqa: D102


One = TypeVar("One", bound=Named)


@dataclass(frozen=True)
class Difference:
    """One thing that differs: its station, what it is, and how it changed."""

    station: str
    what: str
    words: str


def differences(old: Design, new: Design) -> list[Difference]:
    """All that differs between two versions, in the order of the route.

    Parameters
    ----------
    old, new : Project or Version
        The version compared with, and the one that is looked at.
    """
    supports, asked, out = (
        _lists(*([say(x) for x in getattr(d, field)] for d in (old, new)))
        for field, say in (
            ("supports", support_words),
            ("requirements", requirement_words),
            ("left_out", left_out_words),
        )
    )
    sources = (
        ("Materials", "", _by_name(old.materials, new.materials, _material)),
        ("Materials", "condition ", _by_name(old.conditions, new.conditions, _fields)),
        ("Stacks", "", _by_name(old.stacks, new.stacks, lambda a, b: _stack(old, new, a, b))),
        ("Stacks", "load case ", _by_name(old.load_cases, new.load_cases, _fields)),
        ("Part", "", _part(old.part, new.part)),
        ("Cases", "", [("supports", supports)]),
        ("Cases", "support set ", _by_name(old.support_sets, new.support_sets, _support_set)),
        ("Cases", "", _by_name(old.cases, new.cases, _case)),
        ("Cases", "", _by_name(old.combinations, new.combinations, _combination)),
        ("Cases", "table ", _by_name(old.tables, new.tables, lambda a, b: ["other points"])),
        (
            "Cases",
            "outside forces ",
            _by_name(old.outside, new.outside, lambda a, b: ["other rows"]),
        ),
        ("Cases", "", [("requirements", asked)]),
        ("Margins", "", [("criteria", _criteria(old.criteria, new.criteria)), ("left out", out)]),
    )
    return [
        Difference(station, head + name, each)
        for station, head, source in sources
        for name, words in source
        for each in words
    ]


def _support_set(old: SupportSet, new: SupportSet) -> list[str]:
    return _lists(
        [support_words(x) for x in old.supports], [support_words(x) for x in new.supports]
    )


def _by_name(
    old: Sequence[One], new: Sequence[One], change: Callable[[One, One], Iterable[str]]
) -> Iterable[tuple[str, list[str]]]:
    """Things paired by name: added, removed, or changed in the words of `change`."""
    before, after = {x.name: x for x in old}, {x.name: x for x in new}
    for name in dict.fromkeys((*before, *after)):
        if name not in after:
            yield name, ["removed"]
        elif name not in before:
            yield name, ["added"]
        elif before[name] != after[name]:
            yield name, list(change(before[name], after[name])) or ["changed"]


def _lists(old: Sequence[str], new: Sequence[str]) -> list[str]:
    """Lines that went, came, or stand in place of others, in their order."""
    found = []
    matcher = SequenceMatcher(a=old, b=new, autojunk=False)
    for tag, a, b, c, d in matcher.get_opcodes():
        gone, come = old[a:b], new[c:d]
        if tag == "equal":
            continue
        pairs = min(len(gone), len(come))
        found += [f"{x} → {y}" for x, y in zip(gone[:pairs], come[:pairs], strict=True)]
        found += [f"{x} removed" for x in gone[pairs:]] + [f"{y} added" for y in come[pairs:]]
    return found


def _material(old: Material, new: Material) -> list[str]:
    found = []
    for field in FIELD_NAMES:
        then, now = getattr(old, field), getattr(new, field)
        if then != now and field in QUANTITIES:
            quantity = QUANTITIES[field]
            found.append(
                f"{SYMBOLS[field]} {units.show(then, quantity, unit=False)} → "
                f"{units.show(now, quantity)}"
            )
    if old.kind != new.kind:
        found.append(f"{old.kind} → {new.kind}")
    return found or ["its source"]


def _stack(before: Design, after: Design, old: Stack, new: Stack) -> list[str]:
    then, now = notation(before, old), notation(after, new)
    count = len(new.plies) - len(old.plies)
    more = (
        f", {abs(count)} {'ply' if abs(count) == 1 else 'plies'} "
        f"{'more' if count > 0 else 'fewer'}"
        if count
        else ""
    )
    return [f"{then} → {now}{more}"]


def _part(old: Part | None, new: Part | None) -> Iterable[tuple[str, list[str]]]:
    if old is None or new is None:
        if old is not new:
            yield "part", ["added" if old is None else "removed"]
        return
    if old.surface != new.surface:
        yield "surface", _surface(old.surface, new.surface)
    if old.mesh_size != new.mesh_size:
        yield (
            "mesh",
            [
                f"size {units.show(old.mesh_size, units.LENGTH, unit=False)} → "
                f"{units.show(new.mesh_size, units.LENGTH)}"
            ],
        )
    yield (
        "lay-up",
        _lists([rung_words(r) for r in old.lay_up], [rung_words(r) for r in new.lay_up]),
    )
    for name, words in _by_name(old.regions, new.regions, lambda a, b: ["other elements"]):
        yield f"region {name}", words
    for field, what in (
        ("directions", "reference directions"),
        ("fallback", "direction"),
        ("flipped", "laying side"),
        ("reference_surface", "reference surface"),
        ("offset", "offset"),
        ("finer", "refinement"),
        ("tie_gap", "ties"),
    ):
        then, now = getattr(old, field), getattr(new, field)
        if then != now:
            plain = isinstance(then, str | float)
            yield what, [f"{then} → {now}" if plain else "changed"]


def _surface(old: object, new: object) -> list[str]:
    if type(old) is not type(new) or isinstance(new, ReadSurface):
        then, now = (getattr(s, "file", "") or getattr(s, "kind", "") for s in (old, new))
        return [f"{then} → {now}" if then != now else "read anew"]
    return _fields(old, new)


def _fields(old: object, new: object) -> list[str]:
    """Fields of two records of one sort that differ; numbers in SI."""
    assert is_dataclass(old)
    found = []
    for field in fields(old):
        then, now = getattr(old, field.name), getattr(new, field.name)
        if then == now:
            continue
        word = field.name.replace("_", " ")
        if isinstance(then, int | float | str | None) and isinstance(
            now, int | float | str | None
        ):
            found.append(f"{word} {_plain(then)} → {_plain(now)}")
        else:
            found.append(f"other {word}")
    return found


def _plain(value: Any) -> str:
    return "–" if value is None else value if isinstance(value, str) else units.number(value)


def _case(old: Case, new: Case) -> list[str]:
    found = _lists([load_words(x) for x in old.loads], [load_words(x) for x in new.loads])
    if old.supports != new.supports:
        own = "the part's own supports"
        found.append(f"on {old.supports or own} → on {new.supports or own}")
    return found


def _combination(old: Combination, new: Combination) -> list[str]:
    return _lists(
        *(
            [f"{units.number(f)} × {n}{', held' if n in x.held else ''}" for n, f in x.factors]
            for x in (old, new)
        )
    )


def _criteria(old: Sequence[CriteriaSet], new: Sequence[CriteriaSet]) -> list[str]:
    """Criteria in force by kind of material."""
    then, now = (dict(c[0].rules) if c else {} for c in (old, new))
    found = []
    for kind in dict.fromkeys((*then, *now)):
        if then.get(kind) != now.get(kind):
            said = [", ".join(x.get(kind, ())) or "none" for x in (then, now)]
            found.append(f"{kind}: {said[0]} → {said[1]}")
    return found
