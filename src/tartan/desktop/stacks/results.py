"""Every figure of every ply at its three levels as a table."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QWidget

from tartan.core.errors import TartanError
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.widgets.controls import column, label
from tartan.desktop.widgets.datatable import DataTable
from tartan.exchange.tables import Table
from tartan.pages.ply_results import ply_table, response_words
from tartan.pages.shown import Look


class ResultsPane(QWidget):
    """Strains, stresses, principal values and reserve factors under the chosen load case."""

    def __init__(self) -> None:
        super().__init__()
        self.note = label("", "soft", wrap=True)
        self.table = DataTable("plies", frozen=True)
        self.whole = label("", "soft", wrap=True)
        self.whole.setAccessibleName("Response of the laminate")
        made = column(self.note, self.whole, self.table, spacing=5)
        box = made.layout()
        assert box is not None
        self.setLayout(box)

    def put(self, chosen: Chosen) -> None:
        """Show the figures of a stack."""
        asked = chosen.question
        if asked is None:
            self.table.put(Table("plies", (), ()))
            return
        about = (
            f"{chosen.stack.name} under {chosen.loads.name}, by {chosen.criteria.name} criteria"
        )
        self.note.setText(about)
        self.whole.setText(response_words(asked))
        try:
            table = replace(ply_table(asked), about=about)
        except TartanError as error:
            self.note.setText(str(error))
            self.table.put(Table("plies", (), ()))
            return
        # Reserve factors and modes come right after the place, before the long rest.
        widths = (42, 56, 96, 56)
        looks: list[list[Look | None]] = [
            [Look(str(r[0])), *([None] * (len(table.head) - 1))] for r in table.rows
        ]
        self.table.put(table, looks, widths)
