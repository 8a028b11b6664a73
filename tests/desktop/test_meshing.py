"""Meshes that take a while: the window lives on, and what waits for them is taken or refused."""

import dataclasses
import os
import signal
from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from tartan.desktop.window import MainWindow
from tartan.project.analysis import meshes
from tartan.project.analysis.meshes import MESHES
from tests.desktop.conftest import named
from tests.desktop.settle import settle
from tests.desktop.test_part import padded
from tests.desktop.test_window import LEFT, solved, type_into

pytestmark = pytest.mark.gl
Opener = Callable[..., MainWindow]


@pytest.fixture
def at_part(qtbot: QtBot, open_window: Opener) -> MainWindow:
    window = open_window(padded())
    window.session.select(station="Part")
    window.part.open_form("surface")
    qtbot.waitUntil(lambda: window.part.pane.scene is not None)
    return window


def size_of(window: MainWindow) -> float:
    part = window.session.project.part
    assert part is not None
    return part.mesh_size


def test_a_long_mesh_holds_nobody_up_and_its_edit_is_taken(
    qtbot: QtBot, at_part: MainWindow
) -> None:
    window, session = at_part, at_part.session
    ticks: list[str] = []
    timer = QTimer()
    timer.timeout.connect(lambda: ticks.append(window.verdict.verdict.state))  # type: ignore[union-attr]
    type_into(qtbot, named(window.part, QLineEdit, "mesh size"), "26")
    assert size_of(window) == 0.12
    assert session.meshing
    assert "meshing" in str(session.under_way)
    # What is under way is no fault.
    assert not window.part.fault.text()
    timer.start(10)
    # The selection can be changed meanwhile, and other edits are made at once.
    session.select(station="Cases")
    qtbot.waitUntil(lambda: size_of(window) == pytest.approx(0.026))
    timer.stop()
    # The window's events went on meanwhile; how many depends on the machine.
    assert ticks
    solved(qtbot, window)
    assert session.answer is not None
    assert session.answer.inputs.part.mesh_size == pytest.approx(0.026)
    assert session.history.undo_label == "mesh size"
    session.undo()
    assert size_of(window) == 0.12
    assert not window.part.fault.isVisible()


def test_cancel_and_undo_give_a_held_edit_up(qtbot: QtBot, at_part: MainWindow) -> None:
    window, session = at_part, at_part.session
    field = named(window.part, QLineEdit, "mesh size")
    type_into(qtbot, field, "8")
    assert session.meshing
    qtbot.mouseClick(window.verdict, LEFT, pos=window.verdict.cancel_rect().center().toPoint())
    assert not session.meshing
    assert not MESHES.busy
    type_into(qtbot, field, "9")
    assert session.meshing
    before = session.history.undo_label
    session.undo()
    assert session.history.undo_label == before
    qtbot.waitUntil(lambda: not MESHES.busy)
    assert size_of(window) == 0.12
    # What was stopped can be had again, and another figure takes the place of the one before.
    qtbot.keyClick(window, Qt.Key.Key_F5)
    type_into(qtbot, field, "8")
    type_into(qtbot, field, "30")
    qtbot.waitUntil(lambda: size_of(window) == pytest.approx(0.03))
    solved(qtbot, window)
    assert not session.meshing


def test_a_window_that_is_closed_takes_no_held_edit(qtbot: QtBot, at_part: MainWindow) -> None:
    window, session = at_part, at_part.session
    type_into(qtbot, named(window.part, QLineEdit, "mesh size"), "25")
    assert session.meshing
    session.history.mark_saved()
    window.close()
    settle()
    # Nor does anything else that comes late have it write again.
    session.edit("late", lambda p: dataclasses.replace(p, name="late"))
    assert size_of(window) == 0.12
    assert not window.autosave._timer.isActive()
    window.autosave.finish()
    assert not MESHES.busy


def test_a_mesher_that_falls_refuses_the_edit_in_words(qtbot: QtBot, at_part: MainWindow) -> None:
    window = at_part
    type_into(qtbot, named(window.part, QLineEdit, "mesh size"), "7")
    assert MESHES._process is not None
    os.kill(MESHES._process.started(), signal.SIGKILL)
    qtbot.waitUntil(lambda: window.refused.isVisible())
    assert "mesher ended unexpectedly" in window.refused.words.text()
    assert size_of(window) == 0.12
    assert window.session.verdict.state == "holds"


def test_a_project_opened_on_a_fine_mesh_is_shown_when_it_is_there(
    qtbot: QtBot, open_window: Opener, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(meshes, "AT_OPENING", 0)
    monkeypatch.setattr(meshes, "AT_ONCE", 0)
    project = padded()
    assert project.part is not None
    other = dataclasses.replace(project, part=dataclasses.replace(project.part, mesh_size=0.087))
    window = open_window(other, wait=False)
    window.session.select(station="Part")
    solved(qtbot, window)
    scene = window.part.pane.scene
    assert scene is not None
    assert scene.mesh is not None
    assert scene.mesh.count == window.session.answer.solution.strains.shape[1]  # type: ignore[union-attr]
