"""A list of cards: a name, a line of words, and perhaps the swatch of a stack."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QModelIndex, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPainterPath
from PyQt6.QtWidgets import (
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
)

from tartan.desktop import theme
from tartan.desktop.widgets.bands import paint_swatch
from tartan.pages.shown import Card


class _CardPainter(QStyledItemDelegate):
    """Draws a card."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        card: Card = index.data(Qt.ItemDataRole.UserRole)
        return QSize(120, 98 if card.rows is not None else 48)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        if painter is None:
            return
        card: Card = index.data(Qt.ItemDataRole.UserRole)
        face = theme.face()
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(option.rect).adjusted(1, 2, -1, -2)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(face.accent_wash))
            painter.drawRoundedRect(area, 5, 5)
        y = area.top() + 6
        if card.rows is not None:
            swatch = QRectF(area.left() + 10, y + 2, area.width() - 20, 42)
            path = QPainterPath()
            path.addRoundedRect(swatch, 2, 2)
            painter.setClipPath(path)
            paint_swatch(painter, swatch, card.rows)
            painter.setClipping(False)
            y += 48
        inner = area.adjusted(10, 0, -8, 0)
        painter.setPen(QColor(face.ink))
        painter.setFont(theme.strong(9.5))
        name = painter.fontMetrics().elidedText(
            card.name, Qt.TextElideMode.ElideRight, int(inner.width())
        )
        painter.drawText(
            QRectF(inner.left(), y, inner.width(), 17), Qt.AlignmentFlag.AlignLeft, name
        )
        painter.setFont(theme.font(8.5))
        painter.setPen(QColor(face.fails if card.fault else face.soft))
        mark = painter.fontMetrics().horizontalAdvance(card.mark) + 6 if card.mark else 0
        words = painter.fontMetrics().elidedText(
            card.words, Qt.TextElideMode.ElideRight, int(inner.width() - mark)
        )
        below = QRectF(inner.left(), y + 18, inner.width(), 16)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, words)
        painter.setPen(QColor(face.accent))
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, card.mark)
        painter.restore()


class CardList(QListWidget):
    """Cards below each other; `chosen` tells the name the user picked."""

    chosen = pyqtSignal(str)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.setItemDelegate(_CardPainter(self))
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        viewport = self.viewport()
        if viewport is not None:
            viewport.setAutoFillBackground(False)
        self.currentItemChanged.connect(self._tell)

    def put(self, cards: Sequence[Card], chosen: str) -> None:
        """Show cards without telling of a choice."""
        self.blockSignals(True)
        while self.count() > len(cards):
            self.takeItem(self.count() - 1)
        for i, card in enumerate(cards):
            item = self.item(i)
            if item is None:
                item = QListWidgetItem()
                self.addItem(item)
            if item.data(Qt.ItemDataRole.UserRole) != card:
                item.setData(Qt.ItemDataRole.UserRole, card)
                item.setToolTip(f"{card.name}\n{card.words}")
                said = ", ".join(x for x in (card.name, card.words, card.mark) if x)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, said)
            if card.name == chosen:
                self.setCurrentItem(item)
        self.blockSignals(False)

    def _tell(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole).name)
