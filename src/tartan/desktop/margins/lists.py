"""Lists beside the map: hot spots, what each case bears, and the board of requirements."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import choice, label, row
from tartan.desktop.widgets.datatable import DataTable
from tartan.exchange.maps.mapped import required
from tartan.pages import margins as state
from tartan.pages.shown import Look
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.findings.chosen_margins import GROUPS, Ask, hot_list
from tartan.project.findings.limits import limits
from tartan.project.wording import units


class HotSpots(QWidget):
    """One line a neighbourhood, place, case, ply, mode or zone; worst first."""

    element_chosen = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.elements: list[int] = []
        self._ask = Ask()
        self._key: object = None
        self.group = choice(GROUPS, lambda _: self._again())
        self.group.setAccessibleName("One line a")
        self.note = label("", "soft")
        self.table = DataTable("hot spots", filtered=False)
        self.table.row_chosen.connect(lambda i: self.element_chosen.emit(self.elements[i]))
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(row(label("one a", "soft"), self.group, None, self.note, spacing=5))
        box.addWidget(self.table, 1)

    def _again(self) -> None:
        if self.session.answer is not None:
            self.put(self.session.answer, self._ask, None)

    def put(self, answer: PartAnswer, ask: Ask, element: int | None) -> None:
        """Show the worst of each group over a choice."""
        self._ask = ask
        project, session = self.session.project, self.session
        before = None
        if session.before is not None and project.baseline is not None:
            before = (project.baseline.name, session.before)
        elif session.previous is not None:
            before = ("was", session.previous)
        group, fresh = self.group.currentText(), session.fresh
        key = (
            answer,
            ask,
            project.left_out,
            group,
            before,
            fresh,
            required(project),
            units.system(),
        )
        if key != self._key:
            self._key = key
            self._fill(answer, ask, group, before)
        self.table.choose(self.elements.index(element) if element in self.elements else None)

    def _fill(
        self, answer: PartAnswer, ask: Ask, group: str, before: tuple[str, PartAnswer] | None
    ) -> None:
        project, session = self.session.project, self.session
        table = state.hot_table(project, answer, ask, group, before)
        self.elements = hot_list(answer, ask, project.left_out, group)
        need, fresh = required(project), session.fresh
        factors = (0, 1) if before is not None else (0,)

        which = table.head.index("mode")

        def look(j: int, cell: object) -> Look | None:
            if j == which:
                return Look("", mode=str(cell))
            if j in factors and isinstance(cell, float):
                return Look(units.factor(cell), _ink(cell, need, fresh=fresh))
            return None if fresh else Look(str(cell), "stale")

        looks = [[look(j, cell) for j, cell in enumerate(line)] for line in table.rows]
        shown = (46, *((46,) if before else ()), 126, 112, 52, 42, 58, 76, 62)
        self.table.put(table, looks, shown)
        words = f"{len(self.elements)} of them" if fresh else "stale, of the project before"
        self.note.setText(words)


def _ink(value: object, need: float, *, fresh: bool) -> str:
    if not fresh:
        return "stale"
    return "fails" if isinstance(value, float) and value < need else "ink"


class ByCase(QWidget):
    """The multiple of each case at which its first ply fails somewhere on the part."""

    place_chosen = pyqtSignal(int, str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._elements: list[int] = []
        self.table = DataTable("first ply failure by case", filtered=False)
        self.table.row_chosen.connect(self._tell)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(
            label("load at which the first ply fails, as a multiple of the case", "soft")
        )
        box.addWidget(self.table, 1)

    def _tell(self, line: int) -> None:
        name = str(self.table.table.rows[line][0])
        self.place_chosen.emit(self._elements[line], name)

    def put(self, answer: PartAnswer | None, ask: Ask) -> None:
        """Show every case; none while they are being judged."""
        self.table.setVisible(answer is not None)
        if answer is None:
            return
        table, self._elements = state.case_table(self.session.project, answer, ask)
        need, fresh = required(self.session.project), self.session.fresh
        looks = [
            [
                None,
                Look(units.factor(float(r[1] or 0.0)), _ink(r[1], need, fresh=fresh)),
                None,
                None,
                None,
            ]
            for r in table.rows
        ]
        self.table.put(table, looks, (138, 58, 116, 56, 40))


class Board(QWidget):
    """Every requirement with its value, margin, case and place; a click goes there."""

    line_chosen = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.note = label("", "soft")
        self.table = DataTable("requirements", filtered=False)
        self.table.row_chosen.connect(self.line_chosen)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        self.limits = label("", "soft", wrap=True)
        self.limits.setAccessibleName("what this answer does not cover")
        box.addWidget(self.note)
        box.addWidget(self.table, 1)
        box.addWidget(self.limits)

    def put(self, answer: PartAnswer | None) -> None:
        """Show the requirements as they stand, and what the answer does not cover."""
        told = [x.words for x in limits(answer)] if answer is not None else []
        lines = ["Not covered by this answer:", *told] if told else []
        if answer is not None and answer.note:
            lines.insert(0, answer.note)
        self.limits.setText("\n".join(lines))
        self.limits.setVisible(bool(lines))
        statuses, fresh = self.session.statuses, self.session.fresh
        table = state.requirement_table(statuses, answer)
        looks: list[list[Look | None]] = []
        for s in statuses:
            ink = ("holds" if s.met else "fails") if fresh else "stale"
            ratio = s.ratio - 1
            margin = "∞" if np.isinf(ratio) else f"{ratio:+.0%}".replace("-", "−")
            looks.append(
                [None, Look(s.amount, ink, s.need), Look(margin, ink, s.need), None, None]
            )
        self.table.put(table, looks, (226, 84, 66, 112, 130))
        met = sum(s.met for s in statuses)
        self.note.setText(f"{met} of {len(statuses)} met" if fresh else "stale")
