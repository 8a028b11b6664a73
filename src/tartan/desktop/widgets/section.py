"""The section picture: plies as bands of true thickness with their fibre direction.

Columns of results stand beside them on the same z axis. The laying side is up.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tartan.desktop import colours, theme
from tartan.desktop.widgets.bands import Row, band_heights, paint_band
from tartan.project import units

Array = NDArray[np.float64]

TOP, FOOT, GAP = 34, 20, 14
COLUMN = 104


@dataclass(frozen=True, eq=False)
class Column:
    """Results beside the plies.

    Attributes
    ----------
    title, unit : str
        What is shown.
    values : ndarray, shape (n, 3) or (n,)
        In display units: a profile at bottom, middle and top of every ply, or one bar a ply.
    need : float or None
        For reserve factors: the least one asked for, drawn as a line.
    """

    title: str
    unit: str
    values: Array
    need: float | None = None


class SectionPicture(QWidget):
    """Plies and columns; tells clicks and the ply under the pointer."""

    ply_pressed = pyqtSignal(int, object)
    ply_hovered = pyqtSignal(int)

    least_band = 20
    least_height = 120

    def __init__(self) -> None:
        super().__init__()
        self.rows: Sequence[Row] = ()
        self.columns: Sequence[Column] = ()
        self.selected: frozenset[int] = frozenset()
        self.even = False
        self.faded = False
        self.marked: int | None = None
        self.band_width = 230
        self._pointer: float | None = None
        self.setMouseTracking(True)
        self.setMinimumHeight(120)

    def show_stack(self, rows: Sequence[Row], columns: Sequence[Column] = ()) -> None:
        """Draw other plies."""
        self.rows, self.columns = rows, columns
        self.setMinimumHeight(max(self.least_height, TOP + FOOT + len(rows) * self.least_band))
        self.update()

    def sizeHint(self) -> QSize:
        wide = self.band_width + len(self.columns) * (COLUMN + GAP)
        return QSize(wide, self.minimumHeight())

    # Geometry

    def rect_of(self, ply: int) -> QRectF:
        """Band of a ply, from 0."""
        return self._rects()[ply]

    def _rects(self) -> list[QRectF]:
        room = self.height() - TOP - FOOT
        weights = [1.0 if self.even else r.thickness for r in self.rows]
        heights = band_heights(weights, room, self.least_band)
        rects, y = [], float(self.height() - FOOT)
        for height in heights:
            y -= height
            rects.append(QRectF(1, y, self._width(), height))
        return rects

    def _width(self) -> float:
        if not self.columns:
            return float(self.width() - 2)
        return float(min(self.band_width, self.width() - len(self.columns) * (60 + GAP)))

    def _column_rects(self) -> list[QRectF]:
        if not self.columns:
            return []
        left = self._width() + GAP + 2
        room = self.width() - left
        wide = min(150.0, room / len(self.columns) - GAP)
        return [QRectF(left + i * (wide + GAP), TOP, wide, self.height() - TOP - FOOT)
                for i in range(len(self.columns))]  # fmt: skip

    def ply_at(self, y: float) -> int | None:
        """Ply at a height of the widget."""
        for i, rect in enumerate(self._rects()):
            if rect.top() <= y < rect.bottom():
                return i
        return None

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.faded:
            painter.setOpacity(0.4)
        rects = self._rects()
        painter.setFont(theme.font(8.5))
        painter.setPen(theme.colour("soft"))
        painter.drawText(QRectF(2, TOP - 20, 150, 16), Qt.AlignmentFlag.AlignLeft, "laying side ↑")
        for i, (row, rect) in enumerate(zip(self.rows, rects, strict=True)):
            paint_band(painter, rect, i, row, selected=i in self.selected)
        for column, area in zip(self.columns, self._column_rects(), strict=True):
            self._paint_column(painter, column, area, rects)
        self._paint_mark(painter, rects)
        self._paint_reading(painter)

    def _paint_mark(self, painter: QPainter, rects: list[QRectF]) -> None:
        if self.marked is None or self.marked >= len(rects):
            return
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(rects[self.marked].adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)

    def _paint_column(self, painter: QPainter, column: Column, area: QRectF,
                      rects: list[QRectF]) -> None:  # fmt: skip
        face = theme.face()
        painter.setPen(QPen(QColor(face.line), 1))
        painter.setBrush(QColor(face.panel))
        painter.drawRoundedRect(area, 3, 3)
        painter.setPen(QColor(face.ink))
        painter.setFont(theme.strong(8.5))
        center = Qt.AlignmentFlag.AlignHCenter
        painter.drawText(QRectF(area.left() - 6, 2, area.width() + 12, 15), center, column.title)
        painter.setFont(theme.font(8))
        painter.setPen(QColor(face.soft))
        painter.drawText(QRectF(area.left() - 6, 16, area.width() + 12, 15), center, column.unit)
        if column.values.ndim == 1:
            self._paint_bars(painter, column, area, rects)
        else:
            self._paint_profile(painter, column, area, rects)

    def _paint_profile(self, painter: QPainter, column: Column, area: QRectF,
                       rects: list[QRectF]) -> None:  # fmt: skip
        face = theme.face()
        largest = float(np.abs(column.values).max(initial=0.0))
        middle = area.center().x()
        painter.setPen(QPen(QColor(face.line), 1))
        painter.drawLine(QPointF(middle, area.top()), QPointF(middle, area.bottom()))
        if largest > 0:
            scale = (area.width() / 2 - 5) / largest
            for i, rect in enumerate(rects):
                low, _, high = column.values[i] * scale
                shape = QPolygonF(
                    [
                        QPointF(middle, rect.bottom()),
                        QPointF(middle + low, rect.bottom()),
                        QPointF(middle + high, rect.top()),
                        QPointF(middle, rect.top()),
                    ]
                )
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(_row_colour(self.rows[i]))
                painter.drawPolygon(shape)
        painter.setPen(QColor(face.soft))
        painter.setFont(theme.font(7.5))
        foot = QRectF(area.left(), area.bottom() + 2, area.width(), 14)
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, units.number(largest, 3))
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, "−" + units.number(largest, 3))

    def _paint_bars(self, painter: QPainter, column: Column, area: QRectF,
                    rects: list[QRectF]) -> None:  # fmt: skip
        face = theme.face()
        need = column.need or 1.0
        reach = 4 * need
        width = area.width() - 46
        painter.setFont(theme.strong(8.5))
        for value, rect in zip(column.values, rects, strict=True):
            share = min(value, reach) / reach
            height = min(rect.height() * 0.62, 16)
            bar = QRectF(
                area.left() + 6, rect.center().y() - height / 2, max(2, share * width), height
            )
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(face.holds if value >= need else face.fails))
            painter.drawRoundedRect(bar, 2, 2)
            painter.setPen(QColor(face.ink))
            text = QRectF(bar.right() + 4, rect.center().y() - 8, 44, 16)
            painter.drawText(text, Qt.AlignmentFlag.AlignVCenter, units.factor(float(value)))
        x = area.left() + 6 + width / 4
        painter.setPen(QPen(QColor(face.ink), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x, area.top() + 1), QPointF(x, area.bottom() - 1))
        painter.setFont(theme.font(7.5))
        painter.setPen(QColor(face.soft))
        painter.drawText(QRectF(area.left(), area.bottom() + 2, area.width(), 14),
                         Qt.AlignmentFlag.AlignLeft, f"needs {need:.2f}")  # fmt: skip

    def _paint_reading(self, painter: QPainter) -> None:
        if self._pointer is None or not self.columns:
            return
        ply = self.ply_at(self._pointer)
        if ply is None:
            return
        face = theme.face()
        painter.setPen(QPen(QColor(face.ink), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(0, self._pointer), QPointF(self.width(), self._pointer))
        rect = self._rects()[ply]
        share = (rect.bottom() - self._pointer) / max(rect.height(), 1.0)
        painter.setFont(theme.strong(8.5))
        for column, area in zip(self.columns, self._column_rects(), strict=True):
            if column.values.ndim == 1:
                continue
            low, _, high = column.values[ply]
            text = units.number(float(low + share * (high - low)))
            box = QRectF(area.center().x() - 34, self._pointer - 19, 68, 16)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(face.panel))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(QColor(face.ink))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    # Pointer

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (ply := self.ply_at(event.position().y())) is not None:
            self.setFocus()
            self.ply_pressed.emit(ply, event.modifiers())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._pointer = event.position().y()
            ply = self.ply_at(self._pointer)
            self.ply_hovered.emit(-1 if ply is None else ply)
            self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._pointer = None
        self.ply_hovered.emit(-1)
        self.update()


def _row_colour(row: Row) -> QColor:
    if row.kind == "core":
        return QColor(colours.CORE_SOLID)
    if row.kind == "isotropic":
        return QColor(colours.ISO_SOLID)
    return QColor(colours.ply_solid(row.angle))
