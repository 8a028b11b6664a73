"""What a paste without heads was understood as, shown before it is laid."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from tartan.desktop.widgets.controls import button, label


class PasteBar(QFrame):
    """A line below the sequence: Enter lays the plies, Esc leaves them."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "recovery")
        self.setAccessibleName("Plies to be pasted")
        self.words = label("", wrap=True)
        self.take = button("lay them", self._take, "Enter")
        self.leave = button("leave", self.hide, "Esc")
        self._act: Callable[[], object] | None = None
        line = QHBoxLayout(self)
        line.setContentsMargins(8, 2, 8, 2)
        line.addWidget(self.words, 1)
        line.addWidget(self.take)
        line.addWidget(self.leave)
        self.hide()

    def ask(self, words: str, act: Callable[[], object]) -> None:
        """Show what was understood; `act` lays the plies."""
        self._say(words, act, "lay them", "leave")
        self.take.setFocus()

    def tell(self, words: str, undo: Callable[[], object]) -> None:
        """Show how plies that were laid were understood."""
        self._say(words, undo, "take them back", "keep")

    def _say(self, words: str, act: Callable[[], object], yes: str, no: str) -> None:
        self._act = act
        self.words.setText(words)
        self.take.setText(yes)
        self.leave.setText(no)
        self.show()

    def _take(self) -> None:
        act, self._act = self._act, None
        self.hide()
        if act is not None:
            act()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.hide()
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._take()
        else:
            super().keyPressEvent(event)
