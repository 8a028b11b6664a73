"""Combinations as a matrix: a row each, a column a case; factors are typed and pasted in it."""

from __future__ import annotations

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QTableView, QVBoxLayout, QWidget

from tartan.core.errors import TartanError, fault_of
from tartan.desktop import theme
from tartan.desktop.session import Session
from tartan.desktop.widgets.clipboard import clipboard_text
from tartan.desktop.widgets.controls import label, row
from tartan.exchange.cases.matrix import combinations_table, put_block
from tartan.project.document.model import Project
from tartan.project.edits import case_edits

Index = QModelIndex | QPersistentModelIndex

_ROW, _HEAD = 24, 26
_MOST_ROWS = 6

TIP = (
    "A factor, such as 1.35; “1 held” holds the case while the rest is scaled; empty adds nothing"
)


class _Factors(QAbstractTableModel):
    """The combinations of a project; `typed` tells what was typed where."""

    typed = pyqtSignal(int, int, str)

    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[tuple[str, ...], ...] = ()
        self.cases: tuple[str, ...] = ()

    def put(self, project: Project) -> None:
        """Show other combinations."""
        table = combinations_table(project)
        rows = tuple(tuple(str(c or "") for c in r) for r in table.rows)
        cases = tuple(table.head[1:])
        if (rows, cases) == (self.rows, self.cases):
            return
        if len(rows) == len(self.rows) and cases == self.cases:
            # Where the cursor stands is kept.
            self.rows = rows
            self.dataChanged.emit(self.index(0, 0), self.index(len(rows) - 1, len(cases) - 1))
            self.headerDataChanged.emit(Qt.Orientation.Vertical, 0, len(rows) - 1)
            return
        self.beginResetModel()
        self.rows, self.cases = rows, cases
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.rows)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.cases)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        names = (
            self.cases if orientation == Qt.Orientation.Horizontal else [r[0] for r in self.rows]
        )
        shown = (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole)
        return names[section] if role in shown and section < len(names) else None

    def data(self, index: Index, role: int = 0) -> object:
        text = self.rows[index.row()][index.column() + 1]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.EditRole):
            return text
        if role == Qt.ItemDataRole.AccessibleTextRole:
            combination, case = self.rows[index.row()][0], self.cases[index.column()]
            return f"{text or 'no'} factor of {case} in {combination}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return TIP
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignCenter
        return None

    def setData(self, index: Index, value: object, role: int = 0) -> bool:
        self.typed.emit(index.row(), index.column(), str(value))
        return False

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return super().flags(index) | Qt.ItemFlag.ItemIsEditable


class _Grid(QTableView):
    """The matrix with its keys."""

    def __init__(self, owner: CombinationMatrix) -> None:
        super().__init__()
        self._owner = owner

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if ctrl and event.key() == Qt.Key.Key_C:
            self._owner.copy()
        elif ctrl and event.key() == Qt.Key.Key_V:
            self._owner.paste()
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self._owner.clear()
        else:
            super().keyPressEvent(event)


class CombinationMatrix(QWidget):
    """Shown where there is a combination; the chosen one is the row with the cursor."""

    told = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.model = _Factors()
        self.model.typed.connect(lambda i, j, text: self._put(i, j, [[text]]))
        self.view = _Grid(self)
        self.view.setModel(self.model)
        self.view.setAccessibleName("Factors of the combinations")
        self.view.setTabKeyNavigation(False)
        self.view.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.view.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.view.setCornerButtonEnabled(False)
        across, down = self.view.horizontalHeader(), self.view.verticalHeader()
        assert across is not None
        assert down is not None
        across.setDefaultSectionSize(128)
        across.setFixedHeight(_HEAD)
        for head in (across, down):
            head.setTextElideMode(Qt.TextElideMode.ElideRight)
        down.setDefaultSectionSize(_ROW)
        down.setMaximumWidth(190)
        chosen = self.view.selectionModel()
        assert chosen is not None
        chosen.currentRowChanged.connect(lambda now, _: self._choose(now))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(
            row(label("Combinations", "head"), label("factor of each case", "soft"), None)
        )
        box.addWidget(self.view, 1)
        self.hide()

    def refresh(self) -> None:
        """Show the combinations as they stand."""
        project = self.session.project
        self.model.put(project)
        self.setVisible(bool(project.combinations and project.cases))
        self.view.setFont(theme.font(9))
        self.view.setMinimumHeight(_HEAD + min(len(project.combinations), _MOST_ROWS) * _ROW + 18)
        name = self.session.selection.case
        at = next((i for i, c in enumerate(project.combinations) if c.name == name), None)
        now = self.view.currentIndex()
        if at is not None and now.row() != at:
            model = self.view.selectionModel()
            assert model is not None
            model.blockSignals(True)
            self.view.setCurrentIndex(self.model.index(at, max(now.column(), 0)))
            model.blockSignals(False)
            self._paint()

    def _paint(self) -> None:
        viewport = self.view.viewport()
        if viewport is not None:
            viewport.update()

    def _choose(self, now: QModelIndex) -> None:
        if now.isValid():
            self.session.select(case=self.session.project.combinations[now.row()].name)

    def _put(self, at: int, first: int, cells: list[list[str]]) -> None:
        """Take typed or pasted cells, from a row and a column on."""
        project = self.session.project
        try:
            made = put_block(project, at, first, cells)
        except TartanError as error:
            self.told.emit(str(error))
            return
        refused = self.session.edit("factors", lambda p: case_edits.put_combinations(p, made))
        self.told.emit(fault_of(refused))

    # Keys

    def _block(self) -> tuple[int, int, int, int]:
        """First and last row, first and last column of what is marked."""
        marked = self.view.selectedIndexes() or [self.view.currentIndex()]
        rows, columns = [i.row() for i in marked], [i.column() for i in marked]
        return min(rows), max(rows), min(columns), max(columns)

    def copy(self) -> None:
        """Copy what is marked; the whole matrix with its heads where it is one cell."""
        top, bottom, left, right = self._block()
        clipboard = QApplication.clipboard()
        if clipboard is None or top < 0:
            return
        if (top, left) == (bottom, right):
            clipboard.setText(combinations_table(self.session.project).as_text())
            return
        rows = self.model.rows[top : bottom + 1]
        clipboard.setText("\n".join("\t".join(r[left + 1 : right + 2]) for r in rows))

    def paste(self) -> None:
        """Paste factors from the cell with the cursor on."""
        top, _, left, _ = self._block()
        if top >= 0:
            lines = clipboard_text().splitlines()
            self._put(top, left, [line.split("\t") for line in lines])

    def clear(self) -> None:
        """Take the marked factors out."""
        top, bottom, left, right = self._block()
        if top >= 0:
            self._put(top, left, [[""] * (right - left + 1)] * (bottom - top + 1))
