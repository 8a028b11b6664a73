"""What a search for the order of plies found: its history, before and after, rule by rule."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.desktop.session import Session
from tartan.desktop.stacks.beforeafter import BeforeAfter
from tartan.desktop.stacks.ordertrial import TrialTable
from tartan.desktop.widgets.controls import choice, label, row, set_options
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.order_tables import figures_table, rules_table, steps_table
from tartan.pages.ordering import rules_looks
from tartan.pages.rows import rows_of
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import OrderFound, OrderGoal, OrderStep
from tartan.project.findings import order_words as words
from tartan.project.findings.order_words import FIGURE_TITLES, QUANTITIES

FRONT = "front of two goals"

MOST_LINES = 8
"""Lines of a table that are shown without scrolling."""


class OrderResult(QWidget):
    """Pictures and tables of a search; tells the stack that is looked at."""

    looked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.found: OrderFound | None = None
        self._goals: tuple[OrderGoal, ...] = ()
        self.chosen: OrderStep | None = None
        self._follows = True
        self._wished = self.stack = ""
        self.over = choice([], self._wish)
        self.over.setAccessibleName("What the chart shows")
        self.plot = Plot("order of plies")
        self.plot.setFixedHeight(150)
        self.plot.clicked_at.connect(self._pick_near)
        self.words = label("", "soft", wrap=True)
        self.notation = label("", "", wrap=True)
        self.picture = BeforeAfter()
        self.figures = DataTable("goals, before and after", filtered=False)
        self.rules = DataTable("shop rules, before and after", filtered=False)
        self.steps = DataTable("order of plies", filtered=False)
        self.trial = TrialTable(session)
        self.steps.row_chosen.connect(self._pick)
        self.steps.setFixedHeight(140)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 6, 0)
        box.setSpacing(5)
        for each in (
            row(self.over, None),
            self.plot,
            self.words,
            self.notation,
            self.figures,
            self.picture,
            self.trial,
            self.rules,
            self.steps,
        ):
            box.addWidget(each)
        box.addStretch(1)

    def _wish(self, chart: str) -> None:
        self._wished = chart
        self._draw()

    def put(self, stack: str, found: OrderFound, goals: tuple[OrderGoal, ...]) -> None:
        """Show where a search stands; the stack looked at stays unless it was the best."""
        if (stack, found, goals) == (self.stack, self.found, self._goals):
            self.trial.refresh()
            return
        self.found, self._goals, self.stack = found, goals, stack
        best = words.best_of(found)
        if self._follows or self.chosen not in (*found.steps, *found.front, found.before):
            self.chosen, self._follows = best, True
        charts = [f"history of {FIGURE_TITLES[f]}" for f in found.figures]
        if found.front:
            charts.insert(0, FRONT)
        set_options(self.over, charts, self._wished if self._wished in charts else charts[0])
        self._draw()
        self._show()
        self.looked.emit()

    def forget(self) -> None:
        """Show nothing: what was found was of another project."""
        self.found = self.chosen = None
        self._follows, self.stack = True, ""
        self.plot.begin("", "")
        self._show()

    @property
    def _on_front(self) -> bool:
        return self.over.currentText() == FRONT

    def _shown(self) -> tuple[OrderStep, ...]:
        """Stacks that the chart shows."""
        if self.found is None:
            return ()
        return self.found.front if self._on_front else self.found.steps

    def _draw(self) -> None:
        found = self.found
        if found is None:
            return
        if self._on_front:
            x, y = self._points(found.front)
            one, other = (found.figures[k] for k in self._pair)
            self.plot.begin(_axis(one), _axis(other), _front_title(self.session.project))
            self.plot.points(x, y, ["accent"] * len(x))
            x0, y0 = self._points((found.before,))
            self.plot.point(float(x0[0]), float(y0[0]), "soft", "before")
        else:
            k = self._which
            figure = found.figures[k]
            scale = QUANTITIES[figure].scale
            steps = found.steps
            x = np.array([s.tried for s in steps] + [found.tried] * bool(steps), float)
            y = np.array([s.values[k] / scale for s in steps])
            self.plot.begin("orders looked at", _axis(figure))
            before = found.before.values[k] / scale
            end = max(found.tried, 1)
            self.plot.curve(np.array([0.0, end]), np.array([before] * 2), "soft", dashed=True)
            if len(y):
                stairs = np.repeat(y, 2)
                self.plot.curve(np.repeat(x, 2)[1:-1], stairs, "accent")
                self.plot.points(x[:-1], y, ["accent"] * len(y))
        if self.chosen is not None:
            at = self._place(self.chosen)
            if at is not None:
                self.plot.point(*at, "fails")
        self.plot.show_all()

    def _points(self, steps: tuple[OrderStep, ...]) -> tuple[np.ndarray, np.ndarray]:
        assert self.found is not None
        i, j = self._pair
        one, other = (QUANTITIES[self.found.figures[k]].scale for k in (i, j))
        x = np.array([s.values[i] / one for s in steps])
        return x, np.array([s.values[j] / other for s in steps])

    @property
    def _pair(self) -> tuple[int, int]:
        """The first two goals that are improved."""
        free = [k for k, goal in enumerate(self._goals) if goal.limit is None]
        return (free[0], free[1]) if len(free) > 1 else (0, 0)

    @property
    def _which(self) -> int:
        """The goal whose history is shown."""
        return max(0, self.over.currentIndex() - bool(self.found and self.found.front))

    def _place(self, step: OrderStep) -> tuple[float, float] | None:
        """Where the chart has a stack."""
        if self.found is None or step not in self._shown():
            return None
        if self._on_front:
            x, y = self._points((step,))
            return float(x[0]), float(y[0])
        k = self._which
        return float(step.tried), step.values[k] / QUANTITIES[self.found.figures[k]].scale

    def _pick_near(self, x: float, y: float) -> None:
        """Look at the stack whose point is nearest to a click."""
        (x0, x1), (y0, y1) = self.plot.item.viewRange()
        best, least = None, 0.12
        for step in self._shown():
            at = self._place(step)
            if at is None:
                continue
            gap = float(np.hypot((at[0] - x) / (x1 - x0), (at[1] - y) / (y1 - y0)))
            if gap < least:
                best, least = step, gap
        if best is not None:
            self.look_at(best)

    def _pick(self, line: int) -> None:
        if self.found is not None and 0 <= line < len(self.found.steps):
            self.look_at(self.found.steps[line])

    def look_at(self, step: OrderStep) -> None:
        """Show a stack of the history or of the front with its answers."""
        assert self.found is not None
        self.chosen = step
        self._follows = step == words.best_of(self.found)
        self._draw()
        self._show()
        self.looked.emit()

    def _show(self) -> None:
        found, chosen = self.found, self.chosen
        there = found is not None and chosen is not None
        for each in (self.figures, self.rules, self.picture, self.steps, self.notation):
            each.setVisible(there)
        self.trial.put(self.stack, None if chosen is None else chosen.plies)
        if found is None or chosen is None:
            self.words.setText("")
            return
        project, before = self.session.project, found.before.plies
        which = f"the one found after {chosen.tried} orders"
        if chosen == words.best_of(found):
            which = "the one in the middle" if found.front else "the best"
        self.words.setText(f"Looking at {which}: {words.moved_words(before, chosen.plies)}.")
        self.notation.setText(words.notation_of(project, chosen.plies))
        self.picture.put(
            rows_of(project, before),
            rows_of(project, chosen.plies),
            words.moves(before, chosen.plies),
        )
        wide = (0, 66, 66, 60, 60)
        self.figures.put(figures_table(found, self._goals, chosen), None, wide)
        rules = rules_table(project, before, chosen.plies)
        self.rules.put(rules, rules_looks(rules), (0, 66, 66, 48))
        self.rules.setVisible(bool(rules.rows))
        for table in (self.figures, self.rules):
            table.fit(MOST_LINES)
        self.steps.put(steps_table(project, found))


def _axis(figure: str) -> str:
    unit = QUANTITIES[figure].unit
    return f"{FIGURE_TITLES[figure].removesuffix(' of the panel')}  {unit}".strip()


def _front_title(project: Project) -> str:
    soft = any(r.active and r.weight for r in project.shop_rules)
    return "none better in both" + (", costs of broken rules counted" if soft else "")
