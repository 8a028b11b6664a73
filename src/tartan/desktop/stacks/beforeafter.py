"""Two stacks side by side: plies as bands, and a line from where each lay to where it lies."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QHelpEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from tartan.desktop import theme
from tartan.desktop.widgets.bands import paint_slim
from tartan.desktop.widgets.picture import offer_saving
from tartan.pages.shown import Row
from tartan.project.findings.order_words import Moved
from tartan.project.wording import units

HEAD, BAND, MOST = 18, 13, 420
"""Height of the head, of a band, and of the whole at most [pixels]."""

BETWEEN = 0.2
"""Share of the width that is left for the lines."""


class BeforeAfter(QWidget):
    """Bands of equal height, laying side up."""

    def __init__(self) -> None:
        super().__init__()
        self.before: Sequence[Row] = ()
        self.after: Sequence[Row] = ()
        self.moves: Sequence[Moved] = ()
        self.setMinimumHeight(80)
        self.setAccessibleName("before and after")
        offer_saving(self, "before and after")

    def put(self, before: Sequence[Row], after: Sequence[Row], moves: Sequence[Moved]) -> None:
        """Show two stacks and which ply of the one is which of the other."""
        self.before, self.after, self.moves = before, after, moves
        count = max(len(before), len(after), 1)
        self.setFixedHeight(int(min(HEAD + count * BAND + 4, MOST)))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(300, self.minimumHeight())

    def _band(self, ply: int, count: int, *, right: bool) -> QRectF:
        wide = self.width() * (1 - BETWEEN) / 2
        high = (self.height() - HEAD - 2) / max(count, 1)
        left = self.width() - wide if right else 0.0
        return QRectF(left, HEAD + (count - 1 - ply) * high, wide, high)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(8.5))
        painter.setPen(theme.colour("soft"))
        for right, words in ((False, "before"), (True, "after")):
            place = self._band(0, 1, right=right)
            painter.drawText(
                QRectF(place.left(), 0, place.width(), HEAD), Qt.AlignmentFlag.AlignLeft, words
            )
        for rows, right in ((self.before, False), (self.after, True)):
            for i, one in enumerate(rows):
                paint_slim(painter, self._band(i, len(rows), right=right), one)
        for move in self.moves:
            start = self._band(move.before, len(self.before), right=False)
            end = self._band(move.after, len(self.after), right=True)
            stays = move.before == move.after
            pen = QPen(theme.colour("line" if stays else "accent"), 1.0 if stays else 1.4)
            painter.setPen(pen)
            painter.drawLine(
                QPointF(start.right() + 2, start.center().y()),
                QPointF(end.left() - 2, end.center().y()),
            )

    def event(self, event: object) -> bool:
        if isinstance(event, QHelpEvent):
            QToolTip.showText(event.globalPos(), self.said_at(QPointF(event.pos())), self)
            return True
        return super().event(event)  # type: ignore[arg-type]

    def said_at(self, at: QPointF) -> str:
        """Words on the ply at a place; empty where there is none."""
        for rows, right, name in ((self.before, False, "before"), (self.after, True, "after")):
            for i, one in enumerate(rows):
                if self._band(i, len(rows), right=right).contains(at):
                    thick = units.show(one.thickness, units.LENGTH)
                    angle = units.number(one.angle)
                    return f"{name}: ply {i + 1}, {angle}° {one.material}, {thick}"
        return ""
