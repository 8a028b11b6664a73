"""Figures that are swept or scatter, one a line: which, over what, and their unit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QStringListModel, Qt, pyqtSignal
from PyQt6.QtWidgets import QCompleter, QLineEdit, QVBoxLayout, QWidget

from tartan.desktop import theme
from tartan.desktop.widgets.controls import button, label, row
from tartan.project.wording.figure_units import quantity_of


@dataclass(frozen=True)
class SweepLine:
    """A figure, or several joined by ``&``, and its range or spread as typed."""

    path: str
    text: str


class SweepLines(QWidget):
    """Lines that are added and taken away; what is typed stays as it is."""

    changed = pyqtSignal()

    def __init__(self, most: int) -> None:
        super().__init__()
        self.most = most
        self.example = "0 to 90 by 15"
        self._known = QStringListModel(self)
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(4)
        self._rows: list[_LineRow] = []
        self.add("", "")

    def offer(self, paths: list[str]) -> None:
        """Give the figures that are completed while one is typed."""
        if self._known.stringList() != paths:
            self._known.setStringList(paths)

    def ask_for(self, most: int, example: str) -> None:
        """Take at most so many lines, each with a text such as the example."""
        self.most, self.example = most, example
        while len(self._rows) > most:
            self._remove(self._rows[-1])
        for one in self._rows:
            one.text.setPlaceholderText(example)

    def add(self, path: str, text: str) -> None:
        """Add a line, or fill the first that is empty."""
        empty = next((r for r in self._rows if not r.path.text().strip()), None)
        if empty is None:
            if len(self._rows) >= self.most:
                empty = self._rows[-1]
            else:
                empty = _LineRow(self._known, self._remove, self.changed.emit)
                self._rows.append(empty)
                self._box.addWidget(empty)
                number = len(self._rows)
                empty.path.setAccessibleName(f"figure {number}")
                empty.text.setAccessibleName(f"values of figure {number}")
        empty.text.setPlaceholderText(self.example)
        empty.path.setText(path)
        empty.path.setCursorPosition(0)
        if text:
            empty.text.setText(text)
        self.changed.emit()

    def one_more(self) -> None:
        """Add an empty line, where there may be one."""
        if len(self._rows) < self.most and all(r.path.text().strip() for r in self._rows):
            self.add("", "")

    def _remove(self, one: _LineRow) -> None:
        if len(self._rows) == 1:
            one.path.clear()
            one.text.clear()
        else:
            self._rows.remove(one)
            one.hide()
            one.deleteLater()
        self.changed.emit()

    def lines(self) -> list[SweepLine]:
        """Lines that name a figure."""
        return [
            SweepLine(r.path.text().strip(), r.text.text().strip())
            for r in self._rows
            if r.path.text().strip()
        ]


class _LineRow(QWidget):
    """One line."""

    def __init__(
        self,
        known: QStringListModel,
        remove: Callable[[_LineRow], None],
        changed: Callable[[], None],
    ) -> None:
        super().__init__()
        self.path = QLineEdit()
        self.path.setPlaceholderText("a figure: type part of its name")
        self.path.setClearButtonEnabled(True)
        completer = QCompleter(known, self)
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.setMaxVisibleItems(12)
        theme.dress_names(completer)
        self.path.setCompleter(completer)
        self.text = QLineEdit()
        self.unit = label("", "soft")
        self.path.textChanged.connect(lambda _: self._show_unit())
        self.path.textChanged.connect(lambda _: changed())
        self.text.textChanged.connect(lambda _: changed())
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        box.addWidget(row(self.path, button("×", lambda: remove(self), "Remove this figure")))
        box.addWidget(row(label("takes", "soft"), self.text, self.unit, spacing=4))

    def _show_unit(self) -> None:
        first = self.path.text().partition("&")[0].strip().removeprefix("-")
        self.unit.setText(quantity_of(first).unit if first else "")
