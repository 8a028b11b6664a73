"""The stiffness matrix as a picture: magnitude by tint within each block, couplings marked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tartan.core.laminate.constants import COUPLES
from tartan.desktop import theme
from tartan.project import units

Array = NDArray[np.float64]

NEGLIGIBLE = 1e-6
"""Terms below this share of the direct terms they couple are drawn as zero."""

CELL_HEIGHT = 27
_COUPLING = {"A": {(0, 2), (1, 2), (2, 0), (2, 1)}, "D": {(0, 2), (1, 2), (2, 0), (2, 1)},
             "B": {(i, j) for i in range(3) for j in range(3)}}  # fmt: skip


class MatrixPicture(QWidget):
    """A, B and D: A and B beside each other, D below B's place on its diagonal."""

    def __init__(self) -> None:
        super().__init__()
        self._abd: Array | None = None
        self.setMinimumSize(290, 2 * (3 * CELL_HEIGHT + 26))

    def put(self, abd: Array | None) -> None:
        """Show a stiffness, shape (6, 6) in SI; None clears."""
        self._abd = abd
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, 2 * (3 * CELL_HEIGHT + 26))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._abd is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        wide = (self.width() - 14) / 2
        tall = 3 * CELL_HEIGHT + 26
        diagonal = np.sqrt(np.abs(np.diag(self._abd)))
        scale = np.outer(diagonal, diagonal)
        for name, unit, factor, rows, columns, x, y in (
            ("A", "kN/mm", 1e6, 0, 0, 0.0, 0),
            ("B", "kN", 1e3, 0, 3, wide + 14, 0),
            ("B", "kN", 1e3, 3, 0, 0.0, tall),
            ("D", "N·m", 1.0, 3, 3, wide + 14, tall),
        ):
            block = self._abd[rows : rows + 3, columns : columns + 3]
            share = np.abs(block) / scale[rows : rows + 3, columns : columns + 3]
            area = QRectF(x, y, wide, tall)
            self._paint_block(painter, (name, unit), block / factor, share, area)

    def _paint_block(self, painter: QPainter, title: tuple[str, str], values: Array,
                     share: Array, area: QRectF) -> None:  # fmt: skip
        face = theme.face()
        painter.setFont(theme.strong(9))
        painter.setPen(QColor(face.ink))
        painter.drawText(QRectF(area.left() + 2, area.top(), 20, 16), 0, title[0])
        painter.setFont(theme.font(8.5))
        painter.setPen(QColor(face.soft))
        painter.drawText(QRectF(area.left() + 16, area.top(), 80, 16), 0, title[1])
        largest = float(np.abs(values).max()) or 1.0
        wide = area.width() / 3
        tint = QColor(face.accent)
        for i in range(3):
            for j in range(3):
                cell = QRectF(area.left() + j * wide + 1, area.top() + 18 + i * CELL_HEIGHT + 1,
                              wide - 2, CELL_HEIGHT - 2)  # fmt: skip
                live = share[i, j] > NEGLIGIBLE
                couples = share[i, j] > COUPLES and (i, j) in _COUPLING[title[0]]
                ground = QColor(tint)
                ground.setAlphaF(0.06 + 0.42 * abs(values[i, j]) / largest if live else 0.0)
                painter.setBrush(ground)
                edge = QColor(face.fails) if couples else QColor(face.line)
                painter.setPen(QPen(edge, 1.4 if couples else 1))
                painter.drawRoundedRect(cell, 3, 3)
                painter.setPen(QColor(face.ink if live else face.soft))
                painter.setFont(theme.font(8.5))
                text = units.number(float(values[i, j]), 3) if live else "0"
                painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, text)
