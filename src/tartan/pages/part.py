"""What the Part station shows: the ladder's rungs, readiness, handles and maps. No Qt widgets."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache, partial

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import TartanError
from tartan.core.shell import regions
from tartan.core.shell.constraints import FreeMotion, free_motions_of
from tartan.core.shell.defects import find_defects
from tartan.core.shell.mesh import Panel
from tartan.core.shell.shapes import Cone, Dome, StiffenedPanel, Tube
from tartan.core.shell.surfaces import quality
from tartan.core.shell.vessel_shape import Vessel
from tartan.core.stack import Ply
from tartan.exchange.maps import colours
from tartan.pages.shown import Handle, Row
from tartan.project.analysis.inputs import copies
from tartan.project.analysis.laying import bare_elements, laid_plies
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.shellinputs import held_nodes, ties_of
from tartan.project.analysis.winding import nominal_plies
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Part, ReadSurface, Rung, Support, Surface
from tartan.project.edits import part_edits
from tartan.project.wording import units

Array = NDArray[np.float64]
Index = NDArray[np.int64]


@dataclass(frozen=True)
class LadderRow:
    """A rung as the ladder shows it.

    Attributes
    ----------
    rung : int
        Its place, from 0.
    numbers : tuple of int
        First and last ply number, from 1; empty when switched off.
    title, region, place, thickness : str
        Angle or stack, where it lies, its name with that, and how thick in the unit in force.
    rows : tuple of Row
        Its plies.
    active : bool
        Whether it is laid.
    """

    rung: int
    numbers: tuple[int, ...]
    title: str
    region: str
    place: str
    thickness: str
    rows: tuple[Row, ...]
    active: bool


def ladder(project: Project) -> list[LadderRow]:
    """Rows of the ladder, first-laid first."""
    part = project.part
    found: list[LadderRow] = []
    number = 1
    kinds = {m.name: m.kind for m in project.materials}
    for i, rung in enumerate(part.lay_up if part else ()):
        plies = rung_plies(project, rung)
        rows = tuple(
            Row(p.angle, p.thickness, p.material, kinds.get(p.material, "ply")) for p in plies
        )
        # Resin lies beside the layer, not in it.
        beside = rung.wound.filler if rung.wound is not None else ""
        total = sum(p.thickness for p in plies if p.material != beside)
        numbers: tuple[int, ...] = ()
        if rung.active and plies:
            numbers = (number, number + len(plies) - 1)
            number += len(plies)
        title = rung.stack
        if rung.ply is not None:
            core = kinds.get(rung.ply.material) == "core"
            title = "core" if core else f"{units.number(rung.ply.angle)}°"
            if rung.wound is not None:
                title = wound_words(rung, plies)
        elif rung.turn:
            title += f"  {rung.turn:+g}°"
        found.append(
            LadderRow(
                i,
                numbers,
                title,
                rung.region or "all",
                _place(rung),
                units.show(total, units.LENGTH, unit=False),
                rows,
                rung.active,
            )
        )
    return found


def _place(rung: Rung) -> str:
    """What a rung is called and where it lies, for its row."""
    where = rung.region or "all"
    if not rung.name or rung.name == rung.region:
        return where
    return rung.name if not rung.region else f"{rung.name} · {where}"


def rung_plies(project: Project, rung: Rung) -> tuple[Ply, ...]:
    """Plies of a rung, turned as they are laid."""
    plies: tuple[Ply, ...] = ()
    if rung.wound is not None and project.part is not None:
        return nominal_plies(rung, project.part.surface)
    if rung.ply is not None:
        plies = (rung.ply,)
    elif (stack := project.stack(rung.stack)) is not None:
        plies = stack.plies
    return tuple(replace(p, angle=p.angle + rung.turn) for p in plies)


def wound_words(rung: Rung, plies: Sequence[Ply]) -> str:
    """A wound rung in a few words, such as "±19.5°" or "hoop × 3"."""
    wound = rung.wound
    assert wound is not None
    if wound.sort == "hoop":
        return f"hoop × {wound.count}" if wound.count > 1 else "hoop"
    angle = f"±{units.number(plies[0].angle, 3)}°" if plies else wound.sort
    angle = f"polar {angle}" if wound.sort == "polar" and plies else angle
    return f"{angle} × {wound.count}" if wound.count > 1 else angle


def moved(rungs: tuple[Rung, ...], chosen: tuple[int, ...], to: int) -> tuple[Rung, ...]:
    """Rungs with some carried in front of the one at `to`; they keep their order."""
    taken = [rungs[i] for i in chosen]
    before = [r for i, r in enumerate(rungs) if i < to and i not in chosen]
    after = [r for i, r in enumerate(rungs) if i >= to and i not in chosen]
    return (*before, *taken, *after)


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


_LAST: list[tuple[Project, list[Item]]] = []


def readiness(project: Project) -> list[Item]:
    """Whatever stands in the way of a solution, in the order of the work; remembered."""
    if not _LAST or _LAST[0][0] is not project:
        # Two stations ask, at every change of the selection: only a new project is looked at.
        _LAST[:] = [(project, _readiness(project))]
    return _LAST[0][1]


def _readiness(project: Project) -> list[Item]:
    part = project.part
    if part is None:
        return [Item("There is no surface yet.", "Part", _NOWHERE)]
    try:
        whole = meshed(part)
    except TartanError as error:
        return [Item(str(error), "Part", _NOWHERE)]
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


def is_apart(part: Part) -> bool:
    """Whether the part is of several components, or ties are asked for."""
    try:
        return bool(part.tie_gap) or len(regions.gaps(meshed(part).mesh)) > 1
    except TartanError:
        return False


def tie_lines(part: Part) -> list[str]:
    """What is tied, one line a tie: length of edge or area of face, nodes and greatest gap."""
    try:
        ties = ties_of(meshed(part).mesh, part.tie_gap)
    except TartanError as error:
        return [str(error)]
    lines = []
    for number, tie in enumerate(ties, start=1):
        what = [f"{units.show(tie.length, units.LENGTH)} of edge"] if tie.length else []
        what += [f"{units.number(tie.area * 1e4)} cm² of face"] if tie.area else []
        gap = units.show(float(tie.gaps.max()), units.LENGTH)
        lines.append(
            f"tie {number}: {' and '.join(what) or f'{len(tie.nodes)} nodes'}, gap up to {gap}"
        )
    if not lines and part.tie_gap:
        lines.append("Nothing comes as near as that.")
    return lines


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


_quality = lru_cache(maxsize=4)(quality)


def quality_map(whole: Meshed) -> tuple[NDArray[np.uint8], str]:
    """Colours of mesh quality, and the worst figures in words."""
    found = _quality(whole.mesh)
    # A share of what is still sound: sides 1 to 5, corners off by 60°, 5 % out of plane.
    worst = np.maximum.reduce([(found.aspect - 1) / 4, found.skew / 60, found.warp / 0.05])
    words = (
        f"longest to shortest side up to {found.aspect.max():.2g} · corners up to "
        f"{found.skew.max():.0f}° off · {found.warp.max():.1%} out of plane"
    )
    return colours.size_map(np.clip(worst, 0, 1)), words


def handles(surface: Surface) -> tuple[Handle, ...]:
    """Knobs that shape a parametric surface."""
    if isinstance(surface, Panel | StiffenedPanel):
        a, b = surface.length, surface.width
        found = [
            Handle("length", (a / 2, 0, 0), (1, 0, 0), 2.0, a),
            Handle("width", (0, b / 2, 0), (0, 1, 0), 2.0, b),
        ]
        if isinstance(surface, Panel):
            # The knobs lie on the surface, at its edges.
            lift = _rise(a, surface.radius_x), _rise(b, surface.radius_y)
            found = [
                replace(h, at=(h.at[0], h.at[1], z)) for h, z in zip(found, lift, strict=True)
            ]
            return tuple(found)
        tall = Handle("height", (a / 2, 0.0, surface.height), (0, 0, 1), 1.0, surface.height)
        return (*found, tall)
    if isinstance(surface, Vessel):
        half = surface.length / 2
        return (
            Handle("radius", (surface.radius, 0, half), (1, 0, 0), 1.0, surface.radius),
            Handle("length", (surface.radius, 0, surface.length), (0, 0, 1), 1.0, surface.length),
        )
    if isinstance(surface, Tube):
        return (
            Handle(
                "radius", (surface.radius, 0, surface.length / 2), (1, 0, 0), 1.0, surface.radius
            ),
            Handle("length", (0, 0, surface.length), (0, 0, 1), 1.0, surface.length),
        )
    if isinstance(surface, Cone):
        return (
            Handle(
                "lower_radius", (surface.lower_radius, 0, 0), (1, 0, 0), 1.0, surface.lower_radius
            ),
            Handle(
                "upper_radius",
                (surface.upper_radius, 0, surface.height),
                (1, 0, 0),
                1.0,
                surface.upper_radius,
            ),
            Handle("height", (0, 0, surface.height), (0, 0, 1), 1.0, surface.height),
        )
    if isinstance(surface, Dome):
        return (
            Handle("radius", (surface.radius, 0, 0), (1, 0, 0), 1.0, surface.radius),
            Handle("height", (0, 0, surface.height), (0, 0, 1), 1.0, surface.height),
        )
    return ()


def _rise(chord: float, radius: float | None) -> float:
    if radius is None:
        return 0.0
    return float(2 * radius * np.sin(np.arcsin(chord / 2 / abs(radius)) / 2) ** 2)
