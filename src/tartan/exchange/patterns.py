"""Flat patterns of draped plies, true to size: laid on a roll, as DXF or SVG, and as a table.

DXF by ezdxf in millimetres, SVG with millimetres as its unit.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from tartan.core.drape.net import Net
from tartan.core.drape.outline import FlatPattern, Placed, flat_pattern, nest
from tartan.core.drape.pattern import NetFinder
from tartan.core.errors import DocumentError, PartError
from tartan.core.shell.mesh import Mesh
from tartan.core.stack.groups import bare
from tartan.exchange.tables import Cell, Table
from tartan.exchange.trims import inside
from tartan.project.analysis.draping import draping_of, surface_of
from tartan.project.analysis.partmesh import meshed
from tartan.project.analysis.pieces import cut_paths
from tartan.project.disk.wholefile import replacing
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Draped, Part
from tartan.project.files.storage import not_written, write_whole

if TYPE_CHECKING:
    from ezdxf.document import Drawing

Array = NDArray[np.float64]
Index = NDArray[np.int64]

ROLL, GAP = 1.6, 0.01
"""Width of a roll, and what is left between patterns, until told otherwise [m]."""

MM = 1e3

RUNS_ROUND = 0.2
"""Share by which an outline's area may differ from that of its elements' cloth."""

FINE = 0.5
"""Cells of the net that is unrolled, as a share of those that are laid."""


@dataclass(frozen=True, eq=False)
class Cut:
    """A pattern with what it is of: how often it is cut, its plies, material and angle [deg]."""

    name: str
    material: str
    angle: float
    count: int
    pattern: FlatPattern


@lru_cache(maxsize=32)
def pattern_of(part: Part, region: str, draped: Draped, angle: float) -> tuple[FlatPattern, ...]:
    """Flat patterns of a draped ply, one a piece, remembered.

    Parameters
    ----------
    part : Part
        The part; what is laid on it does not matter, so leave that out.
    region : str
        Where the ply lies.
    draped : Draped
        How it is draped.
    angle : float
        Of its warp from 0° at the start [deg].

    Raises
    ------
    PartError
        Where it cannot be draped, or comes round upon itself.
    """
    whole = meshed(part)
    own = whole.elements(region, "Draping")
    # Cells half as long as elements: what is cut is worth the wait.
    made = draping_of(whole, own.tobytes(), draped, angle, FINE)
    cuts: tuple[Array, ...] = ()
    if draped.cuts:
        cuts = cut_paths(whole.mesh, surface_of(whole.mesh, own.tobytes()), draped.cuts)
    return tuple(
        _flat(
            whole.mesh,
            (piece, cuts),
            net,
            made.found.factor[np.searchsorted(made.elements, piece)],
        )
        for piece, net in zip(made.pieces, made.nets, strict=True)
    )


def _flat(mesh: Mesh, of: tuple[Index, tuple[Array, ...]], net: Net, factor: Array) -> FlatPattern:
    """Flat pattern of a piece and the cuts that it has rims of."""
    piece, cuts = of
    flat = flat_pattern(mesh, piece, NetFinder(net), cuts)
    # What the elements unroll to, each by its own shear: an outline that runs into itself, as of
    # a ply that goes all round a tube, does not hold that much.
    cloth = float(np.nansum(mesh.areas()[piece] * factor))
    if not abs(flat.area / cloth - 1) < RUNS_ROUND:
        raise PartError(
            "A draped ply comes round upon itself: it has no flat pattern in one piece.",
            "Draping",
            "Lay it on regions, or cut it, so that there is a seam.",
        )
    return flat


def cuts_of(project: Project) -> tuple[Cut, ...]:
    """Patterns of all draped plies, those alike as one, in laying order.

    Raises
    ------
    PartError
        Where there is none, or one cannot be unrolled.
    """
    part = project.part
    found: dict[tuple[object, ...], tuple[Cut, ...]] = {}
    number = 0
    for rung in part.lay_up if part is not None else ():
        if not rung.active:
            continue
        stack = project.stack(rung.stack)
        plies = bare(stack.plies) if stack is not None else (rung.ply,) if rung.ply else ()
        for ply in plies:
            number += 1
            if rung.draped is None or part is None:
                continue
            angle = ply.angle + rung.turn
            key = (rung.region, rung.draped, angle, ply.material)
            called = rung.name or f"ply {number}"
            before = found.get(key)
            if before is not None:
                found[key] = tuple(
                    replace(x, name=_with(x.name, rung.name or str(number)), count=x.count + 1)
                    for x in before
                )
                continue
            flat = pattern_of(replace(part, lay_up=()), rung.region, rung.draped, angle)
            found[key] = tuple(
                Cut(_piece(called, k, len(flat)), ply.material, angle, 1, one)
                for k, one in enumerate(flat, start=1)
            )
    if not found:
        raise PartError(
            "No ply is draped: only those have a flat pattern.",
            "Draping",
            "Choose a rung in Part and switch 'draped' on.",
        )
    return tuple(x for each in found.values() for x in each)


def _piece(name: str, number: int, of: int) -> str:
    return name if of == 1 else f"{name} · piece {number}"


def _with(name: str, other: str) -> str:
    """The name of a pattern with another ply's that is cut alike."""
    called, mark, piece = name.partition(" · piece ")
    return f"{called}, {other}{mark}{piece}"


def patterns_table(project: Project) -> Table:
    """Every pattern: plies, material, angle, count, area, length, width, cut."""
    head = (
        *("plies", "material", "angle [°]", "count", "area [m²]"),
        *("length [mm]", "width [mm]", "cut [mm]"),
    )
    rows: list[tuple[Cell, ...]] = []
    for cut in cuts_of(project):
        length, width = cut.pattern.size
        sizes = (cut.pattern.area, length * MM, width * MM, cut.pattern.around * MM)
        rows.append((cut.name, cut.material, cut.angle, cut.count, *sizes))
    return Table("flat patterns", head, tuple(rows), f"{project.name}: flat patterns")


@dataclass(frozen=True, eq=False)
class Rolled:
    """Patterns on a roll: each with its place, and what of the roll they take [m] and waste."""

    cuts: tuple[Cut, ...]
    placed: tuple[Placed, ...]
    length: float
    waste: float


def on_roll(cuts: tuple[Cut, ...], roll: float = ROLL, gap: float = GAP) -> Rolled:
    """Lay every copy of the patterns on a roll of a width, a gap apart [m].

    Raises
    ------
    PartError
        Where one is wider than the roll.
    """
    each = tuple(c for c in cuts for _ in range(c.count))
    placed, length = nest([c.pattern.size for c in each], roll, gap)
    used = sum(c.pattern.area for c in each)
    return Rolled(each, tuple(placed), length, 1 - used / max(length * roll, 1e-300))


def _moved(points: Array, cut: Cut, at: Placed) -> Array:
    low = cut.pattern.outline.min(axis=0)
    return np.asarray((points - low + [at.x, at.y]) * MM)


def _words(cut: Cut) -> str:
    return f"{cut.name} · {cut.material} · {cut.angle:g}° · × {cut.count}"


def write_patterns(project: Project, path: Path, roll: float = ROLL, gap: float = GAP) -> Rolled:
    """Write the patterns of all draped plies, true to size on a roll of a width [m].

    The file's ending chooses DXF or SVG. Warp runs along x; an arrow from the start shows it.

    Raises
    ------
    DocumentError
        For another ending, or a file that cannot be written.
    PartError
        Where no ply is draped, one cannot be unrolled, or one is wider than the roll.
    """
    laid = on_roll(cuts_of(project), roll, gap)
    ending = path.suffix.lower()
    if ending == ".svg":
        write_whole(_svg(laid, roll), path)
    elif ending == ".dxf":
        try:
            with replacing(path) as beside:
                _dxf(laid).saveas(beside)
        except OSError as error:
            raise not_written(error, path) from error
    else:
        raise DocumentError(
            f"'{path.suffix}' is no kind of drawing.", path.name, "End the name in .dxf or .svg."
        )
    return laid


def _arrow(cut: Cut) -> Array:
    """The warp as an arrow from the start, or from the middle where that lies outside."""
    length = 0.2 * min(cut.pattern.size)
    outline = cut.pattern.outline
    low, high = outline.min(axis=0), outline.max(axis=0)
    drawn = np.array([[0.0, 0.0], [length, 0.1 * length], [length, -0.1 * length]])
    within = bool(inside(drawn, outline).all())
    x, y = np.zeros(2) if within else (low + high) / 2 - [length / 2, 0.0]
    tip = 0.2 * length
    return np.array(
        [
            (x, y),
            (x + length, y),
            (x + length - tip, y + tip / 2),
            (x + length, y),
            (x + length - tip, y - tip / 2),
        ]
    )


def _dxf(laid: Rolled) -> Drawing:
    # Loaded with the first drawing: it takes longer to load than a page that offers drawings.
    from ezdxf import units as dxf_units
    from ezdxf.filemanagement import new as new_drawing

    drawing: Drawing = new_drawing("R2010", units=dxf_units.MM)
    for name, colour in (("cut", 7), ("direction", 5), ("words", 3)):
        drawing.layers.add(name, color=colour)
    space = drawing.modelspace()
    for cut, at in zip(laid.cuts, laid.placed, strict=True):
        for outline in (cut.pattern.outline, *cut.pattern.holes):
            points = _moved(outline, cut, at).tolist()
            space.add_lwpolyline(points, close=True, dxfattribs={"layer": "cut"})
        arrow = _moved(_arrow(cut), cut, at)
        space.add_lwpolyline(arrow.tolist(), dxfattribs={"layer": "direction"})
        words = space.add_text(_words(cut), height=10.0, dxfattribs={"layer": "words"})
        words.set_placement((float(arrow[0, 0]), float(arrow[0, 1]) + 12.0))
    return drawing


def _svg(laid: Rolled, roll: float) -> str:
    length = max(laid.length, 1e-3) * MM
    height = roll * MM
    made = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{length:.3f}mm" height="{height:.3f}mm" '
        f'viewBox="0 0 {length:.3f} {height:.3f}">',
        '<g fill="none" stroke="#1f2933" stroke-width="0.5">',
    ]
    words = []
    for cut, at in zip(laid.cuts, laid.placed, strict=True):
        made += [
            f'<path d="{_path(_moved(outline, cut, at), height)} Z"/>'
            for outline in (cut.pattern.outline, *cut.pattern.holes)
        ]
        arrow = _moved(_arrow(cut), cut, at)
        made.append(f'<path stroke="#7c4d8b" d="{_path(arrow, height)}"/>')
        x, y = arrow[0]
        words.append(
            f'<text x="{x:.2f}" y="{height - y - 12:.2f}" font-size="10" '
            f'font-family="sans-serif">{escape(_words(cut))}</text>'
        )
    return "\n".join([*made, "</g>", *words, "</svg>", ""])


def _path(points: Array, height: float) -> str:
    # Drawings count y upwards, pictures downwards.
    return "M " + " L ".join(f"{x:.4f} {height - y:.4f}" for x, y in points)
