"""Stiffness and its inverse as numbers, in the axes and about the surface that are asked for."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate import Laminate
from tartan.desktop.widgets.controls import QuantityField, button, choice, label, row, switch
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.flow import wrapped
from tartan.pages.shown import Look
from tartan.pages.stiffness_question import SURFACES, asked_stiffness, stiffness_table
from tartan.project.wording import units

DIGITS = ("4", "6", "8", "12", "16")

TALL = 18 * 23 + 30


class AsNumbers(QWidget):
    """Folded at first; copies with all digits, whatever is shown."""

    def __init__(self) -> None:
        super().__init__()
        self._laminate: Laminate | None = None
        self._turn = 0.0
        self.open = switch("as numbers", "A, B, D and their inverse, to be copied")
        self.open.toggled.connect(lambda _: self._again())
        self.turn = QuantityField(units.ANGLE, self._put_turn)
        self.turn.setAccessibleName("Axes turned by")
        self.turn.setFixedWidth(56)
        self.turn.setToolTip("From x to the new axis; the plies stay as they are")
        self.surface = choice(SURFACES, lambda _: self._again())
        self.surface.setAccessibleName("Reference surface of the stiffness")
        self.digits = choice(DIGITS, lambda _: self._again())
        self.digits.setAccessibleName("Digits shown")
        self.table = DataTable("stiffness", filtered=False)
        self.table.setFixedHeight(TALL)
        self.asked = wrapped(
            label("turned", "soft"),
            self.turn,
            label("° about the", "soft"),
            self.surface,
            self.digits,
            label("digits", "soft"),
            button("copy", self.table.copy, "All of it, with all digits"),
            spacing=4,
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        for part in (row(self.open, None), self.asked, self.table):
            box.addWidget(part)
        self.turn.put_value(0.0)
        self._show()

    def _put_turn(self, value: float | None) -> TartanError | None:
        self._turn = value or 0.0
        self._again()
        return None

    def put(self, laminate: Laminate | None) -> None:
        """Show another laminate."""
        self._laminate = laminate
        self._again()

    def _show(self) -> None:
        for part in (self.asked, self.table):
            part.setVisible(self.open.isChecked() and self._laminate is not None)

    def _again(self) -> None:
        self._show()
        laminate = self._laminate
        if laminate is None or not self.open.isChecked():
            return
        surface = self.surface.currentText()
        whole = asked_stiffness(laminate, self._turn, surface)
        table = stiffness_table(whole, laminate.stack.name, self._turn, surface)
        digits = int(self.digits.currentText())

        def look(cell: object) -> Look | None:
            return Look(units.number(cell, digits)) if isinstance(cell, float) else None

        # The table may be the same and its digits others.
        self.table.put(table, [[look(c) for c in line] for line in table.rows], anew=True)
