"""The meridian of a vessel's dome from a table: read from a file or pasted."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QFileDialog, QVBoxLayout

from tartan.core.errors import TartanError
from tartan.core.shell.vessel_shape import ENDS, Vessel
from tartan.desktop.part.form import PartForm, winds
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import button, choice, label, row
from tartan.exchange.meridian_table import Points, pasted_meridian, read_meridian

BOTH = "both ends"


class MeridianForm(PartForm):
    """Takes r and z of a dome for one end of a vessel or both."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.end = choice([BOTH, *ENDS], lambda _: None)
        self.end.setAccessibleName("End of the read meridian")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(
            row(
                label("meridian r, z", "soft"),
                None,
                self.end,
                button("read …", self.ask, "CSV or XLSX with columns r [mm] and z [mm]"),
                button("paste", self.paste, "Rows of r and z from a spreadsheet"),
                spacing=4,
            )
        )

    def ask(self) -> None:
        """Ask for a file and take its meridian."""
        path, _ = QFileDialog.getOpenFileName(self, "Read a meridian", "", "Tables (*.csv *.xlsx)")
        if path:
            try:
                self.take(read_meridian(Path(path)))
            except TartanError as error:
                self.told.emit(str(error))

    def paste(self) -> None:
        """Take a meridian from the clipboard."""
        clipboard = QApplication.clipboard()
        try:
            self.take(pasted_meridian("" if clipboard is None else clipboard.text()))
        except TartanError as error:
            self.told.emit(str(error))

    def take(self, points: Points) -> None:
        """Make the points the dome of the chosen ends."""
        part = self.part
        if part is None or not isinstance(part.surface, Vessel):
            return
        ends = ENDS if self.end.currentText() == BOTH else (self.end.currentText(),)
        values: dict[str, object] = {}
        for end in ends:
            values |= {f"{end}_dome": "table", f"{end}_points": points}
        surface = replace(part.surface, **values)  # type: ignore[arg-type]
        self.change_surface("meridian from a table", surface=surface)

    def refresh(self) -> None:
        """Show it for a vessel alone."""
        self.setVisible(winds(self.part))
