"""Labels, rules, fields and switches: the small parts every station is made of."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar
from weakref import WeakSet

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QShowEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import (
    QAbstractButton,
    QBoxLayout,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from tartan.core.errors import TartanError, fault_of
from tartan.desktop import theme
from tartan.desktop.widgets.explain import told_of
from tartan.project.wording import units
from tartan.project.wording.symbols import meaning
from tartan.project.wording.units import Quantity

WIDEST = 480
"""Pixels that a text may claim, however long a name in it is; what is longer is cut."""


class Words(QLabel):
    """A text that asks for no more room than there can be; its symbols are told in its tip."""

    _all: ClassVar[WeakSet[Words]] = WeakSet()

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self._told = ""
        self.tell()
        Words._all.add(self)

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self.tell()

    @classmethod
    def tell_all(cls) -> None:
        """Tell symbols by other units; a window that is asked for its texts takes longer."""
        for words in list(cls._all):
            if not sip.isdeleted(words):
                words.tell()

    def tell(self) -> None:
        """Tell symbols by the units in force, unless somebody gave another tip."""
        if self.toolTip() == self._told:
            self._told = meaning(self.text())
            self.setToolTip(self._told)

    def minimumSizeHint(self) -> QSize:
        wanted = super().minimumSizeHint()
        return QSize(min(wanted.width(), WIDEST), wanted.height())

    def sizeHint(self) -> QSize:
        wanted = super().sizeHint()
        return QSize(min(wanted.width(), 2 * WIDEST), wanted.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        metrics, text = self.fontMetrics(), self.text()
        # What is set as rich text, such as a subscript, is measured by Qt alone.
        if self.wordWrap() or "</" in text or metrics.horizontalAdvance(text) <= self.width():
            super().paintEvent(event)
            return
        painter = QPainter(self)
        shown = metrics.elidedText(text, Qt.TextElideMode.ElideRight, self.width())
        painter.drawText(self.rect(), int(self.alignment()), shown)


def label(text: str = "", role: str = "", *, wrap: bool = False) -> QLabel:
    """Text; roles are head, soft and fault."""
    made = Words(text)
    if role:
        made.setProperty("role", role)
    made.setWordWrap(wrap)
    return made


def rule() -> QFrame:
    """A hairline across."""
    made = QFrame()
    made.setProperty("role", "rule")
    made.setFixedHeight(1)
    return made


def explain(made: QAbstractButton, tip: str) -> None:
    """Say what a button does, also to those who do not see the sign on it."""
    made.setToolTip(tip)
    made.setWhatsThis(tip)
    words = tip.partition("   ")[0]
    if any(c.isalpha() for c in made.text()):
        made.setAccessibleDescription(words)
    else:
        made.setAccessibleName(words)


def button(text: str, act: Callable[[], object], tip: str = "") -> QPushButton:
    """A word that acts."""
    made = QPushButton(text)
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    explain(made, tip)
    made.clicked.connect(lambda _checked=False: act())
    return made


def switch(text: str, tip: str = "", *, on: bool = False) -> QPushButton:
    """An overlay or mode that is on or off."""
    made = QPushButton(text)
    made.setCheckable(True)
    made.setChecked(on)
    made.setProperty("role", "switch")
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    explain(made, tip)
    return made


def row(*parts: QWidget | int | None, spacing: int = 8) -> QWidget:
    """Widgets side by side; None is a stretch, a number a gap."""
    holder = QWidget()
    return _filled(holder, QHBoxLayout(holder), parts, spacing)


def column(*parts: QWidget | int | None, spacing: int = 6, margin: int = 0) -> QWidget:
    """Widgets below each other; None is a stretch, a number a gap."""
    holder = QWidget()
    return _filled(holder, QVBoxLayout(holder), parts, spacing, margin)


def _filled(
    holder: QWidget,
    box: QBoxLayout,
    parts: tuple[QWidget | int | None, ...],
    spacing: int,
    margin: int = 0,
) -> QWidget:
    box.setContentsMargins(margin, margin, margin, margin)
    box.setSpacing(spacing)
    for part in parts:
        if part is None:
            box.addStretch(1)
        elif isinstance(part, int):
            box.addSpacing(part)
        else:
            box.addWidget(part)
    return holder


def scrolled(content: QWidget) -> QScrollArea:
    """Content that may be longer than its place."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(content)
    viewport = area.viewport()
    if viewport is not None:
        viewport.setAutoFillBackground(False)
    content.setAutoFillBackground(False)
    return area


class Field(QLineEdit):
    """Text edited in place: Enter or leaving commits, Esc takes back, a fault stays to be mended.

    `commit` gets the text and returns the error of a refused edit, or None.
    """

    refused = pyqtSignal(str)

    def __init__(self, commit: Callable[[str], TartanError | None]) -> None:
        super().__init__()
        self._commit = commit
        self._shown = ""
        self._plain_tip = ""
        self._fault = ""
        self.returnPressed.connect(self._finish)

    def put(self, text: str, tip: str = "") -> None:
        """Show a value, unless the user is in the middle of typing another."""
        if self.hasFocus() and self.isModified() and text == self._shown:
            return
        if text == self._shown == self.text() and tip == self._plain_tip and not self._fault:
            return
        self._shown = text
        self._plain_tip = tip
        self.setText(text)
        self.setCursorPosition(0)
        self.mark("")

    def _finish(self) -> None:
        if not self.isModified() or self.text() == self._shown:
            if self.text() == self._shown:
                self.mark("")
            return
        error = self._commit(self.text())
        if error is None:
            self.setModified(False)
        # What is under way stays as it was typed, until it is taken over or refused.
        self.mark(fault_of(error))

    def mark(self, fault: str) -> None:
        """Mark what is typed as faulty, with the reason; empty takes the mark away."""
        if bool(fault) != bool(self.property("fault")):
            self.setProperty("fault", bool(fault))
            style = self.style()
            if style is not None:
                style.unpolish(self)
                style.polish(self)
        self.setToolTip(fault or self._plain_tip)
        if fault != self._fault:
            self._fault = fault
            self.refused.emit(fault)

    def event(self, event: QEvent | None) -> bool:
        if told_of(self, event):
            return True
        # With nothing half-typed, undo and redo belong to the project, not to the text.
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            keys = (QKeySequence.StandardKey.Undo, QKeySequence.StandardKey.Redo)
            if not self.isModified() and any(event.matches(k) for k in keys):
                event.ignore()
                return True
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self._finish()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.setText(self._shown)
            self.setModified(False)
            self.mark("")
            return
        super().keyPressEvent(event)


class QuantityField(Field):
    """A number with its unit; units may be typed freely. An empty text is None if allowed."""

    def __init__(
        self,
        quantity: Quantity,
        commit: Callable[[float | None], TartanError | None],
        *,
        optional: bool = False,
    ) -> None:
        self.quantity = quantity
        self.paths: object = ()
        """Paths of the figure it holds, or what says them; a window offers it over a range."""

        def read(text: str) -> TartanError | None:
            if optional and not text.strip():
                return commit(None)
            try:
                value = units.parse(text, self.quantity)
            except TartanError as error:
                return error
            return commit(value)

        super().__init__(read)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        menu = self.createStandardContextMenu()
        if event is None or menu is None:
            return
        ranges = getattr(self.window(), "ranges", None)
        if self.paths and ranges is not None:
            ranges.add_to(menu, self.paths)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(event.globalPos())

    def put_value(self, value: float | None) -> None:
        """Show an SI value; its full digits stand in the tooltip."""
        if value is None:
            self.put("")
            return
        unit = self.quantity.unit
        tip = f"{value / self.quantity.scale!r} {unit}".strip()
        self.put(units.show(value, self.quantity, unit=False), tip)


class Choice(QComboBox):
    """One of several words, with a chevron of our own; the wheel leaves the choice alone."""

    def event(self, event: QEvent | None) -> bool:
        return told_of(self, event, self.currentText()) or super().event(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("soft" if self.isEnabled() else "line"), 1.5))
        x, y = self.width() - 14.0, self.height() / 2 - 1.5
        painter.drawPolyline(
            QPolygonF([QPointF(x - 3.5, y), QPointF(x, y + 3.5), QPointF(x + 3.5, y)])
        )

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            event.ignore()


def choice(options: Sequence[str], act: Callable[[str], object]) -> QComboBox:
    """Make a choice; `act` hears only what the user chose."""
    made = Choice()
    made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
    made.addItems(list(options))
    made.textActivated.connect(act)
    return made


def set_options(box: QComboBox, options: Sequence[str], chosen: str) -> None:
    """Bring a choice up to date without `act` hearing it."""
    if [box.itemText(i) for i in range(box.count())] != list(options):
        box.clear()
        box.addItems(list(options))
    box.setCurrentIndex(list(options).index(chosen) if chosen in options else -1)


class UnitLabel(QLabel):
    """The unit of a quantity in the display system in force."""

    _all: ClassVar[WeakSet[UnitLabel]] = WeakSet()

    def __init__(self, quantity: Quantity) -> None:
        super().__init__()
        self.quantity = quantity
        self.setProperty("role", "soft")
        self.show_unit()
        UnitLabel._all.add(self)

    @classmethod
    def show_all(cls) -> None:
        """Show other units where they are seen; hundreds on other pages would hold windows up."""
        for label in list(cls._all):
            if not sip.isdeleted(label) and label.isVisible():
                label.show_unit()

    def show_unit(self) -> None:
        """Show the unit as it stands."""
        self.setText(self.quantity.unit)

    def showEvent(self, event: QShowEvent | None) -> None:
        self.show_unit()
        super().showEvent(event)
