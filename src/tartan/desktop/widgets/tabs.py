"""Tabs as words in a row, the one at work underlined."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.desktop.widgets.controls import switch
from tartan.desktop.widgets.flow import wrapped


class Tabs(QWidget):
    """Words in a row of which one is chosen."""

    turned = pyqtSignal(int)

    def __init__(self, names: Sequence[str]) -> None:
        super().__init__()
        self.buttons = [switch(name) for name in names]
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(wrapped(*self.buttons, None, spacing=0))
        for i, each in enumerate(self.buttons):
            each.setProperty("role", "tab")
            each.clicked.connect(lambda _=False, n=i: self.turn(n))
        self.at = 0
        self.turn(0)

    def turn(self, number: int) -> None:
        """Choose one."""
        self.at = number
        for i, each in enumerate(self.buttons):
            each.setChecked(i == number)
        self.turned.emit(number)
