"""Unsaved work goes to the recovery file a moment after each edit, off the window's thread."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import button, label, row
from tartan.project.files.recovery import Keeper, Left

PAUSE = 700
"""Milliseconds after the first edit that is not written yet until all are written."""


class Autosave(QObject):
    """Keeps the recovery file of one session in step with its project."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.keeper = Keeper()
        self.error: TartanError | None = None
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="autosave")
        self._last: Future[None] | None = None
        self._closed = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(PAUSE)
        self._timer.timeout.connect(self._write)
        session.project_changed.connect(lambda *_: self._soon())

    def _soon(self) -> None:
        """Write before long; steady work does not put it off."""
        if not self._closed and not self._timer.isActive():
            self._timer.start()

    def _write(self) -> None:
        if not self.session.history.modified:
            self.forget()
            return
        project, path = self.session.project, self.session.path
        self._last = self._pool.submit(self._keep, project, path)

    def _keep(self, project: object, path: object) -> None:
        try:
            self.keeper.keep(project, path)  # type: ignore[arg-type]
            self.error = None
        except TartanError as error:
            # Told with the next save; a full disk must not stop anyone from working.
            self.error = error

    def finish(self) -> None:
        """Write at once what waits, and see it written."""
        if self._timer.isActive():
            self._timer.stop()
            self._write()
        if self._last is not None:
            self._last.result()

    def forget(self) -> None:
        """Remove the recovery file: the work is saved or given up on purpose."""
        self._timer.stop()
        self._last = self._pool.submit(self.keeper.forget)

    def close(self) -> None:
        """End in order: nothing is left to recover."""
        self._timer.stop()
        if not self._closed:
            self._closed = True
            self._pool.submit(self.keeper.forget)
            self._pool.shutdown(wait=True)


class RecoveryBar(QFrame):
    """Offers work that a process left behind, one after the other."""

    def __init__(self, bring_back: Callable[[Left], object]) -> None:
        super().__init__()
        self._left: list[Left] = []
        self._aside = ""
        self._bring_back = bring_back
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(14, 4, 14, 4)
        self.setProperty("role", "recovery")
        self.hide()

    def offer(self, left: Sequence[Left]) -> None:
        """Show what was left behind."""
        self._left = list(left)
        self._show()

    def tell_aside(self, files: Sequence[Path]) -> None:
        """Name recovery files that could not be read, and where they are now."""
        if not files:
            return
        named = ", ".join(f.name for f in files[:3]) + (" …" if len(files) > 3 else "")
        self._aside = (
            f"What was left behind in {named} could not be read. "
            f"It was set aside in {files[0].parent}."
        )
        self._show()

    def _show(self) -> None:
        while self.rows.count():
            item = self.rows.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        for one in self._left[:3]:
            self.rows.addWidget(self._row(one))
        if self._aside:
            self.rows.addWidget(row(label(self._aside), None, button("put away", self._put_away)))
        self.setVisible(bool(self._left or self._aside))

    def _put_away(self) -> None:
        self._aside = ""
        self._show()

    def _row(self, one: Left) -> QWidget:
        line = QWidget()
        across = QHBoxLayout(line)
        across.setContentsMargins(0, 0, 0, 0)
        where = f" ({one.path.name})" if one.path else ""
        words = (
            f"Tartan ended before this was saved: {one.project.name}{where}, "
            f"last changed {_ago(one.age)}."
        )
        across.addWidget(label(words, "head"))
        across.addStretch(1)
        across.addWidget(button("bring it back", lambda: self._take(one)))
        across.addWidget(button("discard it", lambda: self._discard(one)))
        return line

    def _take(self, one: Left) -> None:
        if self._bring_back(one):
            self._drop(one)

    def _discard(self, one: Left) -> None:
        one.file.unlink(missing_ok=True)
        self._drop(one)

    def _drop(self, one: Left) -> None:
        self._left.remove(one)
        self._show()


def _ago(seconds: float) -> str:
    if seconds < 90:
        return "a minute ago"
    minutes = seconds / 60
    if minutes < 90:
        return f"{minutes:.0f} minutes ago"
    hours = minutes / 60
    return f"{hours:.0f} hours ago" if hours < 36 else f"{hours / 24:.0f} days ago"
