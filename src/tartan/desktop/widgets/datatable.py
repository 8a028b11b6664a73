"""A table that sorts, filters, copies to a spreadsheet and saves as CSV or XLSX."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QSortFilterProxyModel,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import (
    QContextMenuEvent,
    QKeySequence,
    QShortcut,
)
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QMenu,
    QMessageBox,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from tartan.core.errors import TartanError
from tartan.desktop import theme
from tartan.desktop.widgets.modemark import mode_icon
from tartan.exchange.tables import Table, write_table
from tartan.pages.shown import Look
from tartan.project.wording import units
from tartan.project.wording.symbols import meaning

VALUE = Qt.ItemDataRole.UserRole
ROW = Qt.ItemDataRole.UserRole + 1

Index = QModelIndex | QPersistentModelIndex


MEASURED = 60
"""Rows by which the width of a column is found."""

LONGEST = 4
"""Texts of most characters that are measured for it: figures of one length differ little."""

HEAD, LINE = 34, 23
"""Height of a table's head with its margins, and of a line [pixels]."""


class _Rows(QAbstractTableModel):
    """A `Table` as Qt reads it: cells are made only when they come into sight."""

    def __init__(self) -> None:
        super().__init__()
        self.table = Table("", (), ())
        self.looks: Sequence[Sequence[Look | None]] | None = None
        self.frozen = False

    def put(self, table: Table, looks: Sequence[Sequence[Look | None]] | None) -> None:
        """Show another table."""
        self.beginResetModel()
        self.table, self.looks = table, looks
        self.endResetModel()

    def rowCount(self, parent: Index | None = None) -> int:
        return len(self.table.rows)

    def columnCount(self, parent: Index | None = None) -> int:
        return len(self.table.head)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return self.table.head[section]
        if role == Qt.ItemDataRole.ToolTipRole and orientation == Qt.Orientation.Horizontal:
            head = self.table.head[section]
            return meaning(head) or head
        if role == Qt.ItemDataRole.DisplayRole and self.frozen and section < len(self.table.rows):
            # The first column stands still at the left while the others are moved.
            look = self.looks[section][0] if self.looks else None
            return look.text if look else _plain(self.table.rows[section][0])
        return None

    def data(self, index: Index, role: int = 0) -> object:
        cell = self.table.rows[index.row()][index.column()]
        if role == VALUE:
            return cell
        if role == ROW:
            return index.row()
        look = self.looks[index.row()][index.column()] if self.looks else None
        return _shown(cell, look, role)


class _Sorter(QSortFilterProxyModel):
    """Sorts by value, numbers before words; filters by all words typed, in any column."""

    def __init__(self) -> None:
        super().__init__()
        self._words: list[str] = []

    def look_for(self, text: str) -> None:
        """Show only the rows that contain every word."""
        self._words = text.lower().split()
        self.invalidate()

    def lessThan(self, left: QModelIndex, right: QModelIndex) -> bool:
        one, other = left.data(VALUE), right.data(VALUE)
        numbers = isinstance(one, float | int), isinstance(other, float | int)
        if numbers == (True, True):
            return bool(one < other)
        if any(numbers):
            return numbers[0]
        return str(one) < str(other)

    def filterAcceptsRow(self, row: int, parent: QModelIndex) -> bool:
        model = self.sourceModel()
        if model is None or not self._words:
            return True
        cells = [str(model.index(row, j).data()) for j in range(model.columnCount())]
        line = " ".join(cells).lower()
        return all(word in line for word in self._words)


class DataTable(QWidget):
    """Shows a `Table`; tells the row chosen by its index in that table."""

    row_chosen = pyqtSignal(int)
    row_opened = pyqtSignal(int)

    def __init__(self, name: str, *, filtered: bool = True, frozen: bool = False) -> None:
        super().__init__()
        self.table = Table(name, (), ())
        self.model = _Rows()
        self.model.frozen = frozen
        self._frozen = frozen
        self.sorter = _Sorter()
        self.sorter.setSourceModel(self.model)
        self.view = QTableView()
        # Tab leaves the table; arrows move in it.
        self.view.setTabKeyNavigation(False)
        self.view.setAccessibleName(name)
        self.view.setModel(self.sorter)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("show only …")
        self.filter.setAccessibleName(f"Filter of {name}")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(self.sorter.look_for)
        self.filter.setVisible(filtered)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(self.filter)
        box.addWidget(self.view, 1)
        self._build_view()

    def _build_view(self) -> None:
        view = self.view
        view.setShowGrid(False)
        view.setSortingEnabled(True)
        view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        view.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        view.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        view.setWordWrap(False)
        down, across = view.verticalHeader(), view.horizontalHeader()
        assert down is not None
        assert across is not None
        down.setVisible(self._frozen)
        down.setHighlightSections(False)
        down.setDefaultSectionSize(LINE)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        across.setHighlightSections(False)
        across.setMinimumSectionSize(24)
        # Widths are judged by the rows in sight; tables may have thousands.
        across.setResizeContentsPrecision(0)
        across.setSortIndicatorClearable(True)
        across.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        chosen = view.selectionModel()
        assert chosen is not None
        chosen.currentRowChanged.connect(lambda now, _: self._tell(now))
        view.activated.connect(lambda at: self.row_opened.emit(int(at.data(ROW))))
        copy = QShortcut(QKeySequence(QKeySequence.StandardKey.Copy), view)
        copy.setContext(Qt.ShortcutContext.WidgetShortcut)
        copy.activated.connect(self.copy)

    def fit(self, most: int) -> None:
        """Be as high as the lines of the table, or as so many of them."""
        self.setFixedHeight(HEAD + LINE * min(len(self.table.rows), most))

    def put(
        self,
        table: Table,
        looks: Sequence[Sequence[Look | None]] | None = None,
        widths: Sequence[int] = (),
        *,
        anew: bool = False,
    ) -> None:
        """Show a table; sorting, filter and the chosen row stay as they are.

        Parameters
        ----------
        table : Table
            What is shown, copied and saved.
        looks : sequence of rows of Look, optional
            How cells are shown where that is not their plain value.
        widths : sequence of int
            Column widths; the others fit what is in them. 0 takes the rest.
        anew : bool
            Whether it is shown anew though the table is the same: its looks are others.
        """
        if table == self.table and not anew:
            return
        same_head = table.head == self.table.head
        self.table = table
        self.blockSignals(True)
        self.model.put(table, looks)
        if not same_head or anew:
            self._fit(widths)
        self.blockSignals(False)

    def _fit(self, widths: Sequence[int]) -> None:
        if self._frozen:
            self.view.setColumnHidden(0, True)
        across = self.view.horizontalHeader()
        assert across is not None
        # Widths by the first rows: measuring all of a wide table takes seconds.
        for j in range(self.model.columnCount()):
            width = widths[j] if j < len(widths) else -1
            if width == 0:
                across.setSectionResizeMode(j, QHeaderView.ResizeMode.Stretch)
            elif width > 0:
                self.view.setColumnWidth(j, width)
            else:
                self.view.setColumnWidth(j, max(self._widest(j), across.sectionSizeHint(j)))

    def _widest(self, column: int) -> int:
        """Width of the longest texts of a column; each text that is measured is asked for much."""
        order = [
            self.sorter.index(i, column) for i in range(min(MEASURED, self.sorter.rowCount()))
        ]
        longest = sorted(order, key=lambda index: -len(str(index.data() or "")))[:LONGEST]
        return max((self.view.sizeHintForIndex(index).width() for index in longest), default=0)

    def choose(self, row: int | None) -> None:
        """Mark a row of the table without telling of it."""
        self.blockSignals(True)
        self.view.clearSelection()
        if row is not None and row < self.model.rowCount():
            self.view.selectRow(self.sorter.mapFromSource(self.model.index(row, 0)).row())
        self.blockSignals(False)

    def _tell(self, index: QModelIndex) -> None:
        if index.isValid():
            self.row_chosen.emit(int(index.data(ROW)))

    # Taking it elsewhere

    def shown(self) -> Table:
        """Return the table as sorted and filtered."""
        order = [int(self.sorter.index(i, 0).data(ROW)) for i in range(self.sorter.rowCount())]
        rows = tuple(self.table.rows[i] for i in order)
        return Table(self.table.title, self.table.head, rows, self.table.about)

    def copy(self) -> None:
        """Put the shown rows on the clipboard, with their head."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.shown().as_text())

    def ask_save(self) -> None:
        """Ask for a file and save the shown rows there."""
        name = f"{self.table.title}.xlsx"
        path, _ = QFileDialog.getSaveFileName(
            self, "Save table", name, "XLSX (*.xlsx);;CSV (*.csv)"
        )
        if path:
            try:
                write_table(self.shown(), Path(path))
            except TartanError as error:
                QMessageBox.warning(self, "Not saved", str(error))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("copy table", self.copy)
        menu.addAction("save table …", self.ask_save)
        menu.popup(event.globalPos())


def _shown(cell: object, look: Look | None, role: int) -> object:
    """What a cell shows in one of Qt's roles."""
    text = look.text if look else _plain(cell)
    if role == Qt.ItemDataRole.DisplayRole:
        return text
    if look and look.mode:
        if role == Qt.ItemDataRole.DecorationRole:
            return mode_icon(look.mode)
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
            return look.mode
    if role == Qt.ItemDataRole.ToolTipRole:
        return look.tip if look and look.tip else repr(cell) if isinstance(cell, float) else text
    if look and look.ink != "ink" and role == Qt.ItemDataRole.ForegroundRole:
        return theme.colour(look.ink)
    if look and look.ink != "ink" and role == Qt.ItemDataRole.FontRole:
        return theme.strong(9)
    return None


def _plain(cell: object) -> str:
    if cell is None:
        return ""
    return units.number(cell) if isinstance(cell, float) else str(cell)
