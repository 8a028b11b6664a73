"""The section picture: plies as bands of true thickness with their fibre direction.

Columns of results stand beside them on the same z axis. The laying side is up. Sub-laminates can
be folded into one band, remarks stand in the margin, and the baseline's plies beside their own.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QHelpEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPixmapCache,
    QResizeEvent,
)
from PyQt6.QtWidgets import QToolTip, QWidget

from tartan.desktop import theme
from tartan.desktop.widgets.bands import band_heights, paint_band
from tartan.desktop.widgets.columns import (
    paint_column,
    paint_column_head,
    paint_reading,
    row_colour,
)
from tartan.desktop.widgets.picture import VECTOR, offer_saving
from tartan.pages.shown import Column, Row
from tartan.project.wording import units
from tartan.project.wording.symbols import meaning

TOP, FOOT, GAP = 34, 20, 14
COLUMN = 104
GUTTER, STRIP = 13, 22


@dataclass(frozen=True)
class Fold:
    """A sub-laminate: name, first ply, count, and whether it is drawn as one band."""

    name: str
    first: int
    count: int
    folded: bool


class SectionPicture(QWidget):
    """Plies and columns; tells clicks and the ply under the pointer."""

    ply_pressed = pyqtSignal(int, object)
    ply_hovered = pyqtSignal(int)
    fold_pressed = pyqtSignal(int)
    bar_pressed = pyqtSignal(int, str)

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
        self.folds: Sequence[Fold] = ()
        self.remarks: Mapping[int, str] = {}
        self.before: Sequence[Row] = ()
        self.before_name = ""
        self._pointer: float | None = None
        self._cache: list[QRectF] | None = None
        self.setMouseTracking(True)
        self.setMinimumHeight(120)
        offer_saving(self, "section")

    def show_stack(self, rows: Sequence[Row], columns: Sequence[Column] = ()) -> None:
        """Draw other plies."""
        self.rows, self.columns = rows, columns
        self._cache = None
        bands = len(rows) - sum(f.count - 1 for f in self.folds if f.folded)
        self.setMinimumHeight(max(self.least_height, TOP + FOOT + bands * self.least_band))
        self.update()

    def sizeHint(self) -> QSize:
        wide = self.band_width + len(self.columns) * (COLUMN + GAP)
        return QSize(wide, self.minimumHeight())

    # Geometry

    @property
    def left(self) -> float:
        """Where bands begin: right of remarks, folds and the baseline's strip."""
        return (STRIP if self.before else 0) + (GUTTER if self.remarks or self.folds else 0) + 1.0

    def rect_of(self, ply: int) -> QRectF:
        """Band of a ply, from 0."""
        return self._rects()[ply]

    def _slots(self) -> list[tuple[int, int]]:
        """Bands as (first ply, count)."""
        folded = {f.first: f.count for f in self.folds if f.folded}
        slots, i = [], 0
        while i < len(self.rows):
            count = folded.get(i, 1)
            slots.append((i, count))
            i += count
        return slots

    def _rects(self) -> list[QRectF]:
        """Band of every ply; those of a folded sub-laminate share its band."""
        if self._cache is not None:
            return self._cache
        room = self.height() - TOP - FOOT
        slots = self._slots()
        weights = [
            1.0 if self.even else sum(r.thickness for r in self.rows[i : i + n]) for i, n in slots
        ]
        heights = band_heights(weights, room, self.least_band)
        left, wide = self.left, self._width()
        rects, y = [], float(self.height() - FOOT)
        for (first, count), height in zip(slots, heights, strict=True):
            total = sum(r.thickness for r in self.rows[first : first + count])
            for row in self.rows[first : first + count]:
                part = height * row.thickness / total
                y -= part
                rects.append(QRectF(left, y, wide, part))
        self._cache = rects
        return rects

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._cache = None
        super().resizeEvent(event)

    def _width(self) -> float:
        if not self.columns:
            return float(self.width() - 1 - self.left)
        wide = min(self.band_width, self.width() - self.left - len(self.columns) * (60 + GAP))
        return max(150.0, float(wide))

    def _column_rects(self) -> list[QRectF]:
        if not self.columns:
            return []
        left = self.left + self._width() + GAP
        room = self.width() - left - 8
        wide = min(220.0, (room + GAP) / len(self.columns) - GAP)
        return [
            QRectF(left + i * (wide + GAP), TOP, wide, self.height() - TOP - FOOT)
            for i in range(len(self.columns))
        ]

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
        sight = QRectF(event.rect()) if event is not None else QRectF(self.rect())
        rects = self._rects()
        painter.setFont(theme.font(8.5))
        painter.setPen(theme.colour("soft"))
        painter.drawText(
            QRectF(self.left, TOP - 20, 150, 16), Qt.AlignmentFlag.AlignLeft, "laying side ↑"
        )
        seen = [
            (i, row, rect)
            for i, (row, rect) in enumerate(zip(self.rows, rects, strict=True))
            if rect.bottom() >= sight.top() - 1 and rect.top() <= sight.bottom() + 1
        ]
        hidden = self._paint_folds(painter, rects)
        for i, row, rect in seen:
            if i not in hidden:
                self._paint_ply(painter, rect, i, row)
        self._paint_margin(painter, seen)
        areas = self._column_rects()
        for column, area in zip(self.columns, areas, strict=True):
            paint_column_head(painter, column, area, 2)
            paint_column(painter, column, area, seen)
        self._paint_mark(painter, rects)
        self._paint_pointer(painter, areas)

    def _paint_ply(self, painter: QPainter, rect: QRectF, i: int, row: Row) -> None:
        """Draw a band: as it was drawn last while it is the same, anew for a saved picture."""
        chosen = i in self.selected
        if self.property(VECTOR):
            paint_band(painter, rect, i, row, selected=chosen)
            return
        ratio = self.devicePixelRatioF()
        size = (round(rect.width(), 2), round(rect.height(), 2))
        key = f"band {row} {i} {size} {chosen} {ratio} {theme.face().dark} {units.system()}"
        kept: QPixmap | None = QPixmapCache.find(key)
        if kept is None:
            kept = QPixmap(
                math.ceil((rect.width() + 2) * ratio), math.ceil((rect.height() + 2) * ratio)
            )
            kept.setDevicePixelRatio(ratio)
            kept.fill(Qt.GlobalColor.transparent)
            inner = QPainter(kept)
            inner.setRenderHint(QPainter.RenderHint.Antialiasing)
            paint_band(inner, QRectF(1, 1, rect.width(), rect.height()), i, row, selected=chosen)
            inner.end()
            QPixmapCache.insert(key, kept)
        painter.drawPixmap(QPointF(rect.left() - 1, rect.top() - 1), kept)

    def _paint_folds(self, painter: QPainter, rects: list[QRectF]) -> set[int]:
        """Draw sub-laminates: a brace in the margin, or one band; return the plies within."""
        hidden: set[int] = set()
        face = theme.face()
        for fold in self.folds:
            inside = range(fold.first, fold.first + fold.count)
            area = rects[inside[0]].united(rects[inside[-1]])
            brace = self._brace(area)
            painter.setPen(QPen(QColor(face.accent), 1.4))
            painter.drawLine(
                brace.topRight() - QPointF(3, -2), brace.bottomRight() - QPointF(3, 2)
            )
            painter.setFont(theme.font(8))
            painter.drawText(brace, Qt.AlignmentFlag.AlignCenter, "▸" if fold.folded else "▾")
            if not fold.folded:
                continue
            hidden |= set(inside)
            body = area.adjusted(0, 0.75, 0, -0.75)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(face.accent_wash))
            painter.drawRoundedRect(body, 2, 2)
            for i in inside:
                painter.fillRect(
                    QRectF(area.left(), rects[i].top(), 5, rects[i].height()),
                    row_colour(self.rows[i]),
                )
            painter.setPen(QColor(face.ink))
            painter.setFont(theme.strong(9))
            words = f"{fold.name}   {inside[0] + 1}–{inside[-1] + 1}"
            painter.drawText(body.adjusted(12, 0, -4, 0), Qt.AlignmentFlag.AlignVCenter, words)
            if self.selected & set(inside):
                painter.setPen(QPen(QColor(face.accent), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(area.adjusted(1, 1, -1, -1), 3, 3)
        return hidden

    def _brace(self, area: QRectF) -> QRectF:
        return QRectF(self.left - GUTTER, area.top(), GUTTER, area.height())

    def _paint_margin(self, painter: QPainter, seen: Sequence[tuple[int, Row, QRectF]]) -> None:
        face = theme.face()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(face.accent))
        for i, _, rect in seen:
            if i in self.remarks:
                at = QPointF(self.left - 7, rect.center().y())
                painter.drawEllipse(at, 2.6, 2.6)
        if self.before:
            self._paint_before(painter)

    def _paint_before(self, painter: QPainter) -> None:
        """Draw the baseline's plies beside those they equal; gone ones as slips between."""
        rects = self._rects()
        now = [(r.angle, r.material, r.thickness) for r in self.rows]
        then = [(r.angle, r.material, r.thickness) for r in self.before]
        matcher = SequenceMatcher(None, then, now, autojunk=False)
        for kind, a0, a1, b0, b1 in matcher.get_opcodes():
            for k, i in enumerate(range(a0, a1)):
                solid = row_colour(self.before[i])
                if kind == "equal" or (kind == "replace" and b0 + k < b1):
                    rect = rects[b0 + k]
                    area = QRectF(1, rect.top() + 0.75, STRIP - 9, rect.height() - 1.5)
                else:
                    foot = rects[b0 - 1].top() if b0 else float(self.height() - FOOT)
                    area = QRectF(1, foot - 2 - 4 * (a1 - i), STRIP - 9, 3)
                painter.fillRect(area, solid)
                if kind != "equal":
                    painter.setPen(QPen(theme.colour("ink"), 1))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawRect(area)
        painter.setPen(theme.colour("soft"))
        painter.setFont(theme.font(8))
        painter.drawText(QRectF(0, TOP - 20, STRIP, 16), 0, self.before_name)

    def _paint_mark(self, painter: QPainter, rects: list[QRectF]) -> None:
        if self.marked is None or self.marked >= len(rects):
            return
        painter.setPen(QPen(theme.colour("ink"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(rects[self.marked].adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)

    def _paint_pointer(self, painter: QPainter, areas: Sequence[QRectF]) -> None:
        if self._pointer is None or not self.columns:
            return
        ply = self.ply_at(self._pointer)
        if ply is None:
            return
        painter.setPen(QPen(theme.colour("ink"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(self.left, self._pointer), QPointF(self.width(), self._pointer))
        rect = self._rects()[ply]
        share = (rect.bottom() - self._pointer) / max(rect.height(), 1.0)
        for column, area in zip(self.columns, areas, strict=True):
            paint_reading(painter, column, area, QPointF(area.left(), self._pointer), (ply, share))

    # Pointer

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        ply = self.ply_at(at.y())
        if ply is None:
            return
        for k, fold in enumerate(self.folds):
            if at.x() < self.left and fold.first <= ply < fold.first + fold.count:
                self.fold_pressed.emit(k)
                return
        self.setFocus()
        for column, area in zip(self.columns, self._column_rects(), strict=True):
            if column.values.ndim == 1 and area.left() <= at.x() <= area.right():
                self.bar_pressed.emit(ply, column.key)
                return
        self.ply_pressed.emit(ply, event.modifiers())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._pointer = event.position().y()
            ply = self.ply_at(self._pointer)
            self.ply_hovered.emit(-1 if ply is None else ply)
            if self.columns:
                self.update()

    def leaveEvent(self, event: QEvent | None) -> None:
        self._pointer = None
        self.ply_hovered.emit(-1)
        self.update()

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            ply = self.ply_at(event.pos().y())
            words = "" if ply is None else self.remarks.get(ply, "")
            for column, area in zip(self.columns, self._column_rects(), strict=True):
                if area.left() <= event.pos().x() <= area.right():
                    words = meaning(column.title) or column.title
            QToolTip.showText(event.globalPos(), words, self, QRect())
            return True
        return super().event(event)


__all__ = ["Column", "Fold", "SectionPicture"]
