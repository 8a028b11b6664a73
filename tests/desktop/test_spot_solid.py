"""From a spot of Margins to solids ply by ply and the difference in words, by clicks."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton

from tartan.desktop.margins.spotsolid import SpotSolid
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tests.desktop.conftest import named
from tests.desktop.settle import settle
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press, type_into
from tests.project.test_spot_solid import small

pytestmark = pytest.mark.gl
OpenWindow = Callable[..., MainWindow]


@pytest.fixture
def window(open_window: OpenWindow) -> MainWindow:
    return open_window()


def opened(qtbot, window: MainWindow) -> SpotSolid:  # type: ignore[no-untyped-def]
    window.session.select(station="Margins")
    settle()
    press(qtbot, window.margins.spot, "check in 3-D")
    settle()
    return window.margins.spot.solid


def assume(pane: SpotSolid) -> None:
    for each in pane.form.findChildren(QPushButton):
        if each.text() == "assume what lacks":
            each.click()
            settle()


def checked(qtbot, pane: SpotSolid) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, pane, "check it")
    qtbot.waitUntil(lambda: not pane.work.busy, timeout=240_000)
    settle()


def test_from_the_governing_spot_to_the_difference_in_words(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, pane = window.session, opened(qtbot, window)
    assert pane.isVisible()
    checked(qtbot, pane)
    assert "lacks E₃" in pane.fault.text()
    assume(pane)
    type_into(qtbot, named(pane, QLineEdit, "distance of the cut"), "60")  # type: ignore[arg-type]
    assert pane.ask.distance == 0.06
    checked(qtbot, pane)
    assert not pane.fault.text()
    found = pane.found
    assert found is not None
    assert session.answer is not None
    words = pane.words.text()
    assert words.startswith("Reserve factor: shell ")
    assert "ply by ply" in words
    assert "The cut is" in words
    assert pane.plot.isVisible()
    assert len(pane.table.table.rows) == 3 * len(found.plies)
    choose(named(pane, QComboBox, "Stress of the check"), "τ₁₃")  # type: ignore[arg-type]
    row = pane.table.table.rows[-2]
    assert row[-1] == pytest.approx(found.plies[0, 1, 4] / 1e6, abs=1e-9)
    pane.table.copy()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert "shell [MPa]" in clipboard.text()
    # Asked for otherwise, what stands says that it is of before.
    type_into(qtbot, named(pane, QLineEdit, "solids through every ply"), "2")  # type: ignore[arg-type]
    assert "asked before" in pane.words.text()
    type_into(qtbot, named(pane, QLineEdit, "solids through every ply"), "many")  # type: ignore[arg-type]
    assert pane.ask.per_ply == 2
    # Another spot: nothing of the one before is left, and the check stays open.
    other = (found.question.ask.element + 5) % session.answer.layout().mesh.count
    window.margins.pick(other)
    settle()
    assert pane.isVisible()
    assert pane.found is None
    assert not pane.table.isVisible()
    press(qtbot, pane, "back to the section")
    assert window.margins.spot.section.isVisible()
    assert not window.faults.faults


def test_it_is_given_up_and_what_stands_in_the_way_is_said(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    pane = opened(qtbot, window)
    assume(pane)
    type_into(qtbot, named(pane, QLineEdit, "distance of the cut"), "60")  # type: ignore[arg-type]
    press(qtbot, pane, "check it")
    press(qtbot, pane, "stop")
    assert not pane.work.busy
    assert "stopped" in pane.note.text()
    type_into(qtbot, named(pane, QLineEdit, "distance of the cut"), "9000")  # type: ignore[arg-type]
    press(qtbot, pane, "check it")
    assert "distance" in pane.fault.text()
    assert not pane.work.busy
    # A new project while it is solved: nobody waits for it.
    field = named(pane, QLineEdit, "distance of the cut")
    field.setFocus()  # type: ignore[attr-defined]
    field.selectAll()  # type: ignore[attr-defined]
    for key in (Qt.Key.Key_Delete, Qt.Key.Key_Return):
        qtbot.keyClick(field, key)
    assert pane.ask.distance is None
    press(qtbot, pane, "check it")
    window.session.history.mark_saved()
    window.new_project()
    settle()
    qtbot.waitUntil(lambda: window.session.answer is None, timeout=20_000)
    assert not window.faults.faults


def test_with_nothing_there_is_nothing_to_check(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    window = open_window(Project("nothing"), wait=False)
    window.session.select(station="Margins")
    settle()
    window.margins.spot.check_solid()
    window.margins.spot.solid.start()
    assert not window.margins.spot.solid.work.busy
    assert not window.faults.faults


def test_a_whole_small_part_is_asked_for_by_a_click(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    window = open_window(small())
    pane = opened(qtbot, window)
    assume(pane)
    assert named(pane, QLineEdit, "distance of the cut").isVisible()
    press(qtbot, pane, "the whole part")
    settle()
    assert pane.ask.whole
    # A distance has no meaning then, and is not asked for.
    assert not any(
        e.accessibleName() == "distance of the cut" and e.isVisible()
        for e in pane.form.findChildren(QLineEdit)
    )
    type_into(qtbot, named(pane, QLineEdit, "solids through every ply"), "2")  # type: ignore[arg-type]
    checked(qtbot, pane)
    assert not pane.fault.text()
    assert "All of the part with these plies is solid" in pane.words.text()
    press(qtbot, pane, "the whole part")
    settle()
    assert "asked before" in pane.words.text()
    assert named(pane, QLineEdit, "distance of the cut").isVisible()
    assert not window.faults.faults
