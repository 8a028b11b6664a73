"""The check in 3-D of the spot: solids over the shell's lines, and the difference in words."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.desktop.aside import AsideWork
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import button, choice, column, label, row, scrolled
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.plot import WAY_INKS, Plot, key_words
from tartan.desktop.widgets.recordform import Record, add_record
from tartan.pages import spot_solid as state
from tartan.pages.fields import make_up
from tartan.pages.margins import Picked
from tartan.pages.shown import Look
from tartan.pages.three_ways import STRESSES, section_lines, section_table
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.solids import IDEALISED
from tartan.project.findings.spot_solid import SpotFound, question_for, solved
from tartan.project.wording import units


class SpotSolid(QWidget):
    """Asks for the check of a spot and shows it."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.ask = state.SolidAsk()
        self.found: SpotFound | None = None
        self._at: tuple[PartAnswer, Picked] | None = None
        self._of: tuple[PartAnswer, int, int] | None = None
        self.where = ""
        self.work = AsideWork(self, "Check in 3-D")
        self.work.said.connect(lambda words: self._say(f"solving it {words} …"))
        self.work.ended.connect(self._end)
        self.form = Block()
        self.record = Record(lambda: self.ask, self._change, self._tell, "check in 3-D")
        self.solve_button = button("check it", self.start, "Solve it as solids ply by ply")
        self.stop_button = button("stop", self.stop, "Give it up")
        self.note = label("", "soft", wrap=True)
        self.fault = label("", "fault", wrap=True)
        self.words = label("", "soft", wrap=True)
        self.stress = choice(list(STRESSES), lambda _: self._draw())
        self.stress.setAccessibleName("Stress of the check")
        self.key = label("", "soft")
        self.plot = Plot("check in 3-D")
        self.table = DataTable("check in 3-D", filtered=False)
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
        asked.setFixedWidth(372)
        middle = column(row(self.stress, self.key, None, spacing=6), self.plot, spacing=3)
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(10)
        box.addWidget(asked)
        box.addWidget(middle, 1)
        self.table.setFixedWidth(312)
        box.addWidget(self.table)

    # Asking

    def _change(self, **values: object) -> TartanError | None:
        self.ask = replace(self.ask, **values)  # type: ignore[arg-type]
        self._tell("")
        self._show()
        return None

    def _tell(self, words: str) -> None:
        self.fault.setText(words)
        self.fault.setVisible(bool(words))

    def _say(self, words: str) -> None:
        self.note.setText(words)
        self.note.setVisible(bool(words))

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
        self.work.start(solved, question)
        self._say("starting …")
        self._show()

    def stop(self) -> None:
        """Give it up."""
        self.work.stop()
        self._say("It was stopped.")
        self._show()

    def _end(self, found: SpotFound | None, error: TartanError | None) -> None:
        self.found = found
        self._say("")
        if error is not None:
            self._tell(str(error))
        self._show()

    # Showing

    def put(self, answer: PartAnswer, at: Picked, where: str) -> None:
        """Show the check of a spot; what is of another is let go."""
        self._at, self.where = (answer, at), where
        if self._of is not None and self._of != (answer, at.element, at.case):
            self.work.stop()
            self._of = self.found = None
            self._say("")
            self._tell("")
        self._show()

    def _show(self) -> None:
        def build(block: Block) -> None:
            add_record(block, state.FIELDS, self.record)

        self.form.put((make_up(state.FIELDS, self.ask), units.system()), build)
        busy, found = self.work.busy, self.found
        self.stop_button.setVisible(busy)
        self.solve_button.setVisible(not busy)
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
        return self.found.question.ask != self.ask.at(at.element, at.case)

    def _draw(self) -> None:
        if self.found is None:
            return
        ways = state.ways_of(self.found, self.where)
        symbol = self.stress.currentText()
        heights, lines = section_lines(ways, symbol)
        self.plot.begin(f"{symbol}  {units.STRESS.unit}", f"height  {units.LENGTH.unit}")
        for name, ink, values in zip(IDEALISED, WAY_INKS, lines, strict=True):
            self.plot.curve(values, heights, ink, words=name, dashed=name == IDEALISED[1])
        self.key.setText(key_words(IDEALISED, WAY_INKS))
        self.plot.show_all()
        table = section_table(ways, symbol)
        looks: list[list[Look | None]] = [
            [None, None, None, *(Look(units.number(float(v or 0.0))) for v in r[3:])]
            for r in table.rows
        ]
        self.table.put(table, looks, (26, 38, 50, 62, 62, 62))
