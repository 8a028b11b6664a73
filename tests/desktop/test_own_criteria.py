"""Criteria that a user writes, in the pages where criteria are chosen."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QLineEdit

from tartan.desktop.window import MainWindow
from tests.desktop.conftest import named
from tests.desktop.test_margins import ready
from tests.desktop.test_window import press, solved

pytestmark = pytest.mark.gl


def test_a_criterion_of_ones_own_is_written_checked_and_put_to_work(  # type: ignore[no-untyped-def]
    qtbot, window: MainWindow
) -> None:
    session, view = window.session, ready(qtbot, window)
    before = session.answer
    assert before is not None
    press(qtbot, view.tabs, "criteria")
    press(qtbot, view.criteria, "+ criterion")
    formula = named(view.criteria, QLineEdit, "formula of criterion 1")
    formula.setFocus()
    formula.selectAll()
    qtbot.keyClicks(formula, "2*max(s1/Xt, -s1/Xc) + 2*abs(t12)/S1")
    assert "'S1' at character 35 is not known" in view.criteria.own.told.text()
    qtbot.keyClicks(formula, "2 + 2*(s2/Yt)**2")
    assert view.criteria.own.told.text().startswith("Needs Xt, Xc, Yt, S12.")
    qtbot.keyClick(formula, Qt.Key.Key_Return)
    key = "own = 2*max(s1/Xt, -s1/Xc) + 2*abs(t12)/S12 + 2*(s2/Yt)**2"
    assert session.project.formulas == (key,)
    qtbot.waitUntil(
        lambda: any(
            b.accessibleName() == "own for ply layers" and b.isVisible()
            for b in view.criteria.findChildren(QCheckBox)
        )
    )
    named(view.criteria, QCheckBox, "own for ply layers").click()
    solved(qtbot, window)
    after = session.answer
    assert after is not None
    assert not after.resolved
    assert (after.margins.reserve <= before.margins.reserve * (1 + 1e-9)).all()
    assert key in after.margins.checks
    assert "by own" in session.verdict.sentence
    # What is used is not given up; what is typed over follows into the set.
    press(qtbot, view.criteria, "×")
    assert "Switch it off" in view.criteria.own.told.text()
    name = named(view.criteria, QLineEdit, "name of criterion 1")
    name.setFocus()
    name.selectAll()
    qtbot.keyClicks(name, "rough")
    qtbot.keyClick(name, Qt.Key.Key_Return)
    solved(qtbot, window)
    assert "by rough" in session.verdict.sentence
    for _ in range(4):
        session.undo()
    assert session.project.formulas == ()


def test_a_criterion_of_ones_own_judges_a_stack(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session = window.session
    session.select(station="Stacks", stack="feed strut")
    press(qtbot, window.stacks, "Strength")
    strength = window.stacks.strength
    strength.own.toggle()
    press(qtbot, strength, "+ criterion")
    assert session.project.offered("ply")[-1].title == "own"
    formula = named(strength, QLineEdit, "formula of criterion 1")
    formula.setFocus()
    formula.selectAll()
    qtbot.keyClicks(formula, "9*max(s1/Xt, -s1/Xc)")
    qtbot.keyClick(formula, Qt.Key.Key_Return)
    before = strength.table.table.rows
    strength.switch("ply", session.project.formulas[0], on=True)
    qtbot.waitUntil(lambda: strength.table.table.rows != before)
    assert any("own" in str(row) for row in strength.table.table.rows)
    # In the failure history too.
    press(qtbot, window.stacks, "History")
    titles = window.stacks.history.criterion
    assert "own" in [titles.itemText(i) for i in range(titles.count())]
