"""How the chosen rung is draped: its start, its cells, and how it lies, in words.

While the start is being moved the net follows the pointer, with longer cells; a click lays it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QVBoxLayout

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH
from tartan.core.errors import TartanError
from tartan.core.stack.plies import normal_angle
from tartan.desktop.part.drapelines import DrapeLines
from tartan.desktop.part.form import PartForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    switch,
)
from tartan.desktop.widgets.recordform import Record, add_record
from tartan.exchange.patterns import ROLL, write_patterns
from tartan.pages import draping as state
from tartan.pages.fields import make_up
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.partmodel import Draped, Part, Rung, Vector
from tartan.project.edits import part_edits
from tartan.project.edits.draped_rungs import begin_draping
from tartan.project.wording import units
from tartan.project.wording.units import counted

COARSE = 4.0
"""By how much cells are longer while the start is moved."""


class DrapeForm(PartForm):
    """Drapes the chosen rungs or lays them as projected; tells when there is another net."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.on = switch("draped", "As a net of yarns that do not stretch, from a start")
        self.on.clicked.connect(self._switch)
        self.move_start = switch("move the start", "The net follows the pointer; a click lays it")
        self.move_start.toggled.connect(lambda _: self._end_preview())
        self.turn_it = switch("turn it", "The warp follows the pointer; a click lays it")
        self.turn_it.toggled.connect(lambda _: self._end_preview())
        self.move_start.toggled.connect(lambda on: self.turn_it.setChecked(False) if on else None)
        self.turn_it.toggled.connect(lambda on: self.move_start.setChecked(False) if on else None)
        self._turn = 0.0
        self.roll = QuantityField(units.LENGTH, self._set_roll)
        self.roll.setAccessibleName("Width of the roll")
        self.roll.setMaximumWidth(64)
        self.roll.put_value(ROLL)
        self._width = ROLL
        self.patterns = row(
            button("flat patterns …", self.ask_patterns, "Draped plies true to size: DXF, SVG"),
            None,
            label("roll", "soft"),
            self.roll,
            UnitLabel(units.LENGTH),
            spacing=4,
        )
        self.fields = Block()
        self._table = state.draped_fields(self._edges)
        self.lines = DrapeLines(self._draped, self._change)
        self.lines.changed.connect(self.changed)
        self.lines.told.connect(self.told)
        self.map = choice(state.MAPS, lambda _: self.changed.emit())
        self.map.setAccessibleName("map of the draped ply")
        self.maps = row(label("coloured by", "soft"), None, self.map)
        self.words = label("", "soft", wrap=True)
        self.words.setAccessibleName("How the ply is draped")
        self._preview: Draped | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(row(self.on, self.move_start, self.turn_it, None, spacing=6))
        box.addWidget(self.fields)
        box.addWidget(self.lines)
        box.addWidget(self.maps)
        box.addWidget(self.words)
        box.addWidget(self.patterns)

    @property
    def number(self) -> int | None:
        """The first chosen rung, if any."""
        chosen = self.session.selection.rungs
        rungs = self.part.lay_up if self.part else ()
        return chosen[0] if chosen and chosen[0] < len(rungs) else None

    @property
    def rung(self) -> Rung | None:
        """That rung."""
        return None if self.number is None or self.part is None else self.part.lay_up[self.number]

    def _draped(self) -> Draped | None:
        return None if self.rung is None else self.rung.draped

    def _put(self, words: str, change: Callable[[Rung], Rung]) -> TartanError | None:
        chosen = self.session.selection.rungs
        rungs = tuple(
            change(r) if i in chosen else r
            for i, r in enumerate(self.part.lay_up if self.part else ())
        )
        return self.edit(words, lambda p: part_edits.put_lay_up(p, rungs))

    def _switch(self, on: bool) -> None:
        chosen = self.session.selection.rungs
        self.edit(
            "drape" if on else "lay as projected",
            lambda p: part_edits.put_lay_up(p, begin_draping(p, chosen, on=on)),
        )

    def _change(self, words: str = "", /, **values: object) -> TartanError | None:
        def change(rung: Rung) -> Rung:
            if rung.draped is None:
                return rung
            return replace(rung, draped=replace(rung.draped, **values))  # type: ignore[arg-type]

        return self._put(words or f"draping, {', '.join(values)}", change)

    # Flat patterns

    def _set_roll(self, value: float | None) -> TartanError | None:
        if value is None or not LEAST_LENGTH <= value <= MOST_LENGTH:
            return TartanError("That is no width of a roll.", "Roll", "Enter a length.")
        self._width = value
        return None

    def ask_patterns(self) -> None:
        """Ask for a file and write the flat patterns of all draped plies."""
        path, _ = QFileDialog.getSaveFileName(
            self, "Write flat patterns", "patterns.dxf", "Drawings (*.dxf *.svg)"
        )
        if not path:
            return
        try:
            laid = write_patterns(self.session.project, Path(path), self._width)
        except TartanError as error:
            self.told.emit(str(error))
            return
        length = units.show(laid.length, units.LENGTH)
        self.told.emit(
            f"{counted(len(laid.cuts), 'piece')} on {length} of the roll; "
            f"{100 * laid.waste:.0f} % of it is left over."
        )

    def _edges(self) -> tuple[str, ...]:
        part = self.part
        if part is None:
            return ()
        try:
            return tuple(meshed(part).mesh.edges)
        except TartanError:
            return ()

    @property
    def mapped(self) -> str:
        """What the ply is coloured by."""
        return self.map.currentText()

    # Moving the start

    @property
    def takes_clicks(self) -> bool:
        """Whether clicks on the part are for the ply."""
        return self._draped() is not None and (self.moving or self.lines.drawing)

    @property
    def moving(self) -> bool:
        """Whether the net follows the pointer."""
        on = self.move_start.isChecked() or self.turn_it.isChecked()
        return on and self._draped() is not None

    def _place(self, element: int) -> Draped | None:
        """As it is draped, but for the start of the piece that an element is on."""
        part, draped = self.part, self._draped()
        if part is None or draped is None or element < 0:
            return None
        at = _middle(part, element)
        found = self.shown()
        if found is None or len(found.made.pieces) == 1:
            return replace(draped, start=at)
        own = next((p for p in found.made.pieces if element in p), None)
        if own is None:
            return None
        centres = meshed(part).mesh.centres()[own]

        def inside(start: Vector) -> bool:
            return bool(np.linalg.norm(centres - np.array(start), axis=1).min() < self._near())

        if inside(draped.start):
            return replace(draped, start=at)
        others = tuple(s for s in draped.starts if not inside(s))
        return replace(draped, starts=(*others, at))

    def _near(self) -> float:
        """How near to an element's middle a start of it is [m]."""
        assert self.part is not None
        return float(np.sqrt(meshed(self.part).mesh.areas().max()))

    def point(self, element: int) -> None:
        """Show the net as it would lie from an element's middle, or turned towards it."""
        if self.turn_it.isChecked():
            turn = self._towards(element)
            if turn is not None and turn != self._turn:
                self._turn, self._preview = turn, self._draped()
                self._tell()
                self.changed.emit()
            return
        found = self._place(element)
        if found is not None and found != self._preview:
            self._preview = found
            self._tell()
            self.changed.emit()

    def pick(self, element: int) -> None:
        """Lay the net from an element's middle, or add that to the line that is drawn."""
        if self.lines.drawing:
            if self.part is not None and element >= 0:
                self.lines.pick(_middle(self.part, element))
            return
        if self.turn_it.isChecked():
            turn = self._towards(element)
            if turn is not None:
                self.turn_it.setChecked(False)
                self._put("turn a draped ply", lambda rung: _turned(rung, turn))
            return
        found = self._place(element)
        if found is not None:
            self.move_start.setChecked(False)
            self._change("start of the draping", start=found.start, starts=found.starts)

    def _towards(self, element: int) -> float | None:
        """By how much the ply turns for its warp to run towards an element [deg]."""
        part, number = self.part, self.number
        if part is None or number is None or element < 0:
            return None
        try:
            found = state.draped_ply(self.session.project, number, None, COARSE)
        except TartanError:
            return None
        at = _middle(part, element)
        return None if found is None else state.turn_towards(found, at)

    def _end_preview(self) -> None:
        self._preview, self._turn = None, 0.0
        self._tell()
        self.changed.emit()

    # Showing

    def _found(self) -> state.DrapedPly | None:
        """The chosen rung's ply as it is draped, or would be.

        Raises
        ------
        TartanError
            Where it cannot be.
        """
        if self.number is None:
            return None
        coarse = COARSE if self._preview is not None else 1.0
        project, turn = self.session.project, self._turn
        return state.draped_ply(project, self.number, self._preview, coarse, turn)

    def shown(self) -> state.DrapedPly | None:
        """The chosen rung's ply as it is draped, or would be; None where it is not, or cannot."""
        try:
            return self._found()
        except TartanError:
            return None

    def _tell(self) -> None:
        try:
            found = self._found()
            said = "" if found is None else state.words(self.session.project, found)
        except TartanError as error:
            said = str(error)
        self.words.setText(said)
        self.words.setVisible(bool(said))

    def refresh(self) -> None:
        """Show how the chosen rung is draped."""
        rung, draped = self.rung, self._draped()
        self.setVisible(rung is not None and rung.wound is None)
        self.on.setChecked(draped is not None)
        for each in (self.move_start, self.turn_it):
            each.setVisible(draped is not None)
        if draped is None:
            self._preview, self._turn = None, 0.0
            self.move_start.setChecked(False)
            self.turn_it.setChecked(False)
        self.fields.setVisible(draped is not None)
        self.patterns.setVisible(draped is not None)
        self.lines.setVisible(draped is not None)
        self.maps.setVisible(draped is not None)
        self.lines.refresh()
        self.roll.put_value(self._width)
        lines = () if draped is None else make_up(self._table, draped)
        self.fields.put(lines, self._build)
        self._tell()

    def _build(self, block: Block) -> None:
        if self._draped() is not None:
            record = Record(self._draped, self._change, self.told.emit, "the draping")
            add_record(block, self._table, record)


def _middle(part: Part, element: int) -> Vector:
    """Middle of an element [m]."""
    x, y, z = meshed(part).mesh.centres()[element]
    return float(x), float(y), float(z)


def _turned(rung: Rung, turn: float) -> Rung:
    """A rung with its plies turned, their angles between −90° and 90°."""
    if rung.ply is None:
        return replace(rung, turn=normal_angle(rung.turn + turn))
    return replace(rung, ply=replace(rung.ply, angle=normal_angle(rung.ply.angle + turn)))
