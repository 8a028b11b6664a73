"""What a sizing found: its history, what changed and what stops it, requirements."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import label
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.sizing_tables import (
    changes_table,
    requirements_table,
    steps_table,
    zones_table,
)
from tartan.pages.sizing_fields import changes_looks, needs_looks
from tartan.project.document.sizingmodel import SizeFound, SizeStep
from tartan.project.findings.size_words import best_of, weight_words

MOST_LINES = 14


class SizingResult(QWidget):
    """Chart and tables of a sizing; tells the design that is looked at."""

    looked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._of: SizeFound | None = None
        self.chosen: SizeStep | None = None
        self._follows = True
        self.plot = Plot("sizing")
        self.plot.setFixedHeight(130)
        self.plot.clicked_at.connect(self._pick_near)
        self.words = label("", "soft", wrap=True)
        self.changes = DataTable("what changed", filtered=False)
        self.zones = DataTable("zones, before and after", filtered=False)
        self.needs = DataTable("requirements, before and after", filtered=False)
        self.steps = DataTable("sizing, step by step", filtered=False)
        self.steps.row_chosen.connect(self._pick)
        self.steps.setFixedHeight(120)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 6, 0)
        box.setSpacing(5)
        for each in (self.plot, self.words, self.changes, self.zones, self.needs, self.steps):
            box.addWidget(each)
        box.addStretch(1)

    def put(self, found: SizeFound) -> None:
        """Show where a sizing stands; the design looked at stays unless it was the best."""
        if self._of == found:
            return
        self._of = found
        if self._follows or self.chosen not in (*found.steps, found.nearest, found.before):
            self.chosen, self._follows = best_of(found) or found.nearest, True
        self._show()
        self.looked.emit()

    def forget(self) -> None:
        """Show nothing."""
        self._of, self.chosen, self._follows = None, None, True
        self._show()

    def _weight(self, step: SizeStep) -> float:
        assert self._of is not None
        return step.mass if self._of.least == "mass" else step.cost or 0.0

    def _draw(self) -> None:
        if self._of is None:
            self.plot.begin("", "")
            return
        found = self._of
        self.plot.begin("designs solved", "mass  kg" if found.least == "mass" else "cost")
        end = max(found.solves, 1)
        before = self._weight(found.before)
        self.plot.curve(np.array([0.0, end]), np.array([before] * 2), "soft", dashed=True)
        if found.steps:
            x = np.array([s.solves for s in found.steps] + [end], float)
            y = np.array([self._weight(s) for s in found.steps])
            self.plot.curve(np.repeat(x, 2)[1:-1], np.repeat(y, 2), "accent")
            self.plot.points(x[:-1], y, ["accent"] * len(y))
        if self.chosen is not None and self.chosen in found.steps:
            self.plot.point(float(self.chosen.solves), self._weight(self.chosen), "fails")
        self.plot.show_all()

    def _pick_near(self, x: float, y: float) -> None:
        """Look at the design whose point is nearest to a click."""
        if self._of is None or not self._of.steps:
            return
        (x0, x1), (y0, y1) = self.plot.item.viewRange()

        def gap(step: SizeStep) -> float:
            return float(
                np.hypot((step.solves - x) / (x1 - x0), (self._weight(step) - y) / (y1 - y0))
            )

        nearest = min(self._of.steps, key=gap)
        if gap(nearest) < 0.12:
            self.look_at(nearest)

    def _pick(self, line: int) -> None:
        if self._of is not None and 0 <= line < len(self._of.steps):
            self.look_at(self._of.steps[line])

    def look_at(self, step: SizeStep) -> None:
        """Show a design of the history."""
        assert self._of is not None
        self.chosen = step
        self._follows = step == best_of(self._of)
        self._show()
        self.looked.emit()

    def _show(self) -> None:
        self._draw()
        there = self._of is not None and self.chosen is not None
        for each in (self.changes, self.zones, self.needs, self.steps):
            each.setVisible(there)
        if self._of is None or self.chosen is None:
            self.words.setText("")
            return
        found = self._of
        state = "holds" if self.chosen.holds else "does not hold"
        self.words.setText(
            f"Looking at the design of {weight_words(found.least, self.chosen)}, which {state}: "
            f"{self.chosen.governs} governs."
        )
        changes = changes_table(found, self.chosen)
        self.changes.put(changes, changes_looks(changes), (176, 50, 56, 0))
        # Zones are those of the best design; another one that is looked at has its own.
        zones = zones_table(found)
        self.zones.put(zones, changes_looks(zones), (122, 72, 72, 0))
        self.zones.setVisible(bool(zones.rows) and self.chosen == best_of(found))
        needs = requirements_table(found, self.chosen)
        looks = needs_looks(found, self.chosen, needs)
        self.needs.put(needs, looks, (0, 74, 74))
        for each in (self.changes, self.zones, self.needs):
            each.fit(MOST_LINES)
        self.steps.put(steps_table(found))
