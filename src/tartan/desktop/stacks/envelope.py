"""Failure envelope of the chosen stack in two load components."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel, QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate import Laminate
from tartan.core.laminate.loadcase import parts
from tartan.core.strength.critical import COMPONENTS
from tartan.core.strength.envelope import Envelope
from tartan.desktop import theme
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.time_slices import Slices
from tartan.desktop.widgets.controls import button, choice, column, label, row, set_options
from tartan.desktop.widgets.criticals import quantity_of
from tartan.desktop.widgets.manychoice import ManyChoice
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.tables import Table
from tartan.pages import stack_answers as answers
from tartan.pages.stacks import laminate_or_error
from tartan.project.document.model import CriteriaSet

INKS = ("holds", "fails", "ink", "soft")
"""Inks of curves that are compared, in turn; then dashed."""


class EnvelopePane(QWidget):
    """First failure under any mix of two components, with the load cases as points in it."""

    def __init__(self) -> None:
        super().__init__()
        self._chosen: Chosen | None = None
        self._slices = Slices(self)
        self.across = choice(COMPONENTS, lambda _: self._again())
        self.up = choice(COMPONENTS, lambda _: self._again())
        self.across.setAccessibleName("Envelope across")
        self.up.setAccessibleName("Envelope up")
        set_options(self.up, COMPONENTS, "Ny")
        self.others = ManyChoice(
            "curve",
            "",
            "Other sets of criteria and other stacks in the same picture",
            none="compare",
        )
        self.others.setAccessibleName("Envelopes compared")
        self.others.changed.connect(self._again)
        self.copy_button = button("copy points", self.copy, "All curves with ply mode, as a table")
        self._found: list[tuple[str, Envelope]] = []
        self.plot = Plot("failure envelope")
        self.key = QLabel()
        self.key.setTextFormat(Qt.TextFormat.RichText)
        self.key.setWordWrap(True)
        self.key.hide()
        self.note = label("", "soft", wrap=True)
        made = column(
            row(
                self.up,
                label("over", "soft"),
                self.across,
                self.others,
                None,
                self.copy_button,
                spacing=5,
            ),
            self.plot,
            self.key,
            self.note,
            spacing=5,
        )
        box = made.layout()
        assert box is not None
        self.setLayout(box)

    def _again(self) -> None:
        if self._chosen is not None:
            self.put(self._chosen)

    def put(self, chosen: Chosen) -> None:
        """Show a stack's envelope; it is worked out between the window's events."""
        self._chosen = chosen
        project = chosen.session.project
        sets = [f"by {c.name}" for c in project.criteria if c.name != chosen.criteria.name]
        stacks = [x.name for x in project.stacks if x.name != chosen.stack.name and x.plies]
        self.others.put([*sets, *stacks])
        pair = (self.across.currentText(), self.up.currentText())
        if pair[0] == pair[1]:
            self.note.setText("Choose two different components.")
            return
        if chosen.laminate is None:
            self.plot.begin(*pair)
            return
        self._slices.start(self._work(chosen, pair), lambda _: None, self._end, 30)

    def _work(self, chosen: Chosen, pair: tuple[str, str]) -> Iterator[float]:
        assert chosen.laminate is not None
        now = yield from answers.envelope_of(chosen.laminate, chosen.criteria, pair, chosen.loads)
        then = None
        if chosen.before is not None:
            then = yield from answers.envelope_of(
                chosen.before, chosen.criteria, pair, chosen.loads
            )
        further = []
        for name in (self.others.names[i] for i in self.others.chosen):
            laminate, criteria = self._other(chosen, name)
            if laminate is not None:
                found = yield from answers.envelope_of(laminate, criteria, pair, chosen.loads)
                further.append((name, found))
        self._found = [(chosen.stack.name, now), *further]
        self._draw(chosen, now, then)
        self._draw_further(further)

    def _other(self, chosen: Chosen, name: str) -> tuple[Laminate | None, CriteriaSet]:
        """Laminate and criteria of a curve that is compared."""
        project = chosen.session.project
        other = next((c for c in project.criteria if f"by {c.name}" == name), None)
        if other is not None:
            return chosen.laminate, other
        stack = project.stack(name)
        laminate = laminate_or_error(project, stack)[0] if stack else None
        return laminate, chosen.criteria

    def _draw_further(self, further: list[tuple[str, Envelope]]) -> None:
        """Draw the curves compared, and their names in their ink below."""
        said = []
        for number, (name, found) in enumerate(further):
            qx, qy = (quantity_of(c) for c in found.components)
            ring = _closed(found.points) / np.array([qx.scale, qy.scale])
            ink, dashed = INKS[number % len(INKS)], number >= len(INKS)
            self.plot.curve(ring[:, 0], ring[:, 1], ink, dashed=dashed, width=1.4)
            line = "- -" if dashed else "—"
            said.append(
                f"<span style='color: {theme.colour(ink).name()}'>{line} {escape(name)}</span>"
            )
        self.key.setText(" &nbsp; ".join(said))
        self.key.setVisible(bool(said))
        if further:
            self.plot.show_all()

    def copy(self) -> None:
        """Put the points of all curves on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None and self._found and self._chosen is not None:
            clipboard.setText(points_table(self._found, self._chosen).as_text())

    def _end(self, error: TartanError | None) -> None:
        if error is not None:
            self.note.setText(str(error))

    def _draw(self, chosen: Chosen, found: Envelope, before: Envelope | None) -> None:
        plot = self.plot
        qx, qy = (quantity_of(c) for c in found.components)
        plot.begin(f"{found.components[0]}  {qx.unit}", f"{found.components[1]}  {qy.unit}")
        plot.axes_through_zero()
        scale = np.array([qx.scale, qy.scale])
        if before is not None:
            ring = _closed(before.points) / scale
            plot.curve(ring[:, 0], ring[:, 1], "soft", dashed=True, width=1.4)
        ring = _closed(found.points) / scale
        plot.curve(ring[:, 0], ring[:, 1], "accent")
        others = self._points(chosen, found.components, scale)
        plot.show_all()
        modes = sorted(set(found.modes))
        held = chosen.loads
        fixed = (
            " with the temperature and moisture of the load case"
            if (held.dT or held.dT_gradient or held.dC)
            else ""
        )
        tail = f" {others} load cases also have other components." if others else ""
        self.note.setText(
            f"First failure by {chosen.criteria.name} criteria{fixed}; "
            f"modes {', '.join(modes)}.{tail}"
        )

    def _points(self, chosen: Chosen, pair: tuple[str, str], scale: np.ndarray) -> int:
        """Draw the load cases; return how many are not in this plane."""
        outside = 0
        laminate = chosen.laminate
        assert laminate is not None
        axes = [COMPONENTS.index(c) for c in pair]
        corners = ((-0.1, 1.0), (-0.1, 0.0), (1.1, 1.0), (1.1, 0.0))
        for number, loads in enumerate(chosen.session.project.loads_on(chosen.stack.name)):
            applied, _ = parts(laminate, loads)
            force = np.concatenate([applied.N, applied.M])
            size = np.array([1, 1, 1, *[1 / laminate.thickness] * 3]) * np.abs(force)
            rest = np.delete(size, axes)
            outside += bool(rest.max() > 0.01 * max(size.max(), 1e-30))
            x, y = force[axes] / scale
            here = loads.name == chosen.loads.name
            plot_ink = "fails" if here else "soft"
            self.plot.point(float(x), float(y), plot_ink, loads.name, corners[number % 4])
        return outside


def points_table(curves: list[tuple[str, Envelope]], chosen: Chosen) -> Table:
    """Points of envelopes with their modes, in the units on show."""
    qx, qy = (quantity_of(c) for c in curves[0][1].components)
    rows = [
        (name, float(x / qx.scale), float(y / qy.scale), mode)
        for name, found in curves
        for (x, y), mode in zip(found.points.tolist(), found.modes, strict=True)
    ]
    names = curves[0][1].components
    head = ("curve", f"{names[0]} [{qx.unit}]", f"{names[1]} [{qy.unit}]", "mode")
    about = f"Envelope of {chosen.stack.name}, by {chosen.criteria.name} criteria"
    return Table("envelope", head, tuple(rows), about)


def _closed(points: np.ndarray) -> np.ndarray:
    return np.concatenate([points, points[:1]])
