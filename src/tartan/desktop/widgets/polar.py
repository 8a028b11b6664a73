"""Stiffness over direction as a polar picture: x to the right, y up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tartan.core.laminate import Laminate
from tartan.core.laminate.polar import polar_moduli
from tartan.desktop import theme
from tartan.desktop.widgets.picture import offer_saving
from tartan.project.wording import units

Array = NDArray[np.float64]

DIRECTIONS = np.linspace(0, 2 * np.pi, 181)
_COS, _SIN = np.cos(DIRECTIONS), np.sin(DIRECTIONS)


@dataclass(frozen=True, eq=False)
class Curve:
    """A curve: its name, values over `DIRECTIONS` [Pa], ink and line."""

    name: str
    values: Array
    ink: str
    line: Qt.PenStyle = Qt.PenStyle.SolidLine


def laminate_curves(laminate: Laminate) -> list[Curve]:
    """Membrane and flexural E over the direction, and membrane G."""
    E, G = polar_moduli(laminate, DIRECTIONS)
    Ef, _ = polar_moduli(laminate, DIRECTIONS, bending=True)
    return [
        Curve("E membrane", E, "accent"),
        Curve("G membrane", G, "holds"),
        Curve("E flexural", Ef, "soft", Qt.PenStyle.DashLine),
    ]


OTHERS = (
    ("ink", Qt.PenStyle.DotLine),
    ("fails", Qt.PenStyle.SolidLine),
    ("holds", Qt.PenStyle.DashLine),
    ("accent", Qt.PenStyle.DotLine),
    ("fails", Qt.PenStyle.DashDotLine),
    ("ink", Qt.PenStyle.DashLine),
)
"""Ink and line of other laminates' curves, in turn."""


def other_curve(name: str, laminate: Laminate, number: int = 0) -> Curve:
    """Membrane E of another laminate, in ink and line of its own by its number."""
    ink, line = OTHERS[number % len(OTHERS)]
    return Curve(f"E {name}", polar_moduli(laminate, DIRECTIONS)[0], ink, line)


class PolarPicture(QWidget):
    """Curves round a centre, with rings at round values and a key at the left."""

    def __init__(self) -> None:
        super().__init__()
        self._curves: Sequence[Curve] = ()
        self.setMinimumHeight(196)
        offer_saving(self, "polar stiffness")

    def sizeHint(self) -> QSize:
        return QSize(300, 212)

    def put(self, curves: Sequence[Curve]) -> None:
        """Show curves; none clears."""
        self._curves = curves
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self._curves:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        face, scale = theme.face(), units.MODULUS.scale
        radius = min(self.height() - 26, self.width() - 130) / 2
        center = QPointF(self.width() - radius - 14, self.height() / 2)
        largest = max(float(c.values.max()) for c in self._curves) / scale
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
        for curve in reversed(self._curves):
            reach = radius * curve.values / scale / largest
            x, y = center.x() + reach * _COS, center.y() - reach * _SIN
            points = QPolygonF(
                [QPointF(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)]
            )
            painter.setPen(QPen(theme.colour(curve.ink), 1.8, curve.line))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(points)
        self._paint_key(painter)

    def _paint_key(self, painter: QPainter) -> None:
        painter.setFont(theme.font(8.5))
        scale = units.MODULUS.scale
        for i, curve in enumerate(self._curves):
            y = 12.0 + 32 * i
            if y > self.height() - 20:
                return
            painter.setPen(QPen(theme.colour(curve.ink), 2, curve.line))
            painter.drawLine(QPointF(0, y), QPointF(16, y))
            painter.setPen(theme.colour("ink"))
            name = painter.fontMetrics().elidedText(curve.name, Qt.TextElideMode.ElideRight, 96)
            painter.drawText(QRectF(21, y - 9, 100, 16), 0, name)
            painter.setPen(theme.colour("soft"))
            ends = (float(curve.values.min()) / scale, float(curve.values.max()) / scale)
            low, high = (units.number(v, 3) for v in ends)
            painter.drawText(QRectF(21, y + 6, 110, 16), 0, f"{low} … {high} {units.MODULUS.unit}")


def _round_step(largest: float) -> float:
    """Ring spacing of 1, 2 or 5 times a power of ten, for two to five rings."""
    power = 10.0 ** np.floor(np.log10(largest))
    return float(next(s * power for s in (5, 2, 1, 0.5, 0.2) if largest / (s * power) >= 2))
