"""Files in the window: others who change them, what is kept of unsaved work, what is set aside."""

import json
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tartan.desktop import app as starting
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tartan.project.edits import stack_edits
from tartan.project.files import recovery, storage
from tests.conftest import CARBON

LEFT = Qt.MouseButton.LeftButton


def named(name: str) -> Project:
    return stack_edits.add_materials(Project(name), [CARBON])


@pytest.fixture
def on_file(open_window: Callable[..., MainWindow], tmp_path: Path) -> MainWindow:
    path = tmp_path / "p.tartan.json"
    storage.save(named("first"), path)
    window = open_window(named("x"), wait=False)
    window.open_path(path)
    return window


def rename(window: MainWindow, name: str) -> None:
    window.session.edit("rename", lambda p: stack_edits.rename_project(p, name))


def press(window: MainWindow, way: str) -> None:
    button = window.clash.ways[way]
    assert button.isVisible()
    QTest.mouseClick(button, LEFT)


def clashed(window: MainWindow) -> Path:
    """Both this window and another program have changed the file."""
    path = window.session.path
    assert path is not None
    rename(window, "ours")
    storage.save(named("theirs"), path)
    assert not window.save()
    assert window.clash.isVisible()
    assert storage.load(path).name == "theirs"
    assert window.session.history.modified
    return path


def test_saving_over_what_others_changed_asks_first(on_file: MainWindow) -> None:
    rename(on_file, "plain")
    assert on_file.save()
    path = clashed(on_file)
    press(on_file, "save over it")
    assert storage.load(path).name == "ours"
    assert not on_file.clash.isVisible()
    rename(on_file, "again")
    assert on_file.save()


def test_both_are_kept(on_file: MainWindow) -> None:
    path = clashed(on_file)
    press(on_file, "keep both")
    assert storage.load(path).name == "theirs"
    beside = path.with_name("p 2.tartan.json")
    assert storage.load(beside).name == "ours"
    assert on_file.session.path == beside
    assert not on_file.session.history.modified


def test_theirs_is_taken_and_ours_comes_back_by_undo(on_file: MainWindow) -> None:
    clashed(on_file)
    press(on_file, "take theirs")
    assert on_file.session.project.name == "theirs"
    assert not on_file.session.history.modified
    on_file.session.undo()
    assert on_file.session.project.name == "ours"


def test_theirs_is_compared_as_a_version(on_file: MainWindow) -> None:
    clashed(on_file)
    press(on_file, "compare")
    project = on_file.session.project
    assert project.name == "ours"
    assert project.against == "in the file"
    assert on_file.session.selection.station == "Versions"
    # Nothing is decided by it: saving asks again.
    assert not on_file.save()
    press(on_file, "save over it")


def test_a_second_window_on_a_file_is_told_of_the_first(
    on_file: MainWindow, open_window: Callable[..., MainWindow]
) -> None:
    path = on_file.session.path
    assert path is not None
    second = open_window(named("y"), wait=False)
    second.open_path(path)
    assert second.clash.isVisible()
    assert "open too" in second.clash.words.text()
    assert not any(b.isVisible() for b in second.clash.ways.values())
    QTest.mouseClick(second.clash.away, LEFT)
    # Whoever saves last is asked.
    rename(second, "by the second")
    assert second.save()
    rename(on_file, "by the first")
    assert not on_file.save()
    assert on_file.clash.isVisible()
    press(on_file, "keep both")
    # The lock goes with the window.
    second.session.history.mark_saved()
    on_file.new_project()
    second.new_project()
    assert list(path.parent.glob(".*.open")) == []


def test_steady_work_is_written_all_the_while(window: MainWindow, qtbot) -> None:  # type: ignore[no-untyped-def]
    keeper = window.autosave.keeper
    begun = time.monotonic()
    number, lost = 0, []
    while time.monotonic() - begun < 5:
        number += 1
        rename(window, f"step {number} at {time.monotonic()}")
        QTest.qWait(60)
        if keeper.file.exists() and time.monotonic() - begun > 2:
            name = json.loads(json.loads(keeper.file.read_text("utf-8"))["project"])["name"]
            if " at " in name:
                lost.append(time.monotonic() - float(name.rpartition(" ")[2]))
    # Work that is older than two seconds is on the disk at any moment.
    assert lost
    assert max(lost) < 2.0
    window.autosave.finish()


def test_the_window_starts_whatever_lies_in_the_state_folder(  # type: ignore[no-untyped-def]
    own_state: Path, qapp, monkeypatch
) -> None:
    place = recovery.folder()
    place.mkdir(parents=True)
    (place / "1.recovery.json").write_text('{"pid": ' + "9" * 401 + ', "started": "x"}')
    (place / "2.recovery.json").write_text("[" * 50_000)
    (own_state / "preferences.ini").write_text("[General]\nwindow=nonsense\ntext=many\nunits=5\n")
    monkeypatch.setattr(starting, "dish_panel", lambda: named("sample"))
    window = starting.make_window()
    window.show()
    try:
        assert "could not be read" in window.recovery._aside
        assert window.recovery.isVisible()
        assert len(list(place.glob("*.unreadable"))) == 2
        window.recovery._put_away()
        assert not window.recovery.isVisible()
        assert isinstance(window.session, Session)
    finally:
        window.session.history.mark_saved()
        window.close()
