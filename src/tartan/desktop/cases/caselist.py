"""The cases as a list: added, doubled, renamed, taken out, and moved to and from spreadsheets."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QPushButton, QVBoxLayout, QWidget

from tartan.core.errors import TartanError, fault_of
from tartan.desktop.session import Session
from tartan.desktop.widgets.cards import CardList
from tartan.desktop.widgets.clipboard import clipboard_text
from tartan.desktop.widgets.controls import Field, button, label, row
from tartan.exchange.cases.table import (
    all_tables,
    read_cases,
    rows_of,
    text_of,
    with_pasted,
    write_all,
)
from tartan.exchange.tables import read_rows
from tartan.pages.cases import case_cards
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Case, Combination, OutsideForces
from tartan.project.edits import case_edits
from tartan.project.edits.design_edits import free_name

TALL = 172

_HERE = Qt.ShortcutContext.WidgetShortcut

TABLE_TIP = "Cases, combinations and requirements to and from a spreadsheet"


class CaseList(QWidget):
    """Head with its actions, the cards, and the name of the chosen one."""

    told = pyqtSignal(str)
    done = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.cards = CardList("Cases")
        self.cards.setFixedHeight(TALL)
        self.cards.chosen.connect(lambda name: session.select(case=name))
        self.name = Field(self._rename)
        self.name.setAccessibleName("Case name")
        self.name.refused.connect(self.told.emit)
        self.table_button = QPushButton("table ▾")
        self.table_button.setToolTip(TABLE_TIP)
        self.table_button.setStyleSheet("QPushButton::menu-indicator { width: 0; }")
        self.table_button.setMenu(self._table_menu())
        for keys, act in (
            (QKeySequence.StandardKey.Copy, self.copy_table),
            (QKeySequence.StandardKey.Paste, self.paste),
            (QKeySequence.StandardKey.Delete, self.remove),
            ("Ctrl+D", self.duplicate),
        ):
            QShortcut(QKeySequence(keys), self.cards, act).setContext(_HERE)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addWidget(
            row(
                label("Cases", "head"),
                None,
                button("+ case", self.add_case),
                button("+ combination", self.add_combination, "Factors are typed in the matrix"),
                button("double", self.duplicate, "Another case like the chosen one   Ctrl+D"),
                button("remove", self.remove, "Del"),
                self.table_button,
                spacing=4,
            )
        )
        box.addWidget(self.cards)
        box.addWidget(self.name)

    def _table_menu(self) -> QMenu:
        menu = QMenu(self)
        menu.addAction("paste cases, combinations, requirements\tCtrl+V", self.paste)
        menu.addAction("copy them all\tCtrl+C", self.copy_table)
        menu.addSeparator()
        menu.addAction("read from CSV or XLSX …", self.ask_read)
        menu.addAction("save as CSV or XLSX …", self.ask_save)
        return menu

    # What is chosen

    @property
    def chosen(self) -> Case | Combination | OutsideForces | None:
        """The chosen case, combination, or forces of another analysis."""
        project, name = self.session.project, self.session.selection.case
        every: list[Case | Combination | OutsideForces] = [
            *project.cases,
            *project.combinations,
            *project.outside,
        ]
        return next((c for c in every if c.name == name), None)

    def refresh(self) -> None:
        """Show the cases as they stand."""
        name = self.session.selection.case
        self.cards.put(case_cards(self.session.project), name)
        self.name.setVisible(bool(name))
        self.name.put(name)

    # Edits

    def _edit(self, name: str, change: Callable[[Project], Project]) -> TartanError | None:
        error = self.session.edit(name, change)
        self.told.emit(fault_of(error))
        return error

    def _rename(self, text: str) -> TartanError | None:
        old = self.session.selection.case
        error = self.session.edit(f"rename {old}", lambda p: case_edits.rename_case(p, old, text))
        if error is None:
            self.session.select(case=text.strip())
        return error

    def add_case(self) -> None:
        """Add a case without loads, on the supports of the chosen one."""
        old = self.chosen
        supports = old.supports if isinstance(old, Case) else ""
        self._add(Case(free_name("case", self.session.project.case_names), (), supports))

    def add_combination(self) -> None:
        """Add a combination without factors."""
        self._add(Combination(free_name("combination", self.session.project.case_names)))

    def duplicate(self) -> None:
        """Add another case or combination like the chosen one."""
        old = self.chosen
        if isinstance(old, Case | Combination):
            self._add(replace(old, name=free_name(old.name, self.session.project.case_names)))
        else:
            self.told.emit("Choose a case or combination first.")

    def _add(self, new: Case | Combination) -> None:
        if isinstance(new, Case):
            refused = self._edit("add case", lambda p: case_edits.put_cases(p, (*p.cases, new)))
        else:
            refused = self._edit(
                "add combination",
                lambda p: case_edits.put_combinations(p, (*p.combinations, new)),
            )
        if refused is None:
            self.session.select(case=new.name)
            self.name.setFocus()
            self.name.selectAll()

    def remove(self) -> None:
        """Remove the chosen case, combination or forces of another analysis."""
        old = self.chosen
        if isinstance(old, Case):
            self._edit(
                "remove case",
                lambda p: case_edits.put_cases(p, tuple(c for c in p.cases if c != old)),
            )
        elif isinstance(old, Combination):
            self._edit(
                "remove combination",
                lambda p: case_edits.put_combinations(
                    p, tuple(c for c in p.combinations if c != old)
                ),
            )
        elif old is not None:
            self._edit(
                "remove section forces",
                lambda p: case_edits.put_outside(p, tuple(x for x in p.outside if x != old)),
            )

    # Spreadsheets

    def copy_table(self) -> None:
        """Put all cases, combinations and requirements on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(text_of(self.session.project))

    def paste(self) -> None:
        """Take cases, combinations and requirements from the clipboard."""
        self._take(lambda: rows_of(clipboard_text()), "Clipboard")

    def ask_read(self) -> None:
        """Choose a file of cases and read it."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Read cases", "", "Tables (*.csv *.xlsx);;All files (*)"
        )
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Take cases, combinations and requirements from a file."""
        self._take(lambda: read_rows(path), path.name)

    def _take(self, rows: Callable[[], Sequence[Sequence[str]]], source: str) -> None:
        project = self.session.project
        try:
            pasted = read_cases(rows(), project, source)
        except TartanError as error:
            self.told.emit(str(error))
            return
        old = {*project.case_names}
        if self._edit(f"paste {pasted.words}", lambda p: with_pasted(p, pasted)) is None:
            names = [c.name for c in pasted.cases] + [c.name for c in pasted.combinations]
            if names:
                self.session.select(case=names[0])
            again = sum(n in old for n in names)
            replaced = f", {again} of them in place of those so called" if again else ""
            self.done.emit(f"Taken: {pasted.words}{replaced}. Ctrl+Z takes them back.")

    def ask_save(self) -> None:
        """Choose a file, and save cases, combinations and requirements there."""
        name, _ = QFileDialog.getSaveFileName(
            self, "Save cases", "cases.xlsx", "XLSX (*.xlsx);;CSV (*.csv)"
        )
        if not name:
            return
        try:
            write_all(all_tables(self.session.project), Path(name))
        except TartanError as error:
            self.told.emit(str(error))
