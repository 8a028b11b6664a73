"""The real window on a virtual screen; run through `make test`, which brings one."""

from __future__ import annotations

import dataclasses
import os
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QThread
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from tartan.desktop.app import make_application
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project.analysis import beside, results
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.document.samples import radome_cap_project
from tartan.project.edits import part_edits
from tartan.project.wording import units
from tests.desktop.settle import settle
from tests.panels import dish_panel

PATIENCE = 60_000
"""Milliseconds that anything may take before a test gives it up; machines differ."""

_wait_until = QtBot.waitUntil


def _wait_patiently(
    bot: QtBot, callback: Callable[[], object], *, timeout: int = PATIENCE
) -> None:
    _wait_until(bot, callback, timeout=max(timeout, PATIENCE))


# What is waited for comes in its own time: a slow machine must not turn a test red.
QtBot.waitUntil = _wait_patiently

if not os.environ.get("DISPLAY"):
    raise pytest.UsageError("The window's tests need a display: use 'make test', or xvfb-run.")


@pytest.fixture(scope="session")
def solved_before(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, frozenset[str]]:
    """Where results of projects that most tests open are kept, and the names of their files."""
    common = (coarse_sample(), radome_cap_project(), dish_panel())
    names = frozenset(f"{results.digest(part_inputs(p))}.h5" for p in common)
    return tmp_path_factory.mktemp("results"), names


@pytest.fixture(autouse=True)
def own_state(
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    solved_before: tuple[Path, frozenset[str]],
) -> Iterator[Path]:
    """Recovery files and preferences of a test are its own; units are the usual ones after it.

    What a test before it solved need not be solved again, as in a window that is opened anew.
    """
    monkeypatch.setenv("TARTAN_STATE", str(tmp_path / "state"))
    # Edits are taken at once however slow the machine; that they may wait has tests of its own.
    monkeypatch.setattr(beside, "MOMENT", PATIENCE / 1000)
    monkeypatch.setattr(beside, "_PATIENCE", beside._Patience())
    kept, names = solved_before
    own = results.folder()
    for file in kept.iterdir():
        own.mkdir(parents=True, exist_ok=True)
        shutil.copy(file, own)
    yield tmp_path / "state"
    for name in names:
        if (own / name).exists() and not (kept / name).exists():
            shutil.copy(own / name, kept)
    units.use_system(units.SYSTEMS[0])


@pytest.fixture(scope="session")
def qapp() -> QApplication:
    return make_application(dark=False)


def coarse_sample() -> Project:
    project = dish_panel()
    assert project.part is not None
    return part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.1))


@pytest.fixture
def open_window(qapp: QApplication, qtbot) -> Iterator[Callable[..., MainWindow]]:  # type: ignore[no-untyped-def]
    """Open windows that are shut afterwards; nothing of theirs may outlive the test."""
    made: list[MainWindow] = []

    def make(project: Project | None = None, *, wait: bool = True) -> MainWindow:
        session = Session(project or coarse_sample())
        window = MainWindow(session)
        made.append(window)
        window.show()
        window.activateWindow()
        assert QTest.qWaitForWindowActive(window, 5000)
        session.refresh_answer()
        if wait:
            qtbot.waitUntil(lambda: not session.solving, timeout=120_000)
        # Making the 3-D view takes the keyboard away for a moment.
        settle()
        assert QTest.qWaitForWindowActive(window, 5000)
        qtbot.waitUntil(lambda: qapp.focusWidget() is not None)
        return window

    yield make
    for window in made:
        process = window.session.answers._worker._process
        window.session.history.mark_saved()
        window.close()
        window.deleteLater()
        # It is ended at once; what was being started yet goes a moment later by itself.
        qtbot.waitUntil(lambda p=process: p is None or not p.is_alive())
        assert not window.session._poll.isActive()
    qapp.processEvents()
    qapp.sendPostedEvents(None, 52)  # deferred deletes
    left = [w for w in qapp.topLevelWidgets() if isinstance(w, MainWindow) and w.isVisible()]
    assert left == []
    assert not [t for t in qapp.findChildren(QThread) if t.isRunning()]


@pytest.fixture
def window(open_window: Callable[..., MainWindow]) -> MainWindow:
    """The sample on a coarse mesh, solved."""
    return open_window()


def named(parent: QWidget, kind: type, name: str) -> QWidget:
    """A visible widget by its accessible name."""
    found = [w for w in parent.findChildren(kind) if w.accessibleName() == name and w.isVisible()]
    assert len(found) == 1, (name, [w.accessibleName() for w in parent.findChildren(kind)])
    widget: QWidget = found[0]
    return widget
