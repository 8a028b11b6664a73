"""Versions cloned and compared, and the report made, in the real window."""

import dataclasses
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QLineEdit

from tartan.desktop.window import MainWindow
from tartan.exchange.report import proof
from tartan.exchange.report.parts import CHAPTERS
from tartan.project.edits import stack_edits
from tests.desktop.conftest import named
from tests.desktop.test_window import CTRL, LEFT, go, press, solved, type_into

pytestmark = pytest.mark.gl


def answered(qtbot, window: MainWindow, name: str) -> None:  # type: ignore[no-untyped-def]
    qtbot.waitUntil(lambda: window.session.answer_of(name) is not None, timeout=120_000)


def test_a_clone_is_changed_compared_and_deleted(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, window.versions
    go(qtbot, window, "Versions")
    press(qtbot, view, "clone")
    assert (session.project.version, len(session.project.versions)) == ("B", 1)
    view.cards.setCurrentRow(0)
    assert view.chosen == "A"
    press(qtbot, view, "make it the baseline")
    assert session.project.against == "A"
    assert "baseline A" in window.route._lines["Versions"].words
    thin = session.project.stack("reflector sandwich").plies[1:-1]  # type: ignore[union-attr]
    session.edit("thin", lambda p: stack_edits.put_plies(p, "reflector sandwich", thin))
    solved(qtbot, window)
    answered(qtbot, window, "A")
    qtbot.waitUntil(lambda: "against A" in session.verdict.sentence, timeout=120_000)
    then = session.answer_of("A")
    now = session.answer
    assert now is not None
    assert then is not None
    change = now.margins.reserve.min() - then.margins.reserve.min()
    assert f"{change:.2f} against A".replace("-", "−") in session.verdict.sentence
    # What differs, in words; requirement by requirement; mass.
    assert view.changes.table.rows[0][:2] == ("Stacks", "reflector sandwich")
    assert str(view.changes.table.rows[0][2]).endswith("2 plies fewer")
    rows = {r[0]: r[1:] for r in view.lines.table.rows}
    assert rows["mass"][0] == f"{then.layout().mass():.4g} kg"
    assert str(rows["mass"][2]).startswith("−")
    # Both parts are drawn; a drag in one turns the other.
    first, second = view.scenes
    qtbot.waitUntil(lambda: first.view.width() > 100)
    middle = QPoint(first.view.width() // 2, first.view.height() // 2)
    QTest.mousePress(first.view, LEFT, pos=middle)
    QTest.mouseMove(first.view, middle + QPoint(40, 15))
    QTest.mouseRelease(first.view, LEFT, pos=middle + QPoint(40, 15))
    np.testing.assert_allclose(second.view.camera.position, first.view.camera.position)
    np.testing.assert_allclose(second.view.camera.up, first.view.camera.up)
    press(qtbot, view, "difference")
    assert view.note.text().endswith("loses")
    assert not first.isVisible()
    assert float(view.note.text().split(", ")[1].split("%")[0]) > 50
    view.lines.row_opened.emit(0)
    assert session.selection.station == "Margins"
    assert window.margins.hot.table.table.head[:2] == ("RF", "A")


def test_versions_are_switched_renamed_and_deleted(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, window.versions
    first = session.answer
    window.pin_baseline()
    assert session.verdict.state == "holds"
    session.edit(
        "thin", lambda p: stack_edits.put_plies(p, "reflector sandwich", p.stacks[0].plies[1:-1])
    )
    solved(qtbot, window)
    go(qtbot, window, "Versions")
    view.cards.setCurrentRow(0)
    press(qtbot, view, "work on it")
    assert session.project.version == "A"
    assert session.fresh
    assert session.answer is first
    assert window.baseline.text().startswith("is the baseline")
    name = named(view, QLineEdit, "Name of the version")
    type_into(qtbot, name, "first issue")
    assert session.project.version == session.project.against == "first issue"
    assert not view.buttons["delete"].isEnabled()
    view.cards.setCurrentRow(0)
    assert view.chosen == "B"
    press(qtbot, view, "delete")
    assert session.project.versions == ()
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert [v.name for v in session.project.versions] == ["B"]


def test_a_version_that_cannot_be_answered_says_why(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, window.versions
    window.pin_baseline()
    session.edit(
        "empty",
        lambda p: dataclasses.replace(p, versions=(dataclasses.replace(p.versions[0], cases=()),)),
    )
    go(qtbot, window, "Versions")
    assert "no load case" in view.captions[0].text()
    assert session.before is None
    press(qtbot, view, "difference")
    assert "no answer yet" in view.note.text()


def test_the_report_is_made_in_the_background_and_saved(  # type: ignore[no-untyped-def]
    qtbot, window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    session, view = window.session, window.report
    go(qtbot, window, "Report")
    for name in ("verification", "workings", "margins"):
        box = named(view, QCheckBox, f"chapter {name}")
        qtbot.mouseClick(box, LEFT, pos=QPoint(8, box.height() // 2))
    assert len(view.wanted) == len(CHAPTERS) - 3
    type_into(qtbot, named(view, QLineEdit, "Title of the report"), "First issue")
    press(qtbot, view, "make the report")
    assert view.maker.busy
    press(qtbot, view, "cancel")
    assert not view.maker.busy
    assert view.of is None
    press(qtbot, view, "make the report")
    assert window.route._lines["Report"].words in ("being made", "not made yet")
    qtbot.waitUntil(lambda: not view.maker.busy, timeout=240_000)
    assert view.told.text() == ""
    assert view.fresh
    assert view.document.pageCount() >= 3
    assert window.route._lines["Report"].words.startswith("made ")
    for sort in ("html", "pdf"):
        path = tmp_path / f"out.{sort}"
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *a, p=path, s=sort: (str(p), f"Report (*.{s})")
        )
        press(qtbot, view, f"save as {sort.upper()} …")
    text = (tmp_path / "out.html").read_text("utf-8")
    assert "First issue" in text
    # Neither a search nor a sizing was kept: their chapters are left out.
    assert text.count("<h2") == len(CHAPTERS) - 5
    pdf = QPdfDocument(None)
    assert pdf.load(str(tmp_path / "out.pdf")) == QPdfDocument.Error.None_
    assert pdf.pageCount() == view.document.pageCount()
    pdf.close()
    table = tmp_path / "t.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(table), "CSV (*.csv)"))
    view.table.setCurrentText("hot-spots")
    view.ask_table()
    qtbot.waitUntil(lambda: "saved as t.csv" in view.note.text())
    assert session.answer is not None
    least = float(table.read_text().splitlines()[1].split(",")[1])
    assert least == session.answer.margins.reserve.min()
    # A change makes it old news; the pages stay until they are made anew.
    session.edit("rename", lambda p: stack_edits.rename_project(p, "another"))
    assert not view.fresh
    assert "changed since" in window.route._lines["Report"].words
    assert view.document.pageCount() >= 3


def test_a_report_that_fails_says_why(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view = window.report
    window.session.edit("no cases", lambda p: dataclasses.replace(p, cases=(), requirements=()))
    go(qtbot, window, "Report")
    press(qtbot, view, "make the report")
    qtbot.waitUntil(lambda: not view.maker.busy, timeout=240_000)
    assert "no load case" in view.told.text()
    assert view.told.isVisible()
    assert view.of is None
    # Another document has no report, even where this one had.
    view.of, view.when = window.session.project, "08:00"
    window.session.history.mark_saved()
    window.new_project()
    assert view.of is None
    assert window.route._lines["Report"].words == "not made yet"
    assert proof.HEAD[0] == "case"
