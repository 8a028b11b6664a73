"""Rows below each other, each edited in place.

A block is rebuilt only when its make-up changes; otherwise its fields are brought up to date, so
that the keyboard stays where it is.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable

from PyQt6.QtWidgets import QVBoxLayout, QWidget

Update = Callable[[], None]


class Block(QWidget):
    """Rows below each other."""

    def __init__(self) -> None:
        super().__init__()
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(4)
        self._made_of: Hashable = None
        self._updates: list[Update] = []

    def put(self, made_of: Hashable, build: Callable[[Block], None]) -> None:
        """Rebuild if the make-up differs, then bring all fields up to date."""
        if made_of != self._made_of:
            while (item := self._box.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            self._updates.clear()
            self._made_of = made_of
            build(self)
        for update in self._updates:
            update()

    def add(self, widget: QWidget, update: Update | None = None) -> None:
        """Add a row and what brings it up to date."""
        self._box.addWidget(widget)
        if update is not None:
            self._updates.append(update)
