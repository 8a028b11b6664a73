"""The check in 3-D of the spot: solids over the shell's lines, and the difference in words."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout

from tartan.core.errors import TartanError
from tartan.desktop.aside import AsideAsk
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import button, column, label, row, scrolled
from tartan.desktop.widgets.recordform import Record, add_record
from tartan.desktop.widgets.threeways import ThreeWays
from tartan.pages import spot_solid as state
from tartan.pages.fields import make_up
from tartan.pages.margins import Picked
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.findings.spot_solid import SpotFound, question_for, solved
from tartan.project.wording import units


class SpotSolid(AsideAsk):
    """Asks for the check of a spot and shows it."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__("Check in 3-D", "check it", "Solve it as solids ply by ply")
        self.session = session
        self.ask = state.SolidAsk()
        self._at: tuple[PartAnswer, Picked] | None = None
        self._of: tuple[PartAnswer, int, int] | None = None
        self.where = ""
        self.form = Block()
        self.record = Record(lambda: self.ask, self._change, self._tell, "check in 3-D")
        self.words = label("", "soft", wrap=True)
        self.picture = ThreeWays("check", self._draw)
        self.stress, self.key = self.picture.stress, self.picture.key
        self.plot, self.table = self.picture.plot, self.picture.table
        left = column(
            self.form,
            row(
                self.solve_button,
                self.stop_button,
                button("back to the section", self.closed.emit),
                None,
                spacing=4,
            ),
            self.fault,
            self.note,
            self.words,
            spacing=3,
        )
        asked = scrolled(left)
        asked.setFixedWidth(330)
        middle = column(row(self.stress, self.key, None, spacing=6), self.plot, spacing=3)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(10)
        box.addWidget(asked)
        box.addWidget(middle, 1)
        self.table.setFixedWidth(404)
        box.addWidget(self.table)
        self._fill()

    # Asking

    def _change(self, **values: object) -> TartanError | None:
        self.ask = replace(self.ask, **values)  # type: ignore[arg-type]
        self._tell("")
        self._show()
        return None

    def start(self) -> None:
        """Cut the spot out and solve it, in a process of its own."""
        if self._at is None:
            return
        answer, at = self._at
        self._tell("")
        self.found = None
        sets = self.session.project.governing_sets
        try:
            question = question_for(answer, sets, self.ask.at(at.element, at.case))
        except TartanError as error:
            self._tell(str(error))
            self._show()
            return
        self._of = (answer, at.element, at.case)
        self._begin(solved, question)

    # Showing

    def put(self, answer: PartAnswer, at: Picked, where: str) -> None:
        """Show the check of a spot; what is of another is let go."""
        self._at, self.where = (answer, at), where
        if self._of is not None and self._of != (answer, at.element, at.case):
            self._of = None
            self._forget()
        self._show()

    def _fill(self) -> None:
        def build(block: Block) -> None:
            add_record(block, state.FIELDS, self.record)

        self.form.put((make_up(state.FIELDS, self.ask), units.system()), build)

    def _show(self) -> None:
        self._fill()
        found: SpotFound | None = self.found
        self._show_buttons()
        for each in (self.words, self.stress, self.key, self.plot, self.table):
            each.setVisible(found is not None)
        if found is None:
            return
        q = found.question
        lines = [state.words(found)]
        if self._asks_otherwise():
            lines.insert(0, "It is of what was asked before: check it again.")
        if q.assumed:
            lines.append("Constants were assumed: point here to read them.")
        self.words.setText("\n".join(lines))
        self.words.setToolTip("\n".join(q.assumed))
        self._draw()

    def _asks_otherwise(self) -> bool:
        if self.found is None or self._at is None:
            return False
        at = self._at[1]
        return bool(self.found.question.ask != self.ask.at(at.element, at.case))

    def _draw(self) -> None:
        if self.found is not None:
            self.picture.draw(state.ways_of(self.found, self.where), (26, 38, 50, 82, 94, 98))
