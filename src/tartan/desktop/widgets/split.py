"""Panes whose sizes the user drags, and the program remembers; a double click gives the usual."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSplitter, QSplitterHandle, QWidget

from tartan.desktop import theme
from tartan.desktop.preferences import preferences


@dataclass(frozen=True)
class Pane:
    """A pane of a split.

    Attributes
    ----------
    widget : QWidget
        What stands in it.
    usual : int
        Its size at first [pixels]; zero where it takes the room that is left.
    least : int
        The least that it may be dragged to [pixels]; zero leaves it to the widget.
    share : int
        Its share of the room that a larger window brings.
    part : float
        The greatest part of all the room that it takes at its usual size.
    """

    widget: QWidget
    usual: int = 0
    least: int = 0
    share: int = 0
    part: float = 1.0


class _Grip(QSplitterHandle):
    """A hairline that shows under the pointer, and while it is dragged."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.underMouse():
            return
        painter = QPainter(self)
        painter.setPen(theme.colour("accent"))
        if self.orientation() is Qt.Orientation.Horizontal:
            painter.drawLine(self.width() // 2, 0, self.width() // 2, self.height())
        else:
            painter.drawLine(0, self.height() // 2, self.width(), self.height() // 2)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        split = self.splitter()
        if isinstance(split, Split):
            split.as_usual()


class Split(QSplitter):
    """Panes beside or above each other, with sizes of their own.

    Parameters
    ----------
    key : str
        Under which its sizes are remembered.
    panes : Pane
        In their order.
    upright : bool
        Whether they stand above each other.
    gap : int
        Pixels between them, which are the grip.
    """

    def __init__(self, key: str, *panes: Pane, upright: bool = False, gap: int = 14) -> None:
        super().__init__(Qt.Orientation.Vertical if upright else Qt.Orientation.Horizontal)
        self._key, self._panes = f"split/{key}", panes
        self.setChildrenCollapsible(False)
        self.setHandleWidth(gap)
        for at, pane in enumerate(panes):
            self.addWidget(pane.widget)
            self.setStretchFactor(at, pane.share)
            if pane.least:
                (pane.widget.setMinimumHeight if upright else pane.widget.setMinimumWidth)(
                    pane.least
                )
        for at in range(1, len(panes)):
            grip = self.handle(at)
            if grip is not None:
                grip.setToolTip("Drag to share the room; a double click gives the usual sizes")
        self._own = self._restore()
        self.splitterMoved.connect(lambda *_: self._keep())

    def createHandle(self) -> QSplitterHandle:
        return _Grip(self.orientation(), self)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if not self._own:
            self._share_out()

    def as_usual(self) -> None:
        """Give the panes their usual sizes, and forget what was dragged."""
        self._own = False
        preferences().remove(self._key)
        self._share_out()

    def settle(self) -> None:
        """Share the room anew where the user has not: what stands in it has another width."""
        if not self._own:
            self._share_out()

    def _share_out(self) -> None:
        across = self.orientation() is Qt.Orientation.Horizontal
        room = (self.width() if across else self.height()) - self.handleWidth() * (
            len(self._panes) - 1
        )
        sizes = [min(p.usual, round(p.part * room)) for p in self._panes]
        free = sum(not size for size in sizes)
        rest = max(room - sum(sizes), 1) // max(free, 1)
        self.setSizes([size or rest for size in sizes])

    def _keep(self) -> None:
        self._own = True
        preferences().setValue(self._key, ",".join(map(str, self.sizes())))

    def _restore(self) -> bool:
        """Whether sizes of the user's own were kept."""
        kept = str(preferences().value(self._key, "")).split(",")
        known = len(kept) == len(self._panes) and all(x.isdigit() and len(x) < 6 for x in kept)
        if known:
            self.setSizes([int(x) for x in kept])
        return known
