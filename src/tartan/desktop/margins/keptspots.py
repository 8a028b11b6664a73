"""The chart of several places: kept from the map, drawn over height or ply by ply."""

from __future__ import annotations

from html import escape

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QApplication, QVBoxLayout, QWidget

from tartan.desktop import theme
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import button, choice, label, row
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.plot import Plot
from tartan.pages import kept_spots, stack_answers
from tartan.pages.kept_spots import MOST, Compared, KeptSpot
from tartan.pages.margins import Picked
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.wording import units

INKS = ("accent", "holds", "fails", "ink")
OVER = ("ply by ply", "over the height")


class KeptSpots(QWidget):
    """Places of the part side by side in one chart."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.spots: list[KeptSpot] = []
        self._history = session.history
        self.found: Compared | None = None
        self._answer: PartAnswer | None = None
        self._keys: tuple[str, ...] = ()
        self.result = choice((), lambda _: self._draw())
        self.result.setAccessibleName("Result of the places")
        self.over = choice(OVER, lambda _: self._draw())
        self.over.setAccessibleName("What it is drawn over")
        self.plot = Plot("places compared")
        self.key = label("", "soft", wrap=True)
        self.note = label("", "soft", wrap=True)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(
            wrapped(
                self.result,
                self.over,
                None,
                button("copy the values", self.copy, "Every place, ply and level, as a table"),
                button(
                    "forget the last", self.forget_last, "Take the last place out of the chart"
                ),
                button("forget all", self.forget_all, "Begin with no place"),
                button("back to the section", self.closed.emit),
                spacing=6,
            )
        )
        box.addWidget(row(self.key))
        box.addWidget(self.plot, 1)
        box.addWidget(self.note)

    # Acting

    def keep(self, answer: PartAnswer, at: Picked) -> str:
        """Keep a place; says what came of it."""
        self._forget_another()
        spot = kept_spots.keep(answer, at)
        if spot in self.spots:
            return "This place is kept already."
        if len(self.spots) == MOST:
            return f"{MOST} places are kept. Forget one first."
        self.spots.append(spot)
        count = len(self.spots)
        return f"{count} {'place is' if count == 1 else 'places are'} kept."

    def _forget_another(self) -> None:
        """Let go of the places of a document that is no longer open."""
        if self._history is not self.session.history:
            self._history, self.spots = self.session.history, []

    def forget_last(self) -> None:
        """Take the last place out."""
        self.spots = self.spots[:-1]
        self._draw()

    def forget_all(self) -> None:
        """Take all places out."""
        self.spots = []
        self._draw()

    def copy(self) -> None:
        """Put all values on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None and self.found is not None:
            clipboard.setText(kept_spots.as_table(self.found).as_text())

    # Showing

    def put(self, answer: PartAnswer) -> None:
        """Show the places as an answer has them."""
        self._forget_another()
        self._answer = answer
        names = stack_answers.column_names(answer.inputs.criteria)
        keys = tuple(k for k, _ in names)
        if keys != self._keys:
            chosen = self._keys[self.result.currentIndex()] if self._keys else "stress_12.0"
            self._keys = keys
            self.result.blockSignals(True)
            self.result.clear()
            self.result.addItems([title for _, title in names])
            self.result.setCurrentIndex(keys.index(chosen) if chosen in keys else 0)
            self.result.blockSignals(False)
        self._draw()

    def _draw(self) -> None:
        if self._answer is None or not self._keys:
            return
        key = self._keys[max(self.result.currentIndex(), 0)]
        self.found = found = kept_spots.compare(
            self.session.project, self._answer, self.spots, key
        )
        across = f"{found.title}  {found.unit}"
        by_ply = self.over.currentText() == OVER[0]
        self.plot.begin(across, "plies from the bottom" if by_ply else f"z  {units.LENGTH.unit}")
        said = []
        for number, each in enumerate(found.curves):
            ink, dashed = INKS[number % len(INKS)], number >= len(INKS)
            up = each.even if by_ply else each.heights
            self.plot.curve(each.values, up, ink, dashed=dashed)
            if len(np.unique(each.places)) == len(each.places):
                self.plot.points(each.values, up, [ink] * len(up))
            line = "- -" if dashed else "—"
            colour = theme.colour(ink).name()
            said.append(f"<span style='color: {colour}'>{line} {escape(each.words)}</span>")
        self.plot.show_all()
        self.key.setText(" &nbsp; ".join(said))
        nothing = "No place is kept. Pick one on the part, then: keep this place."
        self.note.setText("; ".join(found.missing) if self.spots else nothing)
        self.note.setVisible(bool(self.note.text()))
