"""Places kept from the map stand side by side in one chart."""

import dataclasses

import pytest
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Acceleration, Pressure
from tartan.project.edits import case_edits
from tests.desktop.conftest import coarse_sample
from tests.desktop.settle import settle
from tests.desktop.test_window import press, solved

pytestmark = pytest.mark.gl


def test_places_are_kept_compared_copied_and_forgotten(qtbot: QtBot, window: MainWindow) -> None:
    session, spot = window.session, window.margins.spot
    session.select(station="Margins")
    settle()
    press(qtbot, spot, "places compared")
    assert "No place is kept" in spot.kept.note.text()
    press(qtbot, spot, "keep this place")
    press(qtbot, spot, "keep this place")
    assert "already" in spot.where.text()
    assert len(spot.kept.spots) == 1
    # The chart stays while another place is picked on the part.
    assert session.answer is not None
    first = session.selection.element
    for element in (5, 12):
        assert element != first
        window.margins.pick(element)
        settle()
        assert spot.kept.isVisible()
        press(qtbot, spot, "keep this place")
    found = spot.kept.found
    assert found is not None
    assert len(found.curves) == 3
    spot.kept.over.setCurrentText("over the height")
    spot.kept.over.textActivated.emit("over the height")
    press(qtbot, spot, "copy the values")
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    lines = clipboard.text().splitlines()
    assert lines[0].split("\t")[:2] == ["place", "ply"]
    assert len(lines) == 1 + sum(len(c.values) for c in found.curves)
    # They are of the part as it is solved anew.
    before = found.curves[0].values.copy()
    session.edit("twice the load", _doubled)
    solved(qtbot, window)
    now = spot.kept.found
    assert now is not None
    assert now is not found
    assert now.curves[0].values == pytest.approx(2 * before, rel=1e-6)
    press(qtbot, spot, "forget the last")
    assert len(spot.kept.spots) == 2
    press(qtbot, spot, "forget all")
    assert spot.kept.found is not None
    assert spot.kept.found.curves == ()


def test_places_do_not_outlive_their_document(qtbot: QtBot, window: MainWindow) -> None:
    session, spot = window.session, window.margins.spot
    session.select(station="Margins")
    settle()
    press(qtbot, spot, "keep this place")
    assert len(spot.kept.spots) == 1
    session.open(coarse_sample(), None)
    session.select(station="Margins")
    solved(qtbot, window)
    press(qtbot, spot, "places compared")
    assert spot.kept.spots == []


def _doubled(project: Project) -> Project:
    """Twice every load of the panel's cases, which are pressures and accelerations."""
    cases = []
    for case in project.cases:
        loads: list[Pressure | Acceleration] = []
        for load in case.loads:
            if isinstance(load, Pressure):
                loads.append(dataclasses.replace(load, value=2 * load.value))
            else:
                assert isinstance(load, Acceleration)
                x, y, z = load.vector
                loads.append(Acceleration((2 * x, 2 * y, 2 * z)))
        cases.append(dataclasses.replace(case, loads=tuple(loads)))
    return case_edits.put_cases(project, cases)
