"""Stiffness over direction as a polar picture: x to the right, y up."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tartan.core.laminate import Laminate
from tartan.core.laminate.polar import polar_moduli
from tartan.desktop import theme
from tartan.project import units

Array = NDArray[np.float64]

DIRECTIONS = np.linspace(0, 2 * np.pi, 181)


class PolarPicture(QWidget):
    """Membrane and flexural E over the direction, and membrane G."""

    def __init__(self) -> None:
        super().__init__()
        self._curves: list[tuple[str, Array, str, Qt.PenStyle]] = []
        self.setMinimumHeight(196)

    def sizeHint(self) -> QSize:
        return QSize(300, 212)

    def put(self, laminate: Laminate | None) -> None:
        """Show a laminate; None clears."""
        self._curves = []
        if laminate is not None:
            E, G = polar_moduli(laminate, DIRECTIONS)
            Ef, _ = polar_moduli(laminate, DIRECTIONS, bending=True)
            self._curves = [
                ("E flexural", Ef / 1e9, "soft", Qt.PenStyle.DashLine),
                ("G membrane", G / 1e9, "holds", Qt.PenStyle.SolidLine),
                ("E membrane", E / 1e9, "accent", Qt.PenStyle.SolidLine),
            ]
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self._curves:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        face = theme.face()
        radius = min(self.height() - 26, self.width() - 130) / 2
        center = QPointF(self.width() - radius - 14, self.height() / 2)
        largest = max(float(values.max()) for _, values, _, _ in self._curves)
        step = _round_step(largest)
        painter.setFont(theme.font(7.5))
        for ring in np.arange(step, largest * 1.001, step):
            r = radius * ring / largest
            painter.setPen(QPen(QColor(face.line), 1))
            painter.drawEllipse(center, r, r)
            painter.setPen(QColor(face.soft))
            painter.drawText(center + QPointF(3, -r - 1), units.number(float(ring)))
        painter.setPen(QPen(QColor(face.line), 1))
        painter.drawLine(center - QPointF(radius, 0), center + QPointF(radius, 0))
        painter.drawLine(center - QPointF(0, radius), center + QPointF(0, radius))
        painter.setPen(QColor(face.soft))
        painter.drawText(center + QPointF(radius + 3, 4), "x")
        for _, values, ink, line in self._curves:
            reach = radius * values / largest
            points = [center + QPointF(r * np.cos(a), -r * np.sin(a))
                      for r, a in zip(reach, DIRECTIONS, strict=True)]  # fmt: skip
            painter.setPen(QPen(theme.colour(ink), 1.8, line))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(QPolygonF(points))
        self._paint_key(painter)

    def _paint_key(self, painter: QPainter) -> None:
        painter.setFont(theme.font(8.5))
        for i, (name, values, ink, line) in enumerate(reversed(self._curves)):
            y = 16.0 + 34 * i
            painter.setPen(QPen(theme.colour(ink), 2, line))
            painter.drawLine(QPointF(0, y), QPointF(16, y))
            painter.setPen(theme.colour("ink"))
            painter.drawText(QRectF(21, y - 9, 90, 16), 0, name)
            painter.setPen(theme.colour("soft"))
            low, high = (units.number(float(v), 3) for v in (values.min(), values.max()))
            painter.drawText(QRectF(21, y + 6, 100, 16), 0, f"{low} … {high} GPa")


def _round_step(largest: float) -> float:
    """Ring spacing of 1, 2 or 5 times a power of ten, for two to five rings."""
    power = 10.0 ** np.floor(np.log10(largest))
    return float(next(s * power for s in (5, 2, 1, 0.5, 0.2) if largest / (s * power) >= 2))
