"""Any figure of the project over a range, asked for beside the field that holds it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QMenu

from tartan.core.errors import TartanError
from tartan.desktop.session import Session
from tartan.project.edits.figures import figure
from tartan.project.wording.figure_units import quantity_of

Paths = Sequence[str] | Callable[[], Sequence[str]]
"""Paths that a figure may have, or what says them; the first that there is counts."""


class Ranges(QObject):
    """Offers a range in the menu of a field; tells the figure's path and the range."""

    asked = pyqtSignal(str, str)

    def __init__(self, parent: QObject, session: Session) -> None:
        super().__init__(parent)
        self._session = session

    def add_to(self, menu: QMenu, paths: Paths) -> None:
        """Offer it, where the project has such a figure and a stack to show it beside."""
        for path in paths() if callable(paths) else paths:
            try:
                value = figure(self._session.project, path)
            except TartanError:
                continue
            if self._session.project.stacks:
                menu.addSeparator()
                menu.addAction("over a range", lambda p=path, v=value: self._ask(p, v))
            return

    def _ask(self, path: str, value: float) -> None:
        self._session.select(station="Stacks")
        self.asked.emit(path, range_text(path, value))


def range_text(path: str, value: float) -> str:
    """A range to begin with: from half to twice as much, in display units."""
    quantity = quantity_of(path)
    if quantity.unit == "°":
        return "0 to 90 by 15"
    now = value / quantity.scale
    low, high = sorted((now / 2, now * 2)) if now else (0.0, 10.0)
    return f"{low:.4g} to {high:.4g} in 6"
