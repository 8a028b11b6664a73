"""Playback of a lay-up: its plies laid one by one."""

from __future__ import annotations

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from tartan.desktop.widgets.controls import button

STEP = 350
"""Milliseconds a ply is shown in playback."""


class Playback(QWidget):
    """Buttons that lay the plies one by one; ``played`` tells the ply at, or -1 for all."""

    played = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.count = 0
        self.step: int | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(STEP)
        self._timer.timeout.connect(self._next)
        self.play = button("▶ play", self.start_or_stop, "Lay the plies one by one")
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(button("◀", self.back, "One ply back"))
        box.addWidget(self.play)
        box.addWidget(button("▶|", self.forward, "One ply on"))

    def put(self, count: int) -> None:
        """Play ``count`` plies; ends where the lay-up has become shorter than the ply at."""
        self.count = count
        if self.step is not None and self.step >= count:
            self.stop()

    def start_or_stop(self) -> None:
        """Play the lay-up from its first ply, or end playing."""
        if self._timer.isActive():
            self.stop()
        elif self.count:
            self._show_step(0)
            self._timer.start()

    def stop(self) -> None:
        """End playing; the whole lay-up is shown again."""
        self._timer.stop()
        self._show_step(None)

    def _next(self) -> None:
        if self.step is None or self.step + 1 >= self.count:
            self.stop()
        else:
            self._show_step(self.step + 1)

    def forward(self) -> None:
        """One ply on."""
        self._timer.stop()
        self._show_step(0 if self.step is None else min(self.step + 1, self.count - 1))

    def back(self) -> None:
        """One ply back."""
        self._timer.stop()
        self._show_step(self.count - 1 if self.step is None else max(self.step - 1, 0))

    def _show_step(self, step: int | None) -> None:
        # Where nothing is laid there is no ply to stand at.
        self.step = step if step is not None and 0 <= step < self.count else None
        self.play.setText(
            "■ stop" if self._timer.isActive() or self.step is not None else "▶ play"
        )
        self.played.emit(-1 if self.step is None else self.step)
