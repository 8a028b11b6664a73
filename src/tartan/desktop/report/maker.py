"""Makes a report in a process of its own and tells how far it is."""

from __future__ import annotations

import contextlib
import threading
from multiprocessing.connection import Connection

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tartan.core.errors import TartanError
from tartan.exchange.report.process import serve
from tartan.exchange.report.request import ReportRequest
from tartan.project.analysis.children import Child
from tartan.project.wording import units

REAP = 1000
"""Milliseconds after which a process that was ended is taken off the list."""

LOOK = 50
"""Milliseconds between looks at the process."""


def _send(connection: Connection, asked: object) -> None:
    with contextlib.suppress(OSError, ValueError):
        # Given up meanwhile.
        connection.send(asked)


class ReportMaker(QObject):
    """One report at a time; a cancel ends its process."""

    stepped = pyqtSignal(object)
    done = pyqtSignal()
    failed = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._process: Child | None = None
        self._ready: Child | None = None
        self._connection: Connection | None = None
        self._ending: list[Child] = []
        self._timer = QTimer(self)
        self._timer.setInterval(LOOK)
        self._timer.timeout.connect(self._look)

    @property
    def busy(self) -> bool:
        """Whether a report is being made."""
        return self._process is not None

    def make_ready(self) -> None:
        """Have a process load what writes a report, before it is asked for."""
        if self._ready is None and not self.busy:
            self._ready = Child("tartan-report", serve)

    def start(self, request: ReportRequest) -> None:
        """Make a report; one under way is given up."""
        self.stop()
        self.make_ready()
        process, self._ready = self._ready, None
        assert process is not None
        self._process, self._connection = process, process.connection
        # On a thread: what is more than the pipe holds waits until the process takes it.
        asked = (request, units.system())
        threading.Thread(
            target=_send, args=(process.connection, asked), daemon=True, name="report asked"
        ).start()
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
        if self._ready is not None:
            self._ready.connection.close()
            self._ready.kill()
            self._ending.append(self._ready)
            self._ready = None
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
