"""Long work on a thread that tells where it stands, and is stopped where it stands."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tartan.core.errors import TartanError

POLL = 60
"""Milliseconds between two looks at where the work stands."""


class Stream(QObject):
    """Runs one generator at a time apart from the window.

    `heard` tells the newest of what it yields, not every one; `ended` tells the last and the error
    that ended it, or None. What is stopped ends at its next piece; what is dropped is not told.
    """

    heard = pyqtSignal(object)
    ended = pyqtSignal(object, object)

    def __init__(self, parent: QObject | None, where: str, mend: str) -> None:
        super().__init__(parent)
        self._where, self._mend = where, mend
        self._thread: threading.Thread | None = None
        self._stop = threading.Event()
        self._newest: Any = None
        self._error: TartanError | None = None
        self._told: Any = None
        self._began = 0.0
        self._poll = QTimer(self)
        self._poll.setInterval(POLL)
        self._poll.timeout.connect(self._look)

    @property
    def busy(self) -> bool:
        """Whether work is under way."""
        return self._thread is not None

    @property
    def elapsed(self) -> float:
        """Seconds since it began."""
        return time.monotonic() - self._began

    def start(self, make: Callable[[], Iterator[Any]]) -> None:
        """Run the generator that `make` makes, on the thread too; drops what was under way."""
        self.drop()
        stop = self._stop = threading.Event()
        self._newest = self._told = self._error = None
        self._began = time.monotonic()

        def work() -> None:
            try:
                for piece in make():
                    if self._stop is not stop:
                        return
                    self._newest = piece
                    if stop.is_set():
                        return
            except TartanError as error:
                self._error = error if self._stop is stop else None
            except Exception as error:  # noqa: BLE001 - whatever happens, the window must hear of it
                what = f"It broke off ({type(error).__name__}: {error})."
                if self._stop is stop:
                    self._error = TartanError(what, self._where, self._mend)

        self._thread = threading.Thread(target=work, daemon=True)
        self._thread.start()
        self._poll.start()

    def stop(self) -> None:
        """End it at its next piece; what was found is told."""
        self._stop.set()

    def drop(self) -> None:
        """End it and tell nothing."""
        self._poll.stop()
        self._stop.set()
        self._stop = threading.Event()
        if self._thread is not None:
            self._thread.join(20)
        self._thread = None

    def _look(self) -> None:
        thread = self._thread
        if thread is None:
            return
        over = not thread.is_alive()
        if self._newest is not None and self._newest is not self._told:
            self._told = self._newest
            self.heard.emit(self._told)
        # Whoever heard it may have dropped it.
        if over and self._thread is thread:
            self._thread = None
            self._poll.stop()
            self.ended.emit(self._newest, self._error)
