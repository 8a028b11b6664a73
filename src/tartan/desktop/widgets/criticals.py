"""Critical loads as a picture: six components, both signs, one or two sets of criteria."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tartan.core.strength.critical import COMPONENTS, CriticalLoad
from tartan.desktop import theme
from tartan.desktop.widgets.fit import draw_fitted
from tartan.desktop.widgets.modemark import paint_mode
from tartan.desktop.widgets.picture import offer_saving
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

ROW, TOP = 42, 18


def quantity_of(component: str) -> Quantity:
    """Force or moment per length."""
    return units.LINE_FORCE if component.startswith("N") else units.LINE_MOMENT


class CriticalPicture(QWidget):
    """Bars to the left for −, to the right for +, each with its load, ply and mode."""

    opened = pyqtSignal(str, int)

    def __init__(self) -> None:
        super().__init__()
        self._sets: Sequence[Sequence[CriticalLoad]] = ()
        self._before: Sequence[CriticalLoad] = ()
        self._names: Sequence[str] = ()
        self.setFixedHeight(TOP + ROW * len(COMPONENTS) + 4)
        self.setMouseTracking(True)
        self.setToolTip("Click a bar for the working of its reserve factor")
        offer_saving(self, "critical loads")

    def put(
        self,
        sets: Sequence[Sequence[CriticalLoad]],
        names: Sequence[str] = (),
        before: Sequence[CriticalLoad] = (),
    ) -> None:
        """Show twelve loads by one or two sets, which are named; the baseline's as ticks."""
        self._sets, self._names, self._before = sets, names, before
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, self.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        line = int((event.position().y() - TOP) // ROW)
        if self._sets and 0 <= line < len(COMPONENTS):
            sign = 1 if event.position().x() > self.width() / 2 else -1
            self.opened.emit(COMPONENTS[line], sign)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        face = theme.face()
        half = self.width() / 2
        self._paint_key(painter)
        for line, component in enumerate(COMPONENTS):
            y = TOP + line * ROW
            painter.setFont(theme.strong(9.5))
            painter.setPen(QColor(face.ink))
            middle = QRectF(half - 20, y, 40, 18)
            painter.drawText(middle, Qt.AlignmentFlag.AlignCenter, component)
            for sign in (-1, 1):
                self._paint_side(painter, component, sign, y)

    def _paint_key(self, painter: QPainter) -> None:
        face, x = theme.face(), 0.0
        painter.setFont(theme.font(8.5))
        for name, ink in zip(self._names, (face.accent, face.stale), strict=False):
            painter.fillRect(QRectF(x, 5, 12, 6), QColor(ink))
            painter.setPen(QColor(face.soft))
            painter.drawText(QRectF(x + 16, 0, 120, 16), 0, name)
            x += 26 + painter.fontMetrics().horizontalAdvance(name)
        if self._before:
            painter.setPen(QPen(QColor(face.ink), 1.4))
            painter.drawLine(QPointF(x + 4, 2), QPointF(x + 4, 14))
            painter.setPen(QColor(face.soft))
            painter.drawText(QRectF(x + 12, 0, 90, 16), 0, "baseline")

    def _reach(self, component: str) -> float:
        """Load drawn as a full bar: the largest of the forces, or of the moments."""
        kind = component[0]
        sizes = [
            c.load
            for loads in self._sets
            for c in loads
            if c.component[0] == kind and np.isfinite(c.load)
        ]
        return max(sizes, default=1.0)

    def _paint_side(self, painter: QPainter, component: str, sign: int, y: float) -> None:
        face, half = theme.face(), self.width() / 2
        full, reach = half - 26, self._reach(component)
        for k, loads in enumerate(self._sets[:2]):
            found = next(c for c in loads if (c.component, c.sign) == (component, sign))
            share = min(1.0, found.load / reach)
            top, tall = (y + 19, 8.0) if k == 0 else (y + 28, 4.0)
            wide = max(2.0, share * full)
            left = half + 22 if sign > 0 else half - 22 - wide
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(face.accent if k == 0 else face.stale))
            painter.drawRoundedRect(QRectF(left, top, wide, tall), 2, 2)
            if k == 0:
                self._paint_words(painter, found, sign, y)
        for old in self._before:
            if (old.component, old.sign) == (component, sign) and np.isfinite(old.load):
                x = half + sign * (22 + min(1.0, old.load / reach) * full)
                painter.setPen(QPen(QColor(face.ink), 1.4))
                painter.drawLine(QPointF(x, y + 17), QPointF(x, y + 29))

    def _paint_words(self, painter: QPainter, found: CriticalLoad, sign: int, y: float) -> None:
        face, half = theme.face(), self.width() / 2
        side = Qt.AlignmentFlag.AlignRight if sign > 0 else Qt.AlignmentFlag.AlignLeft
        area = QRectF(half + 20, y, half - 20, 18) if sign > 0 else QRectF(0, y, half - 20, 18)
        value = units.show(found.load, quantity_of(found.component), digits=3)
        mark = QRectF(area.right() - 16, y + 1, 16, 16)
        if sign < 0:
            mark.moveLeft(area.left())
        paint_mode(painter, mark, found.mode, face.ink)
        area = area.adjusted(20, 0, 0, 0) if sign < 0 else area.adjusted(0, 0, -20, 0)
        painter.setPen(QColor(face.ink))
        draw_fitted(
            painter,
            area,
            side | Qt.AlignmentFlag.AlignVCenter,
            f"{value} · ply {found.ply + 1}",
            8.5,
        )
