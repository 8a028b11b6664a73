"""One piece of work on a thread, for libraries that let go of the interpreter meanwhile."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tartan.core.errors import TartanError
from tartan.exchange.apart import stop_all


class Background(QObject):
    """Runs a call apart from the window; its end is told exactly once.

    `done` carries the result; `failed` an error. A cancelled call runs on unseen: its end is not
    told, and the next call waits for it. `where` and `mend` are told when it breaks off.
    """

    done = pyqtSignal(object)
    failed = pyqtSignal(object)

    def __init__(
        self,
        parent: QObject | None = None,
        where: str = "Surface",
        mend: str = "Try another file or mesh size.",
    ) -> None:
        super().__init__(parent)
        self._where, self._mend = where, mend
        self._thread: threading.Thread | None = None
        self._result: tuple[Any, TartanError | None] | None = None
        self._wanted = False
        self._next: Callable[[], Any] | None = None
        self._poll = QTimer(self)
        self._poll.setInterval(30)
        self._poll.timeout.connect(self._look)

    @property
    def busy(self) -> bool:
        """Whether a result is awaited."""
        return self._wanted

    def start(self, call: Callable[[], Any]) -> None:
        """Run a call; an earlier one is no longer wanted."""
        self._wanted = True
        if self._thread is not None:
            self._next = call
            return
        self._run(call)

    def _run(self, call: Callable[[], Any]) -> None:
        self._result = None

        def work() -> None:
            try:
                self._result = (call(), None)
            except TartanError as error:
                self._result = (None, error)
            except Exception as error:  # noqa: BLE001 - whatever happens, the window must hear of it
                fault = TartanError(
                    f"It broke off ({type(error).__name__}: {error}).",
                    self._where,
                    self._mend,
                )
                self._result = (None, fault)

        self._thread = threading.Thread(target=work, daemon=True)
        self._thread.start()
        self._poll.start()

    def cancel(self) -> None:
        """The result is no longer wanted; a reader in a process of its own is ended."""
        self._wanted, self._next = False, None
        stop_all()

    def _look(self) -> None:
        if self._thread is None or self._thread.is_alive():
            return
        self._thread = None
        self._poll.stop()
        if self._next is not None:
            call, self._next = self._next, None
            self._run(call)
            return
        if not self._wanted or self._result is None:
            return
        self._wanted = False
        result, error = self._result
        if error is None:
            self.done.emit(result)
        else:
            self.failed.emit(error)

    def stop(self) -> None:
        """Wait for the thread before the window goes."""
        self.cancel()
        self._poll.stop()
        if self._thread is not None:
            self._thread.join(20)
            self._thread = None
