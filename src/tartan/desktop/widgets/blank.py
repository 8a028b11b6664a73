"""An empty page: the one next step in large, a field that takes it by typing, and other ways."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from tartan.desktop import theme
from tartan.desktop.nextstep import NextStep
from tartan.desktop.widgets.clipboard import clipboard_text
from tartan.desktop.widgets.controls import label

WIDE = 560


class Blank(QWidget):
    """Shows a step; what is typed or pressed is told by the key of the way."""

    taken = pyqtSignal(str)
    typed = pyqtSignal(str)
    pasted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.step: NextStep | None = None
        self.head = label()
        self.head.setFont(theme.strong(20))
        self.words = label("", "soft", wrap=True)
        self.words.setFont(theme.font(11))
        self.field = _TypedField(self)
        self.field.setMinimumHeight(38)
        self.field.returnPressed.connect(self._enter)
        self.fault = label("", "fault", wrap=True)
        self.fault.setMinimumHeight(34)
        self.fault.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.ways: list[QPushButton] = []
        self._list = QVBoxLayout()
        self._list.setSpacing(2)
        middle = QWidget()
        middle.setFixedWidth(WIDE)
        box = QVBoxLayout(middle)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(10)
        box.addStretch(2)
        for part in (self.head, self.words, self.field, self.fault):
            box.addWidget(part)
        box.addLayout(self._list)
        box.addStretch(3)
        across = QHBoxLayout(self)
        across.addStretch(1)
        across.addWidget(middle)
        across.addStretch(1)

    def put(self, step: NextStep) -> None:
        """Show a step; nothing half-typed is lost while it stays the same."""
        if step == self.step:
            return
        self.step = step
        self.head.setText(step.head)
        self.words.setText(step.words)
        self.field.setVisible(bool(step.typed))
        self.field.setPlaceholderText(step.typed)
        self.field.setAccessibleName(step.head)
        self.field.clear()
        self.tell("")
        while self._list.count():
            item = self._list.takeAt(0)
            widget = None if item is None else item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.ways = []
        for way in step.ways:
            line = QWidget()
            across = QHBoxLayout(line)
            across.setContentsMargins(0, 0, 0, 0)
            pressed = QPushButton(way.words)
            pressed.setFont(theme.strong(11))
            pressed.setMinimumWidth(170)
            pressed.setCursor(Qt.CursorShape.PointingHandCursor)
            pressed.clicked.connect(lambda _=False, k=way.key: self.taken.emit(k))
            across.addWidget(pressed)
            across.addWidget(label(way.tells, "soft"), 1)
            self._list.addWidget(line)
            self.ways.append(pressed)

    def tell(self, fault: str) -> None:
        """Say why what was typed cannot be taken; its room is kept free."""
        self.fault.setText(fault)

    def _enter(self) -> None:
        if self.field.text().strip():
            self.typed.emit(self.field.text())

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self.field.isVisibleTo(self):
            self.field.setFocus()


class _TypedField(QLineEdit):
    """A line of text; a pasted table goes to the page instead."""

    def __init__(self, page: Blank) -> None:
        super().__init__()
        self._page = page
        self.setFont(theme.font(12))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.matches(QKeySequence.StandardKey.Paste):
            text = clipboard_text()
            if "\n" in text.strip() or "\t" in text:
                self._page.pasted.emit()
                return
        super().keyPressEvent(event)
