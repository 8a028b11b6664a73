"""The ring round a painted widget that has the keyboard."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QWidget

from tartan.desktop import theme


def paint_ring(widget: QWidget, area: QRectF | None = None) -> None:
    """Draw the ring over what a widget has painted; call it at the end of its painting.

    Parameters
    ----------
    widget : QWidget
        Drawn round only while it has the keyboard.
    area : QRectF, optional
        The part of it that the keys act on; all of it when left out.
    """
    if not widget.hasFocus():
        return
    place = (QRectF(widget.rect()) if area is None else area).adjusted(1, 1, -1, -1)
    painter = QPainter(widget)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.colour("accent"), 1.5))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(place, 4, 4)
    painter.end()
