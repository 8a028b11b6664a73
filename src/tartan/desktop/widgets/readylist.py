"""What is to be settled before solving, in words, each leading to its place."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.desktop.widgets.controls import button, label, row

MOST = 5


@dataclass(frozen=True, eq=False)
class Line:
    """A matter: its words, what showing its place does, and a step that mends it."""

    words: str
    show: Callable[[], object]
    mend: str = ""
    act: Callable[[], object] | None = None


class ReadyList(QWidget):
    """Lines in ember, or one in teal when nothing is left to do."""

    def __init__(self) -> None:
        super().__init__()
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(2, 2, 2, 2)
        self._box.setSpacing(3)
        self._made_of: object = None
        self.lines: Sequence[Line] = ()
        self.setAccessibleName("Readiness")

    def put(self, lines: Sequence[Line], well: str, *, role: str = "well") -> None:
        """Show other lines; `well` where there are none, which is soft while it is only said."""
        self.lines = lines
        made_of = (well, role, *((x.words, x.mend) for x in lines))
        if made_of == self._made_of:
            return
        self._made_of = made_of
        while (item := self._box.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for i, line in enumerate(lines[:MOST]):
            parts: list[QWidget | int | None] = [
                label(line.words, "fault", wrap=True),
                button("show", partial(self._show, i)),
            ]
            if line.act is not None:
                parts.append(button(line.mend, partial(self._act, i)))
            made = row(*parts, spacing=8)
            made.layout().setStretch(0, 1)  # type: ignore[union-attr]
            self._box.addWidget(made)
        if len(lines) > MOST:
            self._box.addWidget(label(f"and {len(lines) - MOST} more", "soft"))
        if not lines:
            self._box.addWidget(label(well, role, wrap=True))
        self._box.addStretch(1)

    def _show(self, i: int) -> None:
        self.lines[i].show()

    def _act(self, i: int) -> None:
        act = self.lines[i].act
        if act is not None:
            act()
