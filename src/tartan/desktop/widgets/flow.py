"""A row that goes on in a second line where the window is too narrow for it."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem, QSizePolicy, QWidget

GAP = 3
"""Pixels between lines."""


class Flow(QLayout):
    """Items side by side, wrapped; a stretch takes what is left of its line."""

    def __init__(self, spacing: int) -> None:
        super().__init__()
        self._items: list[QLayoutItem | None] = []
        self._spacing = spacing
        self.setContentsMargins(0, 0, 0, 0)

    def add_stretch(self) -> None:
        """Push what follows to the end of its line."""
        self._items.append(None)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def _real(self) -> list[QLayoutItem]:
        return [i for i in self._items if i is not None]

    def count(self) -> int:
        return len(self._real())

    def itemAt(self, index: int) -> QLayoutItem | None:
        real = self._real()
        return real[index] if 0 <= index < len(real) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        item = self.itemAt(index)
        if item is not None:
            self._items.remove(item)
        return item

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), move=False)

    def sizeHint(self) -> QSize:
        shown = [i.sizeHint() for i in self._real() if not i.isEmpty()]
        wide = sum(s.width() + self._spacing for s in shown) - self._spacing if shown else 0
        return QSize(max(wide, 0), max((s.height() for s in shown), default=0))

    def minimumSize(self) -> QSize:
        shown = [i.minimumSize() for i in self._real() if not i.isEmpty()]
        return QSize(
            max((s.width() for s in shown), default=0), max((s.height() for s in shown), default=0)
        )

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, move=True)

    def _lines(self, width: int) -> list[list[QLayoutItem | None]]:
        lines: list[list[QLayoutItem | None]] = [[]]
        used = 0
        for item in self._items:
            if item is None:
                lines[-1].append(None)
                continue
            if item.isEmpty():
                continue
            wide = min(item.sizeHint().width(), width)
            if used and used + wide > width:
                lines.append([])
                used = 0
            lines[-1].append(item)
            used += wide + self._spacing
        return lines

    def _lay(self, rect: QRect, *, move: bool) -> int:
        y = rect.y()
        for line in self._lines(rect.width()):
            real = [i for i in line if i is not None]
            if not real:
                continue
            high = max(i.sizeHint().height() for i in real)
            if move:
                self._place(line, QRect(rect.x(), y, rect.width(), high))
            y += high + GAP
        return y - rect.y() - GAP

    def _place(self, line: list[QLayoutItem | None], rect: QRect) -> None:
        real = [i for i in line if i is not None]
        wide = sum(min(i.sizeHint().width(), rect.width()) for i in real)
        left = rect.width() - wide - self._spacing * (len(real) - 1)
        stretches = line.count(None)
        greedy = [
            i
            for i in real
            if Qt.Orientation.Horizontal in i.expandingDirections()
            and i.maximumSize().width() > i.sizeHint().width()
        ]
        x = rect.x()
        for item in line:
            if item is None:
                # Fields that grow leave nothing to a stretch.
                x += 0 if greedy else max(left // stretches, 0)
                continue
            width = min(item.sizeHint().width(), rect.width())
            if item in greedy:
                width += max(left // len(greedy), 0)
            high = min(item.sizeHint().height(), rect.height())
            at = QPoint(x, rect.y() + (rect.height() - high) // 2)
            item.setGeometry(QRect(at, QSize(width, high)))
            x += width + self._spacing


def wrapped(*parts: QWidget | None, spacing: int = 8) -> QWidget:
    """Widgets side by side, in more lines where there is no room; None is a stretch."""
    holder = QWidget()
    flow = Flow(spacing)
    for part in parts:
        if part is None:
            flow.add_stretch()
        else:
            flow.addWidget(part)
    holder.setLayout(flow)
    policy = holder.sizePolicy()
    policy.setHeightForWidth(True)
    policy.setVerticalPolicy(QSizePolicy.Policy.Minimum)
    holder.setSizePolicy(policy)
    return holder
