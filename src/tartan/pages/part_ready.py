"""What stands in the way of a solution of the part, and what mends it. No Qt widgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import TartanError
from tartan.core.shell import regions
from tartan.core.shell.constraints import FreeMotion, free_motions_of
from tartan.core.shell.defects import find_defects
from tartan.project.analysis.beside import Beside
from tartan.project.analysis.inputs import copies
from tartan.project.analysis.laying import bare_elements, laid_plies
from tartan.project.analysis.meshes import MeshPending
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.shellinputs import held_nodes, ties_of
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Part, ReadSurface, Support
from tartan.project.edits import part_edits
from tartan.project.wording import units

Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Item:
    """Something to settle before solving, in words, with its place and a step that mends it.

    Attributes
    ----------
    words : str
        What it is.
    station : str
        Where it is settled.
    elements : ndarray of int
        Where it lies on the part.
    mend : str
        What the step is called; empty where there is none.
    step : callable or None
        The edit.
    motion : FreeMotion or None
        How a component can move.
    """

    words: str
    station: str
    elements: Index
    mend: str = ""
    step: Callable[[Project], Project] | None = None
    motion: FreeMotion | None = None


_NOWHERE = np.zeros(0, np.int64)


class _Same:
    """A project, told from others by identity: comparing all that is in it would take a while."""

    def __init__(self, project: Project) -> None:
        self.project = project

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.project is self.project

    def __hash__(self) -> int:
        return id(self.project)


def readiness(project: Project) -> list[Item]:
    """Whatever stands in the way of a solution, in the order of the work; remembered.

    Raises
    ------
    MeshPending
        When it is being looked for, in a window.
    """
    try:
        if project.part is not None:
            meshed(project.part)
        return _READY.soon(_Same(project))
    except MeshPending:
        raise
    except TartanError as error:
        return [Item(str(error), "Part", _NOWHERE)]


def _readiness(same: _Same) -> list[Item]:
    project = same.project
    part = project.part
    if part is None:
        return [Item("There is no surface yet.", "Part", _NOWHERE)]
    whole = meshed(part)
    items = [
        *_defects(part, whole),
        *_loose(part, whole),
        *_undefined(whole),
        *_bare(project, part, whole),
    ]
    own = bool(project.cases) or not project.outside
    loose = any(i.mend == "tie them" for i in items)
    for name in dict.fromkeys(c.supports for c in project.cases) or [""]:
        supports = project.supports_of(name)
        of = f" in '{name}'" if name else ""
        if own and not supports:
            items.append(Item(f"The part has no supports{of}.", "Cases", _NOWHERE))
        elif supports and not loose:
            items += _mechanisms(supports, of, part, whole)
    if not project.cases and not project.outside:
        items.append(Item("There is no load case.", "Cases", _NOWHERE))
    for case in project.cases:
        if not case.loads:
            items.append(Item(f"Case '{case.name}' has no loads.", "Cases", _NOWHERE))
    return items


_READY = Beside(_readiness, "The part is being looked through.", most=2)


def _defects(part: Part, whole: Meshed) -> list[Item]:
    """What is wrong with the mesh; one that was read can be mended here."""
    items = []
    for each in find_defects(whole.mesh):
        mend = each.mend if isinstance(part.surface, ReadSurface) else ""
        change = partial(part_edits.mend_mesh, kind=each.kind) if mend else None
        items.append(Item(each.words, "Part", each.elements, mend, change))
    return items


def _loose(part: Part, whole: Meshed) -> list[Item]:
    parts = regions.gaps(whole.mesh)
    if len(parts) < 2:
        return []
    ties = ties_of(whole.mesh, part.tie_gap)
    tied = np.concatenate([t.nodes for t in ties]) if ties else _NOWHERE
    open_ = [
        (e, g) for e, g in parts[1:] if not np.isin(regions.nodes_of(whole.mesh, e), tied).any()
    ]
    if not open_:
        return []
    gap = max(g for _, g in open_)
    reach = float(f"{max(1.3 * gap, 1e-5):.2g}")
    noun = "component is" if len(open_) == 1 else "components are"
    words = (
        f"{len(open_)} {noun} not joined to the rest; the gap is {units.show(gap, units.LENGTH)}."
    )
    return [
        Item(
            words,
            "Part",
            np.concatenate([e for e, _ in open_]),
            "tie them",
            lambda p: part_edits.change_part(p, tie_gap=reach),
        )
    ]


def _undefined(whole: Meshed) -> list[Item]:
    if not len(whole.undefined):
        return []
    words = (
        f"{len(whole.undefined)} elements have no 0°: their reference direction stands "
        "normal to them."
    )
    return [
        Item(
            words,
            "Part",
            whole.undefined,
            "give them the flattest axis",
            part_edits.mend_directions,
        )
    ]


def _bare(project: Project, part: Part, whole: Meshed) -> list[Item]:
    if not part.lay_up:
        return [Item("Nothing is laid on the part.", "Part", np.arange(whole.mesh.count))]
    try:
        bare = bare_elements(part, laid_plies(part, {s.name: s for s in project.stacks}))
    except TartanError as error:
        return [Item(str(error), "Part", _NOWHERE)]
    return [Item(f"{len(bare)} elements have no ply.", "Part", bare)] if len(bare) else []


def _mechanisms(supports: tuple[Support, ...], of: str, part: Part, whole: Meshed) -> list[Item]:
    try:
        held = held_nodes(whole, supports)
        ties = ties_of(whole.mesh, part.tie_gap)
        free = free_motions_of(whole.mesh, held, ties)
    except TartanError as error:
        return [Item(str(error), "Cases", _NOWHERE)]
    items = []
    for motion in free:
        part_of = "The part" if len(motion.elements) == whole.mesh.count else "A component"
        words = f"{part_of} can {', '.join(motion.names)}{of}."
        items.append(Item(words, "Cases", motion.elements, "show it", motion=motion))
    return items


def ready_words(project: Project, zones: int) -> str:
    """What is in order, in one line."""
    part = project.part
    ties = "" if part is None or not part.tie_gap else ", tied"
    count = 0 if part is None else len(regions.gaps(meshed(part).mesh))
    parts = "one component" if count == 1 else f"{count} components{ties}"
    noun = "zone" if zones == 1 else "zones"
    equal = 1 if part is None else copies(part)
    ring = f" · one of {equal} equal parts of the ring" if equal > 1 else ""
    uneven = part is not None and any(r.wound or r.draped for r in part.lay_up if r.active)
    within = 0.0 if part is None else part.alike
    alike = f", alike within {within:g}° and {within:g} %" if uneven else ""
    return (
        f"{zones} {noun}{alike} · every element has plies and a 0° direction · {parts}, held{ring}"
    )
