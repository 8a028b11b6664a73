"""Live charts: one plot in the program's own colours and type, on pyqtgraph."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import Qt

from tartan.desktop import theme
from tartan.desktop.widgets.picture import offer_saving

Array = NDArray[np.float64]


class Plot(pg.PlotWidget):  # type: ignore[misc]
    """Curves and points with axes in words; the wheel zooms, a double click shows all again."""

    def __init__(self, name: str) -> None:
        super().__init__(background=None)
        self.setAccessibleName(name)
        self.item = self.getPlotItem()
        self.item.setMenuEnabled(False)
        self.item.hideButtons()
        self.item.showGrid(x=True, y=True, alpha=0.15)
        offer_saving(self, name)
        self.wear()

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
        self.wear()
        self.item.setLabel("bottom", x)
        self.item.setLabel("left", y)
        title = {"size": "8pt", "color": theme.colour("soft").name()}
        self.item.setTitle(of_what or None, **title)

    def curve(
        self, x: Array, y: Array, ink: str, *, dashed: bool = False, width: float = 1.8
    ) -> None:
        """Draw a line; NaN parts it."""
        style = Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine
        pen = pg.mkPen(theme.colour(ink), width=width, style=style)
        self.item.plot(
            np.asarray(x),
            np.asarray(y),
            pen=pen,
            connect="finite" if np.isnan(y).any() else "all",
            antialias=True,
        )

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

    def points(self, x: Array, y: Array, inks: Sequence[str]) -> None:
        """Draw many points in one go."""
        brushes = [pg.mkBrush(theme.colour(ink)) for ink in inks]
        self.item.addItem(
            pg.ScatterPlotItem(np.asarray(x), np.asarray(y), size=7, pen=None, brush=brushes)
        )

    def axes_through_zero(self) -> None:
        """Draw lines through the origin."""
        for angle in (0, 90):
            self.item.addItem(pg.InfiniteLine(0, angle, pen=pg.mkPen(theme.colour("line"))))

    def show_all(self) -> None:
        """Fit what is drawn."""
        self.item.autoRange()

    def mouseDoubleClickEvent(self, event: object) -> None:
        self.show_all()
