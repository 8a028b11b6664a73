"""Sheets for the workshop: every ply on the part, its flat pattern, where it begins, its order."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import matplotlib as mpl
import numpy as np
from matplotlib.axes import Axes
from matplotlib.collections import LineCollection, PolyCollection
from matplotlib.figure import Figure as Sheet
from matplotlib.patches import Polygon
from numpy.typing import NDArray

from tartan.core.drape.outline import FlatPattern
from tartan.core.errors import PartError
from tartan.core.shell.directions import turned_about
from tartan.core.shell.outlines import outlines
from tartan.exchange.maps import colours
from tartan.exchange.patterns import pattern_of
from tartan.exchange.plies.book import ply_book
from tartan.exchange.report.figures import (
    ACCENT,
    INK,
    LINE,
    LOOK,
    SOFT,
    paper_axes,
    projected,
    svg_of,
)
from tartan.exchange.report.parts import Chapter, Figure
from tartan.project.analysis.draping import Draping, draping_of
from tartan.project.analysis.laying import Laid, laid_plies
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.yarns import lines as net_lines
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Part
from tartan.project.wording import units
from tartan.project.wording.units import counted

Array = NDArray[np.float64]

MOST = 40
"""Sheets in a report; plies alike share one."""

STROKES = 220
"""Fibre strokes on a picture at most."""


@dataclass(frozen=True, eq=False)
class PlyGroup:
    """Plies that lie alike: the first of them, and their numbers in laying order from 1."""

    first: Laid
    numbers: tuple[int, ...]
    names: tuple[str, ...]


def groups_of(project: Project) -> list[PlyGroup]:
    """Plies of a part, those alike together, in laying order.

    Raises
    ------
    PartError, StackError
        Where one cannot be laid.
    """
    part = project.part
    assert part is not None
    found: dict[tuple[object, ...], PlyGroup] = {}
    laid = laid_plies(part, {s.name: s for s in project.stacks})
    for number, ply in enumerate(laid, start=1):
        rung = part.lay_up[ply.rung]
        # What is wound lies as its rung says, each of its plies in its own way.
        own = (ply.rung, ply.within) if rung.wound is not None else ()
        key = (rung.region, rung.draped, rung.fibres, ply.ply.angle, ply.ply.material, own)
        names = (rung.name,) if rung.name else ()
        before = found.get(key)
        if before is not None:
            names = tuple(dict.fromkeys((*before.names, *names)))
            found[key] = replace(before, numbers=(*before.numbers, number), names=names)
        else:
            found[key] = PlyGroup(ply, (number,), names)
    return list(found.values())


def plies_chapter(project: Project) -> Chapter:
    """The book of plies, and a sheet for every ply that lies otherwise than those before."""
    chapter = Chapter("Plies for the workshop")
    part = project.part
    if part is None or not part.lay_up:
        return chapter
    chapter.show(ply_book(project))
    groups = groups_of(project)
    for group in groups[:MOST]:
        for figure in _figures(project, part, group):
            chapter.blocks.append(figure)
    if len(groups) > MOST:
        chapter.say(f"The first {MOST} of {len(groups)} sheets; the book lists all plies.")
    return chapter


def _figures(project: Project, part: Part, group: PlyGroup) -> Iterator[Figure]:
    whole = meshed(part)
    rung = part.lay_up[group.first.rung]
    made: Draping | None = None
    patterns: tuple[FlatPattern, ...] = ()
    if rung.draped is not None:
        own = group.first.elements
        made = draping_of(whole, own.tobytes(), rung.draped, group.first.ply.angle)
        try:
            patterns = pattern_of(
                replace(part, lay_up=()), rung.region, rung.draped, group.first.ply.angle
            )
        except PartError:
            # What comes round upon itself has no pattern in one piece.
            patterns = ()
    with mpl.rc_context(LOOK):
        sheet = ply_sheet(whole, group.first, made, patterns)
    yield Figure(svg_of(sheet, for_page=True), _caption(project, part, group, made, patterns))


def _caption(
    project: Project,
    part: Part,
    group: PlyGroup,
    made: Draping | None,
    patterns: tuple[FlatPattern, ...],
) -> str:
    ply, rung = group.first.ply, part.lay_up[group.first.rung]
    numbers = ", ".join(map(str, group.numbers))
    names = f" {', '.join(group.names)}" if group.names else ""
    said = [
        f"Ply {numbers}{names}: {ply.material}, {units.number(ply.angle)}°"
        f"{' at the start' if made is not None else ''}, "
        f"{units.show(ply.thickness, units.LENGTH)}, on {rung.region or 'the whole part'}"
    ]
    if made is not None:
        assert rung.draped is not None
        at = ", ".join(units.show(x, units.LENGTH, unit=False) for x in rung.draped.start)
        said.append(f"draped ({rung.draped.way}) from {at} {units.LENGTH.unit}")
    if patterns:
        area = sum(p.area for p in patterns)
        pieces = f"{counted(len(patterns), 'piece')}, " if len(patterns) > 1 else ""
        said.append(f"cut {len(group.numbers)} ×: {pieces}{units.number(area, 4)} m²")
    return ". ".join(said) + "."


def ply_sheet(
    whole: Meshed, ply: Laid, made: Draping | None, patterns: tuple[FlatPattern, ...]
) -> Sheet:
    """A ply on the part with its fibres, and its flat patterns true in shape beside it."""
    sheet = Sheet(figsize=(6.7, 2.6), dpi=200)
    on_part = sheet.add_axes((0.0, 0.02, 0.5 if patterns else 1.0, 0.96))
    _on_part(on_part, whole, ply, made)
    if patterns:
        _flat(sheet.add_axes((0.54, 0.18, 0.44, 0.78)), patterns)
    return sheet


def _on_part(axes: Axes, whole: Meshed, ply: Laid, made: Draping | None) -> None:
    mesh, paper = whole.mesh, paper_axes()
    corners, order = projected(mesh)
    inside = np.zeros(mesh.count, bool)
    inside[ply.elements] = True
    bare, band = "#ece9e2", colours.ply_band(ply.ply.angle)
    shades = [band if inside[e] else bare for e in order]
    # Sides in their own colour: no light shows between elements.
    axes.add_collection(
        PolyCollection(
            list(corners[order]),
            facecolors=shades,
            edgecolors=shades,
            linewidths=0.3,
            rasterized=True,
        )
    )
    for outline in outlines(mesh, ply.elements):
        x = np.concatenate([outline.points, outline.points[:1]]) @ paper.T
        axes.plot(x[:, 0], x[:, 1], color=INK, linewidth=0.7)
    strokes = _strokes(whole, ply, made)
    if made is not None:
        starts = np.stack([n.places[n.start] for n in made.nets]) @ paper.T
        axes.plot(starts[:, 0], starts[:, 1], "o", color=ACCENT, markersize=4)
    axes.add_collection(
        LineCollection(
            list(strokes @ paper.T), colors=colours.ply_stroke(ply.ply.angle), linewidths=0.5
        )
    )
    axes.set_aspect("equal")
    axes.autoscale_view()
    axes.axis("off")


def _strokes(whole: Meshed, ply: Laid, made: Draping | None) -> Array:
    """Fibres as strokes, shape (q, 2, 3) [m]: warp of a net, or one on some of the elements."""
    mesh = whole.mesh
    if made is not None:
        warp = net_lines(made, mesh)[0]
        return warp[:: max(1, len(warp) // (8 * STROKES))]
    own = ply.elements[:: max(1, len(ply.elements) // STROKES)]
    at = np.searchsorted(ply.elements, own)
    zero, n = whole.zero(own)
    turn = np.zeros(len(own)) if ply.turn is None else ply.turn[at]
    way = turned_about(n, zero, ply.ply.angle + turn)
    step = 0.45 * np.sqrt(mesh.areas()[ply.elements].sum() / max(len(own), 1))
    x = mesh.centres()[own]
    return np.stack([x - step * way / 2, x + step * way / 2], axis=1)


def _flat(axes: Axes, patterns: tuple[FlatPattern, ...]) -> None:
    mm, across = units.LENGTH.scale, 0.0
    for flat in patterns:
        low = flat.outline.min(axis=0)
        shift = np.array([0.0, across]) - low
        for k, outline in enumerate((flat.outline, *flat.holes)):
            fill = "#ffffff" if k else "#f3effa"
            axes.add_patch(
                Polygon((outline + shift) / mm, facecolor=fill, edgecolor=INK, linewidth=0.8)
            )
        middle = (flat.outline.mean(axis=0) + shift) / mm
        length = 0.25 * float(np.ptp(flat.outline[:, 0])) / mm
        axes.annotate(
            "",
            xy=(middle[0] + length, middle[1]),
            xytext=(middle[0], middle[1]),
            arrowprops={"arrowstyle": "->", "color": ACCENT, "linewidth": 1.0},
        )
        axes.text(middle[0], middle[1], "warp ", ha="right", va="center", color=ACCENT, fontsize=7)
        across += float(np.ptp(flat.outline[:, 1])) * 1.08
    axes.set_aspect("equal")
    axes.autoscale_view()
    axes.set_xlabel(units.LENGTH.unit)
    axes.tick_params(colors=SOFT, labelsize=6, width=0.4)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(LINE)
