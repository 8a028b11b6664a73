"""Menus of the Stacks station: what can be done with the whole stack, and columns to show."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu, QWidget

from tartan.core.errors import TartanError, fault_of
from tartan.core.stack import operations
from tartan.desktop.session import Session
from tartan.desktop.stacks.editor import SectionEditor
from tartan.exchange.plies_table import plies_table, read_plies_file
from tartan.exchange.tables import write_table
from tartan.pages import stacks as state
from tartan.pages.stack_answers import COLUMN_KINDS, criterion_columns
from tartan.project.document.model import CriteriaSet
from tartan.project.edits import stack_edits

TABLES = "Tables (*.csv *.xlsx)"


class StackActions:
    """Edits of the chosen stack as a whole."""

    def __init__(
        self, parent: QWidget, session: Session, editor: SectionEditor, tell: Callable[[str], None]
    ) -> None:
        self.parent, self.session, self.editor, self._tell = parent, session, editor, tell

    def whole(self, name: str, change: Callable[[state.Plies], state.Plies]) -> None:
        """Apply an operation to all plies as one undo step."""
        self.editor.apply(name, lambda: state.Edited(change(self.editor.plies), ()))

    def menu(self) -> QMenu:
        """Everything that can be done with the stack."""
        menu = QMenu(self.parent)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for name, change in (
            ("mirror", operations.mirror),
            ("mirror about the top ply", lambda p: operations.mirror(p, middle=True)),
            ("reverse", operations.reverse),
            ("turn by 45°", lambda p: operations.rotate(p, 45.0)),
            ("turn by 90°", lambda p: operations.rotate(p, 90.0)),
            ("lay twice", lambda p: operations.repeat(p, 2)),
        ):
            menu.addAction(name, lambda n=name, c=change: self.whole(n, c))
        menu.addAction("turn by …", self.ask_turn)
        menu.addAction("lay several times …", self.ask_repeat)
        menu.addSeparator()
        laid = menu.addMenu("lay a sub-laminate")
        assert laid is not None
        for stack in self.session.project.stacks:
            if stack.name != self.session.selection.stack and stack.plies:
                laid.addAction(stack.name, lambda n=stack.name: self.lay(n))
        menu.addAction("make the picked plies a sub-laminate", self.make_sub)
        menu.addSeparator()
        menu.addAction("read plies from CSV or XLSX …", self.ask_read)
        menu.addAction("write plies to CSV or XLSX …", self.ask_write)
        return menu

    def ask_turn(self) -> None:
        """Ask for an angle and turn the whole stack by it."""
        angle, given = QInputDialog.getDouble(
            self.parent, "Turn the stack", "Angle [°]", 15.0, -180.0, 180.0, 3
        )
        if given:
            self.whole(f"turn by {angle:g}°", lambda p: operations.rotate(p, angle))

    def ask_repeat(self) -> None:
        """Ask how often the sequence is laid."""
        times, given = QInputDialog.getInt(self.parent, "Lay several times", "Times", 2, 1, 100)
        if given:
            self.whole(f"lay {times} times", lambda p: operations.repeat(p, times))

    def lay(self, name: str) -> None:
        """Lay another stack as a sub-laminate above the picked plies."""
        stack = self.session.project.stack(name)
        if stack is not None:
            picked = self.session.selection.plies
            self.editor.apply(
                f"lay {name}", lambda: state.lay_sub(self.editor.plies, picked, stack)
            )

    def make_sub(self) -> None:
        """Make the picked plies, which lie together, a stack of their own and lay that."""
        picked = self.session.selection.plies
        if not picked or max(picked) - min(picked) + 1 != len(picked):
            self._tell("Pick plies that lie together, then make them a sub-laminate.")
            return
        here = self.session.selection.stack
        error = self.session.edit(
            "make a sub-laminate", lambda p: stack_edits.make_sub_laminate(p, here, picked)
        )
        self._tell(fault_of(error))

    def read(self, path: Path) -> None:
        """Replace the plies by those of a file."""
        project = self.session.project

        def compute() -> state.Edited:
            return state.Edited(tuple(read_plies_file(path, project)), ())

        self.editor.apply(f"read {path.name}", compute)

    def ask_read(self) -> None:
        """Ask for a table and read the plies from it."""
        path, _ = QFileDialog.getOpenFileName(self.parent, "Read plies", "", TABLES)
        if path:
            self.read(Path(path))

    def ask_write(self) -> None:
        """Ask for a file and write the plies to it."""
        name = self.session.selection.stack
        path, _ = QFileDialog.getSaveFileName(
            self.parent, "Write plies", f"{name}.xlsx", "XLSX (*.xlsx);;CSV (*.csv)"
        )
        if path:
            try:
                write_table(plies_table(name, self.editor.plies), Path(path))
            except TartanError as error:
                self._tell(str(error))


def columns_menu(
    parent: QWidget, criteria: CriteriaSet, on: set[str], switch: Callable[[str, bool], None]
) -> QMenu:
    """Columns that can be switched on, by group."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    entries = [(k.group, k.key, k.title) for k in COLUMN_KINDS]
    entries += [("reserve factor", key, title) for key, title in criterion_columns(criteria)]
    group = ""
    for name, key, title in entries:
        if name != group:
            group = name
            menu.addSection(name)
        action = menu.addAction(title)
        assert action is not None
        action.setCheckable(True)
        action.setChecked(key in on)
        action.toggled.connect(lambda checked, k=key: switch(k, checked))
    return menu
