"""The legend of a map: a ramp with its unit, ticks, and the requirement as a line."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tartan.desktop import theme
from tartan.desktop.widgets.fit import draw_fitted
from tartan.desktop.widgets.modemark import paint_mode
from tartan.exchange.maps.mapped import Map
from tartan.exchange.maps.modemarks import MARKS


class Legend(QWidget):
    """Stands at the left of the map; a click or Enter asks for another range of its colours."""

    clicked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self._map: Map | None = None
        self._need_words = ""
        self._stale = False
        self.setFixedWidth(112)
        self.setAccessibleName("Legend")
        self.setToolTip("Click for a range of your own")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def put(self, shown: Map | None, need_words: str, *, stale: bool) -> None:
        """Show another map's ramp."""
        self._map, self._need_words, self._stale = shown, need_words, stale
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.clicked.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        keys = (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space)
        if event is not None and event.key() in keys:
            self.clicked.emit()
        else:
            super().keyPressEvent(event)

    def sizeHint(self) -> QSize:
        return QSize(112, 300)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._map is None:
            return
        face, shown = theme.face(), self._map
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.hasFocus():
            painter.setPen(QPen(QColor(face.accent), 1))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -6.5, -0.5), 3, 3)
        painter.setFont(theme.strong(9))
        painter.setPen(QColor(face.ink))
        painter.drawText(QRectF(0, 4, 112, 30), Qt.TextFlag.TextWordWrap, shown.title)
        painter.setFont(theme.font(8))
        painter.setPen(QColor(face.soft))
        painter.drawText(QRectF(0, 34, 112, 42), Qt.TextFlag.TextWordWrap, shown.unit)
        if shown.names:
            self._paint_names(painter, shown)
            return
        top, height = 84.0, min(300.0, self.height() - 104.0)
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
            painter.drawText(
                QRectF(26, y - 8, 86, 16), Qt.AlignmentFlag.AlignVCenter, self._need_words
            )

    def _paint_names(self, painter: QPainter, shown: Map) -> None:
        """Names with their colours and shares of the area, as many as there is room for."""
        face = theme.face()
        room = max(1, int((self.height() - 90) // 31))
        names = shown.names if len(shown.names) <= room else shown.names[: room - 1]
        for i, (name, rgb, share) in enumerate(names):
            y = 82.0 + 31 * i
            painter.fillRect(QRectF(0, y + 2, 11, 11), QColor(*rgb))
            left = 17.0
            if name in MARKS:
                paint_mode(painter, QRectF(15, y, 15, 15), name, face.ink)
                left = 33.0
            painter.setPen(QColor(face.ink))
            draw_fitted(
                painter, QRectF(left, y, 111 - left, 15), Qt.AlignmentFlag.AlignVCenter, name, 8.5
            )
            painter.setFont(theme.font(8))
            painter.setPen(QColor(face.soft))
            painter.drawText(
                QRectF(17, y + 14, 95, 14), Qt.AlignmentFlag.AlignVCenter, f"{share:.1%}"
            )
        if len(names) < len(shown.names):
            rest = shown.names[len(names) :]
            painter.setPen(QColor(face.soft))
            text = f"{len(rest)} more, {sum(r[2] for r in rest):.1%}"
            painter.drawText(QRectF(17, 82.0 + 31 * len(names), 95, 15), 0, text)
