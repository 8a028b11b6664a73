"""Work in a process of its own, heard by the window."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Generator
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QWidget

from tartan.core.errors import TartanError
from tartan.desktop.widgets.controls import button, label
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


class AsideAsk(QWidget):
    """Something that is asked by a button, solved apart, and can be given up.

    Parameters
    ----------
    name : str
        Of the process.
    go, tip : str
        Words of the button that begins it.
    """

    def __init__(self, name: str, go: str, tip: str) -> None:
        super().__init__()
        self.found: Any = None
        self.work = AsideWork(self, name)
        self.work.said.connect(lambda words: self._say(f"solving it {words} …"))
        self.work.ended.connect(self._end)
        self.solve_button = button(go, self.start, tip)
        self.stop_button = button("stop", self.stop, "Give it up")
        self.note = label("", "soft", wrap=True)
        self.fault = label("", "fault", wrap=True)

    @abstractmethod
    def start(self) -> None:
        """Begin it."""

    @abstractmethod
    def _show(self) -> None:
        """Show how it stands."""

    def stop(self) -> None:
        """Give it up."""
        self.work.stop()
        self._say("It was stopped.")
        self._show()

    def _begin(self, work: Callable[..., Generator[str, None, Any]], *given: Any) -> None:
        self.work.start(work, *given)
        self._say("starting …")
        self._show()

    def _end(self, found: Any, error: TartanError | None) -> None:
        self.found = found
        self._say("")
        if error is not None:
            self._tell(str(error))
        self._show()

    def _forget(self) -> None:
        """Let go of what was solved, or is being."""
        self.work.stop()
        self.found = None
        self._say("")
        self._tell("")

    def _show_buttons(self) -> None:
        self.stop_button.setVisible(self.work.busy)
        self.solve_button.setVisible(not self.work.busy)

    def _tell(self, words: str) -> None:
        self.fault.setText(words)
        self.fault.setVisible(bool(words))

    def _say(self, words: str) -> None:
        self.note.setText(words)
        self.note.setVisible(bool(words))
