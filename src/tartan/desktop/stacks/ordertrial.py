"""What another order of plies does on the part, solved beside the design as it is."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.stack import Ply
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import button, label, row
from tartan.desktop.widgets.datatable import DataTable
from tartan.exchange.order_on_part import on_the_part
from tartan.pages.shown import Look
from tartan.project.analysis.inputs import PartInputs
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.edits.stack_edits import put_plies

MOST_LINES = 9
"""Lines of the table that are shown without scrolling."""


class TrialTable(QWidget):
    """A button, and once it is solved a table of requirements and cases, before and after."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._stack = ""
        self._plies: tuple[Ply, ...] | None = None
        self._known: tuple[Project, PartInputs] | None = None
        self._of: Project | None = None
        self.try_button = button(
            "try on the part", self.try_it, "Solve the part with this order, beside the design"
        )
        self.words = label("", "soft", wrap=True)
        self.table = DataTable("on the part, before and after", filtered=False)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(row(self.try_button, self.words, None, spacing=4))
        box.addWidget(self.table)
        session.answer_changed.connect(self.refresh)
        self.refresh()

    def put(self, stack: str, plies: tuple[Ply, ...] | None) -> None:
        """Look at another order of a stack."""
        if (stack, plies) != (self._stack, self._plies):
            self._stack, self._plies, self._known = stack, plies, None
        self.refresh()

    def _there(self) -> bool:
        part = self.session.project.part
        return self._plies is not None and part is not None and self._stack in part.stacks()

    def _changed(self) -> tuple[Project, PartInputs] | None:
        """The design with the order, and what its answer depends on.

        Raises
        ------
        TartanError
            When it cannot be solved.
        """
        if not self._there() or self._plies is None:
            return None
        changed = put_plies(self.session.project, self._stack, self._plies)
        return changed, part_inputs(changed)

    def try_it(self) -> None:
        """Have the part solved with the order."""
        self.words.setText("")
        try:
            self._known, self._of = self._changed(), self.session.project
        except TartanError as error:
            self.words.setText(str(error))
            return
        if self._known is not None:
            self.session.tried = [self._known[1]]
            # What is compared with is asked for anew, this among it.
            self.session.compare(self.session.compared)
        self.refresh()

    def _look_again(self) -> None:
        """Forget what was tried where the design has changed in what its answer depends on."""
        if self._known is None or self._of is self.session.project:
            return
        try:
            now = self._changed()
        except TartanError:
            now = None
        self._of = self.session.project
        self._known = now if now is not None and now[1] == self._known[1] else None

    def refresh(self) -> None:
        """Show what is known by now."""
        self.setVisible(self._there())
        self.table.setVisible(False)
        self._look_again()
        if self._known is None:
            self.words.setText("")
            return
        project, inputs = self.session.project, self._known[1]
        after, before = self.session.answers.find(inputs), self.session.answer
        refused = self.session.answers.refusal(inputs)
        if refused is not None:
            self.words.setText(str(refused))
        elif after is None or before is None or not self.session.fresh:
            self.words.setText("waits for the solution …")
        else:
            table, holds = on_the_part((project, before), (self._known[0], after))
            looks = [
                [Look(str(a), tip=str(a)), None, Look(str(c), "ink" if good else "fails")]
                for (a, _, c), good in zip(table.rows, holds, strict=True)
            ]
            self.table.put(table, looks, (0, 84, 84))
            self.table.fit(MOST_LINES)
            self.table.setVisible(True)
            self.words.setText("")
