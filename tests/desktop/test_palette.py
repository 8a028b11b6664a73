"""Every action of every page is found by its name, and done from wherever the user is."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QPushButton, QWhatsThis

from tartan.desktop.palette import NAMELESS
from tartan.desktop.window import MainWindow
from tartan.pages.keys import ALSO
from tartan.project.document.model import Project
from tests.desktop.settle import settle

OpenWindow = Callable[..., MainWindow]


@pytest.fixture
def window(open_window: OpenWindow) -> MainWindow:
    return open_window()


def ask(qtbot, window: MainWindow, text: str) -> None:  # type: ignore[no-untyped-def]
    """Ctrl+Space, a few letters, Enter."""
    qtbot.keyClick(window, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: window.finder.whole)
    qtbot.keyClicks(window.finder, text)
    qtbot.keyClick(window.finder, Qt.Key.Key_Return)


BY_WORDS: dict[str, tuple[str, Callable[[MainWindow], bool]]] = {
    "stack turn by 45": ("Stacks", lambda w: "45" in str(w.session.history.undo_label)),
    "failure envelope": ("Stacks", lambda w: w.stacks.envelope.isVisible()),
    "new load case": ("Cases", lambda w: w.session.project.cases[-1].name == "case"),
    "load temperature": ("Cases", lambda w: "load" in str(w.session.history.undo_label)),
    "boundary condition": ("Cases", lambda w: w.session.history.undo_label == "add support"),
    "ruler": ("Part", lambda w: w.part.pane.tools.measure.isChecked()),
    "set group picking": ("Part", lambda w: w.part.form == "regions"),
    "exclude singularity": ("Margins", lambda w: w.margins.left_out.isVisible()),
    "from +x": ("Part", lambda w: abs(w.part.pane.scene.view.camera.direction[0]) > 0.99),
}
"""Words of the trade, the station that has what they ask for, and what is so once it is done."""


@pytest.mark.gl
def test_actions_are_found_by_words_of_the_trade(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    for text, (station, done) in BY_WORDS.items():
        window.session.select(station="Part")
        qtbot.waitUntil(lambda: window.part.pane.scene is not None)
        window.session.select(case=window.session.project.cases[0].name)
        assert not done(window), text
        ask(qtbot, window, text)
        assert window.session.selection.station == station, text
        qtbot.waitUntil(lambda made=done: made(window))
        assert not window.faults.faults


def test_no_named_button_is_missing_and_every_entry_can_be_chosen(
    qtbot, open_window: OpenWindow
) -> None:  # type: ignore[no-untyped-def]
    """Also where nothing is entered yet: an entry that cannot be done does nothing."""
    window = open_window(Project("nothing"), wait=False)
    window.stations.all_views()
    entries = window.entries()
    known = {(e.sort, e.name.casefold()) for e in entries}
    for station, view in window.stations.all_views().items():
        for made in view.findChildren(QPushButton):
            text = made.text().strip()
            if text not in NAMELESS and not text.startswith("all ") and made.menu() is None:
                assert (station, text.casefold()) in known
    dialogs = ("…", "open", "cancel", "save", "new project", "fold", "keys", "picture", "film")
    for entry in entries:
        if not any(word in entry.name for word in dialogs):
            entry.act()
    settle()
    # One of them asks what is pointed at, and would take the next key of whichever test comes.
    QWhatsThis.leaveWhatsThisMode()
    assert not window.faults.faults


@pytest.mark.gl
def test_what_is_entered_at_once_is_done_when_it_is_found(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    window.session.select(station="Materials")
    assert not window.finder.whole
    qtbot.keyClick(window, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(window.finder.hasFocus)
    # Letters and Enter before every page was looked through.
    window.finder.setText("exclude singularity")
    window.finder.textEdited.emit(window.finder.text())
    qtbot.keyClick(window.finder, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.session.selection.station == "Margins")
    qtbot.waitUntil(window.margins.left_out.isVisible)
    # What nobody has is let go when all was looked through.
    qtbot.keyClick(window, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(window.finder.hasFocus)
    window.finder.setText("no such thing")
    window.finder.textEdited.emit(window.finder.text())
    qtbot.keyClick(window.finder, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: window.finder.whole and not window.finder.text())


def test_other_words_belong_to_what_is_there(window: MainWindow) -> None:
    window.stations.all_views()
    entries = window.entries()
    named = {b.text().strip() for b in window.findChildren(QPushButton)}
    named |= {e.name for e in entries} | set(window.commands)
    named |= {e.name.partition(": ")[2] for e in entries}
    choosers = {w for w in ALSO if w.endswith(" …")}
    assert not {w for w in ALSO if w not in named} - choosers


def test_all_keys_stand_on_one_sheet(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    qtbot.keyClick(window, Qt.Key.Key_F1, Qt.KeyboardModifier.ShiftModifier)
    sheet = window.key_sheet
    assert sheet is not None
    assert sheet.isVisible()
    shown = sheet.text.toPlainText()
    for action in window.commands.values():
        for key in action.shortcuts():
            assert key.toString() in shown
    sheet.close()


def test_redo_has_both_of_its_usual_keys(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, before = window.session, window.session.project
    session.edit("rename", lambda p: p.__class__(**{**p.__dict__, "name": "other"}))
    both = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    for key, held in ((Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier), (Qt.Key.Key_Z, both)):
        session.undo()
        assert session.project == before
        qtbot.keyClick(window, key, held)
        assert session.project.name == "other"
