"""Work in slices: a generator is run piece by piece between the window's events.

For work of tens of milliseconds to seconds that must not hold up typing and needs no process of
its own. Starting anew drops what was under way.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import Any

from PyQt6.QtCore import QObject, QTimer

from tartan.core.errors import TartanError

SLICE = 0.008
"""Seconds of work between two looks at the window's events."""


class Slices(QObject):
    """Runs one generator at a time."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._work: Iterator[Any] | None = None
        self._hear: Callable[[Any], object] = lambda _: None
        self._end: Callable[[TartanError | None], object] = lambda _: None
        self._ending: TartanError | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._run)

    @property
    def busy(self) -> bool:
        """Whether work is under way."""
        return self._work is not None

    def start(
        self,
        work: Iterator[Any],
        hear: Callable[[Any], object],
        end: Callable[[TartanError | None], object],
        delay: int = 0,
    ) -> None:
        """Run a generator.

        Parameters
        ----------
        work : iterator
            Its pieces take no longer than a key press may wait.
        hear : callable
            Gets every piece.
        end : callable
            Called once at the end, with the error that ended it or None; not when dropped.
        delay : int
            Quiet time before it begins [ms].
        """
        self._work, self._hear, self._end = work, hear, end
        self._timer.start(delay)

    def drop(self) -> None:
        """Forget what is under way."""
        self._work = None
        self._timer.stop()

    def _run(self) -> None:
        self._timer.setInterval(0)
        until = time.perf_counter() + SLICE
        while self._work is not None and time.perf_counter() < until:
            try:
                piece = next(self._work)
            except StopIteration:
                self._finish(None)
            except TartanError as error:
                self._finish(error)
            else:
                self._hear(piece)

    def _finish(self, error: TartanError | None) -> None:
        self.drop()
        # In a turn of its own: what is drawn at the end takes a while too.
        self._ending = error
        QTimer.singleShot(0, self._tell_end)

    def _tell_end(self) -> None:
        if self._work is None:
            self._end(self._ending)
