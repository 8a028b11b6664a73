"""Answers of a laminate as a tube: growth, burst, buckling, and the thick wall beside the thin."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from tartan.core.errors import TartanError
from tartan.core.strength.progressive import Rule
from tartan.desktop.background import Background
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.stacks.history import RULES
from tartan.desktop.widgets.controls import button, choice, column, label, row, set_options, switch
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.tables import Table
from tartan.pages import tube as state
from tartan.pages.shown import Look
from tartan.pages.stack_answers import Question
from tartan.project.wording import units

CURVES = (
    ("hoop", "accent"),
    ("axial", "holds"),
    ("radial", "fails"),
)
"""Stresses over the radius and the ink of each."""


class TubePane(QWidget):
    """What the chosen stack does as the wall of a tube."""

    asked_for = pyqtSignal()
    """The load case is to be entered as a tube."""

    def __init__(self) -> None:
        super().__init__()
        self._chosen: Chosen | None = None
        self._known: tuple[tuple[object, ...], list[state.Row]] = ((), [])
        self.background = Background(self, "Tube", "Change a figure of the tube.")
        self.background.done.connect(self._take)
        self.background.failed.connect(self._broke)
        self.note = label("", "soft", wrap=True)
        self.begin = button(
            "enter this load case as a tube", self.asked_for.emit, "Radius, ends, pressure, forces"
        )
        self.criterion = choice([], lambda _: self._again())
        self.criterion.setAccessibleName("Last ply by")
        self.rule = choice(list(RULES), lambda _: self._again())
        self.rule.setAccessibleName("What a failed ply keeps")
        self.facts = DataTable("tube", filtered=False)
        self.fault = label("", "fault", wrap=True)
        self.thick = switch(
            "thick wall", "Stresses in three dimensions beside those of thin walls"
        )
        self.thick.toggled.connect(lambda _: self._again())
        self.words = label("", "soft", wrap=True)
        self.plot = Plot("stress over the radius")
        self.plot.setMinimumHeight(130)
        self.plot.setMaximumHeight(230)
        self.facts.setMinimumHeight(150)
        self.facts.setMaximumHeight(328)
        self.table = DataTable("tube, plies", filtered=False, frozen=True)
        self.choosers = wrapped(
            label("last ply by", "soft"), self.criterion, self.rule, None, spacing=4
        )
        made = column(
            self.note,
            self.begin,
            self.choosers,
            self.facts,
            self.fault,
            row(self.thick, None),
            self.words,
            self.plot,
            self.table,
            spacing=5,
        )
        box = made.layout()
        assert box is not None
        self.setLayout(box)

    def close_down(self) -> None:
        """End what is under way, before the window goes."""
        self.background.stop()

    def _again(self) -> None:
        if self._chosen is not None:
            self.put(self._chosen)

    def put(self, chosen: Chosen) -> None:
        """Show the answers of a stack under its load case, where that is a tube."""
        self._chosen = chosen
        asked, tube = chosen.question, chosen.loads.tube
        there = asked is not None and tube is not None
        self.begin.setVisible(tube is None and asked is not None)
        for each in (self.choosers, self.facts, self.thick, self.words, self.plot, self.table):
            each.setVisible(there)
        self._say("")
        if asked is None or tube is None:
            self.note.setText(
                "The stack has no plies yet."
                if asked is None
                else "As a tube, a load case is a radius, ends, a pressure, an axial force and a "
                "torque; its growth, burst and buckling are answered here."
            )
            return
        offered = [r for r in chosen.session.project.offered() if r.stress == "in-plane"]
        titles = [r.title for r in offered]
        now = self.criterion.currentText()
        set_options(self.criterion, titles, now if now in titles else "Hashin")
        history = offered[max(0, self.criterion.currentIndex())]
        about = state.about(asked, chosen.stack.name)
        self.note.setText(about)
        # Rows in display units: they are others in another system.
        key = (asked.laminate, asked.loads, asked.criteria, history, self._rule, units.system())
        try:
            known = self._known[1] if key == self._known[0] else state.awaited_rows(asked)
            facts = state.facts(asked, known)
        except TartanError as error:
            self._say(str(error))
            self._known = ((), [])
            for each in (self.facts, self.words, self.plot, self.table):
                each.setVisible(False)
            return
        if key != self._known[0]:
            self._known, rule = (key, known), self._rule
            self.background.start(lambda: (key, state.limit_rows(asked, history, rule)))
        self._show_facts(facts, about)
        self._show_wall(asked, about)

    def _take(self, found: tuple[tuple[object, ...], list[state.Row]]) -> None:
        """Burst and buckling have been worked out."""
        key, rows = found
        if (
            key == self._known[0]
            and self._chosen is not None
            and self._chosen.question is not None
        ):
            self._known = (key, rows)
            self._again()

    def _broke(self, error: TartanError) -> None:
        self._say(str(error))

    def _show_facts(self, facts: list[state.Row], about: str) -> None:
        looks: list[list[Look | None]] = [
            [None, _figure(r[1]), None, Look(str(r[3]), tip=str(r[3]))] for r in facts
        ]
        head = ("what", "value", "unit", "where")
        self.facts.put(Table("tube", head, tuple(facts), about), looks, (122, 58, 42, 0))

    @property
    def _rule(self) -> Rule:
        return RULES[self.rule.currentText()]

    def _show_wall(self, asked: Question, about: str) -> None:
        thick = self.thick.isChecked()
        try:
            self.words.setText(state.wall_words(asked) if thick else "")
            table = state.wall_table(asked, thick=thick)
        except TartanError as error:
            self._say(str(error))
            thick, table = False, state.wall_table(asked, thick=False)
        self.words.setVisible(bool(self.words.text()))
        looks: list[list[Look | None]] = [
            [Look(str(r[0])), *([None] * (len(table.head) - 1))] for r in table.rows
        ]
        need = self._chosen.need if self._chosen is not None else 1.0
        for line, cells in zip(looks, table.rows, strict=True):
            reserve = cells[4]
            if isinstance(reserve, float):
                line[4] = Look(units.factor(reserve), "fails" if reserve < need else "ink")
        self.table.put(replace(table, about=about), looks, (42, 62, 64, 62, 56), anew=True)
        self._draw(table, thick=thick)

    def _draw(self, table: Table, *, thick: bool) -> None:
        here = self._chosen
        of_what = f"{here.stack.name} under {here.loads.name}" if here is not None else ""
        self.plot.begin(f"r  {units.LENGTH.unit}", f"stress  {units.STRESS.unit}", of_what)
        names = [h.partition(" [")[0] for h in table.head]
        radius = np.array([r[3] for r in table.rows], float)

        def of(name: str) -> np.ndarray:
            j = names.index(name)
            return np.array([r[j] for r in table.rows], float)

        for name, ink in CURVES:
            if name == "radial":
                if thick:
                    self._curve(radius, of("radial"), ink, "radial")
                continue
            if thick:
                self._curve(radius, of(f"thick {name}"), ink, name)
            self._curve(radius, of(name), ink, f"{name}, thin" if thick else name, dashed=thick)
        self.plot.show_all()

    def _curve(
        self, radius: np.ndarray, stress: np.ndarray, ink: str, words: str, *, dashed: bool = False
    ) -> None:
        # Stresses jump from ply to ply: the line steps at their faces.
        self.plot.curve(radius, stress, ink, dashed=dashed, words=words)
        if not dashed:
            # Named where it is greatest, so that names of curves that meet stand apart.
            at = int(np.abs(stress).argmax())
            side = 1.0 if at > len(stress) / 2 else 0.0
            self.plot.point(
                float(radius[at]), float(stress[at]), ink, words, (side, float(stress[at] > 0))
            )

    def _say(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))


def _figure(value: object) -> Look | None:
    if value is None:
        return Look("–")
    return Look(units.number(float(value))) if isinstance(value, float) else None
