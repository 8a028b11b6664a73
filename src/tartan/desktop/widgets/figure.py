"""Figures that open their working, and the pane that shows it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from tartan.core.working import Working
from tartan.desktop import theme
from tartan.desktop.widgets.controls import button, label, row
from tartan.project.wording import units


class Figure(QLabel):
    """A number that opens its working when clicked, or by Enter."""

    opened = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.RichText)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setProperty("role", "figure")

    def put(self, text: str, change: str = "", tip: str = "") -> None:
        """Show a figure and, smaller, its change against the baseline."""
        soft = theme.face().accent
        tail = f" <span style='color:{soft};font-size:7pt'>{change}</span>" if change else ""
        self.setText(f"{text}{tail}")
        self.setToolTip(f"{tip}\nClick for its working".strip())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.opened.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.opened.emit()
            return
        super().keyPressEvent(event)


class WorkingPane(QWidget):
    """The opened derivation of a figure: formula, numbers with units, where they came from."""

    closed = pyqtSignal()
    kept = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.title = label("", "head", wrap=True)
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        self.text.setFont(theme.mono(8.5))
        self.text.setAccessibleName("Working")
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.WidgetWidth)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(row(self.title, None))
        box.addWidget(self.text, 1)
        box.addWidget(
            row(
                button("copy", self.copy, "Copy the working as text"),
                button("keep for the report", self.keep, "It goes into the report"),
                None,
                button("back", self.closed.emit, "Esc"),
            )
        )

    def put(self, working: Working | str) -> None:
        """Show a working, or the words that say why there is none."""
        if isinstance(working, str):
            self.title.setText("Working")
            self.text.setPlainText(working)
            return
        self.title.setText(working.title)
        self.text.setPlainText(working.text(units.worded))

    def copy(self) -> None:
        """Put the working on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.text.toPlainText())

    def keep(self) -> None:
        """Have the working go into the report."""
        self.kept.emit(self.title.text(), self.text.toPlainText())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
            return
        super().keyPressEvent(event)


Open = Callable[[Callable[[], Working]], None]
"""Opens a working that is made when asked."""
