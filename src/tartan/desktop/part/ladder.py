"""The lay-up as a ladder: the first-laid rung at its foot; keys and drags edit it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tartan.core.materials import ISOTROPIC
from tartan.desktop import theme
from tartan.desktop.widgets.bands import paint_swatch
from tartan.desktop.widgets.ring import paint_ring
from tartan.exchange.maps import colours
from tartan.pages.part import LadderRow

TALL, GAP = 27, 4
DRAG = 6


class Ladder(QWidget):
    """Rungs in laying order.

    Signals tell the chosen rungs, where chosen ones were dropped, and the keys that act.
    """

    chosen_changed = pyqtSignal(tuple)
    dropped = pyqtSignal(int)
    pointed = pyqtSignal(int)
    asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.rows: Sequence[LadderRow] = ()
        self.chosen: tuple[int, ...] = ()
        self._press: QPointF | None = None
        self._drop: int | None = None
        self._anchor = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Lay-up")

    def put(self, rows: Sequence[LadderRow], chosen: tuple[int, ...]) -> None:
        """Show other rungs."""
        self.rows, self.chosen = rows, chosen
        self.setMinimumHeight(max(1, len(rows)) * (TALL + GAP) + GAP)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(270, self.minimumHeight())

    def rect_of(self, rung: int) -> QRectF:
        """Place of a rung, from 0."""
        from_top = len(self.rows) - 1 - rung
        return QRectF(1, GAP + from_top * (TALL + GAP), self.width() - 2, TALL)

    def rung_at(self, y: float) -> int | None:
        """Rung at a height."""
        slot = int((y - GAP / 2) // (TALL + GAP))
        rung = len(self.rows) - 1 - slot
        return rung if 0 <= rung < len(self.rows) else None

    def _slot_at(self, y: float) -> int:
        """Gap between rungs at a height, counted from the foot."""
        place = len(self.rows) - (y - GAP / 2) / (TALL + GAP)
        return max(0, min(len(self.rows), round(place)))

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self._paint_all(event)
        paint_ring(self)

    def _paint_all(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.rows:
            painter.setPen(theme.colour("soft"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "nothing laid yet")
        for row in self.rows:
            self._paint(painter, row)
        if self._drop is not None:
            y = GAP / 2 + (len(self.rows) - self._drop) * (TALL + GAP)
            painter.setPen(QPen(theme.colour("accent"), 3))
            painter.drawLine(QPointF(2, y), QPointF(self.width() - 2, y))

    def _paint(self, painter: QPainter, row: LadderRow) -> None:
        face, rect = theme.face(), self.rect_of(row.rung)
        painter.setOpacity(1.0 if row.active else 0.42)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(_ground(row)))
        whole = row.region == "all"
        painter.setBrush(QColor(face.panel))
        painter.drawRoundedRect(rect, 2, 2)
        body = QRectF(rect.left() + (5 if whole else 118), rect.top(), 0, rect.height())
        body.setRight(rect.right() if whole else rect.right() - 54)
        painter.setBrush(QColor(_ground(row)))
        painter.drawRoundedRect(body, 2, 2)
        strip = QRectF(rect.left(), rect.top(), 6, rect.height())
        if len(row.rows) == 1:
            painter.fillRect(strip, QColor(_solid(row)))
        elif row.rows:
            paint_swatch(
                painter, QRectF(rect.left(), rect.top() + 2, 24, rect.height() - 4), row.rows
            )
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.font(8.5))
        painter.setPen(QColor(face.soft))
        number = "–".join(dict.fromkeys(map(str, row.numbers))) or "off"
        left = rect.left() + (12 if len(row.rows) == 1 else 30)
        painter.drawText(QRectF(left, rect.top(), 34, TALL), middle, number)
        painter.setPen(QColor(face.ink))
        painter.setFont(theme.strong(9.5))
        title = QRectF(left + 34, rect.top(), 110 if whole or len(row.rows) != 1 else 50, TALL)
        text = painter.fontMetrics().elidedText(
            row.title, Qt.TextElideMode.ElideRight, int(title.width())
        )
        painter.drawText(title, middle, text)
        painter.setFont(theme.font(9))
        region = QRectF(rect.left() + 124, rect.top(), rect.width() - 184, TALL)
        if len(row.rows) != 1:
            region.setLeft(rect.left() + 176)
        painter.drawText(
            region,
            middle,
            painter.fontMetrics().elidedText(
                row.place, Qt.TextElideMode.ElideRight, int(region.width())
            ),
        )
        painter.setPen(QColor(face.soft))
        painter.drawText(
            rect.adjusted(0, 0, -8, 0), middle | Qt.AlignmentFlag.AlignRight, row.thickness
        )
        painter.setOpacity(1.0)
        if row.rung in self.chosen:
            painter.setPen(QPen(QColor(face.accent), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(rect.adjusted(1, 0, -1, 0), 3, 3)

    # Acting

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        rung = self.rung_at(event.position().y())
        if rung is None:
            return
        self._press = event.position()
        keys = event.modifiers()
        if keys & Qt.KeyboardModifier.ControlModifier:
            chosen = set(self.chosen) ^ {rung}
        elif keys & Qt.KeyboardModifier.ShiftModifier:
            chosen = set(range(min(self._anchor, rung), max(self._anchor, rung) + 1))
        elif rung in self.chosen:
            return
        else:
            chosen, self._anchor = {rung}, rung
        self.chosen_changed.emit(tuple(sorted(chosen)))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        rung = self.rung_at(event.position().y())
        self.pointed.emit(-1 if rung is None else rung)
        if self._press is None or not self.chosen:
            return
        if abs(event.position().y() - self._press.y()) > DRAG or self._drop is not None:
            self._drop = self._slot_at(event.position().y())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        drop, self._drop = self._drop, None
        pressed, self._press = self._press, None
        self.update()
        if drop is not None:
            self.dropped.emit(drop)
        elif event is not None and pressed is not None and not event.modifiers():
            rung = self.rung_at(event.position().y())
            if rung is not None and self.chosen != (rung,):
                self._anchor = rung
                self.chosen_changed.emit((rung,))

    def leaveEvent(self, event: object) -> None:
        self.pointed.emit(-1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() == Qt.Key.Key_Escape and self._drop is not None:
            self._drop = self._press = None
            self.update()
            return
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        if step is not None and self.rows:
            at = max(0, min(len(self.rows) - 1, (self.chosen[-1] if self.chosen else -1) + step))
            self._anchor = at
            self.chosen_changed.emit((at,))
            return
        word = {
            Qt.Key.Key_Delete: "remove",
            Qt.Key.Key_Return: "add",
            Qt.Key.Key_Space: "off",
            Qt.Key.Key_Enter: "add",
        }.get(Qt.Key(event.key()))
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            word = {
                Qt.Key.Key_C: "copy",
                Qt.Key.Key_V: "paste",
                Qt.Key.Key_D: "double",
                Qt.Key.Key_M: "mirror",
                Qt.Key.Key_A: "all",
            }.get(Qt.Key(event.key()))
        if word is None:
            super().keyPressEvent(event)
        else:
            self.asked.emit(word)


def _solid(row: LadderRow) -> str:
    first = row.rows[0]
    if first.kind in ("core", *ISOTROPIC):
        return "#c9bda3"
    return colours.ply_solid(first.angle)


def _ground(row: LadderRow) -> str:
    face = theme.face()
    if len(row.rows) != 1 or row.rows[0].kind in ("core", *ISOTROPIC):
        return "#4a463d" if face.dark else "#ebe5d8"
    return colours.ply_band(row.rows[0].angle, dark=face.dark)
