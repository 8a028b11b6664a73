"""Draping in the window: switched on, its start moved, cloth that locks said, patterns written."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import ezdxf
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QFileDialog, QLineEdit

from tartan.desktop.part.view import PartView
from tartan.desktop.window import MainWindow
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.partmodel import Rung
from tartan.project.document.samples import GLASS, radome_cap_project
from tartan.project.edits import stack_edits
from tests.desktop.conftest import named
from tests.desktop.settle import settle
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press, solved, type_into


def part_view(window: MainWindow) -> PartView:
    view = window.pages["Part"].view
    assert isinstance(view, PartView)
    return view


def rung(view: PartView, number: int = 0) -> Rung:
    part = view.session.project.part
    assert part is not None
    return part.lay_up[number]


@pytest.fixture
def view(open_window: Callable[..., MainWindow], qtbot) -> PartView:  # type: ignore[no-untyped-def]
    window = open_window(radome_cap_project())
    window.session.select(station="Part", rungs=(0,))
    solved(qtbot, window)
    settle()
    return part_view(window)


def test_a_cap_is_made_from_nothing_and_its_ply_is_draped(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    window = open_window()
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    window.session.edit("cloth", lambda p: stack_edits.add_materials(p, (GLASS,)))
    window.session.select(station="Part")
    press(qtbot, window.pages["Part"], "a vessel to wind")
    qtbot.waitUntil(lambda: window.session.project.part is not None)
    view = part_view(window)
    press(qtbot, view, "surface")
    choose(view.surface.sort, "dome")
    press(qtbot, view, "lay-up")
    press(qtbot, view.lay_up, "+ ply like this")
    settle()
    form = view.lay_up.drape
    assert form.isVisible()
    assert rung(view).draped is None
    assert not form.patterns.isVisible()
    qtbot.mouseClick(form.on, Qt.MouseButton.LeftButton)
    settle()
    draped = rung(view).draped
    assert draped is not None
    part = window.session.project.part
    assert part is not None
    gaps = np.linalg.norm(meshed(part).mesh.centres() - draped.start, axis=1)
    assert gaps.min() < 1e-9
    assert "off and" in form.words.text()
    assert "locking" not in form.words.text()
    # The cloth's locking angle is data of its material.
    window.session.edit("locks", lambda p: stack_edits.set_value(p, GLASS.name, "locking", 5.0))
    settle()
    assert "Beyond the locking angle of 5°" in form.words.text()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert rung(view).draped is None
    assert not form.on.isChecked()


def test_the_net_follows_the_pointer_and_a_click_lays_it(qtbot, view: PartView) -> None:  # type: ignore[no-untyped-def]
    form, scene = view.lay_up.drape, view.pane.scene
    assert scene is not None
    assert {"warp", "weft", "start"} <= set(scene._extras)
    assert "Beyond the locking angle of 30°" in form.words.text()
    assert "ember beyond" in view.pane.note.text()
    before = rung(view).draped
    qtbot.mouseClick(form.move_start, Qt.MouseButton.LeftButton)
    part = view.session.project.part
    assert part is not None
    centres = meshed(part).mesh.centres()
    aside = int(np.linalg.norm(centres - [0.3, 0.0, 0.3], axis=1).argmin())
    scene.element_pointed.emit(aside)
    # Shown, and not yet laid.
    assert rung(view).draped == before
    shown = form.shown()
    assert shown is not None
    whole = shown.made.nets[0]
    np.testing.assert_allclose(whole.places[whole.start], centres[aside], atol=2e-3)
    assert whole.cell[0] == pytest.approx(4 * 0.0294, rel=0.1)
    scene.element_picked.emit(aside)
    settle()
    draped = rung(view).draped
    assert draped is not None
    assert draped.start == pytest.approx(tuple(centres[aside]))
    assert not form.move_start.isChecked()
    fine = form.shown()
    assert fine is not None
    assert fine.made.nets[0].cell[0] < 0.04
    assert rung(view, 1).draped == before
    # Another page shows the part without it, and so does its switch.
    press(qtbot, view, "regions")
    assert "warp" not in scene._extras
    press(qtbot, view, "lay-up")
    assert "warp" in scene._extras
    view.pane.overlays["draped net"].click()
    assert "warp" not in scene._extras


def test_the_warp_is_turned_towards_the_pointer_and_a_click_lays_it(qtbot, view: PartView) -> None:  # type: ignore[no-untyped-def]
    form, scene = view.lay_up.drape, view.pane.scene
    assert scene is not None
    part = view.session.project.part
    assert part is not None
    centres = meshed(part).mesh.centres()
    a = math.radians(30)
    there = [0.3 * math.cos(a), 0.3 * math.sin(a), 0.3]
    aside = int(np.linalg.norm(centres - there, axis=1).argmin())
    exact = math.degrees(math.atan2(centres[aside][1], centres[aside][0]))
    qtbot.mouseClick(form.turn_it, Qt.MouseButton.LeftButton)
    scene.element_pointed.emit(aside)
    shown = form.shown()
    assert shown is not None
    assert shown.made.nominal == pytest.approx(exact, abs=0.6)
    before = rung(view).ply
    assert before is not None
    assert before.angle == 0.0
    # The other thing that follows the pointer takes its place.
    qtbot.mouseClick(form.move_start, Qt.MouseButton.LeftButton)
    assert not form.turn_it.isChecked()
    qtbot.mouseClick(form.turn_it, Qt.MouseButton.LeftButton)
    assert not form.move_start.isChecked()
    scene.element_picked.emit(aside)
    settle()
    laid = rung(view).ply
    assert laid is not None
    assert laid.angle == pytest.approx(exact, abs=0.6)
    assert laid.angle == round(laid.angle)
    assert not form.turn_it.isChecked()
    QTest.keyClick(view.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert rung(view).ply == before


def test_a_wrong_start_stays_in_the_field(qtbot, view: PartView) -> None:  # type: ignore[no-untyped-def]
    form = view.lay_up.drape
    field = named(form, QLineEdit, "start of the draping z")
    held = view.session.project
    type_into(qtbot, field, "900")
    assert view.session.project is held
    assert "off the surface" in field.toolTip()
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert field.text() == "350"
    cells = named(form, QLineEdit, "cell of the net")
    type_into(qtbot, cells, "-3")
    assert "Cells of" in cells.toolTip()
    QTest.keyClick(cells, Qt.Key.Key_Escape)
    type_into(qtbot, cells, "60")
    settle()
    shown = form.shown()
    assert shown is not None
    assert shown.made.nets[0].cell[0] == pytest.approx(0.06)


def test_flat_patterns_are_written_or_refused(
    qtbot, view: PartView, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    form = view.lay_up.drape
    path = tmp_path / "cap.dxf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    type_into(qtbot, form.roll, "900")
    press(qtbot, form, "flat patterns …")
    assert "the roll 900 mm" in view.fault.text()
    assert not path.exists()
    type_into(qtbot, form.roll, "1.6 m")
    press(qtbot, form, "flat patterns …")
    assert "4 pieces on" in view.fault.text()
    layers = [x.dxf.layer for x in ezdxf.readfile(path).modelspace()]
    assert layers.count("cut") == 4
    assert layers.count("direction") == 4
    # Laid as projected there is nothing to cut of it.
    for number in range(4):
        view.session.select(rungs=(number,))
        settle()
        qtbot.mouseClick(form.on, Qt.MouseButton.LeftButton)
    settle()
    assert not form.patterns.isVisible()
    assert isinstance(view.lay_up.region, QComboBox)


def _click_along(view: PartView, points: list[list[float]]) -> None:
    """Pick the elements of the part next to some places, one after the other."""
    part, scene = view.session.project.part, view.pane.scene
    assert part is not None
    assert scene is not None
    centres = meshed(part).mesh.centres()
    for at in points:
        scene.element_picked.emit(int(np.linalg.norm(centres - at, axis=1).argmin()))


def test_a_cut_is_drawn_and_both_pieces_are_laid_cut_and_moved(
    qtbot, view: PartView, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    form = view.lay_up.drape
    whole = form.shown()
    assert whole is not None
    most = np.nanmax(np.abs(whole.made.found.shear))
    qtbot.mouseClick(form.lines.cut, Qt.MouseButton.LeftButton)
    _click_along(view, [[-0.35, 0.02, 0.2], [-0.1, 0.05, 0.33], [0.2, 0.05, 0.3]])
    assert view.pane.scene is not None
    assert {"drawn", "drawn line"} <= set(view.pane.scene._extras)
    assert rung(view).draped == radome_cap_project().part.lay_up[0].draped  # type: ignore[union-attr]
    qtbot.mouseClick(form.lines.cut, Qt.MouseButton.LeftButton)
    settle()
    draped = rung(view).draped
    assert draped is not None
    assert len(draped.cuts) == 1
    assert len(draped.cuts[0]) == 3
    assert form.words.text().startswith("2 pieces.")
    assert "drawn" not in view.pane.scene._extras
    # The other piece is begun elsewhere: the first one's start stays.
    qtbot.mouseClick(form.move_start, Qt.MouseButton.LeftButton)
    _click_along(view, [[0.0, 0.35, 0.25]])
    settle()
    draped = rung(view).draped
    assert draped is not None
    assert draped.start == (0.0, 0.0, 0.35)
    assert len(draped.starts) == 1
    assert draped.starts[0][1] == pytest.approx(0.35, abs=0.03)
    shown = form.shown()
    assert shown is not None
    assert len(shown.made.pieces) == 2
    assert np.nanmax(np.abs(shown.made.found.shear)) <= most + 0.5


def test_the_points_of_a_cut_are_typed_and_it_is_taken_away(
    qtbot, view: PartView, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:  # type: ignore[no-untyped-def]
    form = view.lay_up.drape
    qtbot.mouseClick(form.lines.cut, Qt.MouseButton.LeftButton)
    _click_along(view, [[-0.35, 0.02, 0.2], [0.2, 0.05, 0.3]])
    qtbot.mouseClick(form.lines.cut, Qt.MouseButton.LeftButton)
    settle()
    field = named(form, QLineEdit, "points of the cut 1")
    type_into(qtbot, field, "0, 0")
    assert "A line has two points or more" in field.toolTip()
    type_into(qtbot, field, "-300, 20, 302; 300, 20, 302")
    settle()
    draped = rung(view).draped
    assert draped is not None
    assert draped.cuts == (((-0.3, 0.02, 0.302), (0.3, 0.02, 0.302)),)
    path = tmp_path / "pieces.dxf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    press(qtbot, form, "flat patterns …")
    assert "5 pieces on" in view.fault.text()
    press(qtbot, form.lines, "✕")
    settle()
    draped = rung(view).draped
    assert draped is not None
    assert draped.cuts == ()
    QTest.keyClick(view.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    draped = rung(view).draped
    assert draped is not None
    assert len(draped.cuts) == 1


def test_a_cut_that_parts_nothing_is_refused_and_nothing_is_changed(qtbot, view: PartView) -> None:  # type: ignore[no-untyped-def]
    form, held = view.lay_up.drape, view.session.project
    qtbot.mouseClick(form.lines.cut, Qt.MouseButton.LeftButton)
    _click_along(view, [[-0.35, 0.02, 0.2]])
    qtbot.mouseClick(form.lines.cut, Qt.MouseButton.LeftButton)
    assert view.session.project is held
    qtbot.mouseClick(form.lines.cut, Qt.MouseButton.LeftButton)
    _click_along(view, [[-0.35, 0.02, 0.2], [-0.35, 0.02, 0.2]])
    qtbot.mouseClick(form.lines.cut, Qt.MouseButton.LeftButton)
    assert view.session.project is held
    assert "no length" in view.fault.text()
    # Begun and left: another rung has nothing of it.
    qtbot.mouseClick(form.lines.line, Qt.MouseButton.LeftButton)
    _click_along(view, [[-0.35, 0.02, 0.2], [0.3, 0.02, 0.2]])
    qtbot.mouseClick(form.on, Qt.MouseButton.LeftButton)
    settle()
    assert not form.lines.drawing
    assert rung(view).draped is None


def test_tape_along_a_drawn_line_or_an_edge_and_what_the_ply_is_coloured_by(
    qtbot, view: PartView
) -> None:  # type: ignore[no-untyped-def]
    form = view.lay_up.drape
    choose(named(form, QComboBox, "way of draping"), "tape, slipping")
    settle()
    draped = rung(view).draped
    assert draped is not None
    assert draped.way == "tape"
    assert "along the fibres" in form.words.text()
    assert "thicker" not in form.words.text()
    qtbot.mouseClick(form.lines.line, Qt.MouseButton.LeftButton)
    _click_along(view, [[-0.2, -0.03, 0.33], [0.0, 0.0, 0.35], [0.2, 0.05, 0.33]])
    qtbot.mouseClick(form.lines.line, Qt.MouseButton.LeftButton)
    settle()
    shown = form.shown()
    assert shown is not None
    net = shown.made.nets[0]
    first = net.places[:, net.start[1]]
    near = np.linalg.norm(first - [0.2, 0.05, 0.33], axis=1)
    assert np.nanmin(near) < 0.05
    for which, words in (("fibre off nominal", "nominal angle"), ("thickness", "thicker")):
        choose(form.map, which)
        assert words in view.pane.note.text()
    # No fibre at 0° runs along the rim: said at the field, and nothing is changed.
    held = view.session.project
    choose(named(form, QComboBox, "edge of the draping"), "lower edge")
    assert view.session.project is held
    assert "no fibre can follow" in view.fault.text() or "off the surface" in view.fault.text()
