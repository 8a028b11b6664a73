"""Failure envelope of the chosen stack in two load components."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PyQt6.QtWidgets import QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate.loadcase import parts
from tartan.core.strength.critical import COMPONENTS
from tartan.core.strength.envelope import Envelope
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.time_slices import Slices
from tartan.desktop.widgets.controls import choice, column, label, row, set_options
from tartan.desktop.widgets.criticals import quantity_of
from tartan.desktop.widgets.plot import Plot
from tartan.pages import stack_answers as answers


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
        self.plot = Plot("failure envelope")
        self.note = label("", "soft", wrap=True)
        made = column(
            row(self.up, label("over", "soft"), self.across, None, spacing=5),
            self.plot,
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
        self._draw(chosen, now, then)

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


def _closed(points: np.ndarray) -> np.ndarray:
    return np.concatenate([points, points[:1]])
