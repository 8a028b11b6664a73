"""The order of plies in the window: rules, goals, the search, taking what it found."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton

from tartan.core.laminate.loadcase import LoadCase
from tartan.core.laminate.tube import TubeLoad
from tartan.core.search import ordering
from tartan.core.stack import Stack
from tartan.desktop.stacks.orderpane import OrderPane
from tartan.desktop.stacks.view import StacksView
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tartan.project.edits import design_edits, stack_edits
from tartan.project.findings.order_words import FIGURE_TITLES, RULE_TITLES, best_of
from tartan.project.wording.document_words import requirement_words
from tests.desktop.conftest import coarse_sample, named
from tests.desktop.settle import settle
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press, type_into
from tests.project.test_part_order import UD
from tests.project.test_part_order import plate as part_plate

STRUT = "feed strut"


def opened(window: MainWindow, stack: str = STRUT) -> OrderPane:
    window.session.select(station="Stacks", stack=stack)
    page = window.pages["Stacks"].view
    assert isinstance(page, StacksView)
    page.reveal(page.order)
    settle()
    return page.order


@pytest.fixture
def pane(open_window: Callable[..., MainWindow]) -> OrderPane:
    return opened(open_window())


def add(pane: OrderPane, rule: str) -> None:
    choose(named(pane, QComboBox, "Add a shop rule"), RULE_TITLES[rule])  # type: ignore[arg-type]


def searched(qtbot, pane: OrderPane) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, pane, "search")
    qtbot.waitUntil(lambda: not pane.stream.busy, timeout=120_000)
    settle()


def plies(pane: OrderPane) -> tuple[float, ...]:
    stack = pane.session.project.stack(pane.session.selection.stack)
    assert stack is not None
    return tuple(p.angle for p in stack.plies)


def test_the_strut_is_ordered_under_rules_taken_and_taken_back(qtbot, pane: OrderPane) -> None:  # type: ignore[no-untyped-def]
    session, before = pane.session, plies(pane)
    add(pane, "run")
    add(pane, "cover")
    type_into(qtbot, named(pane, QLineEdit, "limit of rule 1"), "2")  # type: ignore[arg-type]
    type_into(qtbot, named(pane, QLineEdit, "angles of rule 2"), "±45")  # type: ignore[arg-type]
    assert [r.kind for r in session.project.shop_rules] == ["run", "cover"]
    assert session.project.shop_rules[1].angles == (45.0, -45.0)
    page = window_page(pane)
    assert "remark" in page.remarks.text()
    searched(qtbot, pane)
    assert "Proved best: all" in pane.note.text()
    assert "against the rules" in pane.note.text()
    assert pane.frame.result.isChecked()
    found = pane.found.found
    assert found is not None
    best = best_of(found)
    assert best is not None
    assert best.plies[0].angle in (45.0, -45.0)
    states = [row[1:3] for row in pane.found.rules.table.rows]
    assert states[1] == ("broken ×2", "kept")
    press(qtbot, pane, "take it")
    assert plies(pane) == tuple(p.angle for p in best.plies)
    assert not pane.frame.take_button.isEnabled()
    # The search is kept with it, and both are one step of undo.
    assert session.project.orders[0].found == found
    press(qtbot, page.window(), "undo")
    assert plies(pane) == before
    assert not session.project.orders
    # A version of its own: the design as it was stays beside it.
    press(qtbot, pane, "as a version")
    assert [v.name for v in session.project.versions] == ["A"]
    assert plies(pane) == tuple(p.angle for p in best.plies)


def window_page(pane: OrderPane) -> StacksView:
    page = pane.window().pages["Stacks"].view  # type: ignore[union-attr]
    assert isinstance(page, StacksView)
    return page


def test_history_and_front_are_looked_at_by_clicks(qtbot, pane: OrderPane) -> None:  # type: ignore[no-untyped-def]
    choose(named(pane, QComboBox, "Add a goal"), FIGURE_TITLES["D22"])  # type: ignore[arg-type]
    searched(qtbot, pane)
    result = pane.found
    found = result.found
    assert found is not None
    assert len(found.front) > 1
    assert "none better in all goals" in pane.note.text()
    assert result.over.currentText() == "front of two goals"
    # Figures on the axes are those of the goals, without a power of ten of their own.
    assert {result.plot.item.getAxis(s).autoSIPrefixScale for s in ("left", "bottom")} == {1.0}
    for step in (found.front[0], found.front[-1]):
        click_chart(qtbot, pane, step.values)
        assert result.chosen == step
        assert result.figures.table.rows[1][2] == f"{step.values[1]:.4g} N·m"
    press(qtbot, pane, "take it")
    assert plies(pane) == tuple(p.angle for p in found.front[-1].plies)
    choose(result.over, f"history of {FIGURE_TITLES['reserve']}")
    # A line of the history, by the keyboard.
    result.steps.view.setCurrentIndex(result.steps.view.model().index(0, 0))
    settle()
    assert result.chosen == found.steps[0]


def click_chart(qtbot, pane: OrderPane, at: tuple[float, ...]) -> None:  # type: ignore[no-untyped-def]
    plot = pane.found.plot
    pane.frame.pages.widget(1).ensureWidgetVisible(plot)  # type: ignore[union-attr]
    settle()
    place = plot.mapFromScene(plot.item.getViewBox().mapViewToScene(QPointF(*at[:2])))
    qtbot.mouseClick(plot.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(place))
    settle()


def test_a_long_search_is_watched_and_stopped(
    qtbot,  # type: ignore[no-untyped-def]
    pane: OrderPane,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    long = [replace(p, angle=a) for p in pane.session.project.stack(STRUT).plies[:1] for a in  # type: ignore[union-attr]
            (0, 0, 0, 45, 45, 45, -45, -45, -45, 90, 90, 90, 30, 30, -30, -30)]  # fmt: skip
    monkeypatch.setattr(ordering, "MOST_TRIES", 10**9)
    pane.session.edit("long", lambda p: stack_edits.put_plies(p, STRUT, [*long, *long[::-1]]))
    settle()
    press(qtbot, pane, "search")
    assert pane.frame.stop_button.isVisible()
    assert not pane.frame.start_button.isVisible()
    qtbot.waitUntil(lambda: "best so far" in pane.note.text(), timeout=60_000)
    # The window is not held up meanwhile: other stacks are looked at, and nothing is lost.
    pane.session.select(stack="dish face")
    settle()
    assert "best so far" not in pane.note.text() or pane.stream.busy
    pane.session.select(stack=STRUT)
    settle()
    press(qtbot, pane, "stop")
    qtbot.waitUntil(lambda: not pane.stream.busy, timeout=60_000)
    settle()
    assert "Best found, not proved" in pane.note.text()
    assert pane.found.chosen is not None
    press(qtbot, pane, "take it")
    assert sorted(plies(pane)) == sorted([p.angle for p in long] * 2)


def test_rules_that_clash_are_named_and_mended(qtbot, pane: OrderPane) -> None:  # type: ignore[no-untyped-def]
    add(pane, "run")
    add(pane, "step")
    type_into(qtbot, named(pane, QLineEdit, "limit of rule 2"), "20")  # type: ignore[arg-type]
    searched(qtbot, pane)
    assert (
        "No order of these plies keeps 'at most 20° between neighbours'" in pane.frame.fault.text()
    )
    assert "at a cost" in pane.frame.fault.text()
    # It may bend, at a cost.
    press(qtbot, pane, "what is asked")
    type_into(qtbot, named(pane, QLineEdit, "cost of rule 2"), "1")  # type: ignore[arg-type]
    searched(qtbot, pane)
    assert pane.frame.fault.text() == ""
    assert "Proved best" in pane.note.text()
    # A rule that cannot be is refused where it is typed, and the one before stays.
    press(qtbot, pane, "what is asked")
    type_into(qtbot, named(pane, QLineEdit, "limit of rule 1"), "0")  # type: ignore[arg-type]
    assert "cannot be 0" in pane.frame.fault.text()
    assert pane.session.project.shop_rules[0].limit == 3


def test_goals_of_a_panel_and_held_plies(qtbot, pane: OrderPane) -> None:  # type: ignore[no-untyped-def]
    choose(named(pane, QComboBox, "figure of goal 1"), FIGURE_TITLES["buckling"])  # type: ignore[arg-type]
    press(qtbot, pane, "search")
    assert "The panel has no sides" in pane.frame.fault.text()
    for name, text in (
        ("length along x of the panel", "400"),
        ("width along y of the panel", "0.2 m"),
        ("Nx, positive in compression of the panel", "100"),
    ):
        type_into(qtbot, named(pane, QLineEdit, name), text)  # type: ignore[arg-type]
    pane.session.select(plies=(0, 1))
    press(qtbot, pane, "hold chosen plies")
    assert pane.form.held.text() == "held: 1, 2"
    searched(qtbot, pane)
    assert "Buckling of the panel" in pane.note.text()
    assert pane.found.found.total == 6  # type: ignore[union-attr]
    assert plies(pane)[:2] == tuple(p.angle for p in pane.found.chosen.plies[:2])  # type: ignore[union-attr]
    press(qtbot, pane, "what is asked")
    press(qtbot, pane, "free all")
    searched(qtbot, pane)
    assert pane.found.found.total == 60  # type: ignore[union-attr]
    press(qtbot, pane, "keep for the report")
    assert pane.session.project.orders[0].found == pane.found.found


def test_the_wall_of_a_tube_is_ordered(open_window: Callable[..., MainWindow], qtbot) -> None:  # type: ignore[no-untyped-def]
    tube = LoadCase("tube", tube=TubeLoad(radius=0.05, pressure=4e6, torque=800.0), stack=STRUT)
    window = open_window(design_edits.put_load_cases(coarse_sample(), [tube]), wait=False)
    pane = opened(window)
    searched(qtbot, pane)
    assert "Proved best: all 60 of 60" in pane.note.text()
    assert pane.frame.fault.text() == ""


def test_an_empty_project_and_what_cannot_be_ordered_are_told(
    open_window: Callable[..., MainWindow],
    qtbot,  # type: ignore[no-untyped-def]
) -> None:
    empty = stack_edits.add_materials(Project("empty"), coarse_sample().materials[:1])
    window = open_window(stack_edits.add_stack(empty, "stack", ())[0], wait=False)
    pane = opened(window, "stack")
    press(qtbot, pane, "search")
    assert "The stack is empty" in pane.frame.fault.text()
    add(pane, "run")
    assert window.session.project.shop_rules
    type_into(qtbot, window_page(pane).notation, "0/90/45")
    press(qtbot, pane, "search")
    assert "odd number each" in pane.frame.fault.text()
    press(qtbot, pane, "symmetric")
    press(qtbot, pane, "search")
    assert "no load to order plies for" in pane.frame.fault.text()
    choose(named(pane, QComboBox, "figure of goal 1"), FIGURE_TITLES["D11"])  # type: ignore[arg-type]
    searched(qtbot, pane)
    assert "Proved best: all 6 of 6" in pane.note.text()
    # One ply alone has one order.
    type_into(qtbot, window_page(pane).notation, "45")
    assert "as it was" in pane.note.text()
    searched(qtbot, pane)
    assert "all 1 of 1" in pane.note.text()


def test_a_window_closed_during_a_search_ends_it(
    open_window: Callable[..., MainWindow],
    qtbot,  # type: ignore[no-untyped-def]
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(ordering, "MOST_ORDERS", 0)
    monkeypatch.setattr(ordering, "MOST_TRIES", 10**9)
    window = open_window(coarse_sample(), wait=False)
    pane = opened(window)
    press(qtbot, pane, "search")
    qtbot.waitUntil(lambda: pane.found.found is not None, timeout=60_000)
    window.session.history.mark_saved()
    window.close()
    assert not pane.stream.busy
    assert isinstance(pane.frame.start_button, QPushButton)


def test_an_order_is_tried_on_the_part_before_it_is_taken(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    pane, session = opened(window, "dish face"), window.session
    press(qtbot, pane, "symmetric")
    choose(named(pane, QComboBox, "figure of goal 1"), FIGURE_TITLES["D11"])  # type: ignore[arg-type]
    searched(qtbot, pane)
    assert plies(pane) != tuple(p.angle for p in pane.found.chosen.plies)  # type: ignore[union-attr]
    trial = pane.found.trial
    assert not trial.table.isVisible()
    press(qtbot, pane, "try on the part")
    qtbot.waitUntil(lambda: trial.table.table.rows != (), timeout=120_000)
    rows = {row[0]: row[1:] for row in trial.table.table.rows}
    for status in session.statuses:
        assert rows[requirement_words(status.requirement)][0] == status.amount
    assert any(k.endswith(": displacement") for k in rows)
    press(qtbot, pane, "take it")
    qtbot.waitUntil(lambda: session.fresh, timeout=120_000)
    for status in session.statuses:
        assert rows[requirement_words(status.requirement)][1] == status.amount
    # A stack that is not on the part cannot be tried on it.
    opened(window)
    searched(qtbot, pane)
    assert not trial.isVisible()


def test_another_project_has_nothing_of_what_was_found(qtbot, pane: OrderPane) -> None:  # type: ignore[no-untyped-def]
    searched(qtbot, pane)
    assert pane.found.found is not None
    pane.session.open(coarse_sample(), None)
    pane = opened(pane.window())  # type: ignore[arg-type]
    assert pane.found.found is None
    assert pane.note.text() == ""
    assert not pane.frame.result.isEnabled()
    # The stack is gone by the time its order is taken.
    searched(qtbot, pane)
    pane.session.edit("remove", lambda p: stack_edits.remove_stack(p, STRUT))
    settle()
    assert pane.session.selection.stack != STRUT
    assert not pane.frame.take_button.isVisible()


def test_the_part_is_a_goal_for_what_is_laid_on_it(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    project = part_plate()
    apart = Stack("apart", (UD[0], UD[3], UD[3], UD[0]))
    project = replace(project, stacks=(*project.stacks, apart))
    window = open_window(project)
    pane = opened(window, "skin")
    first = "figure of goal 1"
    choose(named(pane, QComboBox, first), FIGURE_TITLES["part-displacement"])  # type: ignore[arg-type]
    ask = pane.form.ask
    assert [g.figure for g in ask.goals] == ["part-displacement"]
    searched(qtbot, pane)
    assert not pane.frame.fault.text()
    assert "the part was solved" in pane.note.text()
    found = pane.found.found
    assert found is not None
    best = best_of(found)
    assert best is not None
    assert best.values[0] < found.before.values[0]
    press(qtbot, pane, "take it")
    settle()
    qtbot.waitUntil(lambda: window.session.fresh, timeout=120_000)
    answer = window.session.answer
    assert answer is not None
    moved = np.linalg.norm(answer.solution.displacement[..., :3], axis=-1).max()
    assert moved == pytest.approx(best.values[0], rel=1e-9)
    # A stack that is not laid has no such goal.
    pane = opened(window, "apart")
    choose(named(pane, QComboBox, first), FIGURE_TITLES["part-frequency"])  # type: ignore[arg-type]
    press(qtbot, pane, "search")
    qtbot.waitUntil(lambda: not pane.stream.busy, timeout=120_000)
    settle()
    assert "not laid on the part" in pane.frame.fault.text()
