"""The ply layout in the window: written, read, its materials asked for, taken as one step."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QFileDialog, QLineEdit

from tartan.desktop.part.layoutform import LayoutForm
from tartan.desktop.window import MainWindow
from tartan.project.document.packed_arrays import pack_rows
from tartan.project.document.samples import UNIDIRECTIONAL, dish_panel
from tartan.project.edits import part_edits
from tests.desktop.conftest import named
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press, type_into


@pytest.fixture
def window(open_window: Callable[..., MainWindow]) -> MainWindow:
    window = open_window(dish_panel(), wait=False)
    window.session.select(station="Part")
    return window


def planned(qtbot, form: LayoutForm) -> None:  # type: ignore[no-untyped-def]
    """Wait until what a layout would change is worked out."""
    qtbot.waitUntil(lambda: form.listed, timeout=60_000)


def test_a_layout_goes_out_and_comes_back_as_one_step(
    qtbot, window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, window.part
    # A rung is given its name.
    session.select(rungs=(1,))
    type_into(qtbot, named(view.lay_up, QLineEdit, "name of the rung"), "doubler")
    assert session.project.part is not None
    assert session.project.part.lay_up[1].name == "doubler"
    press(qtbot, view, "ply layout")
    form, path = view.layout_file, tmp_path / "dish.plies.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    press(qtbot, form, "write …")
    assert "7 rungs written" in view.fault.text()
    # Read as it is it changes nothing.
    press(qtbot, form, "read …")
    planned(qtbot, form)
    assert form.words.text() == "No change; it lies on the surface."
    press(qtbot, form, "leave it")
    assert not form.take.isVisible()
    # The designer turns a ply and calls a material otherwise.
    before = session.project
    data = json.loads(path.read_text(encoding="utf-8").replace(UNIDIRECTIONAL.name, "tape 7"))
    data["plies"][1]["ply"]["angle"] = 30.0
    path.write_text(json.dumps(data), encoding="utf-8")
    press(qtbot, form, "read …")
    planned(qtbot, form)
    assert "no material 'tape 7'" in form.words.text()
    assert not form.take.isEnabled()
    choose(named(form, QComboBox, "material for tape 7"), UNIDIRECTIONAL.name)
    planned(qtbot, form)
    assert form.changes.table.rows == (("turned", "doubler", "0° → 30°"),)
    assert session.project is before
    press(qtbot, form, "take it")
    assert session.project.part is not None
    assert session.project.part.lay_up[1].ply is not None
    assert session.project.part.lay_up[1].ply.angle == 30.0
    assert session.project.part.lay_up[1].name == "doubler"
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.project == before


def test_a_layout_is_listed_anew_when_the_project_changes_and_placed_by_points(
    qtbot, window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, window.part
    press(qtbot, view, "ply layout")
    form, path = view.layout_file, tmp_path / "dish.plies.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    press(qtbot, form, "write …")
    form.read(path)
    planned(qtbot, form)
    session.select(rungs=(1,))
    view.lay_up.act("remove")
    planned(qtbot, form)
    assert [row[0] for row in form.changes.table.rows] == ["added"]
    # Placed where its triangle does not fit it is refused, and by its own points it lies again.
    qtbot.mouseClick(form.moved, Qt.MouseButton.LeftButton)
    field = named(form, QLineEdit, "place of anchor 1")
    own = field.text().replace("−", "-")
    type_into(qtbot, field, "0, 0, 0")
    planned(qtbot, form)
    assert "distances differ" in form.words.text()
    type_into(qtbot, field, "0, 0")
    assert "is not three figures" in view.fault.text()
    type_into(qtbot, field, own)
    planned(qtbot, form)
    assert [row[0] for row in form.changes.table.rows] == ["added"]
    # How far off it may lie is asked for, and taken at its word.
    far = named(form, QLineEdit, "how far off the layout may lie")
    type_into(qtbot, far, "-1")
    assert "no distance" in far.toolTip()
    type_into(qtbot, far, "2")
    planned(qtbot, form)
    assert form.reading is not None
    assert form.reading.far == pytest.approx(2e-3)
    assert "on the surface" in form.words.text()
    # A file cut in half is refused; what was read before is gone, the project is not.
    project = session.project
    path.write_text(path.read_text(encoding="utf-8")[:5000], encoding="utf-8")
    form.read(path)
    assert "damaged" in view.fault.text()
    assert not form.take.isVisible()
    assert session.project is project


def test_without_a_part_there_is_nothing_to_write_or_read_onto(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    window.session.select(station="Part")
    window.part.open_form("ply layout")
    form = window.part.layout_file
    assert not form.write.isEnabled()
    assert not form.open.isEnabled()
    assert not form.take.isVisible()


def test_a_rung_with_a_zero_of_its_own_says_so_and_can_follow_the_part(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, window.part
    part = session.project.part
    assert part is not None
    rows = np.array([[0.0, 0.0, 0.0, 0.8, 0.6, 0.0]])
    own = (replace(part.lay_up[0], fibres=pack_rows(rows)), *part.lay_up[1:])
    session.edit("own", lambda p: part_edits.put_lay_up(p, own))
    session.select(rungs=(1,))
    assert not view.lay_up.own_zero.isVisible()
    session.select(rungs=(0,))
    assert view.lay_up.own_zero.isVisible()
    press(qtbot, view.lay_up, "follow the part's")
    assert session.project.part == part
    assert not view.lay_up.own_zero.isVisible()
