"""What is asked of an answer: envelopes over a choice, areas left out, the worst of each group.

All is derived from the stored section strains and remembered with the answer.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from threading import Lock
from typing import Any, TypeVar
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.shell.margins import Margins, Within, hot_spots
from tartan.core.shell.recovery import near_nodes, within_distance
from tartan.project.analysis.case_margins import margins_of
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.shellinputs import held_nodes
from tartan.project.document.loadmodel import places_of
from tartan.project.document.partmodel import Force, LeftOut
from tartan.project.wording.document_words import left_out_words

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
Found = TypeVar("Found")

KEPT = 48
"""Things remembered with one answer."""

GROUPS = ("neighbourhood", "place", "case", "ply", "mode", "zone")
"""What the list of hot spots has one line for."""


@dataclass(frozen=True)
class Ask:
    """What an envelope is taken over; an empty choice is all.

    Attributes
    ----------
    cases : tuple of str
        Cases, combinations and outside forces by name; those that are gone are ignored.
    plies : tuple of int
        Plies of the lay-up, from 0.
    levels : tuple of int
        0, 1 and 2 are bottom, middle and top.
    criteria : tuple of str
        Keys of criteria.
    """

    cases: tuple[str, ...] = ()
    plies: tuple[int, ...] = ()
    levels: tuple[int, ...] = ()
    criteria: tuple[str, ...] = ()

    @property
    def within(self) -> Within:
        """As the core reads it."""
        return Within(self.plies or None, self.levels or (0, 1, 2), self.criteria or None)


EVERYTHING = Ask()

_remembered: WeakKeyDictionary[PartAnswer, dict[tuple[Hashable, ...], Any]] = WeakKeyDictionary()
_keeping = Lock()


def remembered(
    answer: PartAnswer, key: tuple[Hashable, ...], make: Callable[[], Found], most: int = KEPT
) -> Found:
    """What `make` gives, kept as long as the answer lives; no more than `most` of its sort."""
    kept = _remembered.setdefault(answer, {})
    found: Found | None = kept.get(key)
    if found is not None:
        return found
    found = make()
    # A thread of the window's may keep something at the same time.
    with _keeping:
        alike = [k for k in kept if k[0] == key[0]]
        for old in alike[: max(len(alike) - most + 1, 0)]:
            kept.pop(old)
        while len(kept) >= KEPT:
            kept.pop(next(iter(kept)))
        kept[key] = found
    return found


def _cases(answer: PartAnswer, ask: Ask) -> tuple[int, ...]:
    names = answer.inputs.case_names
    cases = tuple(i for i, n in enumerate(names) if n in ask.cases or not ask.cases)
    return cases or tuple(range(len(names)))


def _is_all(answer: PartAnswer, ask: Ask) -> bool:
    return ask.within == Within() and len(_cases(answer, ask)) == len(answer.inputs.case_names)


def judged(answer: PartAnswer, ask: Ask) -> bool:
    """Whether `margins_for` has them at hand."""
    key = ("margins", _cases(answer, ask), ask.within)
    return _is_all(answer, ask) or key in _remembered.get(answer, {})


def judging_work(answer: PartAnswer, ask: Ask) -> int:
    """About how many points have to be judged for a choice, each zone's start counted in."""
    layout = answer.layout()
    plies = len(ask.plies) or len(layout.laid)
    return len(_cases(answer, ask)) * plies * (layout.mesh.count + 20 * len(layout.zones.plies))


def asks_by_case(answer: PartAnswer, ask: Ask) -> tuple[Ask, ...]:
    """A choice for every case alone; the choice's own cases are not heeded."""
    return tuple(replace(ask, cases=(name,)) for name in answer.inputs.case_names)


def margins_for(answer: PartAnswer, ask: Ask = EVERYTHING) -> Margins:
    """Governing reserve factor of every element over a choice.

    Raises
    ------
    TartanError
        As `assess`.
    """
    if _is_all(answer, ask):
        return answer.margins
    cases = _cases(answer, ask)

    def make() -> Margins:
        return margins_of(
            answer.inputs,
            answer.layout(),
            answer.solution.strains,
            answer.resting,
            ask.within,
            cases,
        )

    return remembered(answer, ("margins", cases, ask.within), make)


@dataclass(frozen=True, eq=False)
class Excluded:
    """Areas left out.

    Attributes
    ----------
    mask : ndarray of bool, shape (m,)
        Elements that do not count.
    words : str
        What they are, such as "within 2 elements of a support"; empty where there are none.
    share : float
        Their share of the area [1].
    """

    mask: Mask
    words: str
    share: float


def excluded(answer: PartAnswer, rules: tuple[LeftOut, ...]) -> Excluded:
    """Find the elements that rules leave out; a region that is gone leaves nothing out."""
    return remembered(answer, ("left out", rules), lambda: _excluded(answer, rules))


def _excluded(answer: PartAnswer, rules: tuple[LeftOut, ...]) -> Excluded:
    whole, mesh = answer.layout().whole, answer.layout().mesh
    mask, words = np.zeros(mesh.count, bool), []
    for rule in rules:
        if rule.near == "region":
            if rule.region not in whole.regions:
                continue
            mask[whole.regions[rule.region]] = True
            words.append(left_out_words(rule))
            continue
        nodes = _nodes(answer, rule)
        if rule.distance is not None:
            mask[within_distance(mesh, nodes, rule.distance)] = True
        else:
            mask[near_nodes(mesh, nodes, rule.rings)] = True
        words.append(left_out_words(rule))
    areas = mesh.areas()
    share = float(areas[mask].sum() / areas.sum())
    return Excluded(mask, ", ".join(words) if mask.any() else "", share)


def _nodes(answer: PartAnswer, rule: LeftOut) -> NDArray[np.int64]:
    whole, inputs = answer.layout().whole, answer.inputs
    if rule.near == "supports":
        sets = dict.fromkeys(c.supports for c in inputs.cases)
        found = [h.nodes for n in sets for h in held_nodes(whole, inputs.supports_of(n))]
    else:
        found = [
            whole.nodes_of(x, "Areas left out")
            for c in inputs.cases
            for x in c.loads
            if isinstance(x, Force)
        ]
        found += [
            np.unique(whole.mesh.edges[edge])
            for c in inputs.cases
            for x in c.loads
            for edge in (places_of(x) if x.kind == "edge force" else ())
            if edge in whole.mesh.edges
        ]
    return np.unique(np.concatenate(found)) if found else np.zeros(0, np.int64)


def hot_list(answer: PartAnswer, ask: Ask, rules: tuple[LeftOut, ...], group: str) -> list[int]:
    """Worst element of each group, worst first.

    Parameters
    ----------
    answer : PartAnswer
        The answer.
    ask : Ask
        What the envelope is taken over.
    rules : tuple of LeftOut
        Areas left out.
    group : str
        One of `GROUPS`.
    """
    key = ("hot", ask, rules, group)
    return remembered(answer, key, lambda: _hot_list(answer, ask, rules, group))


def _hot_list(answer: PartAnswer, ask: Ask, rules: tuple[LeftOut, ...], group: str) -> list[int]:
    margins, out = margins_for(answer, ask), excluded(answer, rules).mask
    if group == "neighbourhood":
        return hot_spots(answer.layout().mesh, margins, left_out=out)
    order = np.argsort(margins.reserve, kind="stable")
    counted = order[(np.isfinite(margins.reserve) & ~out)[order]]
    if group == "place":
        return _one_a_place(answer, counted)
    label = {
        "case": margins.case,
        "ply": margins.ply,
        "zone": answer.layout().zones.zone,
        "mode": margins.check * 100 + margins.mode,
    }[group]
    _, first = np.unique(label[counted], return_index=True)
    return [int(counted[i]) for i in np.sort(first)]


def _one_a_place(answer: PartAnswer, order: NDArray[np.int64]) -> list[int]:
    """First element of each named face or region, in a given order."""
    whole = answer.layout().whole
    found: dict[str, int] = {}
    rest = np.ones(whole.mesh.count, bool)
    for name, elements in whole.regions.items():
        inside = np.zeros(whole.mesh.count, bool)
        inside[elements] = True
        if name != "field":
            rest[elements] = False
        hits = order[inside[order]]
        if len(hits) and len(elements) < whole.mesh.count:
            found[name] = int(hits[0])
    hits = order[rest[order]]
    if len(hits):
        found.setdefault("field", int(hits[0]))
    rank = {int(e): i for i, e in enumerate(order)}
    return sorted(set(found.values()), key=rank.__getitem__)


def case_worst(
    answer: PartAnswer, rules: tuple[LeftOut, ...] = (), ask: Ask = EVERYTHING
) -> list[tuple[str, int, Margins]]:
    """For every case the element where its load first fails a ply, with that case's margins.

    Parameters
    ----------
    answer : PartAnswer
        The answer.
    rules : tuple of LeftOut
        Areas left out.
    ask : Ask
        Plies, levels and criteria looked at; its cases are not heeded.
    """
    out = excluded(answer, rules).mask
    found = []
    for own in asks_by_case(answer, ask):
        margins = margins_for(answer, own)
        counted = np.where(out, np.inf, margins.reserve)
        found.append((own.cases[0], int(counted.argmin()), margins))
    return found


def worst_of(answer: PartAnswer, ask: Ask, rules: tuple[LeftOut, ...]) -> int | None:
    """Element with the least reserve factor; None where nothing ever fails."""
    reserve = np.where(excluded(answer, rules).mask, np.inf, margins_for(answer, ask).reserve)
    element = int(reserve.argmin())
    return element if np.isfinite(reserve[element]) else None


def failing_share(answer: PartAnswer, ask: Ask, rules: tuple[LeftOut, ...], need: float) -> float:
    """Share of the area that counts whose reserve factor is below what is needed [1]."""
    reserve, out = margins_for(answer, ask).reserve, excluded(answer, rules).mask
    areas = answer.layout().mesh.areas()
    whole = float(areas[~out].sum())
    return float(areas[(reserve < need) & ~out].sum()) / whole if whole else 0.0


def modes_of(margins: Margins) -> tuple[NDArray[np.int64], list[str]]:
    """Governing mode of every element as a number into a list of modes in words."""
    words: list[str] = []
    found = np.full(len(margins.reserve), -1, np.int64)
    for number, key in enumerate(margins.checks):
        for mode, text in enumerate(criterion(key).modes):
            here = (margins.check == number) & (margins.mode == mode) & margins.judged
            if here.any():
                if text not in words:
                    words.append(text)
                found[here] = words.index(text)
    return found, words
