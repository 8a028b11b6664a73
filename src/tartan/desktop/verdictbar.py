"""The verdict along the bottom: one sentence, coloured only by its meaning; a click leads on."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tartan.desktop import theme
from tartan.desktop.widgets.ring import paint_ring
from tartan.project.analysis.jobs import Progress
from tartan.project.findings.verdict import Verdict

HEIGHT = 42


class VerdictBar(QWidget):
    """One line, always true."""

    followed = pyqtSignal()
    cancel_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.verdict: Verdict | None = None
        self._progress: Progress | None = None
        self.setFixedHeight(HEIGHT)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def put(self, verdict: Verdict, progress: Progress | None) -> None:
        """Show another verdict or progress."""
        if (verdict, progress) == (self.verdict, self._progress):
            return
        self.verdict, self._progress = verdict, progress
        self.setToolTip(f"{verdict.figure}. {verdict.sentence}\nClick, or Ctrl+G: go to the spot")
        self.setAccessibleName(f"{verdict.figure}. {verdict.sentence}")
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, HEIGHT)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self._paint_all(event)
        paint_ring(self)

    def _paint_all(self, event: QPaintEvent | None) -> None:
        if self.verdict is None:
            return
        face = theme.face()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        state = self.verdict.state
        ink = {
            "holds": face.holds,
            "fails": face.fails,
            "stale": face.soft,
            "blocked": face.fails,
            "idle": face.soft,
        }[state]
        painter.fillRect(self.rect(), QColor(face.panel))
        painter.setPen(QPen(QColor(face.line), 1))
        painter.drawLine(0, 0, self.width(), 0)
        if state == "stale":
            # Hatched, so that staleness shows without colour too.
            painter.fillRect(
                QRectF(0, 1, self.width(), HEIGHT),
                QBrush(QColor(face.line), Qt.BrushStyle.BDiagPattern),
            )
            painter.fillRect(QRectF(6, 5, self.width() - 12, HEIGHT - 9), QColor(face.panel))
        painter.fillRect(QRectF(0, 1, 6, HEIGHT), QColor(face.stale if state == "stale" else ink))
        if self._progress is not None:
            width = self.width() * self._progress.share
            painter.fillRect(QRectF(0, 0, width, 3), QColor(face.accent))
        painter.setFont(theme.strong(10.5))
        painter.setPen(QColor(ink))
        wide = painter.fontMetrics().horizontalAdvance(self.verdict.figure)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.drawText(QRectF(20, 0, wide + 8, HEIGHT), middle, self.verdict.figure)
        right = self._paint_progress(painter)
        painter.setFont(theme.font(9.75))
        painter.setPen(QColor(face.ink))
        left = 20 + wide + 24
        room = QRectF(left, 0, right - left - 10, HEIGHT)
        text = painter.fontMetrics().elidedText(
            self.verdict.sentence, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, middle, text)

    def cancel_rect(self) -> QRectF:
        """Where the word cancel stands; empty when nothing runs."""
        if self._progress is None:
            return QRectF()
        return QRectF(self.width() - 70, 6, 60, HEIGHT - 12)

    def _paint_progress(self, painter: QPainter) -> float:
        """Draw progress and the cancel word at the right; return where they begin."""
        if self._progress is None:
            return float(self.width() - 10)
        face = theme.face()
        painter.setFont(theme.font(9))
        painter.setPen(QColor(face.soft))
        painter.drawText(
            QRectF(self.width() - 300, 0, 220, HEIGHT),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            self._progress.words,
        )
        painter.setFont(theme.strong(9))
        painter.setPen(QColor(face.accent))
        painter.drawText(self.cancel_rect(), Qt.AlignmentFlag.AlignCenter, "cancel")
        return float(self.width() - 310)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self.cancel_rect().contains(event.position()):
            self.cancel_asked.emit()
        else:
            self.followed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.followed.emit()
        else:
            super().keyPressEvent(event)
