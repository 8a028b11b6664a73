"""What one change would do: every single change of the stack, ranked while you watch."""

from __future__ import annotations

from collections.abc import Iterator

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.criteria import criterion
from tartan.core.criteria.base import data_of
from tartan.core.errors import TartanError
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.materials import Material
from tartan.core.search.changes import Change, each_change
from tartan.core.search.whatif import Ranked, rank
from tartan.core.stack.groups import bare
from tartan.desktop.session import Session
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.time_slices import Slices
from tartan.desktop.widgets.controls import button, choice, label, switch
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.flow import wrapped
from tartan.exchange.tables import Table
from tartan.pages.changes import SHOWN, merit, ranked_row
from tartan.project.document.model import Project
from tartan.project.edits import stack_edits
from tartan.project.wording import units

QUIET = 250
"""Milliseconds after an edit before ranking begins."""

ORDERS = ("by gain", "by gain per added mass")


class WhatIfPane(QWidget):
    """Ranked changes; Enter or a double click applies one, undo takes it back."""

    toggled = pyqtSignal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._chosen: Chosen | None = None
        self._asked: object = None
        self._found: list[Ranked] = []
        self._count = 0
        self.slices = Slices(self)
        self.open = switch("what one change would do", "Rank every single change", on=True)
        self.open.toggled.connect(self._toggle)
        self.order = choice(ORDERS, lambda _: self._fill())
        self.order.setAccessibleName("Order of changes")
        self.note = label("", "soft")
        self.table = DataTable("what one change would do", filtered=False)
        self.table.row_opened.connect(self.apply)
        self.best_first: list[Ranked] = []
        self.apply_button = button("apply", self.apply_chosen, "Enter")
        enter = QShortcut(QKeySequence("Return"), self.table.view)
        enter.setContext(Qt.ShortcutContext.WidgetShortcut)
        enter.activated.connect(self.apply_chosen)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(
            wrapped(self.open, self.note, None, self.order, self.apply_button, spacing=6)
        )
        box.addWidget(self.table, 1)

    def _toggle(self, on: bool) -> None:
        for part in (self.table, self.order, self.apply_button):
            part.setVisible(on)
        self._asked = None
        if on and self._chosen is not None:
            self.put(self._chosen)
        elif not on:
            self.slices.drop()
            self.note.setText("")
        self.toggled.emit(on)

    # Ranking

    def put(self, chosen: Chosen) -> None:
        """Rank the changes of a stack, unless that has been done already."""
        self._chosen = chosen
        if not self.open.isChecked():
            return
        project = self.session.project
        loads = project.loads_on(chosen.stack.name)
        asked = (
            bare(chosen.stack.plies),
            project.materials,
            project.conditions,
            loads,
            chosen.criteria,
            units.system(),
        )
        if asked == self._asked:
            return
        self._asked, self._found = asked, []
        self.slices.drop()
        if not loads or chosen.laminate is None:
            self._fill()
            self.note.setText("needs a load case")
            return
        self.note.setText("ranking …")
        self.slices.start(self._work(chosen, project, loads), self._hear, self._end, QUIET)

    def _work(
        self, chosen: Chosen, project: Project, loads: tuple[LoadCase, ...]
    ) -> Iterator[list[Ranked]]:
        """Rank the changes of what was asked; the project may have gone on meanwhile."""
        materials = [project.in_force(m) for m in project.materials]
        by_name = {m.name: m for m in materials}
        usable = [Change("", bare(chosen.stack.plies), ())]
        allowed = {name: _judged(m, chosen) for name, m in by_name.items()}
        present = {p.material for p in chosen.stack.plies}
        offered = [m for m in materials if allowed[m.name] or m.name in present]
        for number, change in enumerate(each_change(chosen.stack.plies, offered)):
            usable.append(change)
            if number % 50 == 0:
                # A breath: making the candidates of a long stack takes a while too.
                yield []
        self._count = len(usable) - 1
        yield from rank(usable, by_name, loads, chosen.criteria.sets)

    def _hear(self, piece: list[Ranked]) -> None:
        if not piece:
            return
        first = not self._found
        before = len(self._found)
        self._found += piece
        # The best so far are shown at once, and from time to time until all are known.
        if first or before // 1000 != len(self._found) // 1000:
            self._fill()

    def _end(self, error: TartanError | None) -> None:
        if error is not None:
            self._found = []
            self._fill()
            self.note.setText(str(error))
        else:
            self._fill()

    @property
    def _here(self) -> Ranked | None:
        return next((r for r in self._found if not r.change.words), None) or (
            self._found[0] if self._found else None
        )

    def _fill(self) -> None:
        here = self._here
        if here is None:
            self.best_first = []
            self.table.put(Table("what one change would do", (), ()))
            return
        per_mass = self.order.currentText() == ORDERS[1]
        others = [r for r in self._found if r is not here]
        others.sort(key=lambda r: merit(r, here, per_mass=per_mass))
        self.best_first = others[:SHOWN]
        loads = self.session.project.loads_on(self._chosen.stack.name) if self._chosen else ()
        rows, looks = [], []
        for r in self.best_first:
            cells, shown = ranked_row(r, here, loads[r.load].name if r.load < len(loads) else "")
            rows.append(cells)
            looks.append(shown)
        unit = units.AREAL_MASS.unit
        head = ("change", "RF", "gain", f"mass [{unit}]", "gain / mass", "load case")
        self.table.put(
            Table("what one change would do", head, tuple(rows)), looks, (0, 48, 52, 78, 74, 100)
        )
        count = f"{len(others)} of {self._count}" if self.slices.busy else f"{len(others)}"
        self.note.setText(f"{count} tried · now {units.factor(here.reserve)}")

    # Applying

    def apply_chosen(self) -> None:
        """Apply the marked change, or the best."""
        index = self.table.view.currentIndex()
        self.apply(int(index.data(Qt.ItemDataRole.UserRole + 1)) if index.isValid() else 0)

    def apply(self, line: int) -> None:
        """Apply a change of the table as one undo step and pick the plies it touched."""
        if self._chosen is None or line >= len(self.best_first):
            return
        change, name = self.best_first[line].change, self._chosen.stack.name
        error = self.session.edit(
            f"{change.words}, {name}", lambda p: stack_edits.put_plies(p, name, change.plies)
        )
        if error is None:
            self.session.select(plies=change.touched)
        else:
            self.note.setText(str(error))


def _judged(material: Material, chosen: Chosen) -> bool:
    """Whether a material that a change may bring in has a criterion and what that needs."""
    sets = chosen.criteria.sets
    keys = sets.get(material.name, sets.get(material.kind, ()))
    rules = [criterion(key) for key in keys]
    try:
        return any(data_of(material, r) is not None for r in rules if r.stress != "sandwich")
    except TartanError:
        return False
