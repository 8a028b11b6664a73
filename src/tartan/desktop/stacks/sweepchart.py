"""Charts of a sweep: a line over one figure, a map over two, a distribution of samples."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray

from tartan.desktop import theme
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.sweep_tables import path_words
from tartan.project.document.model import Project
from tartan.project.findings.answer_figures import need_of, words_of
from tartan.project.findings.sweeps import Outcome, Task
from tartan.project.wording.figure_units import quantity_of

Array = NDArray[np.float64]

MOST_ROWS = 7
"""Rows of a map whose figures are written in it."""


def draw(
    plot: Plot,
    project: Project,
    found: list[tuple[Task, Outcome]],
    answer: int,
    *,
    scattered: bool,
) -> None:
    """Draw one answer of what was found so far, in the user's units."""
    if not found:
        plot.begin("", "")
        return
    task = found[0][0]
    words, quantity = words_of(project, task.answers[answer])
    value = np.array([o.values[answer] for _, o in found]) / quantity.scale
    axis = f"{words}  {quantity.unit}".strip()
    asked = need_of(project, task.answers[answer])
    need = None if asked is None else asked.limit / quantity.scale
    if scattered:
        _distribution(plot, value, axis, need)
        return
    given = []
    for k, paths in enumerate(task.paths):
        own = quantity_of(paths[0].removeprefix("-"))
        name = f"{_short(path_words(paths))}  {own.unit}".strip()
        given.append((np.array([t.values[k] for t, _ in found]) / own.scale, name))
    if len(given) == 1:
        _line(plot, given[0], value, axis, need)
    else:
        _map(plot, given, value, axis, need)


def _short(words: str) -> str:
    return words if len(words) < 46 else f"… {words[-44:]}"


def _line(
    plot: Plot, given: tuple[Array, str], value: Array, axis: str, need: float | None
) -> None:
    x, name = given
    plot.begin(name, axis)
    by = np.argsort(x)
    plot.curve(x[by], value[by], "accent", words=axis)
    good = np.isfinite(value)
    inks = ["accent" if need is None or v >= need else "fails" for v in value[good]]
    plot.points(x[good], value[good], inks)
    if need is not None:
        ends = np.array([x.min(), x.max()])
        plot.curve(ends, np.full(2, need), "fails", dashed=True, width=1.2, words="needed")
    plot.show_all()


def _map(
    plot: Plot,
    given: list[tuple[Array, str]],
    value: Array,
    axis: str,
    need: float | None,
) -> None:
    """Points of a grid as coloured fields; the needed value as a line."""
    (x, across), (y, up) = given
    xs, ys = np.unique(x), np.unique(y)
    grid = np.full((len(xs), len(ys)), np.nan)
    grid[np.searchsorted(xs, x), np.searchsorted(ys, y)] = value
    plot.begin(across, up, axis)
    low, high = np.nanmin(grid), np.nanmax(grid)
    face = theme.face()
    lookup = pg.ColorMap([0.0, 0.5, 1.0], [face.fails, face.paper, face.holds]).getLookupTable(
        nPts=64
    )
    image = pg.ImageItem(grid)
    image.setLookupTable(lookup)
    middle = need if need is not None and low < need < high else (low + high) / 2
    reach = max(high - middle, middle - low, 1e-300)
    image.setLevels((middle - reach, middle + reach))
    image.setRect(*_edges(xs), *_edges(ys))
    image.setRect(_edges(xs)[0], _edges(ys)[0], _edges(xs)[1], _edges(ys)[1])
    plot.item.addItem(image)
    if need is not None and low < need < high and min(grid.shape) > 1:
        line = pg.IsocurveItem(np.nan_to_num(grid, nan=low), need, pg.mkPen(face.ink, width=1.5))
        line.setParentItem(image)
        # Its corners are the middles of the fields.
        line.setPos(0.5, 0.5)
    for i, a in enumerate(xs):
        for j, b in enumerate(ys):
            if len(xs) <= 9 and len(ys) <= MOST_ROWS and np.isfinite(grid[i, j]):
                text = pg.TextItem(f"{grid[i, j]:.3g}", color=face.ink, anchor=(0.5, 0.5))
                text.setFont(theme.font(7.5))
                text.setPos(float(a), float(b))
                plot.item.addItem(text)
    plot.show_all()


def _edges(values: Array) -> tuple[float, float]:
    """Where fields about values begin, and how far they reach."""
    if len(values) == 1:
        size = abs(values[0]) or 1.0
        return float(values[0] - size / 2), float(size)
    half = (values[-1] - values[0]) / (len(values) - 1) / 2
    return float(values[0] - half), float(values[-1] - values[0] + 2 * half)


def _distribution(plot: Plot, value: Array, axis: str, need: float | None) -> None:
    """Share of the samples up to every value."""
    known = np.sort(value[np.isfinite(value)])
    plot.begin(axis, "share of samples  %")
    if not len(known):
        return
    share = (np.arange(len(known)) + 0.5) / len(known) * 100
    plot.curve(known, share, "accent", words=axis)
    if need is not None:
        plot.curve(
            np.full(2, need),
            np.array([0.0, 100.0]),
            "fails",
            dashed=True,
            width=1.2,
            words="needed",
        )
    plot.show_all()
