"""The section picture as an editor: plies are picked, typed over, added and moved by keyboard."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QApplication, QLineEdit

from tartan.core.errors import TartanError
from tartan.desktop import theme
from tartan.desktop.session import Session
from tartan.desktop.widgets.ring import paint_ring
from tartan.desktop.widgets.section import SectionPicture
from tartan.exchange.plies_table import plies_table
from tartan.pages import stacks as state
from tartan.pages.stacks import Edited
from tartan.project.edits import stack_edits
from tartan.project.wording import units

DRAGGED = 4
"""Pixels a press has to move to become a drag."""


class SectionEditor(SectionPicture):
    """Section picture of the chosen stack.

    Type an angle to change the picked plies, Enter adds one like the last, Delete removes,
    Alt with the arrows moves, as dragging does; copy, cut and paste as everywhere.
    """

    paste_asked = pyqtSignal(str, object)

    def __init__(self, session: Session, tell: Callable[[str], None]) -> None:
        super().__init__()
        self.session = session
        self._tell = tell
        self._anchor = 0
        self._alone: int | None = None
        self._pressed_at: float | None = None
        self._drop: int | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Plies")
        self.ply_pressed.connect(self._press)
        self._entry = QLineEdit(self)
        self._entry.hide()
        self._entry.setAccessibleName("Angle of the picked plies")
        self._entry.installEventFilter(self)

    # Plies and picking

    @property
    def plies(self) -> state.Plies:
        """Plies of the chosen stack."""
        stack = self.session.project.stack(self.session.selection.stack)
        return stack.plies if stack else ()

    def apply(self, label: str, compute: Callable[[], Edited]) -> TartanError | None:
        """Make an edit one undo step and select what it says."""
        stack = self.session.selection.stack
        try:
            edited = compute()
        except TartanError as refused:
            self._tell(str(refused))
            return refused
        error = self.session.edit(
            f"{label}, {stack}", lambda p: stack_edits.put_plies(p, stack, edited.plies)
        )
        if error is None:
            self._anchor = max(edited.picked, default=0)
            self.session.select(plies=edited.picked)
        else:
            self._tell(str(error))
        return error

    def _press(self, ply: int, modifiers: Qt.KeyboardModifier) -> None:
        picked = self.session.selection.plies
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            self._extend(ply)
        elif modifiers & Qt.KeyboardModifier.ControlModifier:
            self.session.select(plies=tuple(sorted(set(picked) ^ {ply})))
        elif ply not in picked:
            self._anchor = ply
            self.session.select(plies=self._whole_fold(ply))
        else:
            # Pressed on what is picked: it may be dragged; a mere click picks it alone.
            self._alone = ply

    def _whole_fold(self, ply: int) -> tuple[int, ...]:
        """A ply, or all of the folded sub-laminate it lies in."""
        for fold in self.folds:
            if fold.folded and fold.first <= ply < fold.first + fold.count:
                return tuple(range(fold.first, fold.first + fold.count))
        return (ply,)

    # Dragging

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._alone = None
        super().mousePressEvent(event)
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            inside = event.position().x() <= self.left + self._width()
            ply = self.ply_at(event.position().y())
            draggable = inside and ply is not None and ply in self.session.selection.plies
            self._pressed_at = event.position().y() if draggable else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        super().mouseMoveEvent(event)
        if event is None or self._pressed_at is None:
            return
        if self._drop is not None or abs(event.position().y() - self._pressed_at) > DRAGGED:
            self._drop = self._place_at(event.position().y())
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        before, picked = self._drop, self.session.selection.plies
        alone, self._alone = self._alone, None
        self._end_drag()
        if before is not None:
            self.apply("move plies", lambda: state.drop_at(self.plies, picked, before))
        elif alone is not None:
            self._anchor = alone
            self.session.select(plies=self._whole_fold(alone))

    def _place_at(self, y: float) -> int:
        """Index before which a block dropped at a height is laid."""
        for i, rect in enumerate(self._rects()):
            if y > rect.center().y():
                return i
        return len(self.plies)

    def _end_drag(self) -> None:
        self._drop = self._pressed_at = None
        self.unsetCursor()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self._paint_all(event)
        paint_ring(self)

    def _paint_all(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self._drop is None:
            return
        rects = self._rects()
        y = rects[self._drop].bottom() if self._drop < len(rects) else rects[-1].top()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colour("accent"), 3))
        painter.drawLine(QPointF(self.left - 4, y), QPointF(self.left + self._width() + 4, y))
        painter.setBrush(theme.colour("accent"))
        painter.drawEllipse(QPointF(self.left - 4, y), 3, 3)

    def _extend(self, ply: int) -> None:
        low, high = sorted((self._anchor, ply))
        self.session.select(plies=tuple(range(low, high + 1)))

    def _step(self, step: int, *, extend: bool) -> None:
        if not self.plies:
            return
        picked = self.session.selection.plies
        edge = (max(picked) if step > 0 else min(picked)) if picked else -1
        ply = max(0, min(len(self.plies) - 1, edge + step))
        if extend:
            self._extend(ply)
        else:
            self._anchor = ply
            self.session.select(plies=(ply,))

    # Keys

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        if event.key() == Qt.Key.Key_Escape and self._drop is not None:
            self._end_drag()
            return
        if self._edit_key(event) or self._clipboard_key(event):
            return
        text = event.text()
        if self.session.selection.plies and text and text in "0123456789+-−.":
            self._begin_entry(text)
        else:
            super().keyPressEvent(event)

    def _edit_key(self, event: QKeyEvent) -> bool:
        picked = self.session.selection.plies
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        key = event.key()
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
        if key in steps and alt:
            self.apply("move plies", lambda: state.move(self.plies, picked, steps[Qt.Key(key)]))
        elif key in steps:
            self._step(steps[Qt.Key(key)], extend=shift)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.add_ply()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.delete_plies()
        else:
            return False
        return True

    def _clipboard_key(self, event: QKeyEvent) -> bool:
        if not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        clipboard = QApplication.clipboard()
        chosen = [self.plies[i] for i in self.session.selection.plies]
        if clipboard is None:
            return False
        if event.key() == Qt.Key.Key_A:
            self.session.select(plies=tuple(range(len(self.plies))))
        elif event.key() in (Qt.Key.Key_C, Qt.Key.Key_X) and chosen:
            clipboard.setText(plies_table("", chosen).as_text())
            if event.key() == Qt.Key.Key_X:
                self.delete_plies()
        elif event.key() == Qt.Key.Key_V:
            self.paste(clipboard.text())
        else:
            return False
        return True

    def paste(self, text: str) -> None:
        """Lay copied plies; columns without heads are shown as understood before."""
        picked = self.session.selection.plies

        def lay() -> None:
            self.apply(
                "paste plies", lambda: state.paste(self.session.project, self.plies, picked, text)
            )
            self.setFocus()

        words = state.paste_words(text)
        try:
            state.paste(self.session.project, self.plies, picked, text)
        except TartanError:
            # What cannot be laid is told at once, with its row and column.
            words = ""
        if words:
            self.paste_asked.emit(words, lay)
        else:
            lay()

    def add_ply(self) -> None:
        """Add a ply like the topmost picked one."""
        picked = self.session.selection.plies
        self.apply("add ply", lambda: state.insert_like(self.session.project, self.plies, picked))

    def delete_plies(self) -> None:
        """Remove the picked plies."""
        picked = self.session.selection.plies
        if picked:
            self.apply("remove plies", lambda: state.delete(self.plies, picked))

    # Typing an angle

    def _begin_entry(self, text: str) -> None:
        ply = max(self.session.selection.plies)
        band: QRectF = self.rect_of(ply)
        height = 24
        self._entry.setGeometry(
            int(band.left()) + 30, int(band.center().y()) - height // 2, 74, height
        )
        self._entry.setText(text)
        self._entry.setProperty("fault", False)
        self._entry.show()
        self._entry.setFocus()
        self._entry.setCursorPosition(len(text))

    def _enter_angle(self) -> None:
        picked = self.session.selection.plies
        try:
            angle = units.parse(self._entry.text(), units.ANGLE)
        except TartanError as error:
            self._tell(str(error))
            return
        if self.apply("angle", lambda: state.change(self.plies, picked, angle=angle)) is None:
            self._end_entry()

    def _end_entry(self) -> None:
        self._entry.hide()
        self.setFocus()

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.FocusOut and self._entry.isVisible():
            self._entry.hide()
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self._tell("")
                self._end_entry()
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                # Taken here: passed on, the same key would add a ply.
                self._enter_angle()
                return True
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                self._enter_angle()
                self._step(1 if event.key() == Qt.Key.Key_Up else -1, extend=False)
                return True
        return False
