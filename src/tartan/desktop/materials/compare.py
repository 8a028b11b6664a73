"""The material among the others: a dot for each on a logarithmic line a property."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tartan.core.materials import Material
from tartan.desktop import theme
from tartan.desktop.widgets.picture import offer_saving
from tartan.project.wording import units
from tartan.project.wording.document_words import QUANTITIES, SYMBOLS

FIELDS = ("E1", "E2", "G12", "Xt", "Xc", "Yt", "Yc", "S12")
STEP, TOP = 23, 24


class ComparePicture(QWidget):
    """Properties below each other; the chosen material is solid and named by its value."""

    def __init__(self) -> None:
        super().__init__()
        self._materials: Sequence[Material] = ()
        self._chosen = ""
        self._other = ""
        offer_saving(self, "materials")
        self.setFixedHeight(TOP + STEP * len(FIELDS) + 6)

    def put(self, materials: Sequence[Material], chosen: str, other: str = "") -> None:
        """Show all materials, one of them chosen, another compared with it."""
        self._materials, self._chosen, self._other = materials, chosen, other
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(400, self.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        face = theme.face()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.strong(9.5))
        painter.setPen(QColor(face.ink))
        painter.drawText(QRectF(0, 0, 300, 18), 0, "Among the project's materials")
        for i, field in enumerate(FIELDS):
            self._paint_line(painter, field, TOP + i * STEP + STEP / 2)

    def _paint_line(self, painter: QPainter, field: str, y: float) -> None:
        face = theme.face()
        quantity = QUANTITIES[field]
        values = {m.name: v for m in self._materials if (v := getattr(m, field))}
        painter.setFont(theme.font(9))
        painter.setPen(QColor(face.soft))
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(0, y - 10, 40, 20), middle, SYMBOLS[field])
        left, right = 44.0, self.width() - 100.0
        painter.setPen(QPen(QColor(face.line), 1))
        painter.drawLine(QPointF(left, y), QPointF(right, y))
        if not values:
            return
        low, high = math.log(min(values.values())), math.log(max(values.values()))
        span = max(high - low, 0.2)
        for name, value in sorted(values.items(), key=lambda kv: kv[0] == self._chosen):
            x = left + 8 + (math.log(value) - low) / span * (right - left - 16)
            here = name == self._chosen
            painter.setPen(QPen(QColor(face.accent if here else face.soft), 1.4))
            ground = face.accent if here else face.soft if name == self._other else face.panel
            painter.setBrush(QColor(ground))
            painter.drawEllipse(QPointF(x, y), 5.0 if here else 3.6, 5.0 if here else 3.6)
        mine = values.get(self._chosen)
        painter.setPen(QColor(face.ink))
        text = units.show(mine, quantity)
        painter.drawText(
            QRectF(right + 8, y - 10, 92, 20), middle | Qt.AlignmentFlag.AlignRight, text
        )
