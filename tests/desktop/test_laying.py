"""Laying that takes a while: the window lives on, and what waits for it is taken or refused."""

import dataclasses
import threading
from collections.abc import Callable, Iterator

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from tartan.desktop.window import MainWindow
from tartan.pages import part_ready
from tartan.project.analysis import beside, inputs
from tartan.project.analysis.meshes import MESHES, MeshPending
from tartan.project.document.model import Project
from tartan.project.document.samples import radome_cap_project
from tartan.project.edits import case_edits, part_edits
from tests.desktop.test_window import solved

pytestmark = pytest.mark.gl
Opener = Callable[..., MainWindow]


@pytest.fixture
def cap(qtbot: QtBot, open_window: Opener, monkeypatch: pytest.MonkeyPatch) -> MainWindow:
    """The draped sample, coarse, in a window that waits for nothing."""
    project = radome_cap_project()
    assert project.part is not None
    coarse = dataclasses.replace(project.part, mesh_size=2.5 * project.part.mesh_size)
    window = open_window(part_edits.put_part(project, coarse))
    window.session.select(station="Part")
    qtbot.waitUntil(lambda: window.part.pane.scene is not None)
    monkeypatch.setattr(beside, "MOMENT", 0.0)
    return window


@pytest.fixture
def gate(cap: MainWindow, monkeypatch: pytest.MonkeyPatch) -> Iterator[threading.Event]:
    """Nothing is laid beside the window until it is set."""
    opened, lay = threading.Event(), inputs._LAYOUT._make

    def held(*key: object) -> inputs.Layout:
        assert opened.wait(60)
        return lay(*key)

    monkeypatch.setattr(inputs._LAYOUT, "_make", held)
    yield opened
    opened.set()


def turned(project: Project, angle: float) -> Project:
    part = project.part
    assert part is not None
    first = dataclasses.replace(part.lay_up[0], turn=angle)
    return part_edits.put_lay_up(project, (first, *part.lay_up[1:]))


def turn_of(window: MainWindow) -> float:
    part = window.session.project.part
    assert part is not None
    return part.lay_up[0].turn


def said(window: MainWindow) -> str:
    return " ".join(x.text() for x in window.part.ready.findChildren(QLabel))


def test_a_turned_ply_holds_nobody_up_and_is_taken_when_it_is_laid(
    qtbot: QtBot, cap: MainWindow, gate: threading.Event
) -> None:
    session = cap.session
    error = session.edit("turn a rung", lambda p: turned(p, 12.0))
    assert isinstance(error, MeshPending)
    assert "being laid" in str(error)
    assert session.meshing
    assert "laying plies" in str(session.under_way)
    assert turn_of(cap) == 0.0
    # Another figure in the same field takes the place of the one before.
    assert isinstance(session.edit("turn a rung", lambda p: turned(p, 20.0)), MeshPending)
    # The window is used meanwhile.
    session.select(station="Cases")
    session.select(station="Part")
    assert turn_of(cap) == 0.0
    gate.set()
    qtbot.waitUntil(lambda: turn_of(cap) == 20.0)
    solved(qtbot, cap)
    qtbot.waitUntil(lambda: not MESHES.busy)
    assert session.answer is not None
    assert session.answer.inputs.part.lay_up[0].turn == 20.0
    # What was shown as under way is there: zones on the part, and nothing in the way.
    qtbot.waitUntil(lambda: "every element has plies" in said(cap))
    assert part_ready.readiness(session.project) == []
    assert cap.part.overlays._layout() is not None
    session.undo()
    assert turn_of(cap) == 0.0


def test_what_cannot_be_laid_is_refused_when_that_is_seen(
    qtbot: QtBot, cap: MainWindow, gate: threading.Event
) -> None:
    session = cap.session
    before = session.project

    def aside(project: Project) -> Project:
        part = project.part
        assert part is not None
        draped = part.lay_up[0].draped
        assert draped is not None
        far = dataclasses.replace(draped, start=(50.0, 0.0, 0.0))
        first = dataclasses.replace(part.lay_up[0], draped=far)
        return part_edits.put_lay_up(project, (first, *part.lay_up[1:]))

    assert isinstance(session.edit("start of a ply", aside), MeshPending)
    gate.set()
    qtbot.waitUntil(lambda: cap.refused.isVisible())
    assert "lies 49400 mm off the surface" in cap.refused.words.text()
    assert session.project is before
    assert not session.meshing
    assert session.verdict.state != "none"


def test_undo_gives_a_ply_that_is_being_laid_up(
    qtbot: QtBot, cap: MainWindow, gate: threading.Event
) -> None:
    session = cap.session
    label = session.history.undo_label
    assert isinstance(session.edit("turn a rung", lambda p: turned(p, 31.0)), MeshPending)
    session.undo()
    assert not session.meshing
    assert turn_of(cap) == 0.0
    assert session.history.undo_label == label
    # The thread goes on; what it laid is taken when it is wanted again.
    error = session.edit("turn a rung", lambda p: turned(p, 31.0))
    assert isinstance(error, MeshPending)
    gate.set()
    qtbot.waitUntil(lambda: turn_of(cap) == 31.0)
    qtbot.waitUntil(lambda: not MESHES.busy)


@pytest.fixture(autouse=True)
def _nothing_left() -> Iterator[None]:
    yield
    assert not MESHES.busy


def test_what_is_missing_is_looked_for_beside_and_said_softly_meanwhile(
    qtbot: QtBot, cap: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened, look = threading.Event(), part_ready._READY._make

    def held(*given: object) -> list[part_ready.Item]:
        assert opened.wait(60)
        return look(*given)

    monkeypatch.setattr(part_ready._READY, "_make", held)
    unheld = case_edits.put_supports(cap.session.project, ())
    cap.session.edit("no supports", lambda _: unheld)
    waiting = [("The part is being looked through.", "soft")]
    lines = cap.part.ready
    qtbot.waitUntil(
        lambda: (
            [(x.text(), x.property("role")) for x in lines.findChildren(QLabel) if x.isVisible()]
            == waiting
        )
    )
    opened.set()
    qtbot.waitUntil(lambda: "The part has no supports" in said(cap))
    qtbot.waitUntil(lambda: not MESHES.busy)


def test_a_turn_typed_meanwhile_is_no_fault(
    qtbot: QtBot, cap: MainWindow, gate: threading.Event
) -> None:
    view, session = cap.part, cap.session
    view.open_form("lay-up")
    session.select(rungs=(0,))
    turn = view.panes.pane("lay-up").turn
    qtbot.mouseDClick(turn, Qt.MouseButton.LeftButton)
    turn.selectAll()
    qtbot.keyClicks(turn, "14")
    qtbot.keyClick(turn, Qt.Key.Key_Return)
    assert session.meshing
    assert "laying plies" in str(session.under_way)
    assert turn.text() == "14"
    assert not turn.property("fault")
    assert not view.fault.text()
    gate.set()
    qtbot.waitUntil(lambda: turn_of(cap) == 14.0)
    qtbot.waitUntil(lambda: not MESHES.busy)
    assert turn.text() == "14"
    # What is wrong is still said as such.
    turn.selectAll()
    qtbot.keyClicks(turn, "steep")
    qtbot.keyClick(turn, Qt.Key.Key_Return)
    assert turn.property("fault")
    assert turn_of(cap) == 14.0
