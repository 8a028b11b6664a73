"""Lines drawn on a draped ply: one that a yarn follows, and cuts that part it into pieces.

While one is drawn every click on the part adds a point; pressing its switch again ends it.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import Field, UnitLabel, button, label, row, switch
from tartan.pages.points import line_of, line_text
from tartan.project.document.partmodel import Draped, Vector
from tartan.project.wording import units

LEAST = 2
"""Points of a line."""


class DrapeLines(QWidget):
    """Draws, lists and takes away the lines of a draped ply."""

    changed = pyqtSignal()
    told = pyqtSignal(str)

    def __init__(
        self,
        read: Callable[[], Draped | None],
        change: Callable[..., TartanError | None],
    ) -> None:
        super().__init__()
        self._read, self._change = read, change
        self.points: list[Vector] = []
        self.line = switch("draw a line", "A yarn follows it; each click adds a point")
        self.cut = switch("draw a cut", "It parts the ply; each click adds a point")
        self.line.toggled.connect(partial(self._toggled, self.line))
        self.cut.toggled.connect(partial(self._toggled, self.cut))
        self.rows = Block()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(row(self.line, self.cut, None, spacing=6))
        box.addWidget(self.rows)

    @property
    def drawing(self) -> bool:
        """Whether clicks on the part add points."""
        return self.line.isChecked() or self.cut.isChecked()

    def pick(self, at: Vector) -> None:
        """Add a point to what is drawn."""
        self.points.append(at)
        left = max(LEAST - len(self.points), 0)
        more = "one more at least" if left else "press its switch again to end it"
        self.told.emit(f"{len(self.points)} picked; {more}.")
        self.changed.emit()

    def end(self) -> None:
        """Draw nothing any more; what was drawn is forgotten."""
        self.points = []
        for each in (self.line, self.cut):
            if each.isChecked():
                each.setChecked(False)

    def _toggled(self, which: object, on: bool) -> None:
        other = self.cut if which is self.line else self.line
        if on:
            self.points = []
            if other.isChecked():
                other.setChecked(False)
            self.changed.emit()
            return
        drawn, self.points = tuple(self.points), []
        draped = self._read()
        if draped is not None and len(drawn) >= LEAST:
            if which is self.line:
                self._change("line of a draped ply", line=drawn, edge="")
            else:
                self._change("cut of a draped ply", cuts=(*draped.cuts, drawn))
        self.changed.emit()

    # Listing

    def refresh(self) -> None:
        """List the lines that there are."""
        draped = self._read()
        if draped is None:
            self.end()
        lines = () if draped is None else (bool(draped.line), len(draped.cuts))
        self.rows.put((lines, units.system()), self._build)
        self.rows.setVisible(draped is not None and any(lines))

    def _build(self, block: Block) -> None:
        draped = self._read()
        if draped is None:
            return
        if draped.line:
            self._add(block, "line", None)
        for number in range(len(draped.cuts)):
            self._add(block, f"cut {number + 1}", number)

    def _add(self, block: Block, words: str, number: int | None) -> None:
        field = Field(partial(self._typed, number))
        field.setAccessibleName(f"points of the {words}")
        field.refused.connect(self.told)
        away = button("✕", partial(self._remove, number), f"Take the {words} away")
        away.setAccessibleName(f"take the {words} away")
        line = row(label(words, "soft"), field, UnitLabel(units.LENGTH), away, spacing=4)
        block.add(line, partial(self._put, field, number))

    def _points(self, number: int | None) -> tuple[Vector, ...]:
        draped = self._read()
        if draped is None or (number is not None and number >= len(draped.cuts)):
            return ()
        return draped.line if number is None else draped.cuts[number]

    def _put(self, field: Field, number: int | None) -> None:
        text = line_text(self._points(number))
        field.put(text, text)

    def _typed(self, number: int | None, text: str) -> TartanError | None:
        try:
            points = line_of(text, "Draping")
        except TartanError as error:
            return error
        return self._replace(number, points)

    def _remove(self, number: int | None) -> None:
        self._replace(number, None)

    def _replace(
        self, number: int | None, points: tuple[Vector, ...] | None
    ) -> TartanError | None:
        draped = self._read()
        if draped is None:
            return None
        if number is None:
            return self._change("line of a draped ply", line=points or ())
        cuts = list(draped.cuts)
        cuts[number : number + 1] = [] if points is None else [points]
        return self._change("cut of a draped ply", cuts=tuple(cuts))
