"""Margins over a choice, judged beside the window where that takes a while."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QObject, pyqtSignal

from tartan.desktop.background import Background
from tartan.project.analysis.force_growth import fit_of
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.findings.chosen_margins import Ask, judged, judging_work, margins_for

AT_ONCE = 20_000
"""Points judged while a click is answered: about 50 ms."""


class Judging(QObject):
    """Says whether margins are there, and has those that are not worked out on a thread."""

    ready = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._thread = Background(
            self, "Margins", "Choose other cases, plies, levels or criteria."
        )
        self._thread.done.connect(self._end)
        self._thread.failed.connect(self._end)
        self._fit = Background(self, "Margins")
        self._fit.done.connect(self._fitted)
        self._fit.failed.connect(self._fitted)
        self._awaited = False
        self._warmed: PartAnswer | None = None
        self._asked: tuple[PartAnswer, tuple[Ask, ...]] | None = None
        self._tried: tuple[PartAnswer, set[Ask]] | None = None

    @property
    def busy(self) -> bool:
        """Whether margins are being worked out."""
        return self._asked is not None

    def has_growth(self) -> bool:
        """Whether slopes of section forces can be had without waiting; if not `ready` is told."""
        self._awaited = self._fit.busy
        return not self._awaited

    def _fitted(self, _: object) -> None:
        if self._awaited:
            self._awaited = False
            self.ready.emit()

    def has(self, answer: PartAnswer, asks: Sequence[Ask]) -> bool:
        """Whether margins over every choice can be shown now; else they are being worked out.

        What went wrong when it was tried is left to whoever shows it.
        """
        tried = self._tried[1] if self._tried is not None and self._tried[0] is answer else set()
        missing = tuple(a for a in asks if a not in tried and not judged(answer, a))
        if sum(judging_work(answer, a) for a in missing) <= AT_ONCE:
            self._asked = None
            return True
        if self._asked is None or self._asked[0] is not answer or self._asked[1] != missing:
            self._asked = (answer, missing)
            self._thread.start(lambda: [margins_for(answer, a) for a in missing])
        return False

    def warm(self, answer: PartAnswer) -> None:
        """Have what maps of stresses between plies are fitted by made on a thread."""
        if answer is not self._warmed:
            self._warmed = answer
            self._fit.start(lambda: fit_of(answer.layout()))

    def _end(self, _: object) -> None:
        if self._asked is None:
            return
        answer, asks = self._asked
        before = self._tried[1] if self._tried is not None and self._tried[0] is answer else set()
        self._tried, self._asked = (answer, before | set(asks)), None
        self.ready.emit()

    def stop(self) -> None:
        """Wait for the threads before the window goes."""
        self._thread.stop()
        self._fit.stop()
