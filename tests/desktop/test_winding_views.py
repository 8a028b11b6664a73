"""The sample vessel in the window: resin, the path of a band, dimensions that are dragged."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QComboBox, QLineEdit

from tartan.core.shell.vessel_shape import Vessel
from tartan.desktop.part.view import PartView
from tartan.desktop.widgets.plot import Plot
from tartan.desktop.window import MainWindow
from tartan.project.document.samples import breathing_air_cylinder
from tartan.project.edits import stack_edits
from tartan.project.findings.limits import limits
from tests.desktop.conftest import named
from tests.desktop.settle import settle
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press, solved, type_into


@pytest.fixture
def view(open_window: Callable[..., MainWindow], qtbot) -> PartView:  # type: ignore[no-untyped-def]
    window = open_window(breathing_air_cylinder())
    window.session.select(station="Part")
    page = window.pages["Part"].view
    assert isinstance(page, PartView)
    solved(qtbot, window)
    press(qtbot, page, "winding")
    return page


def surface(view: PartView) -> Vessel:
    part = view.session.project.part
    assert part is not None
    assert isinstance(part.surface, Vessel)
    return part.surface


def test_the_path_of_a_band_is_drawn_and_wound_on_the_vessel(qtbot, view: PartView) -> None:  # type: ignore[no-untyped-def]
    path = view.winding.path
    assert path.layer.currentText() == "no path"
    assert not path.play.isEnabled()
    title = next(t for t in (path.layer.itemText(i) for i in range(9)) if "±" in t)
    choose(path.layer, title)
    scene = view.pane.scene
    assert scene is not None
    assert "path" in scene._extras
    whole = path.segments
    r = np.hypot(whole[..., 0], whole[..., 1])
    assert r.max() == pytest.approx(0.08)
    assert r.min() == pytest.approx(0.022 + 0.006)
    assert "circuits of" in path.words.text()
    type_into(qtbot, path.count, "2")
    settle()
    assert len(path.segments) == pytest.approx(len(whole) * 2 / 5, rel=0.01)
    type_into(qtbot, path.count, "0")
    assert "whole circuits" in path.count.toolTip()
    QTest.keyClick(path.count, Qt.Key.Key_Escape)
    qtbot.mouseClick(path.play, Qt.MouseButton.LeftButton)
    assert len(path.segments) < 10
    qtbot.waitUntil(lambda: len(path.segments) > 40)
    qtbot.mouseClick(path.play, Qt.MouseButton.LeftButton)
    assert len(path.segments) == pytest.approx(len(whole) * 2 / 5, rel=0.01)
    # Another page of the station has no path on its part; a changed layer has another path.
    press(qtbot, view, "lay-up")
    assert "path" not in scene._extras
    press(qtbot, view, "winding")
    choose(path.layer, "no path")
    assert len(path.segments) == 0


def _drag(plot: Plot, index: int, to: QPointF) -> None:
    """Take a knob of a chart and carry it to a place by the mouse."""
    knob = [x for x in plot.item.items if isinstance(x, pg.TargetItem)][index]
    box = plot.item.getViewBox()
    start, end = (plot.mapFromScene(box.mapViewToScene(p)) for p in (QPointF(knob.pos()), to))
    port = plot.viewport()
    QTest.mouseMove(port, start)
    settle()
    QTest.mousePress(port, Qt.MouseButton.LeftButton, pos=start)
    for share in np.linspace(0.2, 1.0, 5):
        QTest.mouseMove(port, start + (end - start) * float(share))
        settle()
    QTest.mouseRelease(port, Qt.MouseButton.LeftButton, pos=end)
    settle()


def test_dimensions_are_dragged_in_the_section_and_refused_where_they_make_no_vessel(
    qtbot, view: PartView
) -> None:  # type: ignore[no-untyped-def]
    choose(view.winding.chart, "section")
    before = surface(view)
    _drag(view.winding.plot, 0, QPointF(-80, 100))
    assert surface(view).radius == pytest.approx(0.1, rel=0.02)
    assert surface(view).length == before.length
    QTest.keyClick(view.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert surface(view) == before
    _drag(view.winding.plot, 1, QPointF(-180, 80))
    assert surface(view).length == pytest.approx(0.36, rel=0.02)
    QTest.keyClick(view.window(), Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    # An opening as wide as the vessel is refused, in words, and the knob goes back.
    _drag(view.winding.plot, 2, QPointF(60, 110))
    assert surface(view) == before
    assert "opening" in view.fault.text()
    knob = [x for x in view.winding.plot.item.items if isinstance(x, pg.TargetItem)][2]
    assert knob.pos().y() == pytest.approx(22)


def test_resin_fills_beside_hoops_and_is_judged_by_nothing_which_is_said(
    qtbot, view: PartView
) -> None:  # type: ignore[no-untyped-def]
    window, session = view.window(), view.session
    assert isinstance(window, MainWindow)
    answer = session.answer
    assert answer is not None
    head = list(view.winding.layers.table.head)
    rows = view.winding.layers.table.rows
    hoop = dict(zip(head, rows[0], strict=True))
    assert hoop["tow [m]"] == pytest.approx(4 * float(hoop["band [m]"]))  # type: ignore[arg-type]
    assert hoop["time [min]"] == pytest.approx(float(hoop["band [m]"]) / 60)  # type: ignore[arg-type]
    assert float(hoop["resin [kg]"]) > 0  # type: ignore[arg-type]
    # A tow of 69 % fibre by mass; what the share is not known of is not parted.
    assert hoop["fibre [kg]"] == pytest.approx(0.69 * float(hoop["mass [kg]"]))  # type: ignore[arg-type]
    assert hoop["matrix [kg]"] == pytest.approx(0.31 * float(hoop["mass [kg]"]))  # type: ignore[arg-type]
    assert "(fibre " in view.winding.note.text()
    whole = session.project
    session.edit("no share", lambda p: stack_edits.set_value(p, "UD carbon", "fibre_share", None))
    bare = dict(zip(head, view.winding.layers.table.rows[0], strict=True))
    assert bare["fibre [kg]"] is None
    assert bare["mass [kg]"] == hoop["mass [kg]"]
    assert "(fibre " not in view.winding.note.text()
    session.undo()
    assert session.project == whole
    assert any("filler 'winding resin'" in x.words for x in limits(answer))
    choose(view.winding.chart, "thickness of a layer")
    assert "resin" in view.winding.key.text()
    # Without it the layer stands alone; another length of it is another wedge.
    session.select(rungs=(1,))
    press(qtbot, view, "lay-up")
    with_resin = float(hoop["resin [kg]"])  # type: ignore[arg-type]
    type_into(qtbot, named(view.lay_up, QLineEdit, "runs out 1 to"), "16")
    press(qtbot, view, "winding")
    longer = dict(zip(head, view.winding.layers.table.rows[0], strict=True))
    assert float(longer["resin [kg]"]) == pytest.approx(2 * with_resin, rel=0.25)  # type: ignore[arg-type]
    press(qtbot, view, "lay-up")
    choose(named(view.lay_up, QComboBox, "filler"), "none")
    press(qtbot, view, "winding")
    bare = dict(zip(head, view.winding.layers.table.rows[0], strict=True))
    assert bare["resin [kg]"] is None
    type_into(qtbot, view.winding.scale, "2")
    assert not math.isnan(view.winding._times)
