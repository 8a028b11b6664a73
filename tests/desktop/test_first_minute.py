"""The first minute: from an empty project on, files, and faults of the program itself."""

import dataclasses
import math
import sys
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMenu, QMessageBox, QPushButton

from tartan.core.stack import Ply
from tartan.desktop.app import tell_of_faults
from tartan.desktop.window import MainWindow
from tartan.exchange.materials_table import read_materials
from tartan.exchange.tables import Table, plain, write_table
from tartan.project.document.model import Project
from tartan.project.edits import stack_edits
from tartan.project.files import storage
from tests.conftest import CARBON
from tests.desktop.test_walk import half_covered

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def empty(open_window: Callable[..., MainWindow], qtbot) -> MainWindow:  # type: ignore[no-untyped-def]
    """A window on which Ctrl+N was pressed."""
    window = open_window()
    QTest.keyClick(window, Qt.Key.Key_N, CTRL)
    assert window.session.project == Project("new project")
    return window


def way(window: MainWindow, words: str) -> QPushButton:
    page = window.pages[window.session.selection.station]
    found = [b for b in page.blank.ways if b.text() == words]
    assert len(found) == 1, [b.text() for b in page.blank.ways]
    return found[0]


def click(window: MainWindow, words: str) -> None:
    QTest.mouseClick(way(window, words), Qt.MouseButton.LeftButton)


def clipboard(text: str) -> None:
    board = QApplication.clipboard()
    assert board is not None
    board.setText(text)


def test_a_laminate_by_keys_alone(empty: MainWindow, qtbot) -> None:  # type: ignore[no-untyped-def]
    session = empty.session
    assert empty.file.text() == "new"
    # The field has the keyboard at once: the first material is typed.
    field = empty.pages["Materials"].blank.field
    qtbot.waitUntil(field.hasFocus)
    QTest.keyClicks(field, "tape")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert [m.name for m in session.project.materials] == ["tape"]
    assert empty.materials.isVisible()
    session.edit(
        "thickness",
        lambda p: stack_edits.put_material(
            p, "tape", dataclasses.replace(p.materials[0], ply_thickness=0.2e-3)
        ),
    )
    session.select(station="Stacks")
    field = empty.pages["Stacks"].blank.field
    qtbot.waitUntil(field.hasFocus)
    QTest.keyClicks(field, "[0/9o]")
    QTest.keyClick(field, Qt.Key.Key_Return)
    # What cannot be read is said, and stays to be mended.
    assert not session.project.stacks
    assert field.text() == "[0/9o]"
    assert empty.pages["Stacks"].blank.fault.text()
    field.clear()
    QTest.keyClicks(field, "[0/90]s")
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert [p.angle for p in session.project.stacks[0].plies] == [0, 90, 90, 0]
    assert empty.stacks.isVisible()
    session.undo()
    assert not empty.stacks.isVisible()


def test_ways_of_the_empty_pages(empty: MainWindow, qtbot, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    session = empty.session
    clipboard("nonsense")
    click(empty, "paste a table")
    assert "nonsense" in empty.pages["Materials"].blank.fault.text()
    clipboard(
        "name\tE1 [GPa]\tE2 [GPa]\tnu12\tG12 [GPa]\tply_thickness [mm]\n"
        "a\t140\t9\t0.3\t5\t0.2\nb\t40\t9\t0.3\t5\t0.3"
    )
    click(empty, "paste a table")
    assert [m.name for m in session.project.materials] == ["a", "b"]
    assert pytest.approx(140e9) == session.project.materials[0].E1
    session.undo()
    click(empty, "from the library")
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    menu.actions()[0].trigger()
    menu.close()
    assert len(session.project.materials) == 1
    session.select(station="Stacks")
    clipboard("")
    click(empty, "paste plies")
    assert empty.pages["Stacks"].blank.fault.text()
    clipboard("0\n45\n-45\n90")
    click(empty, "paste plies")
    assert [p.angle for p in session.project.stacks[0].plies] == [0, 45, -45, 90]
    session.select(station="Cases")
    click(empty, "to Part")
    assert session.selection.station == "Part"
    click(empty, "a tube")
    assert session.project.part is not None
    assert empty.part.isVisible()
    session.select(station="Margins")
    click(empty, "to Cases")
    assert session.selection.station == "Cases"


def test_a_fault_is_told_once_and_counted(window: MainWindow, monkeypatch, qtbot) -> None:  # type: ignore[no-untyped-def]
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    tell_of_faults(window)

    # pytest-qt would take faults of slots for failures; they are told to the window's hook.
    def raise_one() -> None:
        raise ZeroDivisionError("no plies")

    def raise_other() -> None:
        raise KeyError("gone")

    for act in (raise_one, raise_one, raise_one, raise_other):
        try:
            act()
        except Exception as error:  # noqa: BLE001 - what the hook would be given
            sys.excepthook(type(error), error, error.__traceback__)
    bar = window.faults
    assert bar.isVisible()
    assert [f.count for f in bar.faults.values()] == [3, 1]
    assert "4 times" in bar.words.text()
    assert not [
        w for w in QApplication.topLevelWidgets() if isinstance(w, QMessageBox) and w.isVisible()
    ]
    QTest.mouseClick(bar.copy, Qt.MouseButton.LeftButton)
    board = QApplication.clipboard()
    assert board is not None
    assert "ZeroDivisionError: no plies" in board.text()
    assert "KeyError" in board.text()
    bar.put_away()
    assert not bar.isVisible()
    # The window works on below it.
    window.session.select(station="Stacks")
    assert window.stacks.isVisible()


def test_what_a_spreadsheet_is_given(tmp_path: Path) -> None:
    rows = ((1.5, math.nan, math.inf, -math.inf, None, "=a", 3),)
    table = Table("t", tuple("abcdefg"), rows)
    assert table.as_text().splitlines()[1] == "1.5\t\t∞\t−∞\t\t=a\t3"
    assert plain(math.nan) == ""
    for ending in ("xlsx", "csv"):
        write_table(table, tmp_path / f"t.{ending}")
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx").active
    assert sheet is not None
    assert [c.value for c in sheet[2]] == [1.5, None, "∞", "−∞", None, "=a", 3]
    # Text that a spreadsheet would run stands behind an apostrophe.
    assert (tmp_path / "t.csv").read_text("utf-8").splitlines()[1] == "1.5,,∞,−∞,,'=a,3"
    with pytest.raises(Exception, match="row 1"):
        read_materials(tmp_path / "t.csv")


def test_an_unloaded_stack_is_copied_whole(open_window: Callable[..., MainWindow]) -> None:
    project = stack_edits.add_materials(Project("p"), [CARBON])
    project, _ = stack_edits.add_stack(project, "s", [Ply(CARBON.name, 0.0, 1e-3)] * 2)
    window = open_window(project, wait=False)
    window.session.select(station="Stacks")
    for index, tab in enumerate(window.stacks.tabs.buttons()):
        QTest.mouseClick(tab, Qt.MouseButton.LeftButton)
        table = {1: window.stacks.strength.table, 4: window.stacks.results.table}.get(index)
        if table is None:
            continue
        clipboard("")
        table.view.setFocus()
        QTest.keySequence(table.view, "Ctrl+C")
        board = QApplication.clipboard()
        assert board is not None
        text = board.text()
        assert len(text.splitlines()) > 5, tab.text()
        assert not {"nan", "inf"} & set(text.replace("\n", "\t").split("\t"))


def test_a_place_that_cannot_be_written_is_left(  # type: ignore[no-untyped-def]
    window: MainWindow, monkeypatch, tmp_path: Path
) -> None:
    asked: list[str] = []
    told: list[str] = []
    answers: list[Path] = [tmp_path / "no" / "such" / "a.tartan.json", tmp_path / "b.tartan.json"]

    def ask(parent: object, title: str, start: str, *_: object) -> tuple[str, str]:
        asked.append(start)
        return str(answers.pop(0)), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", ask)
    monkeypatch.setattr(QMessageBox, "warning", lambda *a: told.append(a[2]))
    window.session.edit("name", lambda p: stack_edits.rename_project(p, "dish: first/second"))
    assert not window.save()
    assert window.session.path is None
    assert window.session.history.modified
    assert len(told) == 1
    # It is asked for again, and the name is the project's, fit for a file.
    assert window.save()
    assert window.session.path == tmp_path / "b.tartan.json"
    assert asked == [f"dish- first-second{storage.SUFFIX}"] * 2
    assert storage.load(tmp_path / "b.tartan.json") == window.session.project
    # A place that was good and is so no more: told once, then another is asked for.
    window.session.edit("name", lambda p: stack_edits.rename_project(p, "again"))
    monkeypatch.setattr(storage, "save", _refuse)
    assert not window.save()
    answers.append(tmp_path / "c.tartan.json")
    monkeypatch.undo()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", ask)
    assert window.save()
    assert window.session.path == tmp_path / "c.tartan.json"


def _refuse(*_: object) -> None:
    from tartan.core.errors import DocumentError

    raise DocumentError("The file cannot be written.", "b", "Choose another folder.")


def test_pointing_where_nothing_is_laid_says_so(open_window) -> None:  # type: ignore[no-untyped-def]
    window = open_window(half_covered())
    part = window.part
    window.session.select(station="Part")
    for element in range(4):
        part._point(element)
        part._pin(element)
        for card in (part.probe, *part.pins):
            card.grab()
    assert not window.faults.faults
