"""Figures for paper, drawn without a display: maps on the part, sections, bars."""

from __future__ import annotations

import io
import logging
from collections.abc import Sequence
from importlib.resources import as_file, files
from typing import Any

import matplotlib as mpl
import numpy as np
from matplotlib import font_manager
from matplotlib.axes import Axes
from matplotlib.collections import LineCollection, PolyCollection
from matplotlib.figure import Figure as Sheet
from matplotlib.lines import Line2D
from matplotlib.patches import Rectangle
from numpy.typing import NDArray

from tartan.core.shell.mesh import Mesh
from tartan.core.stack import Ply
from tartan.exchange.maps import colours
from tartan.exchange.maps.callouts import margin_lines
from tartan.exchange.maps.mapped import Map
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.wording.units import counted

Array = NDArray[np.float64]

INK, SOFT, LINE, ACCENT, HOLDS, FAILS = (
    "#1f2933",
    "#66727d",
    "#dad5ca",
    "#7c4d8b",
    "#1b7f79",
    "#c8501e",
)
LOOK: dict[Any, Any] = {
    "font.family": ["Inter", "DejaVu Sans"],
    "font.size": 8,
    "svg.fonttype": "path",
    "text.color": INK,
    "axes.edgecolor": LINE,
    "axes.labelcolor": SOFT,
    "xtick.color": SOFT,
    "ytick.color": SOFT,
    "axes.linewidth": 0.6,
    "path.simplify": False,
    "text.parse_math": False,
}

WAY = np.array([-0.42, -1.0, 0.82])
"""From where the part is seen, as in the window."""

MOST_IN_PAGE = 400
"""Elements that a map in a report draws as shapes."""

MOST_DRAWN = 6000
"""Elements above which a map is set as points, not as polygons."""


def _load_fonts() -> None:
    """Make the bundled type family known."""
    for entry in (files("tartan") / "assets").iterdir():
        if entry.name.endswith((".otf", ".ttf")):
            with as_file(entry) as path:
                font_manager.fontManager.addfont(str(path))


_load_fonts()
# A sign that the bundled type lacks is taken from the next; that need not be told.
logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)


def _sheet(width: float, height: float) -> Sheet:
    return Sheet(figsize=(width, height), dpi=200)


def svg_of(sheet: Sheet, *, for_page: bool = False) -> str:
    """Picture as SVG text.

    Where it stands in a page its words are text, which can be found and is set twice as fast as
    outlines; alone it keeps its look wherever it is opened.
    """
    out = io.StringIO()
    words = "none" if for_page else "path"
    with mpl.rc_context(LOOK | {"svg.hashsalt": "tartan", "svg.fonttype": words}):
        # What is an image in it stays fine enough to be printed.
        sheet.savefig(
            out,
            format="svg",
            dpi=170 if for_page else 220,
            transparent=True,
            metadata={"Date": None},
        )
    text = out.getvalue()
    return text[text.index("<svg") :]


def png_of(sheet: Sheet) -> bytes:
    """Picture as PNG."""
    out = io.BytesIO()
    with mpl.rc_context(LOOK):
        sheet.savefig(out, format="png", dpi=200, facecolor="white")
    return out.getvalue()


def paper_axes() -> Array:
    """Directions in space that run right and up on paper, shape (2, 3)."""
    way = WAY / np.linalg.norm(WAY)
    right = np.cross([0.0, 0.0, 1.0], way)
    right /= np.linalg.norm(right)
    return np.stack([right, np.cross(way, right)])


def projected(mesh: Mesh, moved: Array | None = None) -> tuple[Array, NDArray[np.intp]]:
    """Corners of the elements on paper, shape (m, 4, 2), and the order from far to near."""
    way, axes = WAY / np.linalg.norm(WAY), paper_axes()
    nodes = mesh.nodes if moved is None else mesh.nodes + moved
    corners = nodes[mesh.corner_table]
    return corners @ axes.T, np.argsort(corners.mean(axis=1) @ way)


def map_sheet(
    answer: PartAnswer,
    shown: Map,
    *,
    moved: Array | None = None,
    left_out: NDArray[np.bool_] | None = None,
    places: Sequence[tuple[int, str]] = (),
    for_page: bool = False,
) -> Sheet:
    """A map on the part with its legend.

    Parameters
    ----------
    answer : PartAnswer
        Whose part.
    shown : Map
        Colours and legend.
    moved : ndarray, shape (n, 3), optional
        Displacement, already magnified [m].
    left_out : ndarray of bool, shape (m,), optional
        Elements that are hatched.
    places : sequence of (int, str)
        Elements with words of their own.
    for_page : bool
        Whether it stands in a report, which draws every element of every map for minutes: there
        the elements of a finer mesh are an image, while lines and words stay sharp.
    """
    mesh = answer.layout().mesh
    with mpl.rc_context(LOOK):
        sheet = _sheet(6.6, 3.3)
        axes = sheet.add_axes((0.20, 0.02, 0.52 if places else 0.79, 0.96))
        axes.set_axis_off()
        axes.set_aspect("equal")
        corners, order = projected(mesh, moved)
        many = mesh.count > MOST_DRAWN
        image = many or (for_page and mesh.count > MOST_IN_PAGE)
        patches = PolyCollection(
            list(corners[order]),
            facecolors=shown.rgb[order] / 255,
            edgecolors="white" if not many else "face",
            linewidths=0.25,
            rasterized=image,
        )
        axes.add_collection(patches)
        if left_out is not None and left_out.any():
            strokes = corners[left_out][:, [0, 2]]
            marks = LineCollection(list(strokes), colors=SOFT, linewidths=0.6, rasterized=image)
            axes.add_collection(marks)
        axes.autoscale_view()
        _call_out(sheet, axes, [(corners[e].mean(axis=0), words) for e, words in places])
        _legend(sheet, shown)
    return sheet


def _call_out(sheet: Sheet, axes: Axes, lines: Sequence[tuple[Array, str]]) -> None:
    """Words in the right margin, each with a thread to its place; no two threads cross."""
    if not lines:
        return
    axes.apply_aspect()
    inch = sheet.get_size_inches() * 72
    anchors = axes.transData.transform([at for at, _ in lines]) / sheet.dpi * 72
    wide = 0.27 * inch[0]
    found = margin_lines(
        anchors, (float(inch[0]), float(inch[1])), wide, 12.0, 4.0, right_only=True
    )
    for (_, words), start, end in zip(lines, anchors, found.ends, strict=True):
        a, b = start / inch, end / inch
        sheet.add_artist(Line2D([a[0], b[0]], [a[1], b[1]], color=INK, linewidth=0.6))
        sheet.add_artist(Line2D([a[0]], [a[1]], marker="o", ms=3.0, mfc="none", mec=INK))
        sheet.text(b[0] + 0.004, b[1], words, fontsize=7, va="center")


def _legend(sheet: Sheet, shown: Map) -> None:
    sheet.text(0.01, 0.93, shown.title, weight=600, fontsize=8.5)
    sheet.text(0.01, 0.86, _wrapped(shown.unit, 26), fontsize=7, color=SOFT, va="top")
    if shown.names:
        for i, (name, rgb, share) in enumerate(shown.names[:11]):
            y = 0.70 - 0.062 * i
            sheet.add_artist(Rectangle((0.01, y), 0.014, 0.03, color=np.array(rgb) / 255))
            sheet.text(0.033, y, f"{name}  {share:.1%}", fontsize=7)
        return
    bar = sheet.add_axes((0.012, 0.08, 0.022, 0.62))
    # An image: hundreds of shapes of one colour each take longer to set than all the words.
    bar.imshow(
        shown.ramp[:, None, :] / 255,
        extent=(0, 1, 0, 1),
        aspect="auto",
        origin="lower",
        interpolation="nearest",
    )
    bar.set_axis_off()
    bar.set_xlim(0, 1)
    bar.set_ylim(0, 1)
    for share, text in shown.ticks:
        bar.text(1.4, share, text, fontsize=7, va="center")
    if shown.need is not None:
        bar.plot([-0.3, 1.3], [shown.need] * 2, color=INK, lw=1.2, clip_on=False)
        bar.text(1.4, shown.need, "required", fontsize=7, va="center", weight=600)


def _wrapped(text: str, width: int) -> str:
    lines, line = [], ""
    for word in text.split():
        if line and len(line) + 1 + len(word) > width:
            lines.append(line)
            line = word
        else:
            line = f"{line} {word}".strip()
    return "\n".join([*lines, line])


def zones_sheet(answer: PartAnswer) -> Sheet:
    """Zones of the part, each with a colour and its number of plies."""
    zones = answer.layout().zones
    count = len(zones.laminates)
    table = colours.zone_map(np.arange(count), count)
    areas = answer.layout().mesh.areas()
    names = tuple(
        (
            f"zone {k + 1}, {counted(x.count, 'ply', 'plies')}",
            (int(table[k, 0]), int(table[k, 1]), int(table[k, 2])),
            float(areas[zones.members[k]].sum() / areas.sum()),
        )
        for k, x in enumerate(zones.laminates)
    )
    shown = Map(
        colours.zone_map(zones.zone, count),
        "zones",
        "areas of equal stacking sequence",
        (),
        np.zeros((0, 3), np.uint8),
        None,
        "",
        names,
    )
    return map_sheet(answer, shown, for_page=True)


def section_sheet(
    plies: Sequence[Ply],
    kinds: Sequence[str],
    numbers: Sequence[int],
    columns: Sequence[tuple[str, str, Array]],
    need: float,
) -> Sheet:
    """Section of a stack in even bands with columns of results at its right.

    Parameters
    ----------
    plies : sequence of Ply
        Bottom to top.
    kinds : sequence of str
        Kind of material of each.
    numbers : sequence of int
        Their numbers in the lay-up, from 0.
    columns : sequence of (title, unit, values)
        Values of shape (n, 3) are drawn as profiles, of shape (n,) as bars against `need`.
    need : float
        Required reserve factor.
    """
    count = len(plies)
    with mpl.rc_context(LOOK):
        height = min(7.5, 0.55 + 0.19 * max(count, 6))
        sheet = _sheet(6.6, height)
        wide = [2.6] + [1.0] * len(columns)
        grid = sheet.subplots(1, 1 + len(columns), gridspec_kw={"width_ratios": wide})
        every = np.atleast_1d(grid)
        _bands(every[0], plies, kinds, numbers)
        for axes, (title, unit, values) in zip(every[1:], columns, strict=True):
            _column(axes, values, need)
            axes.set_title(f"{title}\n{unit}", fontsize=7)
        for axes in every:
            axes.set_ylim(0, count)
            axes.set_yticks([])
        sheet.subplots_adjust(0.01, 0.10, 0.99, 1 - 0.45 / height, wspace=0.12)
    return sheet


def _bands(
    axes: mpl.axes.Axes, plies: Sequence[Ply], kinds: Sequence[str], numbers: Sequence[int]
) -> None:
    axes.set_xlim(0, 1)
    axes.set_xticks([])
    for side in axes.spines.values():
        side.set_visible(False)
    for i, (each, kind, number) in enumerate(zip(plies, kinds, numbers, strict=True)):
        core = kind == "core"
        band = colours.CORE_BAND if core else colours.ply_band(each.angle)
        solid = colours.CORE_SOLID if core else colours.ply_solid(each.angle)
        axes.add_patch(Rectangle((0.04, i + 0.04), 0.96, 0.92, color=band, lw=0))
        axes.add_patch(Rectangle((0, i + 0.04), 0.03, 0.92, color=solid, lw=0))
        what = "core" if core else f"{each.angle:g}°"
        axes.text(0.06, i + 0.5, f"{number + 1}", fontsize=6.5, va="center", color=SOFT)
        axes.text(0.17, i + 0.5, what, fontsize=7.5, va="center", weight=600)
        words = f"{each.material}  {each.thickness * 1e3:g} mm"
        axes.text(0.98, i + 0.5, words, fontsize=6.5, va="center", ha="right", color=SOFT)


def _column(axes: mpl.axes.Axes, values: Array, need: float) -> None:
    count = len(values)
    axes.tick_params(labelsize=6, length=2)
    if values.ndim == 1:
        top = 3 * need
        bars = np.minimum(values, top)
        axes.barh(
            np.arange(count) + 0.5, bars, 0.6, color=[FAILS if v < need else HOLDS for v in values]
        )
        for i, v in enumerate(values):
            axes.text(
                min(v, top) + 0.02 * top,
                i + 0.5,
                f"{v:.2f}" if v < 100 else ">100",
                fontsize=6,
                va="center",
            )
        axes.axvline(need, color=INK, lw=0.7, ls="--")
        axes.set_xlim(0, top * 1.35)
        return
    for i in range(count):
        axes.fill_betweenx([i, i + 0.5, i + 1], 0, values[i], color=ACCENT, alpha=0.35, lw=0)
        axes.plot(values[i], [i, i + 0.5, i + 1], color=ACCENT, lw=0.9)
    axes.axvline(0, color=LINE, lw=0.6)


def bars_sheet(names: Sequence[str], values: Sequence[float], need: float, words: str) -> Sheet:
    """Bars of reserve factors beside their names, against what is required."""
    with mpl.rc_context(LOOK):
        height = 0.62 + 0.22 * len(names)
        sheet = _sheet(6.6, height)
        axes = sheet.add_axes((0.34, 0.5 / height, 0.62, 1 - 0.58 / height))
        top = 6 * need
        shown = np.minimum(np.nan_to_num(np.array(values), posinf=1e9), top)
        at = np.arange(len(names))[::-1]
        axes.barh(at, shown, 0.6, color=[FAILS if v < need else HOLDS for v in values])
        for y, v, s in zip(at, values, shown, strict=True):
            figure = f"{v:.2f}" if v < 1000 else ">1000"
            axes.text(s + 0.01 * top, y, figure, va="center", fontsize=7)
        axes.set_yticks(at, names, fontsize=7)
        axes.axvline(need, color=INK, lw=0.8, ls="--")
        axes.set_xlim(0, 6.9 * need)
        axes.set_xlabel(words, fontsize=7)
        axes.spines[["top", "right"]].set_visible(False)
    return sheet
