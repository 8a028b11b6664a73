"""First to last ply failure of the chosen stack under the chosen load case."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PyQt6.QtWidgets import QWidget

from tartan.core.criteria import REGISTRY
from tartan.core.errors import TartanError
from tartan.core.laminate.loadcase import LoadCase, parts
from tartan.core.laminate.response import Load
from tartan.core.strength.progressive import Rule, Step, ply_discount_steps
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.time_slices import Slices
from tartan.desktop.widgets.controls import choice, column, label, set_options
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.tables import Table
from tartan.pages.shown import Look
from tartan.project.wording import units

DEFORMATIONS = ("εx", "εy", "γxy", "κx", "κy", "κxy")
RULES: dict[str, Rule] = {"by mode": "mode", "whole ply": "full"}


class HistoryPane(QWidget):
    """Load multiplier over a strain as a chart, and the events as a table."""

    def __init__(self) -> None:
        super().__init__()
        self._chosen: Chosen | None = None
        self._steps: list[Step] = []
        self._slices = Slices(self)
        self._rules = {r.title: r for r in REGISTRY.values() if r.stress == "in-plane"}
        self.criterion = choice(list(self._rules), lambda _: self._again())
        self.rule = choice(list(RULES), lambda _: self._again())
        self.over = choice(DEFORMATIONS, lambda _: self._draw())
        for chooser, name in (
            (self.criterion, "History criterion"),
            (self.rule, "History rule"),
            (self.over, "History over"),
        ):
            chooser.setAccessibleName(name)
        set_options(self.criterion, list(self._rules), "Hashin")
        self.plot = Plot("failure history")
        self.note = label("", "soft", wrap=True)
        self.events = DataTable("failure history", filtered=False)
        made = column(
            wrapped(self.criterion, self.rule, label("over", "soft"), self.over, None, spacing=4),
            self.plot,
            self.note,
            self.events,
            spacing=5,
        )
        box = made.layout()
        assert box is not None
        self.setLayout(box)
        self._asked: object = None

    def _again(self) -> None:
        if self._chosen is not None:
            self.put(self._chosen)

    def put(self, chosen: Chosen) -> None:
        """Work the history out anew, between the window's events."""
        self._chosen = chosen
        offered = chosen.session.project.offered()
        self._rules = {r.title: r for r in offered if r.stress == "in-plane"}
        now = self.criterion.currentText()
        set_options(self.criterion, list(self._rules), now if now in self._rules else "Hashin")
        asked = (
            chosen.laminate,
            chosen.loads,
            self._rules[self.criterion.currentText()].key,
            self.rule.currentText(),
            units.system(),
        )
        if asked == self._asked:
            return
        self._asked = asked
        self._steps = []
        self._slices.drop()
        self._draw()
        if chosen.laminate is None or not chosen.loads.loaded:
            self.note.setText("Choose a load case with a force, moment or strain.")
            return
        self.note.setText("working out …")
        self._slices.start(self._work(chosen), self._steps.append, self._end, 60)

    def _work(self, chosen: Chosen) -> Iterator[Step]:
        assert chosen.laminate is not None
        rest = chosen.loads
        load: Load | LoadCase = rest
        if rest.tube is None:
            # Forces stay in proportion where strains were prescribed; a tube keeps round.
            applied, _ = parts(chosen.laminate, rest)
            load = Load(applied.N, applied.M, rest.dT, rest.dT_gradient, rest.dC)
        rule = self._rules[self.criterion.currentText()]
        yield from ply_discount_steps(chosen.laminate, load, rule, RULES[self.rule.currentText()])

    def _end(self, error: TartanError | None) -> None:
        self._draw()
        if error is not None:
            self.note.setText(str(error))
        elif not self._steps:
            self.note.setText("Nothing fails under this load, whatever its size.")
        else:
            first, last = self._steps[0].reserve, max(s.reserve for s in self._steps)
            kept = (
                "matrix failures leave the fibre"
                if self.rule.currentText() == "by mode"
                else "a failed ply keeps no stiffness"
            )
            self.note.setText(
                f"First ply fails at {units.factor(first)} times the load case; "
                f"most carried is {units.factor(last)} times it. Forces stay in "
                f"proportion; {kept}."
            )

    def _draw(self) -> None:
        which = max(0, self.over.currentIndex())
        quantity = units.STRAIN if which < 3 else units.CURVATURE
        self.plot.begin(f"{DEFORMATIONS[which]}  {quantity.unit}", "× load case")
        strain = np.array([0.0, *(s.strain[which] for s in self._steps)]) / quantity.scale
        height = np.array([0.0, *(s.reserve for s in self._steps)])
        self.plot.axes_through_zero()
        # After the last ply failure the load only falls: drawn dashed.
        last = int(height.argmax()) + 1
        self.plot.curve(strain[:last], height[:last], "accent")
        self.plot.curve(strain[last - 1 :], height[last - 1 :], "soft", dashed=True, width=1.2)
        inks = ["fails", *["accent"] * (last - 2), *["soft"] * (len(height) - last)]
        self.plot.points(strain[1:], height[1:], inks[: len(height) - 1])
        self.plot.show_all()
        self._fill()

    def _fill(self) -> None:
        rows, looks = [], []
        for s in self._steps:
            plies = ", ".join(str(p + 1) for p in s.plies)
            modes = ", ".join(dict.fromkeys(s.modes))
            rows.append((s.reserve, plies, modes))
            looks.append([Look(units.factor(s.reserve)), Look(plies, tip=plies), None])
        self.events.put(
            Table("failure history", ("× load", "plies", "mode"), tuple(rows)), looks, (62, 90, 0)
        )
