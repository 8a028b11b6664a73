"""What drives a margin, and how the plies stand beside each other: two small pictures."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tartan.desktop import theme
from tartan.desktop.widgets.picture import offer_saving
from tartan.pages.margins import Driver
from tartan.project.wording import units

STEP, LEFT = 23, 152


class DriversPicture(QWidget):
    """Shares of the governing criterion as bars, those that relieve drawn hollow."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: Sequence[Driver] = ()
        self.faded = False
        offer_saving(self, "what drives it")
        self.setMinimumHeight(4 * STEP + 6)

    def put(self, lines: Sequence[Driver], *, faded: bool) -> None:
        """Show other shares."""
        self.lines, self.faded = lines, faded
        self.setMinimumHeight(max(4, len(lines)) * STEP + 6)
        self.setToolTip("\n".join(f"{d.words}: {d.share:.4g}" for d in lines))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(380, self.minimumHeight())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        face = theme.face()
        most = max((abs(d.share) for d in self.lines), default=1.0) or 1.0
        room = self.width() - LEFT - 62
        for i, each in enumerate(self.lines):
            y = i * STEP + 3.0
            painter.setFont(theme.font(9))
            painter.setPen(QColor(face.ink))
            painter.drawText(QRectF(0, y, LEFT - 6, 18), Qt.AlignmentFlag.AlignVCenter, each.words)
            bar = QRectF(LEFT, y + 1, max(2.0, room * abs(each.share) / max(most, 1.0)), 15)
            ink = QColor(face.stale if self.faded else face.accent)
            if not each.leads:
                ink.setAlphaF(0.5)
            relieves = each.share < 0
            painter.setPen(QPen(ink, 1.2) if relieves else Qt.PenStyle.NoPen)
            painter.setBrush(Qt.BrushStyle.NoBrush if relieves else ink)
            painter.drawRoundedRect(bar, 2, 2)
            painter.setPen(QColor(face.soft))
            text = f"{'−' if relieves else ''}{abs(each.share):.0%}"
            painter.drawText(
                QRectF(bar.right() + 7, y, 56, 18), Qt.AlignmentFlag.AlignVCenter, text
            )


class PlyBars(QWidget):
    """Reserve factor of every ply at its worst level, and the requirement as a line."""

    ply_pressed = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.reserve: NDArray[np.float64] = np.zeros(0)
        self.names: Sequence[str] = ()
        self.need = 1.0
        self.marked: int | None = None
        self.faded = False
        offer_saving(self, "by ply")
        self.setMinimumWidth(190)

    def put(
        self,
        reserve: NDArray[np.float64],
        names: Sequence[str],
        need: float,
        marked: int | None,
        *,
        faded: bool,
    ) -> None:
        """Show other plies."""
        self.reserve, self.names, self.need = reserve, names, need
        self.marked, self.faded = marked, faded
        self.setToolTip(
            "\n".join(
                f"ply {n}: {units.factor(float(r))}" for n, r in zip(names, reserve, strict=True)
            )
        )
        self.update()

    def rect_of(self, place: int) -> QRectF:
        """Where the bar of a ply stands, with its number."""
        step = (self.width() - 8) / max(len(self.reserve), 1)
        return QRectF(4 + place * step, 20, step, self.height() - 38)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        face = theme.face()
        painter.setFont(theme.font(8.5))
        painter.setPen(QColor(face.soft))
        painter.drawText(QRectF(4, 0, self.width(), 16), 0, "reserve factor by ply, worst level")
        top = 2.5 * self.need
        count = len(self.reserve)
        every = max(1, round(count / max(1, (self.width() - 8) / 17)))
        for i, value in enumerate(self.reserve):
            area = self.rect_of(i)
            high = area.height() * min(float(value), top) / top
            gap = min(2.0, area.width() * 0.15)
            bar = QRectF(area.left() + gap, area.bottom() - high, area.width() - 2 * gap, high)
            ink = QColor(
                face.stale if self.faded else face.fails if value < self.need else face.holds
            )
            painter.setPen(QPen(QColor(face.ink), 1.6) if i == self.marked else Qt.PenStyle.NoPen)
            painter.setBrush(ink)
            painter.drawRect(bar)
            near = self.marked is not None and 0 < abs(i - self.marked) <= every / 2
            if (i % every == 0 and not near) or i == self.marked:
                painter.setPen(QColor(face.ink if i == self.marked else face.soft))
                painter.drawText(
                    QRectF(area.center().x() - 14, area.bottom() + 2, 28, 14),
                    Qt.AlignmentFlag.AlignHCenter,
                    self.names[i],
                )
        if count:
            area = self.rect_of(0)
            y = area.bottom() - area.height() / 2.5
            painter.setPen(QPen(QColor(face.accent), 1.2, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(0, y), QPointF(self.width(), y))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            for i in range(len(self.reserve)):
                if self.rect_of(i).adjusted(0, 0, 0, 18).contains(event.position()):
                    self.ply_pressed.emit(i)
