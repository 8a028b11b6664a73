"""The legend of a map: a ramp with its unit, ticks, and the requirement as a line."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QBrush, QColor, QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tartan.desktop import theme
from tartan.desktop.margins.state import Map


class Legend(QWidget):
    """Stands at the left of the map."""

    def __init__(self) -> None:
        super().__init__()
        self._map: Map | None = None
        self._need_words = ""
        self._stale = False
        self.setFixedWidth(112)

    def put(self, shown: Map | None, need_words: str, *, stale: bool) -> None:
        """Show another map's ramp."""
        self._map, self._need_words, self._stale = shown, need_words, stale
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(112, 300)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._map is None:
            return
        face, shown = theme.face(), self._map
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.strong(9))
        painter.setPen(QColor(face.ink))
        painter.drawText(QRectF(0, 6, 112, 16), 0, shown.title)
        painter.setFont(theme.font(8))
        painter.setPen(QColor(face.soft))
        painter.drawText(QRectF(0, 23, 112, 28), Qt.TextFlag.TextWordWrap, shown.unit)
        top, height = 60.0, min(300.0, self.height() - 84.0)
        bar = QRectF(2, top, 15, height)
        image = QImage(1, len(shown.ramp), QImage.Format.Format_RGB888)
        for i, (r, g, b) in enumerate(shown.ramp[::-1].tolist()):
            image.setPixelColor(0, i, QColor(r, g, b))
        painter.drawImage(bar, image)
        if self._stale:
            painter.fillRect(bar, QBrush(QColor(face.panel), Qt.BrushStyle.BDiagPattern))
        painter.setFont(theme.font(8.5))
        for share, text in shown.ticks:
            y = bar.bottom() - share * height
            painter.drawText(QRectF(24, y - 8, 80, 16), Qt.AlignmentFlag.AlignVCenter, text)
        if shown.need is not None:
            y = bar.bottom() - shown.need * height
            painter.setPen(QPen(QColor(face.ink), 1.6))
            painter.drawLine(QPointF(0, y), QPointF(22, y))
            painter.setFont(theme.strong(8.5))
            painter.drawText(QRectF(26, y - 8, 86, 16), Qt.AlignmentFlag.AlignVCenter,
                             self._need_words)  # fmt: skip
