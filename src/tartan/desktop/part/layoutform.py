"""The ply layout to and from a file: written, read, and taken over with what it changes."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QComboBox, QFileDialog, QVBoxLayout

from tartan.core.errors import DocumentError, TartanError
from tartan.desktop.background import Background
from tartan.desktop.part.form import PartForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    Field,
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    switch,
)
from tartan.desktop.widgets.datatable import DataTable
from tartan.exchange.exports import LAYOUT, export_unsolved
from tartan.exchange.plies.form import SUFFIX
from tartan.exchange.plies.take import Taken
from tartan.pages import plylayout as state
from tartan.pages.points import vector_of, vector_text
from tartan.project.wording import units
from tartan.project.wording.units import counted

ASKED = "which is it?"
"""Shown where a material of the project has still to be chosen."""


class LayoutForm(PartForm):
    """Writes the lay-up as a layout or a book; reads one and lists what it would change."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.reading: state.Reading | None = None
        self._taken: Taken | TartanError | None = None
        self._asked: object = None
        self.background = Background(self, "Ply layout", "Check its file.")
        self.background.done.connect(self._planned)
        self.background.failed.connect(self._planned)
        self.write = button("write …", self.ask_write, f"The lay-up by geometry: {SUFFIX}")
        self.book = button("book of plies …", self.ask_book, "A line for every ply: CSV, XLSX")
        self.open = button("read …", self.ask_read, f"Lay a layout on this part: {SUFFIX}")
        self.about = label("", "soft", wrap=True)
        self.about.setAccessibleName("The layout that was read")
        self.materials = Block()
        self.moved = switch("placed by three points", "Where its three anchors come to")
        self.moved.toggled.connect(lambda _: self.refresh())
        self.points = Block()
        self.far = QuantityField(units.LENGTH, self._set_far, optional=True)
        self.far.setAccessibleName("how far off the layout may lie")
        self.far.setPlaceholderText("as usual")
        self.far.setMaximumWidth(84)
        self.far.refused.connect(self.told)
        self.farthest = row(
            label("may be off the surface by", "soft"), None, self.far, UnitLabel(units.LENGTH)
        )
        self.words = label("", "soft", wrap=True)
        self.words.setAccessibleName("What the layout would change")
        self.changes = DataTable("changes", filtered=False)
        self.take = button("take it", self.take_it, "In place of the lay-up, as one step")
        self.leave = button("leave it", self.leave_it, "Nothing is changed")
        self.answer = row(None, self.leave, self.take, spacing=4)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(label("Ply layout", "head"))
        box.addWidget(
            label(
                "What is laid where, by geometry: for a designer, or onto another mesh.",
                "soft",
                wrap=True,
            )
        )
        box.addWidget(row(self.open, self.write, self.book, None, spacing=4))
        self.placing = row(self.moved, None)
        for each in (
            *(self.about, self.materials, self.placing, self.points),
            *(self.farthest, self.words),
        ):
            box.addWidget(each)
        box.addWidget(self.changes, 1)
        box.addWidget(self.answer)
        box.addStretch(0)

    # Writing

    def ask_write(self) -> None:
        """Ask for a file and write the layout."""
        self._ask("Write the ply layout", f"plies{SUFFIX}", f"Ply layouts (*{SUFFIX})")

    def ask_book(self) -> None:
        """Ask for a file and write the book of plies."""
        self._ask("Write the book of plies", "plies.xlsx", "Tables (*.xlsx *.csv)")

    def _ask(self, title: str, name: str, kinds: str) -> None:
        path, _ = QFileDialog.getSaveFileName(self, title, name, kinds)
        if not path:
            return
        try:
            export_unsolved(LAYOUT, self.session.project, Path(path))
        except TartanError as error:
            self.told.emit(str(error))
            return
        part = self.part
        count = 0 if part is None else len(part.lay_up)
        self.told.emit(f"{counted(count, 'rung')} written to {Path(path).name}.")

    # Reading

    def ask_read(self) -> None:
        """Ask for a file and read it."""
        path, _ = QFileDialog.getOpenFileName(
            self, "Read a ply layout", "", f"Ply layouts (*{SUFFIX} *.json);;All files (*)"
        )
        if path:
            self.read(Path(path))

    def read(self, path: Path) -> None:
        """Read a layout; nothing is changed before it is taken."""
        try:
            self._put(state.read(path))
        except TartanError as error:
            self._put(None)
            self.told.emit(str(error))
        else:
            self.told.emit("")

    def _put(self, reading: state.Reading | None) -> None:
        self.reading, self._taken, self._asked = reading, None, None
        if reading is None:
            self.moved.setChecked(False)
        self.refresh()

    def take_it(self) -> None:
        """Take the layout over, as one step that can be undone."""
        if self._asked != (self.session.project, self.reading):
            # What is taken is what was listed, on the project that it was listed for.
            self.refresh()
        elif isinstance(self._taken, Taken):
            made = self._taken.project
            if self.edit("take a ply layout", lambda _: made) is None:
                self._put(None)

    @property
    def listed(self) -> bool:
        """Whether what it would change is worked out."""
        return self._taken is not None

    def leave_it(self) -> None:
        """Forget the layout that was read."""
        self._put(None)
        self.told.emit("")

    def _plan(self) -> None:
        """Work out what it would change, apart from the window."""
        reading, project = self.reading, self.session.project
        if reading is None or (self._asked is not None and self._asked == (project, reading)):
            return
        self._asked, self._taken = (project, reading), None
        self.background.start(partial(state.takes, project, reading))

    def _planned(self, found: object) -> None:
        if self.reading is not None and isinstance(found, Taken | TartanError):
            self._taken = found
        self._show()

    # Showing

    def refresh(self) -> None:
        """Show the layout that was read, and what it would change as things stand."""
        laid = self.part is not None and bool(self.part.lay_up)
        self.write.setEnabled(laid)
        self.book.setEnabled(laid)
        self.open.setEnabled(self.part is not None)
        reading = self.reading
        if reading is not None and not self.isHidden():
            self._plan()
        asked = [] if reading is None else state.unknown(self.session.project, reading)
        self.materials.setVisible(bool(asked))
        known = tuple(m.name for m in self.session.project.materials)
        path = None if reading is None else reading.path
        self.materials.put((path, tuple(asked), known), partial(self._build_materials, asked))
        placed = reading is not None and bool(reading.anchors)
        self.placing.setVisible(placed)
        self.points.setVisible(placed and self.moved.isChecked())
        self.points.put((path, placed, units.system()), self._build_points)
        self._show()

    def _show(self) -> None:
        reading, taken = self.reading, self._taken
        there = reading is not None
        self.about.setText("" if reading is None else state.head(reading))
        self.about.setVisible(there)
        said = state.words(taken) or ("looking where it lies …" if there else "")
        self.words.setText(said)
        self.words.setVisible(there)
        good = taken if isinstance(taken, Taken) else None
        self.changes.setVisible(good is not None and bool(good.changes))
        self.changes.put(state.changes_table(good), widths=(92, 84, 0))
        self.farthest.setVisible(there)
        self.far.put_value(None if reading is None else reading.far)
        self.answer.setVisible(there)
        self.take.setEnabled(good is not None)

    def _build_materials(self, asked: list[tuple[str, str]], block: Block) -> None:
        reading = self.reading
        if reading is None:
            return
        names = [m.name for m in self.session.project.materials]
        block.add(label("materials that this project does not have", "soft", wrap=True))
        for theirs, where in asked:
            ours = choice([ASKED, *names], partial(self.call, theirs))
            ours.setAccessibleName(f"material for {theirs}")
            ours.setToolTip(f"Used by {where} first")
            block.add(row(label(theirs), None, ours), partial(self._put_name, ours, theirs))

    def _put_name(self, ours: QComboBox, theirs: str) -> None:
        if self.reading is not None:
            ours.setCurrentText(self.reading.names.get(theirs) or ASKED)

    def call(self, theirs: str, ours: str) -> None:
        """Take a material of the project for one of the layout."""
        if self.reading is not None:
            self.reading = self.reading.called(theirs, "" if ours == ASKED else ours)
            self._taken = None
            self.refresh()

    def _build_points(self, block: Block) -> None:
        reading = self.reading
        if reading is None or not reading.anchors:
            return
        block.add(row(label("anchor", "soft"), None, label("comes to", "soft")))
        for number, own in enumerate(reading.anchors):
            field = Field(partial(self._place, number))
            field.setAccessibleName(f"place of anchor {number + 1}")
            field.refused.connect(self.told)
            block.add(
                row(
                    label(vector_text(own, units.LENGTH, 6)), None, field, UnitLabel(units.LENGTH)
                ),
                partial(self._put_point, field, number),
            )

    def _set_far(self, value: float | None) -> TartanError | None:
        if value is not None and not value > 0:
            return DocumentError("That is no distance.", "Ply layout", "Enter a length, or none.")
        if self.reading is not None and value != self.reading.far:
            self.reading, self._taken = replace(self.reading, far=value), None
            self.refresh()
        return None

    def _put_point(self, field: Field, number: int) -> None:
        if self.reading is not None:
            at = (self.reading.to or self.reading.anchors)[number]
            field.put(vector_text(at, units.LENGTH, 6))

    def _place(self, number: int, text: str) -> TartanError | None:
        try:
            at = vector_of(text, units.LENGTH, "Placement")
        except TartanError as error:
            return error
        if self.reading is not None:
            self.reading = self.reading.placed(number, at)
            self._taken = None
            self.refresh()
        return None
