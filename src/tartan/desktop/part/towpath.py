"""The path of a layer's band on the vessel: which layer, how many circuits, played as wound."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import (
    QuantityField,
    button,
    choice,
    label,
    row,
    set_options,
)
from tartan.pages import winding as state
from tartan.project.wording import units

NONE = "no path"

FRAMES, PERIOD = 240, 40
"""Pictures of a path as it is played, and the time of one [ms]."""


class TowPathRow(QWidget):
    """Chooses the layer whose path is drawn; tells when there is another to draw."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.layer = choice([NONE], lambda _: self.refresh())
        self.layer.setAccessibleName("Layer whose path is drawn")
        # As wide as its place, however long a layer's title.
        self.layer.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.layer.setMinimumContentsLength(6)
        self.count = QuantityField(units.RATIO, self._set_count)
        self.count.setAccessibleName("Circuits that are drawn")
        self.count.setMaximumWidth(48)
        self.count.put_value(5)
        self.play = button("▶ wind", self.start_or_stop, "Wind the layer on the vessel")
        self.play.setAccessibleName("Play the winding")
        self.words = label("", "soft", wrap=True)
        self.words.setAccessibleName("Pattern of the path")
        self._circuits = 5
        self._points: NDArray[np.float64] = np.zeros((0, 3))
        self._frame: int | None = None
        self._asked: object = None
        self._timer = QTimer(self)
        self._timer.setInterval(PERIOD)
        self._timer.timeout.connect(self._next)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(row(self.layer, None, self.count, label("circuits", "soft"), self.play))
        box.addWidget(self.words)

    @property
    def segments(self) -> NDArray[np.float64]:
        """What is drawn of it, shape (q, 2, 3) [m]."""
        points = self._points
        if self._frame is not None:
            points = points[: max(2, len(points) * self._frame // FRAMES)]
        return np.stack([points[:-1], points[1:]], axis=1) if len(points) else np.zeros((0, 2, 3))

    def _set_count(self, value: float | None) -> TartanError | None:
        if value is None or not 1 <= value <= state.MOST_CIRCUITS or value != int(value):
            return TartanError(
                f"1 to {state.MOST_CIRCUITS} whole circuits are drawn.", "Path", "Enter a number."
            )
        self._circuits = int(value)
        QTimer.singleShot(0, self.refresh)
        return None

    def refresh(self) -> None:
        """Offer the layers as they are, and find the path of the chosen one."""
        project = self.session.project
        titles = state.wound_titles(project)
        chosen = self.layer.currentText()
        set_options(self.layer, [NONE, *titles], chosen if chosen in titles else NONE)
        asked = (project.part, self.layer.currentText(), self._circuits)
        if asked == self._asked:
            return
        self._asked = asked
        self.stop()
        self._points, words = np.zeros((0, 3)), ""
        number = titles.get(self.layer.currentText())
        if number is not None:
            try:
                self._points, words = state.path_of(project, number, self._circuits)
            except TartanError as error:
                words = str(error)
        self.words.setText(words)
        self.words.setVisible(bool(words))
        self.count.setEnabled(number is not None)
        self.play.setEnabled(bool(len(self._points)))
        self.changed.emit()

    # Playing

    def start_or_stop(self) -> None:
        """Wind from the start, or end winding."""
        if self._timer.isActive():
            self.stop()
        else:
            self._frame = 0
            self._timer.start()
            self.changed.emit()

    def stop(self) -> None:
        """End winding; the whole path is drawn again."""
        self._timer.stop()
        if self._frame is not None:
            self._frame = None
            self.changed.emit()

    def _next(self) -> None:
        if self._frame is None or self._frame >= FRAMES:
            self.stop()
            return
        self._frame += 1
        self.changed.emit()
