"""Work in a process of its own, heard by the window."""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tartan.project.analysis.aside import Aside

POLL = 60
"""Milliseconds between two looks."""


class AsideWork(QObject):
    """Runs one generator at a time in a process; the next one ends the one before."""

    said = pyqtSignal(str)
    ended = pyqtSignal(object, object)
    """The answer and the error, one of them None."""

    def __init__(self, parent: QObject | None, name: str) -> None:
        super().__init__(parent)
        self._name = name
        self._work: Aside | None = None
        self._poll = QTimer(self)
        self._poll.setInterval(POLL)
        self._poll.timeout.connect(self._look)

    @property
    def busy(self) -> bool:
        """Whether an answer is awaited."""
        return self._work is not None

    def start(self, work: Callable[..., Generator[str, None, Any]], *given: Any) -> None:
        """Run it."""
        self.stop()
        self._work = Aside(self._name, work, *given)
        self._poll.start()

    def stop(self) -> None:
        """Give it up; nothing is told."""
        self._poll.stop()
        if self._work is not None:
            self._work.stop()
            self._work = None

    def _look(self) -> None:
        work = self._work
        if work is None or not work.look():
            return
        if not work.over:
            self.said.emit(work.said)
            return
        self._work = None
        self._poll.stop()
        self.ended.emit(work.answer, work.error)
