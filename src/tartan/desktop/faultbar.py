"""Faults of the program itself: told once in a quiet line, counted when they come again."""

from __future__ import annotations

import traceback
from dataclasses import dataclass
from types import TracebackType

from PyQt6.QtWidgets import QApplication, QFrame, QPlainTextEdit, QVBoxLayout

from tartan import __version__
from tartan.core.errors import TartanError
from tartan.desktop.widgets.controls import button, label, row, switch

MOST = 20
"""Kinds of fault remembered; a program in that state is better started again."""


@dataclass
class Fault:
    """A kind of fault, how often it came, and its trace for a report."""

    kind: str
    details: str
    count: int = 1


class FaultBar(QFrame):
    """A line above the verdict, shown from the first fault until it is put away."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "recovery")
        self.faults: dict[str, Fault] = {}
        self.words = label("", "head")
        self.more = switch("what it was")
        self.details = QPlainTextEdit()
        self.details.setReadOnly(True)
        self.details.setFixedHeight(150)
        self.details.hide()
        self.more.toggled.connect(self.details.setVisible)
        self.copy = button(
            "copy for a report", self._copy, "Version and trace, nothing of the project"
        )
        line = row(self.words, None, self.more, self.copy, button("put away", self.put_away))
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 2, 14, 2)
        box.setSpacing(2)
        box.addWidget(line)
        box.addWidget(self.details)
        self.hide()

    def tell(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None
    ) -> bool:
        """Take a fault in; true where it is the first of its kind."""
        place = traceback.extract_tb(trace)[-1:] if trace is not None else []
        key = f"{kind.__name__} {place[0].filename}:{place[0].lineno}" if place else kind.__name__
        known = self.faults.get(key)
        if known is not None:
            known.count += 1
        elif len(self.faults) < MOST:
            details = "".join(traceback.format_exception(kind, error, trace))
            self.faults[key] = Fault(kind.__name__, details)
        self._show()
        return known is None

    @property
    def text(self) -> str:
        """All faults for a report."""
        head = f"Tartan {__version__}"
        return "\n\n".join([head, *(f"{f.count} ×\n{f.details}" for f in self.faults.values())])

    def _show(self) -> None:
        count = sum(f.count for f in self.faults.values())
        times = "" if count == 1 else f" ({count} times)"
        self.words.setText(
            f"Something went wrong inside Tartan{times}. The project is as it was "
            "before that step."
        )
        self.details.setPlainText(self.text)
        self.show()

    def _copy(self) -> None:
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.text)

    def put_away(self) -> None:
        """Forget the faults and hide."""
        self.faults.clear()
        self.more.setChecked(False)
        self.hide()


class RefusedBar(QFrame):
    """A line above the verdict for an edit that was held for its mesh and then refused."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "recovery")
        self.words = label("", "fault")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 2, 14, 2)
        box.addWidget(row(self.words, None, button("put away", self.hide)))
        self.hide()

    def tell(self, error: TartanError) -> None:
        """Say why the edit was not taken."""
        self.words.setText(str(error))
        self.show()
