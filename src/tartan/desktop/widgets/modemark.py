"""The drawings of failure modes in the window."""

from __future__ import annotations

from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QApplication

from tartan.desktop import theme
from tartan.exchange.maps.modemarks import mark_of

BOX = 16.0


def paint_mode(painter: QPainter, area: QRectF, mode: str, colour: str) -> None:
    """Draw a mode as large as fits into an area."""
    size = min(area.width(), area.height()) / BOX
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(area.center().x() - BOX * size / 2, area.center().y() - BOX * size / 2)
    painter.scale(size, size)
    pen = QPen(QColor(colour), 1.35)
    pen.setCapStyle(Qt.PenCapStyle.RoundCap)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    painter.setPen(pen)
    mark = mark_of(mode)
    for line in mark.lines:
        painter.drawPolyline(QPolygonF([QPointF(*p) for p in line]))
    painter.setBrush(QColor(colour))
    painter.setPen(Qt.PenStyle.NoPen)
    for line in mark.solid:
        painter.drawPolygon(QPolygonF([QPointF(*p) for p in line]))
    painter.restore()


def mode_icon(mode: str) -> QIcon:
    """Drawing of a mode in the ink that is in force."""
    return _icon(mode, theme.face().ink, round(17 * theme.scale()))


@lru_cache(maxsize=256)
def _icon(mode: str, colour: str, size: int) -> QIcon:
    application = QApplication.instance()
    ratio = application.devicePixelRatio() if isinstance(application, QApplication) else 1.0
    picture = QPixmap(round(size * ratio), round(size * ratio))
    picture.setDevicePixelRatio(ratio)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    paint_mode(painter, QRectF(0, 0, size, size), mode, colour)
    painter.end()
    return QIcon(picture)
