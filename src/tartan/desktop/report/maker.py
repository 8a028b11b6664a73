"""Makes a report in a process of its own and tells how far it is."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tartan.core.errors import TartanError
from tartan.exchange.report.process import serve
from tartan.exchange.report.request import ReportRequest
from tartan.project.wording import units

REAP = 1000
"""Milliseconds after which a process that was ended is taken off the list."""

LOOK = 50
"""Milliseconds between looks at the process."""


@contextmanager
def _environment(values: Mapping[str, str]) -> Iterator[None]:
    """Variables that a process started meanwhile inherits."""
    before = {name: os.environ.get(name) for name in values}
    os.environ.update(values)
    try:
        yield
    finally:
        for name, value in before.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value


class ReportMaker(QObject):
    """One report at a time; a cancel ends its process."""

    stepped = pyqtSignal(object)
    done = pyqtSignal()
    failed = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._process: BaseProcess | None = None
        self._connection: Connection | None = None
        self._ending: list[BaseProcess] = []
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK)
        self._timer.timeout.connect(self._look)

    @property
    def busy(self) -> bool:
        """Whether a report is being made."""
        return self._process is not None

    def start(self, request: ReportRequest) -> None:
        """Make a report; one under way is given up."""
        self.stop()
        context = multiprocessing.get_context("spawn")
        ours, theirs = context.Pipe()
        self._process = context.Process(
            target=serve, args=(theirs, request, units.system()), daemon=True, name="tartan-report"
        )
        # One thread of arithmetic, so that a core is left for the window.
        with _environment({"OPENBLAS_NUM_THREADS": "1", "NUMBA_NUM_THREADS": "1"}):
            self._process.start()
        theirs.close()
        self._connection = ours
        self._timer.start()

    def stop(self) -> None:
        """Give up what is under way."""
        self._timer.stop()
        if self._connection is not None:
            self._connection.close()
        if self._process is not None:
            # It holds nothing that must be put in order; waiting for its end would hold up the
            # window, as freeing its memory takes a while.
            self._process.kill()
            self._ending.append(self._process)
            QTimer.singleShot(REAP, self._reap)
        self._process = self._connection = None

    def _reap(self) -> None:
        self._ending = [p for p in self._ending if p.is_alive()]

    def close(self) -> None:
        """Give up what is under way, and wait for its end."""
        self.stop()
        for process in self._ending:
            process.join(2)
        self._ending.clear()

    def _look(self) -> None:
        connection = self._connection
        try:
            while connection is not None and connection is self._connection and connection.poll():
                self._hear(*connection.recv())
        except (EOFError, OSError):
            self._lost()
            return
        if (
            self._process is not None
            and not self._process.is_alive()
            and (connection is None or not connection.poll())
        ):
            self._lost()

    def _lost(self) -> None:
        self.stop()
        self.failed.emit(
            TartanError("The report's process ended unexpectedly.", "Report", "Make it again.")
        )

    def _hear(self, what: str, content: object) -> None:
        if what == "step":
            self.stepped.emit(content)
            return
        self.stop()
        if what == "done":
            self.done.emit()
        else:
            self.failed.emit(content)
