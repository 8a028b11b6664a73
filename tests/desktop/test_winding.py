"""A wound vessel in the window, from an empty project: made, wound, looked at, solved."""

from __future__ import annotations

import math
from collections.abc import Callable

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit

from tartan.core.shell.vessel_shape import Vessel
from tartan.desktop.part.view import PartView
from tartan.desktop.widgets.plot import Plot
from tartan.desktop.window import MainWindow
from tartan.exchange.tables import Table
from tartan.project.document.partmodel import EdgeForce, Pressure
from tartan.project.edits import stack_edits
from tests.desktop.conftest import named
from tests.desktop.settle import settle
from tests.desktop.test_tube import TAPE
from tests.desktop.test_window import press, solved, type_into


@pytest.fixture
def window(open_window: Callable[..., MainWindow], qtbot) -> MainWindow:  # type: ignore[no-untyped-def]
    """From Ctrl+N: a material, and a vessel as its surface."""
    window = open_window()
    QTest.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    window.session.edit("tape", lambda p: stack_edits.add_materials(p, (TAPE,)))
    window.session.select(station="Part")
    press(qtbot, window.pages["Part"], "a vessel to wind")
    qtbot.waitUntil(lambda: window.session.project.part is not None)
    return window


def part_view(window: MainWindow) -> PartView:
    view = window.pages["Part"].view
    assert isinstance(view, PartView)
    return view


def choose(box: QComboBox, text: str) -> None:
    box.setCurrentText(text)
    box.textActivated.emit(text)
    settle()


def test_a_vessel_is_made_wound_looked_at_and_solved(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view, session = part_view(window), window.session
    press(qtbot, view, "surface")
    for name, text in (("radius", "100"), ("lower opening radius", "25")):
        type_into(qtbot, named(view.surface, QLineEdit, name), text)
    type_into(qtbot, named(view.surface, QLineEdit, "upper opening radius"), "25 mm")
    part = session.project.part
    assert part is not None
    assert part.surface == Vessel(0.1, 0.4, lower_opening=0.025, upper_opening=0.025)
    press(qtbot, view, "lay-up")
    for _ in range(3):
        press(qtbot, view.lay_up, "+ wound")
    # The one in the middle becomes hoops.
    session.select(rungs=(1,))
    settle()
    choose(named(view.lay_up, QComboBox, "wound as"), "hoop")
    type_into(qtbot, named(view.lay_up, QLineEdit, "passes"), "4")
    session.select(rungs=(0, 2))
    settle()
    type_into(qtbot, named(view.lay_up, QLineEdit, "band width"), "10")
    titles = [r.title for r in view.lay_up.ladder.rows]
    alpha = math.degrees(math.asin(0.030 / 0.1))
    assert titles == [f"±{alpha:.1f}°", "hoop × 4", f"±{alpha:.1f}°"]
    assert not view.lay_up.angle.isEnabled()
    # What is wound stands along the meridian before anything is solved.
    press(qtbot, view, "winding")
    table = _points(view)
    head = list(table.head)
    first = dict(zip(head, table.rows[0], strict=True))
    assert first["r [mm]"] == pytest.approx(100)
    assert first[f"1 ±{alpha:.1f}° α [°]"] == pytest.approx(alpha)
    assert first["whole t [mm]"] == pytest.approx(4 * 0.25 + 4 * 0.25)
    at = next(r for r in table.rows if float(r[head.index("r [mm]")]) < 60)  # type: ignore[arg-type]
    r = float(at[head.index("r [mm]")]) + 0.0  # type: ignore[arg-type]
    assert at[head.index(f"1 ±{alpha:.1f}° α [°]")] == pytest.approx(
        math.degrees(math.asin(30 / r)), rel=1e-6
    )
    assert "thickest" in view.winding.note.text()
    choose(view.winding.chart, "section")
    type_into(qtbot, view.winding.scale, "5")
    assert view.winding.scale.text() == "5"
    view.winding.table.copy()
    board = QApplication.clipboard()
    assert board is not None
    assert "winding along the lower meridian" in board.text()
    _solve_filled(qtbot, window)


def _points(view: PartView) -> Table:
    """The winding point by point."""
    choose(view.winding.listed, "point by point")
    assert view.winding.table.table.rows
    return view.winding.table.table


def _point_at_a_line(plot: Plot) -> None:
    """What a line is at a place is read by pointing at it, and nothing beside it."""
    # Two layers run so close that either may be met.
    x, y, _ = plot._lines[0]
    at = plot.item.getViewBox().mapViewToScene(QPointF(float(x[30]), float(y[30])))
    place = plot.mapFromScene(at)
    said = plot.said_at(QPointF(place))
    assert said.partition(": ")[0] in {words for _, _, words in plot._lines}
    assert float(said.rpartition(", ")[2]) == pytest.approx(float(y[30]), abs=0.5)
    assert not plot.said_at(QPointF(place) + QPointF(0, -60))


def _solve_filled(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    """The pressure of the netting view as a case, closed by its bosses; then what governs."""
    session, form = window.session, part_view(window).winding
    choose(form.chart, "winding angle")
    _point_at_a_line(form.plot)
    # Off the geodesic a layer needs friction, and says how much.
    session.select(rungs=(2,))
    press(qtbot, part_view(window), "lay-up")
    type_into(qtbot, named(part_view(window).lay_up, QLineEdit, "angle on the cylinder"), "25")
    press(qtbot, part_view(window), "winding")
    assert "off the geodesic" in form.note.text()
    assert form.layers.table.rows[2][1] == pytest.approx(25)
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert "off the geodesic" not in form.note.text()
    type_into(qtbot, form.pressure, "10")
    qtbot.waitUntil(lambda: "By netting" in form.netting.text())
    # Along, both pairs alone: p R / 2 on their pull, cos² of 17.5°.
    stress = 10 * 100 / 2 / (4 * 0.25 * (1 - 0.3**2))
    shown = form.netting.text().partition("helical layers ")[2].partition(" MPa")[0]
    assert float(shown) == pytest.approx(stress, rel=5e-3)
    assert form.layers.table.rows[1][0] == "2 hoop × 4"
    press(qtbot, form, "+ case of it")
    project = session.project
    assert [s.place for s in project.supports] == ["lower edge", "upper edge", "upper edge"]
    assert project.cases[0].loads == (
        Pressure(10e6, side="back"),
        EdgeForce("upper edge", (0.0, 0.0, 10e6 * 0.025 / 2)),
    )
    solved(qtbot, window)
    assert session.error is None
    assert "pressure" in session.verdict.sentence.lower()
    assert "ply" in session.verdict.sentence
    found = session.answer
    assert found is not None
    # What the lower boss holds is what presses on it.
    assert found.solution.reaction[0][2] == pytest.approx(-10e6 * math.pi * 0.025**2, rel=0.02)


def test_a_wrong_layer_stays_in_the_field_and_other_surfaces_have_no_winding(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    view, session = part_view(window), window.session
    press(qtbot, view.lay_up, "+ wound")
    held = session.project
    field = named(view.lay_up, QLineEdit, "winds round")
    type_into(qtbot, field, "900")
    assert session.project == held
    assert "not smaller" in field.toolTip()
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert view.switches["winding"].isVisible()
    # A wound layer has no place on a panel: the change is refused, and says so.
    press(qtbot, view, "surface")
    choose(view.surface.sort, "panel")
    assert "Only a vessel" in view.fault.text()
    press(qtbot, view, "lay-up")
    session.select(rungs=(0,))
    settle()
    press(qtbot, view.lay_up, "remove")
    press(qtbot, view, "winding")
    assert "Nothing is wound yet" in view.winding.note.text()
    press(qtbot, view, "surface")
    choose(view.surface.sort, "panel")
    assert not view.switches["winding"].isVisible()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert view.switches["winding"].isVisible()


def test_a_meridian_is_pasted_and_refused_where_it_does_not_fit(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view, session = part_view(window), window.session
    press(qtbot, view, "surface")
    board = QApplication.clipboard()
    assert board is not None
    board.setText("r [mm]\tz [mm]\n140\t0\n90\t60\n20\t80")
    press(qtbot, view.surface.meridian, "paste")
    assert "Make the radius 140 mm" in view.fault.text()
    board.setText("r [mm]\tz [mm]\n150\t0\n90\t60\n20\t80")
    press(qtbot, view.surface.meridian, "paste")
    part = session.project.part
    assert part is not None
    assert isinstance(part.surface, Vessel)
    assert part.surface.lower_points[1] == pytest.approx((0.09, 0.06))
    assert named(view.surface, QComboBox, "lower dome").currentText() == "table"  # type: ignore[attr-defined]
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    settle()
    assert named(view.surface, QComboBox, "lower dome").currentText() == "isotensoid"  # type: ignore[attr-defined]
