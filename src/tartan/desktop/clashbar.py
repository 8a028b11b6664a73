"""A file that others have open or have changed: said in a line, with what can be done."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from tartan.desktop.widgets.controls import button, label
from tartan.project.files.filelock import Holder

WAYS = {
    "keep both": "Save this window's beside it, under a name of its own",
    "take theirs": "Go on with what is in the file; undo brings this window's back",
    "compare": "Keep what is in the file as a version, beside this window's",
    "save over it": "What others have saved there is lost",
}


class ClashBar(QFrame):
    """Shown until it is settled; tells the way that was chosen."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "recovery")
        self.words = label("", "head")
        self.ways = {
            name: button(name, partial(self.chosen.emit, name), tip) for name, tip in WAYS.items()
        }
        self.away = button("put away", self.hide)
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 2, 14, 2)
        line.addWidget(self.words, 1)
        for each in (*self.ways.values(), self.away):
            line.addWidget(each)
        self.hide()

    def ask(self, path: Path) -> None:
        """Say that a file was changed since it was opened, and offer the ways out."""
        self._say(
            f"{path.name} was changed by others since it was opened. Nothing was saved.", ways=True
        )

    def tell_open(self, other: Holder) -> None:
        """Say who has the file open too."""
        self._say(
            f"This file is open too: {other.words}. Whoever saves last is asked.", ways=False
        )

    def settled(self) -> None:
        """Hide what was asked."""
        if self.ways["keep both"].isVisibleTo(self):
            self.hide()

    def _say(self, words: str, *, ways: bool) -> None:
        self.words.setText(words)
        for each in self.ways.values():
            each.setVisible(ways)
        self.away.setVisible(not ways)
        self.show()
