"""Words drawn so that they fit their place: smaller type first, then shortened."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFont, QPainter

from tartan.desktop import theme

LEAST = 6.5
"""Smallest type [pt]."""


def draw_fitted(
    painter: QPainter,
    area: QRectF,
    flags: Qt.AlignmentFlag,
    text: str,
    size: float,
    *,
    strong: bool = False,
) -> None:
    """Draw a line of text within an area in the largest type that fits, up to a size [pt]."""
    weight = QFont.Weight.DemiBold if strong else QFont.Weight.Normal
    while True:
        painter.setFont(theme.font(size, weight))
        if painter.fontMetrics().horizontalAdvance(text) <= area.width() or size <= LEAST:
            break
        size = max(LEAST, size - 0.5)
    shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(area.width()))
    painter.drawText(area, flags, shown)
