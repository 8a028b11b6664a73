"""A pressure table that takes a while to lie on the part: Cases lives on and says so."""

import dataclasses
import threading
from collections.abc import Callable, Iterator

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from tartan.desktop.window import MainWindow
from tartan.pages.cases import mapping_words, resultant_words
from tartan.project.analysis import beside, caseloads
from tartan.project.analysis.meshes import MESHES
from tartan.project.document.model import Project
from tartan.project.document.partmodel import MappedPressure
from tartan.project.document.samples import dish_panel
from tartan.project.edits import part_edits

pytestmark = pytest.mark.gl
Opener = Callable[..., MainWindow]


def stronger(project: Project) -> Project:
    """With tables of its own, which nobody has laid on a part before."""
    tables = tuple(
        dataclasses.replace(t, rows=tuple((x, y, z, 1.01 * p) for x, y, z, p in t.rows))
        for t in project.tables
    )
    return dataclasses.replace(project, tables=tables)


@pytest.fixture
def gate(monkeypatch: pytest.MonkeyPatch) -> Iterator[threading.Event]:
    """No table is laid on the part beside the window while it is not set."""
    opened, lay = threading.Event(), caseloads._mapped._make

    def held(*key: object) -> object:
        assert opened.wait(60)
        return lay(*key)

    opened.set()
    monkeypatch.setattr(caseloads._mapped, "_make", held)
    monkeypatch.setattr(beside, "MOMENT", 0.0)
    yield opened
    opened.set()


def said(window: MainWindow) -> str:
    return " ".join(x.text() for x in window.cases.findChildren(QLabel))


def test_a_table_that_is_being_laid_on_the_part_holds_nobody_up(
    qtbot: QtBot, open_window: Opener, gate: threading.Event
) -> None:
    sample = dish_panel()
    assert sample.part is not None
    coarse = dataclasses.replace(sample.part, mesh_size=0.1)
    window = open_window(part_edits.put_part(sample, coarse))
    gate.clear()
    assert window.session.edit("read a table", stronger) is None
    window.session.select(station="Cases", case="survival wind")
    qtbot.waitUntil(lambda: window.cases.pane.scene is not None)
    qtbot.mouseClick(window.cases.pane.overlays["pressure map"], Qt.MouseButton.LeftButton)
    waits = "The pressure table is being laid on the part."
    assert waits in window.cases.resultant.text()
    assert waits in window.cases.pane.note.text()
    # The page is used meanwhile: another case and back.
    window.session.select(case="ice")
    window.session.select(case="survival wind")
    assert waits in window.cases.resultant.text()
    gate.set()
    qtbot.waitUntil(lambda: "Total force" in window.cases.resultant.text())
    qtbot.waitUntil(lambda: not MESHES.busy)
    assert waits not in said(window)
    assert "pressure on the laying side" in window.cases.pane.note.text()
    # Here nobody is spared the wait: the same words.
    project = window.session.project
    load = MappedPressure("survival wind")
    words = []
    asking = threading.Thread(
        target=lambda: words.extend(
            [resultant_words(project, "survival wind"), mapping_words(project, load)]
        )
    )
    asking.start()
    asking.join()
    assert words[0] == window.cases.resultant.text()
    assert words[1] in said(window)
