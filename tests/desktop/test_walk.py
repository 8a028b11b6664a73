"""Every page in every unfinished state is pointed at, clicked, keyed and copied from.

Nothing of the program itself may fail, and no figure of another document may be seen.
"""

import dataclasses
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QFileDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QMessageBox,
    QTableView,
    QWidget,
)

from tartan.core.stack import Ply, Stack
from tartan.desktop.window import MainWindow
from tartan.pages.stations import STATIONS
from tartan.project.analysis import meshes
from tartan.project.analysis.meshes import AT_ONCE, MESHES
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Case, Pressure, Rung, Support
from tartan.project.edits import case_edits, stack_edits
from tartan.project.files.storage import to_text
from tests.conftest import CARBON
from tests.desktop.conftest import coarse_sample
from tests.desktop.test_part import padded
from tests.exchange.test_lacking import PASSED_OVER, lacking
from tests.project.test_part import plate

FOREIGN = ("dish", "survival wind", "mount", "feed strut", "reflector", "Mountain")
"""Words of the sample that must not be seen in a project that has nothing of it."""


def _laid() -> Project:
    """A plate with something on it, held and loaded."""
    project = plate(mesh_size=0.1, lay_up=(Rung(ply=Ply("UD carbon", 0.0, 1e-3)),))
    project = case_edits.put_supports(project, [Support("left edge", "clamped")])
    return case_edits.put_cases(project, [Case("press", (Pressure(1e3),))])


def _without(**changes: object) -> Project:
    return dataclasses.replace(_laid(), **changes)  # type: ignore[arg-type]


def half_covered() -> Project:
    """Elements without plies: the only rung lies on a part of the surface."""
    project = _laid()
    assert project.part is not None
    rung = Rung(ply=Ply("UD carbon", 0.0, 1e-3), region="left edge")
    return dataclasses.replace(project, part=dataclasses.replace(project.part, lay_up=(rung,)))


def _of_new_mesh() -> Project:
    """The sample on a mesh that nobody had made before."""
    project = padded()
    assert project.part is not None
    return dataclasses.replace(project, part=dataclasses.replace(project.part, mesh_size=0.093))


def _laminate_only(plies: tuple[Ply, ...]) -> Project:
    project = stack_edits.add_materials(Project("laminate"), [CARBON])
    return dataclasses.replace(project, stacks=(Stack("one", plies),))


STATES: dict[str, tuple[Callable[[], Project], tuple[str, ...]]] = {
    "nothing": (lambda: Project("new project"), STATIONS),
    "no stack": (
        lambda: stack_edits.add_materials(Project("m"), [CARBON]),
        ("Materials", "Stacks"),
    ),
    "an empty stack": (lambda: _laminate_only(()), ("Stacks",)),
    "an unloaded stack": (
        lambda: _laminate_only((Ply(CARBON.name, 0.0, 1e-3),)),
        ("Stacks", "Part", "Report"),
    ),
    "no surface": (lambda: _without(part=None), ("Part", "Cases", "Margins")),
    "elements without plies": (half_covered, ("Part", "Cases", "Margins")),
    "no support": (lambda: _without(supports=()), ("Part", "Cases", "Margins")),
    "no case": (lambda: _without(cases=()), ("Cases", "Margins", "Report")),
    "an answer being made": (
        lambda: dataclasses.replace(coarse_sample(), name="another"),
        ("Part", "Margins", "Versions"),
    ),
    "a mesh being made": (_of_new_mesh, STATIONS),
    # Its mass is limited and not known; a page of versions that weighed it fell.
    "figures that may be missing": (
        lambda: lacking(_laid(), *PASSED_OVER),
        ("Materials", "Stacks", "Margins", "Versions", "Report"),
    ),
    "no loads": (lambda: _without(cases=(Case("idle"),)), ("Cases", "Margins", "Versions")),
}
"""Unfinished projects, and the pages that say something of their own about each."""


@pytest.fixture
def faults(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Faults of the program, with dialogs that would wait for an answer closed at once."""
    found: list[str] = []
    monkeypatch.setattr(
        sys, "excepthook", lambda kind, error, trace: found.append(_last(error, trace))
    )
    for name in ("getOpenFileName", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_, **__: ("", ""))
    monkeypatch.setattr(
        QMessageBox, "question", lambda *_, **__: QMessageBox.StandardButton.Discard
    )
    monkeypatch.setattr(QMessageBox, "warning", lambda *_, **__: None)
    return found


def _last(error: BaseException, trace: object) -> str:
    import traceback

    last = traceback.extract_tb(trace)[-1]  # type: ignore[arg-type]
    return f"{Path(last.filename).name}:{last.lineno} {type(error).__name__}: {error}"


def _close_menus() -> None:
    for widget in QApplication.topLevelWidgets():
        if isinstance(widget, QMenu) and widget.isVisible():
            widget.close()


def _point(page: QWidget) -> None:
    for x in range(3):
        for y in range(3):
            at = QPoint(page.width() * (2 * x + 1) // 6, page.height() * (2 * y + 1) // 6)
            QTest.mouseMove(page, at)
            below = page.childAt(at)
            if below is not None:
                QTest.mouseMove(below, below.mapFrom(page, at))


def _click(page: QWidget) -> None:
    for button in page.findChildren(QAbstractButton):
        words = button.text()
        if not (button.isVisible() and button.isEnabled()) or "sample" in words:
            continue
        if words in ("open a file", "solve again") or words.startswith(("to ", "make the rep")):
            continue
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        _close_menus()


def _key(page: QWidget) -> None:
    for widget in page.findChildren(QWidget):
        if isinstance(widget, QLineEdit) and widget.isVisible() and widget.isEnabled():
            widget.setFocus()
            QTest.keyClicks(widget, "zz")
            QTest.keyClick(widget, Qt.Key.Key_Return)
            QTest.keyClick(widget, Qt.Key.Key_Escape)
        elif widget.isVisible() and widget.focusPolicy() & Qt.FocusPolicy.TabFocus:
            if isinstance(widget, QAbstractButton):
                continue
            widget.setFocus()
            for key in (Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_Delete):
                QTest.keyClick(widget, key)


def _copy(page: QWidget) -> list[str]:
    """What every table and picture that takes the keyboard puts on the clipboard."""
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    found = []
    for widget in page.findChildren(QWidget):
        if widget.isVisible() and widget.focusPolicy() & Qt.FocusPolicy.TabFocus:
            clipboard.setText("")
            widget.setFocus()
            QTest.keySequence(widget, "Ctrl+A")
            QTest.keySequence(widget, "Ctrl+C")
            found.append(clipboard.text())
    return found


def _seen(window: MainWindow) -> str:
    """All words that stand in the window."""
    words = [w.text() for w in window.findChildren(QLabel) if w.isVisible()]
    words += [w.text() for w in window.findChildren(QAbstractButton) if w.isVisible()]
    words += [w.text() for w in window.findChildren(QLineEdit) if w.isVisible()]
    for table in window.findChildren(QTableView):
        model = table.model()
        if table.isVisible() and model is not None:
            words += [
                str(model.index(i, j).data())
                for i in range(model.rowCount())
                for j in range(model.columnCount())
            ]
    verdict = window.session.verdict
    return " | ".join([*words, verdict.figure, verdict.sentence])


def test_every_page_of_every_unfinished_project(open_window, faults, qtbot, monkeypatch) -> None:  # type: ignore[no-untyped-def]
    # The sample is answered first, so that there is something to be left over.
    window = open_window()
    seen: set[object] = set()
    for name, (make, stations) in STATES.items():
        for station in stations:
            project = make()
            # Nothing remembered: every page meets an answer that is still to be made.
            window.session.solve_again()
            held = name == "a mesh being made"
            monkeypatch.setattr(meshes, "AT_ONCE", 0 if held else AT_ONCE)
            monkeypatch.setattr(meshes, "AT_OPENING", 0 if held else AT_ONCE)
            if held:
                # It would be there before the walk is over.
                monkeypatch.setattr(MESHES, "_begin", lambda: None)
            window.session.open(project, None)
            window.session.select(station=station)
            if name == "an answer being made" or held:
                assert window.session.solving
            else:
                qtbot.waitUntil(lambda: not window.session.solving, timeout=120_000)
            page = window.bench.currentWidget()
            assert page is not None
            text = _seen(window)
            own = to_text(project)
            assert not [w for w in FOREIGN if w in text and w not in own], (name, station, text)
            assert "nan" not in text.split(), (name, station, text)
            blank = window.pages[station].step
            if blank is not None and blank in seen:
                continue
            seen.add(blank)
            for step in (_point, _copy, _key, _click):
                told = step(page)
                QApplication.processEvents()
                assert faults == [], (name, station, step.__name__, faults)
                if told:
                    cells = [c for t in told for line in t.splitlines() for c in line.split("\t")]
                    assert not {"nan", "inf", "-inf", "None"} & set(cells), (name, station, told)
            window.session.history.mark_saved()


def test_no_answer_of_another_document_or_version(open_window, faults, qtbot) -> None:  # type: ignore[no-untyped-def]
    window = open_window()
    session = window.session
    assert session.answer is not None
    window.new_project()
    for station in STATIONS:
        session.select(station=station)
        assert session.answer is None
        assert not [w for w in FOREIGN if w in _seen(window)], station
    # Undone to nothing: what was answered meanwhile is gone again.
    laid = _laid()
    session.edit("all at once", lambda _: dataclasses.replace(laid, name="new project"))
    qtbot.waitUntil(lambda: session.fresh, timeout=120_000)
    session.undo()
    session.select(station="Margins")
    assert session.answer is None
    assert window.pages["Margins"].step is not None
    assert not window.margins.isVisible()
    # Another version with another part has no answer until it is solved.
    session.open(coarse_sample(), None)
    qtbot.waitUntil(lambda: session.fresh, timeout=120_000)
    first = session.answer
    window.commands["clone version"].trigger()
    session.edit(
        "half", lambda p: dataclasses.replace(p, part=dataclasses.replace(p.part, mesh_size=0.2))
    )  # type: ignore[type-var]
    qtbot.waitUntil(lambda: session.fresh, timeout=120_000)
    here = session.project.version
    other = next(v.name for v in session.project.versions if v.name != here)
    from tartan.project.edits import versions

    session.edit("switch", lambda p: versions.switch_version(p, other))
    assert session.answer is first
    assert session.fresh
    assert faults == []
