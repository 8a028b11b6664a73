"""What the Part station shows: the ladder's rungs, ties, handles and maps. No Qt widgets."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import TartanError
from tartan.core.shell import regions
from tartan.core.shell.mesh import Panel
from tartan.core.shell.shapes import Cone, Dome, StiffenedPanel, Tube
from tartan.core.shell.surfaces import quality
from tartan.core.shell.vessel_shape import Vessel
from tartan.core.stack import Ply
from tartan.exchange.maps import colours
from tartan.pages.shown import Handle, Row
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.shellinputs import ties_of
from tartan.project.analysis.winding import nominal_plies
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Part, Rung, Surface
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
