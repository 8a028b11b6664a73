"""Sweeps, samples and shares of directions in the window."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QMenu

from tartan.core.laminate.carpet import LOADS, figure_of
from tartan.desktop.stacks.sharespane import SharesPane
from tartan.desktop.stacks.sweeppane import SweepPane
from tartan.desktop.stacks.view import StacksView
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tartan.project.edits import stack_edits
from tartan.project.findings.sweeps import over_of, run_task, tasks_of
from tartan.project.wording import units
from tests.desktop.conftest import coarse_sample, named
from tests.desktop.settle import settle
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press

STRUT = "feed strut"
THIRD = "stacks[feed strut].plies[3].angle"


def stacks(window: MainWindow, stack: str = STRUT) -> StacksView:
    window.session.select(station="Stacks", stack=stack)
    page = window.pages["Stacks"].view
    assert isinstance(page, StacksView)
    return page


@pytest.fixture
def pane(open_window: Callable[..., MainWindow]) -> SweepPane:
    page = stacks(open_window(coarse_sample(), wait=False))
    page.reveal(page.sweep)
    settle()
    return page.sweep


def typed(qtbot, pane: SweepPane, name: str, text: str) -> None:  # type: ignore[no-untyped-def]
    field = named(pane, QLineEdit, name)
    assert isinstance(field, QLineEdit)
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, text)
    popup = field.completer().popup() if field.completer() else None  # type: ignore[union-attr]
    if popup is not None and popup.isVisible():
        qtbot.keyClick(popup, Qt.Key.Key_Escape)
    settle()


def swept(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, pane, "sweep")
    qtbot.waitUntil(lambda: not pane.stream.busy, timeout=240_000)
    settle()


def test_an_angle_is_swept_and_the_table_is_what_its_stacks_say(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    typed(qtbot, pane, "figure 1", THIRD)
    typed(qtbot, pane, "values of figure 1", "0 to 90 by 30")
    swept(qtbot, pane)
    assert pane.fault.text() == ""
    assert pane.note.text() == "4 of 4 worked out."
    project = pane.session.project
    tasks = tasks_of([over_of(project, f"{THIRD} = 0 to 90 by 30")], [f"stacks[{STRUT}].reserve"])
    wanted = [run_task(project, t).values[0] for t in tasks]
    assert [row[0] for row in pane.table.table.rows] == [0, 30, 60, 90]
    np.testing.assert_allclose([row[1] for row in pane.table.table.rows], wanted, rtol=1e-12)
    assert pane.table.table.head[0] == "angle of ply 3, feed strut [°]"


def test_the_chosen_plies_fill_in_a_figure_in_the_users_units(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    pane.session.select(plies=(0,))
    choose(pane.ready, "thickness of the chosen plies, mirrored")
    line = pane.lines.lines()[0]
    both = [f"stacks[{STRUT}].plies[{k}].thickness" for k in (1, 10)]
    assert line.path == " & ".join(both)
    assert line.text == "0.04 to 0.16 in 6"
    swept(qtbot, pane)
    rows = pane.table.table.rows
    assert rows[0][0] == pytest.approx(0.04)
    assert rows[-1][0] == pytest.approx(0.16)
    assert [row[1] for row in rows] == sorted(row[1] for row in rows)  # type: ignore[type-var]
    units.use_system(units.SYSTEMS[2])
    typed(qtbot, pane, "values of figure 1", "0.005")
    swept(qtbot, pane)
    assert pane.table.table.head[0].endswith("[in]")
    assert pane.table.table.rows[0][0] == pytest.approx(0.005)


def test_two_figures_make_a_map_and_more_are_taken_away(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    typed(qtbot, pane, "figure 1", THIRD)
    typed(qtbot, pane, "values of figure 1", "0, 45, 90")
    press(qtbot, pane, "+ figure")
    typed(qtbot, pane, "figure 2", "load_cases[sway].values[Nx]")
    typed(qtbot, pane, "values of figure 2", "100 to 200 by 50")
    swept(qtbot, pane)
    rows = pane.table.table.rows
    assert len(rows) == 9
    assert {row[1] for row in rows} == {100.0, 150.0, 200.0}
    assert pane.table.table.head[1] == "Nx of sway [N/mm]"
    press_first_cross(qtbot, pane)
    assert [x.path for x in pane.lines.lines()] == ["load_cases[sway].values[Nx]"]


def test_a_load_is_asked_over_a_range_beside_it(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    page = stacks(pane.window())  # type: ignore[arg-type]
    page.reveal(page.stiffness)
    page.loads.symbols["Nx"].click()
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    action = next(a for a in menu.actions() if a.text() == "over a range")
    qtbot.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
    settle()
    assert pane.isVisible()
    loads = page.loads.loads
    assert loads is not None
    line = pane.lines.lines()[0]
    assert line.path == f"load_cases[{loads.name}].values[Nx]"
    swept(qtbot, pane)
    rows = pane.table.table.rows
    assert [rows[0][0], rows[-1][0]] == pytest.approx([0, 2 * loads.values[0] / 1e3])


def asked_beside(qtbot, window: MainWindow, field: QLineEdit) -> SweepPane | None:  # type: ignore[no-untyped-def]
    """Choose "over a range" in a field's menu, by a click; None where it is not offered."""
    place = field.rect().center()
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, field.mapToGlobal(place))
    QApplication.sendEvent(field, event)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    action = next((a for a in menu.actions() if a.text() == "over a range"), None)
    if action is None:
        menu.close()
        return None
    qtbot.mouseClick(menu, Qt.MouseButton.LeftButton, pos=menu.actionGeometry(action).center())
    settle()
    return stacks(window).sweep


def test_any_figure_is_asked_over_a_range_beside_it(qtbot, open_window) -> None:  # type: ignore[no-untyped-def]
    window: MainWindow = open_window()
    session = window.session
    for station, name, path, line in (
        ("Materials", "E1 (", "materials[woven carbon].E1", "31 to 124 in 6"),
        ("Cases", "limit of reserve factor", "requirements[1].value", "0.625 to 2.5 in 6"),
        ("Cases", "pressure", "cases[operating wind].loads[1].value", "1.6 to 6.4 in 6"),
        ("Cases", "acceleration y", "cases[own weight].loads[1].vector[y]", None),
    ):
        changes = {"material": "woven carbon"} if station == "Materials" else {}
        if path.startswith("cases"):
            changes["case"] = path.partition("[")[2].partition("]")[0]
        session.select(station=station, **changes)
        settle()
        view = window.pages[station].view
        field = next(
            f
            for f in view.findChildren(QLineEdit)
            if f.accessibleName().startswith(name) and f.isVisible()
        )
        pane = asked_beside(qtbot, window, field)
        assert pane is not None
        assert pane.isVisible()
        last = pane.lines.lines()[-1]
        assert last.path == path
        if line is not None:
            assert last.text == line
    # What is no figure of the project, such as an empty one, is not offered.
    session.select(station="Materials", material="woven carbon")
    settle()
    empty = next(
        f
        for f in window.pages["Materials"].view.findChildren(QLineEdit)
        if f.accessibleName().startswith("E3 (")
    )
    assert not empty.text()
    assert asked_beside(qtbot, window, empty) is None


def test_what_changes_nothing_is_told(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    typed(qtbot, pane, "figure 1", "materials[aluminium].E1")
    typed(qtbot, pane, "values of figure 1", "60, 70, 80")
    swept(qtbot, pane)
    assert pane.note.text() == "3 of 3 worked out. Nothing changes with E1 of aluminium."


def press_first_cross(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    from PyQt6.QtWidgets import QPushButton

    cross = next(b for b in pane.lines.findChildren(QPushButton) if b.text() == "×")
    qtbot.mouseClick(cross, Qt.MouseButton.LeftButton)
    settle()


def test_samples_tell_how_many_hold_and_what_matters(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, pane, "scatter")
    typed(qtbot, pane, "figure 1", "materials[UD carbon].Yt")
    typed(qtbot, pane, "values of figure 1", "20 %")
    press(qtbot, pane, "+ figure")
    typed(qtbot, pane, "figure 2", "materials[UD carbon].Xt")
    typed(qtbot, pane, "values of figure 2", "5 %")
    typed(qtbot, pane, "samples", "30")
    swept(qtbot, pane)
    assert "30 of 30 worked out" in pane.note.text()
    assert pane.note.text().endswith("% hold.")
    rows = {row[0]: row[1] for row in pane.table.table.rows}
    assert float(str(rows["follow Yt of UD carbon"]).replace("−", "-")) > 0.8
    assert "hold" in rows


def test_the_part_is_swept_on_workers_and_stopped(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    names = [pane.asked.names.index("mass of the part")]
    pane.asked.choose(names)
    typed(qtbot, pane, "figure 1", "materials[honeycomb].rho")
    typed(qtbot, pane, "values of figure 1", "30 to 90 in 60")
    press(qtbot, pane, "sweep")
    qtbot.waitUntil(lambda: len(pane.table.table.rows) > 1, timeout=240_000)
    press(qtbot, pane, "stop")
    qtbot.waitUntil(lambda: not pane.stream.busy, timeout=60_000)
    settle()
    mass = [row[1] for row in pane.table.table.rows]
    assert len(mass) > 1
    by = sorted(pane.table.table.rows)
    assert all(a[1] < b[1] for a, b in itertools.pairwise(by))  # type: ignore[operator]


@pytest.mark.parametrize(
    ("path", "text", "words"),
    [
        ("", "1", "one or two figures"),
        (THIRD, "", "no figure with values"),
        (THIRD, "0 to 90 by -1", "never comes to its end"),
        ("stacks[nope].plies[1].angle", "1, 2", "'nope' is none of"),
        ("stacks[feed strut", "1", "does not close"),
    ],
)
def test_what_cannot_be_swept_is_said(  # type: ignore[no-untyped-def]
    qtbot, pane: SweepPane, path: str, text: str, words: str
) -> None:
    typed(qtbot, pane, "figure 1", path)
    typed(qtbot, pane, "values of figure 1", text)
    press(qtbot, pane, "sweep")
    assert words in pane.fault.text()
    assert not pane.stream.busy


def test_values_that_cannot_be_and_a_cluster_that_is_not_there(qtbot, pane: SweepPane) -> None:  # type: ignore[no-untyped-def]
    typed(qtbot, pane, "figure 1", "stacks[feed strut].plies[1].thickness")
    typed(qtbot, pane, "values of figure 1", "-1, 0.1")
    swept(qtbot, pane)
    assert "1 without an answer" in pane.note.text()
    assert "thickness must be greater than zero" in str(pane.table.table.rows[0][-1])
    typed(qtbot, pane, "cluster", "tcp://127.0.0.1:9")
    swept(qtbot, pane)
    assert "No scheduler answers at tcp://127.0.0.1:9" in pane.fault.text()


def test_shares_show_the_stack_in_its_family(
    open_window: Callable[..., MainWindow],
    qtbot,  # type: ignore[no-untyped-def]
) -> None:
    window = open_window(coarse_sample(), wait=False)
    page = stacks(window)
    press(qtbot, page, "Shares")
    pane = page.shares
    assert isinstance(pane, SharesPane)
    rows = pane.table.table.rows
    assert rows[0][:2] == ("at work", "40 / 40 / 20")
    assert len(rows) == 7
    page.reveal(page.stiffness)
    laminate = window.session.project.stack(STRUT)
    assert laminate is not None
    load = next(iter(LOADS))
    press(qtbot, page, "Shares")
    choose(named(pane, QComboBox, "Figure of the family"), load)  # type: ignore[arg-type]
    from tartan.core.laminate.carpet import Shares

    material = window.session.project.material("UD carbon")
    assert material is not None
    value = figure_of(load, material, [Shares(0.4, 0.4, 0.2)])[0] / 1e6
    assert pane.table.table.rows[0][2] == pytest.approx(value)
    window.session.edit("turn", lambda p: stack_edits.set_value(p, "UD carbon", "Xt", None))
    settle()
    assert "Xt" in pane.fault.text() or "strength" in pane.fault.text()
    window.session.undo()
    window.session.select(stack="reflector sandwich")
    settle()
    assert "without it" in pane.note.text()
    empty = stack_edits.add_stack(Project("empty"), "stack", ())[0]
    window.session.open(empty, None)
    page = stacks(window, "stack")
    press(qtbot, page, "Shares")
    assert "no unidirectional material" in page.shares.fault.text()
