"""Questions to a stack: numbers to copy, envelopes compared, tables that say what they are of."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit

from tartan.desktop.window import MainWindow
from tartan.pages.stiffness_question import asked_stiffness
from tests.desktop.conftest import named
from tests.desktop.test_window import press, type_into

OpenWindow = Callable[..., MainWindow]


@pytest.fixture
def window(open_window: OpenWindow) -> MainWindow:
    window = open_window()
    session = window.session
    session.select(station="Stacks", stack=session.project.stacks[0].name, plies=())
    return window


def copied() -> list[list[str]]:
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    return [line.split("\t") for line in clipboard.text().splitlines()]


def test_stiffness_is_copied_as_numbers_in_the_axes_that_are_asked(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    pane = window.stacks.stiffness
    qtbot.mouseClick(pane.numbers.open, Qt.MouseButton.LeftButton)
    type_into(qtbot, named(pane, QLineEdit, "Axes turned by"), "30")
    surface = named(pane, QComboBox, "Reference surface of the stiffness")
    surface.setCurrentText("bottom")  # type: ignore[attr-defined]
    surface.textActivated.emit("bottom")  # type: ignore[attr-defined]
    before = window.session.project
    press(qtbot, pane.numbers, "copy")
    rows = copied()[1:]
    laminate = window.stacks.stiffness._chosen.laminate  # type: ignore[union-attr]
    assert laminate is not None
    whole = asked_stiffness(laminate, 30.0, "bottom")
    found = np.array([[float(c) for c in r[2:]] for r in rows[:3]]) * 1e6
    assert np.allclose(found, whole[:3, :3], rtol=1e-12, atol=1e-6)
    assert window.session.project == before
    assert pane.numbers.table.view.model().index(0, 2).data() != rows[0][2]  # type: ignore[union-attr]


def test_envelopes_of_other_stacks_and_sets_are_drawn_and_copied(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    pane = window.stacks.envelope
    press(qtbot, window.stacks, "Envelope")
    qtbot.waitUntil(lambda: len(pane._found) == 1)
    qtbot.mouseClick(pane.others, Qt.MouseButton.LeftButton)
    names = pane.others.names
    assert names
    for box in pane.others._boxes[:2]:
        box.click()
    pane.others._popup.close()  # type: ignore[union-attr]
    qtbot.waitUntil(lambda: len(pane._found) == 1 + min(2, len(names)))
    assert names[0] in pane.key.text()
    press(qtbot, pane, "copy points")
    rows = copied()
    assert window.stacks.stack.name in rows[0][0]  # type: ignore[union-attr]
    assert rows[1][0] == "curve"
    assert {r[0] for r in rows[2:]} == {window.stacks.stack.name, *names[:2]}  # type: ignore[union-attr]


def test_tables_that_are_taken_say_what_they_are_of(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view, session = window.stacks, window.session
    press(qtbot, view, "Plies")
    qtbot.waitUntil(lambda: bool(view.results.table.table.rows))
    view.results.table.copy()
    about = copied()[0][0]
    assert view.stack is not None
    for words in (view.stack.name, view.loads.loads.name, session.project.criteria[0].name):
        assert words in about
    assert "Middle surface" in view.results.whole.text()
    # The number of the ply stands still while the columns move.
    down = view.results.table.view.verticalHeader()
    assert down is not None
    assert down.isVisible()
    assert view.results.table.model.headerData(4, Qt.Orientation.Vertical) == "2"
    assert view.results.table.view.isColumnHidden(0)
    press(qtbot, view, "Strength")
    qtbot.waitUntil(lambda: bool(view.strength.table.table.rows))
    view.strength.table.copy()
    assert view.stack.name in copied()[0][0]
