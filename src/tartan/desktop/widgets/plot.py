"""Live charts: one plot in the program's own colours and type, on pyqtgraph."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from html import escape
from typing import Any

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QToolTip

from tartan.desktop import theme
from tartan.desktop.widgets.picture import offer_saving
from tartan.project.wording import units

Array = NDArray[np.float64]

NEVER = ((0.0, 0.0),)
"""Sizes of which a chart would write thousandths as thousands less."""

REACH = 24.0
"""Pixels within which a point of a line is pointed at."""


WAY_INKS = ("accent", "soft", "fails")
"""Of a shell, one solid, and solids ply by ply, side by side."""


def key_words(names: Sequence[str], inks: Sequence[str]) -> str:
    """What the lines of a chart are, each in its ink, as rich text."""
    return " · ".join(
        f'<span style="color:{theme.colour(ink).name()}">{escape(name)}</span>'
        for name, ink in zip(names, inks, strict=True)
    )


class Plot(pg.PlotWidget):  # type: ignore[misc]
    """Curves and points with axes in words; the wheel zooms, a double click shows all again."""

    clicked_at = pyqtSignal(float, float)
    """A click on the chart, in the units of its axes."""

    def __init__(self, name: str) -> None:
        super().__init__(background=None)
        self.setAccessibleName(name)
        self.item = self.getPlotItem()
        self.item.setMenuEnabled(False)
        self.item.hideButtons()
        self.item.showGrid(x=True, y=True, alpha=0.15)
        offer_saving(self, name)
        self._lines: list[tuple[Array, Array, str]] = []
        self.setMouseTracking(True)
        self.scene().sigMouseClicked.connect(self._tell_click)
        self.wear()

    def _tell_click(self, event: Any) -> None:
        at = self.item.getViewBox().mapSceneToView(event.scenePos())
        self.clicked_at.emit(at.x(), at.y())

    def wear(self) -> None:
        """Take on the appearance that is in force."""
        for side in ("left", "bottom"):
            axis = self.item.getAxis(side)
            axis.setPen(theme.colour("line"))
            axis.setTextPen(theme.colour("soft"))
            axis.setTickFont(theme.font(8))
            axis.label.setFont(theme.font(8.5))

    def begin(self, x: str, y: str, of_what: str = "") -> None:
        """Empty the plot, name its axes, and say what it is of, which a picture takes along."""
        self.item.clear()
        self._lines.clear()
        self.wear()
        # Units stand in the labels: figures are not to be read with a power of ten besides.
        self.item.setLabel("bottom", x, siPrefixEnableRanges=NEVER)
        self.item.setLabel("left", y, siPrefixEnableRanges=NEVER)
        title = {"size": "8pt", "color": theme.colour("soft").name()}
        self.item.setTitle(of_what or None, **title)

    def curve(
        self,
        x: Array,
        y: Array,
        ink: str,
        *,
        dashed: bool = False,
        width: float = 1.8,
        words: str = "",
    ) -> None:
        """Draw a line; NaN parts it. Where it has words, pointing at it reads its figures."""
        if words:
            self._lines.append((np.asarray(x, float), np.asarray(y, float), words))
        style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
        pen = pg.mkPen(theme.colour(ink), width=width, style=style)
        # The bare line: an item with points of its own would take ten times as long to make.
        line = pg.PlotCurveItem(
            np.asarray(x, float),
            np.asarray(y, float),
            pen=pen,
            connect="finite" if np.isnan(y).any() else "all",
            antialias=True,
        )
        self.item.addItem(line)

    def point(
        self, x: float, y: float, ink: str, words: str = "", anchor: tuple[float, float] = (0, 1)
    ) -> None:
        """Draw a point with words beside it; `anchor` is the corner of the words at the point."""
        self.item.plot(
            [x],
            [y],
            pen=None,
            symbol="o",
            symbolSize=8,
            symbolPen=None,
            symbolBrush=theme.colour(ink),
        )
        if words:
            text = pg.TextItem(words, color=theme.colour("ink"), anchor=anchor)
            text.setFont(theme.font(8))
            text.setPos(x, y)
            self.item.addItem(text)

    def mark(self, x: float, y: float, words: str) -> None:
        """Write words at a place."""
        text = pg.TextItem(words, color=theme.colour("soft"), anchor=(0, 0.5))
        text.setFont(theme.font(7.5))
        text.setPos(x, y)
        self.item.addItem(text)

    def points(self, x: Array, y: Array, inks: Sequence[str]) -> None:
        """Draw many points in one go."""
        brushes = [pg.mkBrush(theme.colour(ink)) for ink in inks]
        self.item.addItem(
            pg.ScatterPlotItem(np.asarray(x), np.asarray(y), size=7, pen=None, brush=brushes)
        )

    def grip(
        self, at: tuple[float, float], words: str, moved: Callable[[QPointF, bool], None]
    ) -> None:
        """Draw a knob that is dragged; `moved` hears where to, and whether it was let go."""
        knob = pg.TargetItem(
            pos=at,
            size=11,
            symbol="o",
            pen=pg.mkPen(theme.colour("accent"), width=1.5),
            brush=pg.mkBrush(theme.colour("paper")),
            hoverBrush=pg.mkBrush(theme.colour("accent")),
        )
        knob.setToolTip(words)
        knob.setZValue(10)
        knob.sigPositionChanged.connect(lambda k: moved(k.pos(), False))
        knob.sigPositionChangeFinished.connect(lambda k: moved(k.pos(), True))
        self.item.addItem(knob)

    def axes_through_zero(self) -> None:
        """Draw lines through the origin."""
        for angle in (0, 90):
            self.item.addItem(pg.InfiniteLine(0, angle, pen=pg.mkPen(theme.colour("line"))))

    def show_all(self) -> None:
        """Fit what is drawn."""
        self.item.autoRange()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Read the point of a line that is pointed at."""
        super().mouseMoveEvent(event)
        said = self.said_at(event.position())
        QToolTip.showText(event.globalPosition().toPoint(), said, self)

    def said_at(self, at: QPointF) -> str:
        """Words and figures of the nearest point of a line, within reach; empty beyond."""
        box, scene = self.item.getViewBox(), self.mapToScene(at.toPoint())
        found, least = "", REACH
        for x, y, words in self._lines:
            good = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
            if not len(good):
                continue
            # Points on the screen: the view's transformation is a scale and a shift each way.
            a = box.mapViewToScene(QPointF(float(x[good[0]]), float(y[good[0]])))
            size = box.viewPixelSize()
            across = a.x() + (x[good] - x[good[0]]) / size[0] - scene.x()
            down = a.y() - (y[good] - y[good[0]]) / size[1] - scene.y()
            gap = np.hypot(across, down)
            k = int(gap.argmin())
            if gap[k] < least:
                at_x, at_y = float(x[good[k]]), float(y[good[k]])
                found = f"{words}: {units.number(at_x)}, {units.number(at_y)}"
                least = float(gap[k])
        return found

    def mouseDoubleClickEvent(self, event: object) -> None:
        self.show_all()
