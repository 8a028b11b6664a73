"""Find: type the name of any command, material, stack, ply, edge or case, and go there."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

MOST = 12

BETWEEN = 10
"""Milliseconds between two pages that are made to be found: what is typed goes first."""

WIDE = 380
"""Pixels that names are given at least."""


@dataclass(frozen=True)
class Entry:
    """Something that can be found: its name, what it is, what choosing it does, other words."""

    name: str
    sort: str
    act: Callable[[], object]
    also: str = ""


def matching(entries: Sequence[Entry], text: str) -> list[Entry]:
    """Entries whose name, sort or other words contain every typed word, best first.

    Parameters
    ----------
    entries : sequence of Entry
        All there is.
    text : str
        What was typed.
    """
    words = text.lower().split()
    found = [e for e in entries if all(w in f"{e.name} {e.sort} {e.also}".lower() for w in words)]
    head = words[0] if words else ""

    def order(entry: Entry) -> tuple[bool, int, str]:
        name = entry.name.lower()
        return not name.startswith(head), sum(w not in name for w in words), entry.name

    return sorted(found, key=order)[:MOST]


class Finder(QLineEdit):
    """The line in the head of the window with its list of what was found.

    Parameters
    ----------
    entries : callable
        Gives what can be found as things stand.
    more : callable
        Brings about more that can be found, and tells whether it did; called between keystrokes
        until it did not.

    Attributes
    ----------
    whole : bool
        Whether all there is can be found.
    """

    def __init__(
        self, entries: Callable[[], list[Entry]], more: Callable[[], bool] = lambda: False
    ) -> None:
        super().__init__()
        self._entries, self._more = entries, more
        self.whole = False
        self._entered = False
        self._missing = False
        self._gathering = QTimer(self)
        self._gathering.setSingleShot(True)
        self._gathering.timeout.connect(self._gather_more)
        self._found: list[Entry] = []
        self._all: list[Entry] = []
        self.setPlaceholderText("Find anything   Ctrl+Space")
        self.setMinimumWidth(110)
        self.setMaximumWidth(196)
        self.setAccessibleName("Find")
        self._list = QListWidget()
        self._list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._list.itemClicked.connect(self._take)
        self._frame: QFrame | None = None
        self.textEdited.connect(self._typed)
        self.installEventFilter(self)

    def begin(self) -> None:
        """Take the keyboard and show everything."""
        if self.hasFocus():
            self._gather()
        # What there is is gathered as it takes the keyboard.
        self.setFocus(Qt.FocusReason.ShortcutFocusReason)
        self.selectAll()

    def _gather(self) -> None:
        self._all = self._entries()
        self._missing = False
        self._refresh()
        self._gathering.start(0)

    def _gather_more(self) -> None:
        made = self._more()
        self.whole = not made
        self._missing = self._missing or made
        # Gathering takes longer than what is brought about: it waits, but where nothing is found.
        if self._missing and self.hasFocus() and (self.whole or not self._found):
            row = self._list.currentRow()
            self._gather()
            self._list.setCurrentRow(min(row, self._list.count() - 1))
        elif made and self.hasFocus():
            self._gathering.start(BETWEEN)
        if self._entered and (self._found or self.whole):
            self._take()

    def _popup(self) -> QFrame:
        """Make the list's frame inside the window, above everything else, when first needed."""
        if self._frame is None:
            top: QWidget | None = self.window()
            self._frame = QFrame(top)
            self._frame.setProperty("role", "panel")
            self._frame.setAutoFillBackground(True)
            box = QVBoxLayout(self._frame)
            box.setContentsMargins(4, 4, 4, 4)
            box.addWidget(self._list)
        return self._frame

    def _typed(self, *_: object) -> None:
        self._entered = False
        self._refresh()

    def _refresh(self, *_: object) -> None:
        self._found = matching(self._all, self.text())
        self._list.clear()
        for entry in self._found:
            item = QListWidgetItem(f"{entry.name}   ·  {entry.sort}")
            self._list.addItem(item)
        self._list.setCurrentRow(0)
        frame = self._popup()
        if not self._found:
            frame.hide()
            return
        place = self.mapTo(self.window(), QPoint(0, self.height() + 3))
        wide = max(self.width(), WIDE)
        left = min(place.x(), self.window().width() - wide - 8)  # type: ignore[union-attr]
        frame.setGeometry(left, place.y(), wide, 14 + 25 * len(self._found))
        frame.show()
        frame.raise_()

    def _take(self, *_: object) -> None:
        if not self._found and not self.whole:
            # Taken as soon as it is found: pages are still being looked through.
            self._entered = True
            self._gathering.start(0)
            return
        self._entered = False
        row = self._list.currentRow()
        self._close()
        if 0 <= row < len(self._found):
            self._found[row].act()

    def _close(self) -> None:
        self._entered = False
        if self._frame is not None:
            self._frame.hide()
        self.clear()
        self.clearFocus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                row = (self._list.currentRow() + step) % max(1, self._list.count())
                self._list.setCurrentRow(row)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._take()
                return True
            if event.key() == Qt.Key.Key_Escape:
                self._close()
                return True
        return False

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        # What there is does not change while a name is typed, but for what is still gathered.
        self._gather()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self._entered = False
        if self._frame is not None:
            self._frame.hide()
