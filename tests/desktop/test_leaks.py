"""Windows opened and closed leave nothing behind."""

from __future__ import annotations

import gc
import os
import threading
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QTimer
from PyQt6.QtWidgets import QApplication
from vtkmodules.vtkCommonCore import vtkObjectBase

from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project.analysis import transfer
from tests.desktop.conftest import coarse_sample

ROUNDS = int(os.environ.get("TARTAN_ROUNDS", "6"))
"""Windows opened and closed; `make storm` asks for more."""


def solve(qtbot, session: Session) -> None:  # type: ignore[no-untyped-def]
    """Wait for the answer; nothing of the window is held by the waiting."""
    session.refresh_answer()
    qtbot.waitUntil(lambda: not session.solving, timeout=120_000)


def tidy(qapp: QApplication) -> None:
    """Let deferred deletions happen, and collect what only circles hold."""
    for _ in range(3):
        qapp.processEvents()
        qapp.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        gc.collect()


def alive(kind: type) -> int:
    """Objects of a kind that Python still knows."""
    return sum(isinstance(x, kind) for x in gc.get_objects())


def taken(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Names of blocks of shared memory that answers came in; others of the machine are not."""
    names: list[str] = []

    class Told(transfer.SharedMemory):  # type: ignore[misc,name-defined]
        def __init__(self, *given: object, **named: object) -> None:
            super().__init__(*given, **named)
            names.append(self.name)

    monkeypatch.setattr(transfer, "SharedMemory", Told)
    return names


def children() -> list[str]:
    """Processes that this one has started and not ended."""
    found = Path("/proc/self/task").glob("*/children")
    return [pid for each in found for pid in each.read_text("ascii").split()]


def count(qapp: QApplication) -> dict[str, int]:
    """What a window takes, counted."""
    tidy(qapp)
    return {
        "windows": alive(MainWindow),
        "sessions": alive(Session),
        "timers": sum(t.isActive() for t in gc.get_objects() if isinstance(t, QTimer)),
        "VTK objects": alive(vtkObjectBase),
        "widgets": len(qapp.allWidgets()),
        "threads": threading.active_count(),
        "processes": len(children()),
        "files": sum(1 for _ in Path("/proc/self/fd").iterdir()),
    }


def test_windows_leave_nothing_behind(
    qtbot,  # type: ignore[no-untyped-def]
    qapp: QApplication,
    own_state: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def visit(window: MainWindow) -> None:
        for station in ("Part", "Margins"):
            window.session.select(station=station)
            qapp.processEvents()

    def round_of(number: int) -> None:
        window = MainWindow(Session(coarse_sample()))
        window.show()
        # A solver's process takes seconds to start: every fourth window has one.
        if number % 4 == 0:
            solve(qtbot, window.session)
        visit(window)
        window.session.history.mark_saved()
        window.close()
        window.deleteLater()
        del window
        tidy(qapp)

    blocks = taken(monkeypatch)
    # The first rounds fill what is kept on purpose: compiled loops, fonts, the solver's spawner.
    for number in range(2):
        round_of(number)
    before = count(qapp)
    for number in range(ROUNDS):
        round_of(number)
    after = count(qapp)
    grown = {k: (before[k], after[k]) for k in before if after[k] > before[k] + ROUNDS // 4}
    assert not grown
    assert len(blocks) >= 2
    assert not [name for name in blocks if Path("/dev/shm", name).exists()]
