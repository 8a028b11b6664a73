"""Several of several: a button that says what is chosen and opens a list to tick."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QFrame, QPushButton, QVBoxLayout, QWidget

from tartan.desktop.widgets.controls import button, row, scrolled

MOST_HEIGHT = 340


class ManyChoice(QPushButton):
    """Says what is chosen; nothing ticked, or all, is all.

    Parameters
    ----------
    noun, nouns : str
        What is chosen, one and several of it.
    tip : str
        What the choice does.
    none : str
        What stands where nothing is ticked, if that is nothing and not all.
    """

    changed = pyqtSignal()

    def __init__(self, noun: str, nouns: str, tip: str, *, none: str = "") -> None:
        super().__init__()
        self._none = none
        self._nouns = nouns
        self.names: tuple[str, ...] = ()
        self.chosen: tuple[int, ...] = ()
        self._boxes: list[QCheckBox] = []
        self._popup: QFrame | None = None
        self.setProperty("role", "switch")
        self._tip = tip
        self.setToolTip(tip)
        self.setAccessibleName(f"{noun} choice")
        self.clicked.connect(self._open)
        self._say()

    def put(self, names: Sequence[str]) -> None:
        """Offer other things; what is chosen stays where its name stays."""
        if tuple(names) == self.names:
            return
        kept = {self.names[i] for i in self.chosen}
        self.names = tuple(names)
        self.chosen = tuple(i for i, n in enumerate(names) if n in kept)
        self._say()

    def choose(self, chosen: Sequence[int]) -> None:
        """Choose by number; all of them is none of them."""
        picked = tuple(sorted(set(chosen)))
        picked = () if len(picked) == len(self.names) and not self._none else picked
        if picked != self.chosen:
            self.chosen = picked
            self._say()
            self.changed.emit()

    def show_chosen(self, names: Sequence[str], chosen: Sequence[str]) -> None:
        """Offer things and tick those of a list, without telling of a change."""
        self.names = tuple(names)
        self.chosen = tuple(i for i, n in enumerate(names) if n in chosen)
        self._say()

    def _say(self) -> None:
        if self._none:
            self._say_further()
            return
        if not self.chosen:
            words = f"all {self._nouns}"
        elif len(self.chosen) == 1:
            words = self.names[self.chosen[0]]
        else:
            words = f"{len(self.chosen)} of {len(self.names)} {self._nouns}"
        self.setText(words if len(words) <= 22 else f"{words[:21]}…")

    def _say_further(self) -> None:
        """Say how many are ticked beside the one that is there anyway."""
        more = f"+ {len(self.chosen)}" if self._none == "+" else f"{self._none} {len(self.chosen)}"
        self.setText(more if self.chosen else self._none)
        names = ", ".join(self.names[i] for i in self.chosen)
        self.setToolTip(f"also {names}" if names else self._tip)
        self.setChecked(False)

    def _open(self) -> None:
        popup = QFrame(self, Qt.WindowType.Popup)
        popup.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        popup.setProperty("role", "panel")
        holder = QWidget()
        inside = QVBoxLayout(holder)
        inside.setContentsMargins(8, 4, 8, 4)
        inside.setSpacing(3)
        self._boxes = []
        for i, name in enumerate(self.names):
            box = QCheckBox(name)
            box.setChecked(i in self.chosen)
            box.toggled.connect(lambda _: self._read())
            inside.addWidget(box)
            self._boxes.append(box)
        area = scrolled(holder)
        around = QVBoxLayout(popup)
        around.setContentsMargins(4, 4, 4, 4)
        around.addWidget(
            row(button("none" if self._none else "all", lambda: self._tick([])), None, spacing=2)
        )
        around.addWidget(area)
        wanted = holder.sizeHint()
        area.setMinimumWidth(max(150, wanted.width() + 24))
        area.setFixedHeight(min(MOST_HEIGHT, wanted.height() + 4))
        self._popup = popup
        popup.adjustSize()
        popup.move(self._place(popup.size()))
        popup.show()

    def _place(self, size: QSize) -> QPoint:
        """Below the button where there is room, else above it, and always on the screen."""
        below = self.mapToGlobal(QPoint(0, self.height() + 2))
        screen = self.screen()
        if screen is None:
            return below
        area = screen.availableGeometry()
        y = below.y()
        if y + size.height() > area.bottom():
            y = self.mapToGlobal(QPoint(0, -2)).y() - size.height()
        y = max(area.top(), min(y, area.bottom() - size.height()))
        return QPoint(max(area.left(), min(below.x(), area.right() - size.width())), y)

    def _tick(self, chosen: Sequence[int]) -> None:
        for i, box in enumerate(self._boxes):
            box.blockSignals(True)
            box.setChecked(i in chosen)
            box.blockSignals(False)
        self._read()

    def _read(self) -> None:
        self.choose([i for i, box in enumerate(self._boxes) if box.isChecked()])
