"""The route on the left edge: the stations of the work in order, with what each holds now."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tartan.desktop import theme
from tartan.desktop.widgets.ring import paint_ring
from tartan.pages.stations import STATIONS, StationLine

STEP, FIRST, WIDTH = 74, 12, 168


NARROW, LEAST_STEP = 138, 46.0
"""Width in a narrow window, and the least height of a station."""


class Route(QWidget):
    """Stations as beads on a thread; a click, or Alt and a digit, goes there."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._lines: dict[str, StationLine] = {}
        self._current = STATIONS[-1]
        self._hover = -1
        self.setFixedWidth(WIDTH)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Route")

    def put(self, lines: dict[str, StationLine], current: str) -> None:
        """Show other lines."""
        if (lines, current) == (self._lines, self._current):
            return
        self._lines, self._current = lines, current
        self.setToolTip("\n".join(f"Alt+{i}  {name}" for i, name in enumerate(STATIONS, 1)))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(WIDTH, FIRST + STEP * len(STATIONS))

    def station_rect(self, name: str) -> QRectF:
        """Where a station is drawn."""
        step = self._step
        return QRectF(
            8,
            self._first + step * STATIONS.index(name),
            self.width() - 8,
            step - min(10, step / 7),
        )

    @property
    def _step(self) -> float:
        """Height of a station; all of them stay in sight in a low window."""
        return max(LEAST_STEP, min(STEP, (self.height() - self._first) / len(STATIONS)))

    @property
    def _first(self) -> float:
        return FIRST if self.height() > STEP * len(STATIONS) + FIRST else 4

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self._paint_all(event)
        paint_ring(self, self.station_rect(self._current))

    def _paint_all(self, event: QPaintEvent | None) -> None:
        face = theme.face()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(face.panel))
        painter.setPen(QPen(QColor(face.line), 1))
        painter.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        x = 28.0
        top = self._first + 24
        bottom = top + self._step * (len(STATIONS) - 1)
        painter.setPen(QPen(QColor(face.line), 2))
        painter.drawLine(QPointF(x, top), QPointF(x, bottom))
        for i, name in enumerate(STATIONS):
            self._paint_station(painter, name, i == self._hover)

    def _paint_station(self, painter: QPainter, name: str, hover: bool) -> None:
        face = theme.face()
        area = self.station_rect(name)
        line = self._lines.get(name, StationLine("", "complete"))
        here = name == self._current
        if here or hover:
            painter.setPen(Qt.PenStyle.NoPen)
            wash = QColor(face.accent_wash)
            wash.setAlphaF(1.0 if here else 0.45)
            painter.setBrush(wash)
            painter.drawRoundedRect(area.adjusted(0, 0, 8, 0), 6, 6)
        center = QPointF(28, area.top() + 24)
        bead = {"complete": face.accent, "needs": face.fails, "stale": face.stale}[line.mark]
        painter.setPen(QPen(QColor(bead), 1.8))
        painter.setBrush(QColor(bead) if here else QColor(face.panel))
        painter.drawEllipse(center, 7, 7)
        _paint_mark(painter, center, line.mark, QColor(face.panel) if here else QColor(bead))
        painter.setPen(QColor(face.ink))
        painter.setFont(theme.strong(10))
        painter.drawText(QRectF(46, area.top() + 8, 118, 18), Qt.AlignmentFlag.AlignLeft, name)
        painter.setPen(QColor(face.soft))
        painter.setFont(theme.font(8.5))
        painter.drawText(
            QRectF(46, area.top() + 27, self.width() - 48, max(area.height() - 26, 15)),
            Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap,
            line.words if area.height() > 58 else line.words.replace("\n", " "),
        )

    def _station_at(self, y: float) -> int:
        index = int((y - self._first) // self._step)
        return index if 0 <= index < len(STATIONS) else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (index := self._station_at(event.position().y())) >= 0:
            self.chosen.emit(STATIONS[index])

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._hover = self._station_at(event.position().y())
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._hover = -1
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(
            Qt.Key(event.key()) if event else Qt.Key.Key_unknown
        )
        if step is None:
            super().keyPressEvent(event)
            return
        index = STATIONS.index(self._current) + step
        self.chosen.emit(STATIONS[max(0, min(len(STATIONS) - 1, index))])


def _paint_mark(painter: QPainter, at: QPointF, mark: str, ink: QColor) -> None:
    """A tick when complete, a stroke when something is needed, dots when stale."""
    painter.setPen(QPen(ink, 1.6))
    if mark == "complete":
        tick = [at + QPointF(-3, 0), at + QPointF(-0.8, 2.4), at + QPointF(3.2, -2.4)]
        painter.drawPolyline(QPolygonF(tick))
    elif mark == "needs":
        painter.drawLine(at + QPointF(0, -3.4), at + QPointF(0, 0.8))
        painter.drawPoint(at + QPointF(0, 3.2))
    else:
        for dx in (-3, 0, 3):
            painter.drawPoint(at + QPointF(dx, 0))
