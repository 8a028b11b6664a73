"""The program's mark."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from tartan.desktop import theme


class Weave(QWidget):
    """The program's mark: coloured threads."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(QSize(34, 22))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        threads = ("#7c4d8b", "#5b9bd5", "#c8501e", "#1b7f79", "#cfa14a")
        for i, thread in enumerate(threads):
            ink = QColor(thread)
            painter.fillRect(3 + i * 6, 3, 4, 16, ink)
        ink = QColor(theme.face().panel)
        ink.setAlphaF(0.75)
        for j in (7, 13):
            painter.fillRect(2, j, 31, 2, ink)
