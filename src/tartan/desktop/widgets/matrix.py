"""The stiffness matrix as a picture: magnitude by tint within each block, couplings in words."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QTextDocument
from PyQt6.QtWidgets import QWidget

from tartan.core.laminate.constants import COUPLES
from tartan.desktop import theme
from tartan.desktop.widgets.fit import draw_fitted
from tartan.desktop.widgets.picture import offer_saving
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

Array = NDArray[np.float64]

NEGLIGIBLE = 1e-6
"""Terms below this share of the direct terms they couple are drawn as zero."""

CELL_HEIGHT = 27
TALL = 3 * CELL_HEIGHT + 22
_SHEARS = {(0, 2), (1, 2), (2, 0), (2, 1)}
_COUPLING = {"A": _SHEARS, "D": _SHEARS, "B": {(i, j) for i in range(3) for j in range(3)}}
_BLOCKS = (("A", units.MEMBRANE, 0, 0), ("B", units.COUPLING, 0, 3), ("D", units.BENDING, 3, 3))


class MatrixPicture(QWidget):
    """A and B beside each other, D below B, and what the couplings do in words below A."""

    cell_pressed = pyqtSignal(str, int, int)

    def __init__(self) -> None:
        super().__init__()
        self._abd: Array | None = None
        self._before: Array | None = None
        self._words: Sequence[tuple[str, str]] = ()
        self.setMinimumSize(290, 2 * TALL)
        self.setMaximumHeight(2 * TALL)
        self.setToolTip("Click an entry for its working")
        offer_saving(self, "stiffness")

    def put(
        self, abd: Array | None, words: Sequence[tuple[str, str]] = (), before: Array | None = None
    ) -> None:
        """Show a stiffness, shape (6, 6) in SI, couplings in words, and the baseline's."""
        self._abd, self._words, self._before = abd, words, before
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, 2 * TALL)

    def _area(self, name: str) -> QRectF:
        wide = (self.width() - 14) / 2
        x, y = (0.0, 0.0) if name == "A" else (wide + 14, 0.0 if name == "B" else float(TALL))
        return QRectF(x, y, wide, TALL)

    def _cell(self, name: str, i: int, j: int) -> QRectF:
        area = self._area(name)
        wide = area.width() / 3
        return QRectF(
            area.left() + j * wide + 1,
            area.top() + 18 + i * CELL_HEIGHT + 1,
            wide - 2,
            CELL_HEIGHT - 2,
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._abd is None or event.button() != Qt.MouseButton.LeftButton:
            return
        for name, *_ in _BLOCKS:
            for i in range(3):
                for j in range(3):
                    if self._cell(name, i, j).contains(event.position()):
                        self.cell_pressed.emit(name, i, j)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self._abd is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        diagonal = np.sqrt(np.abs(np.diag(self._abd)))
        share = np.abs(self._abd) / np.outer(diagonal, diagonal)
        for name, quantity, row, column in _BLOCKS:
            part = (slice(row, row + 3), slice(column, column + 3))
            self._paint_block(painter, name, quantity, part, share[part])
        self._paint_words(painter)

    def _paint_block(
        self,
        painter: QPainter,
        name: str,
        quantity: Quantity,
        part: tuple[slice, slice],
        share: Array,
    ) -> None:
        assert self._abd is not None
        face, area = theme.face(), self._area(name)
        painter.setFont(theme.strong(9))
        painter.setPen(QColor(face.ink))
        painter.drawText(QRectF(area.left() + 2, area.top(), 20, 16), 0, name)
        painter.setFont(theme.font(8.5))
        painter.setPen(QColor(face.soft))
        painter.drawText(QRectF(area.left() + 16, area.top(), 80, 16), 0, quantity.unit)
        values = self._abd[part] / quantity.scale
        before = values if self._before is None else self._before[part] / quantity.scale
        largest = float(np.abs(values).max()) or 1.0
        for i in range(3):
            for j in range(3):
                live = share[i, j] > NEGLIGIBLE
                couples = share[i, j] > COUPLES and (i, j) in _COUPLING[name]
                ground = QColor(face.accent)
                ground.setAlphaF(0.06 + 0.42 * abs(values[i, j]) / largest if live else 0.0)
                painter.setBrush(ground)
                edge = QColor(face.fails) if couples else QColor(face.line)
                painter.setPen(QPen(edge, 1.4 if couples else 1))
                cell = self._cell(name, i, j)
                painter.drawRoundedRect(cell, 3, 3)
                text = units.number(float(values[i, j]), 3) if live else "0"
                change = float(values[i, j] - before[i, j])
                changed = abs(change) > 1e-6 * largest
                painter.setPen(QColor(face.ink if live else face.soft))
                upper = cell.adjusted(1, 0, -1, -9) if changed else cell.adjusted(1, 0, -1, 0)
                draw_fitted(painter, upper, Qt.AlignmentFlag.AlignCenter, text, 8.5)
                if changed:
                    painter.setPen(QColor(face.accent))
                    painter.setFont(theme.font(6.5))
                    sign = "+" if change > 0 else ""
                    painter.drawText(
                        cell.adjusted(0, 12, 0, 0),
                        Qt.AlignmentFlag.AlignCenter,
                        sign + units.number(change, 2),
                    )

    def _paint_words(self, painter: QPainter) -> None:
        face, area = theme.face(), self._area("A").translated(0, TALL + 4)
        text = QTextDocument()
        text.setDefaultFont(theme.font(8.5))
        text.setDocumentMargin(0)
        text.setTextWidth(area.width() - 6)
        text.setHtml(
            "<br>".join(
                f"<span style='color:{face.ink}'><b>{head}</b></span> "
                f"<span style='color:{face.soft}'>{words}</span>"
                for head, words in self._words
            )
        )
        painter.save()
        painter.translate(area.topLeft())
        text.drawContents(painter, QRectF(0, 0, area.width(), TALL))
        painter.restore()
