"""A coupon of a stack in the window: asked, solved three ways, its edge, refusals, given up."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PyQt6.QtWidgets import QApplication, QComboBox, QLineEdit, QPushButton

from tartan.core.stack.operations import rotate
from tartan.desktop.stacks.couponpane import CouponPane
from tartan.desktop.stacks.panes import PANES
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tartan.project.edits import stack_edits
from tests.desktop.conftest import coarse_sample, named
from tests.desktop.settle import settle
from tests.desktop.test_winding import choose
from tests.desktop.test_window import press, type_into

OpenWindow = Callable[..., MainWindow]


def opened(window: MainWindow, stack: str = "feed strut") -> CouponPane:
    window.session.select(station="Stacks", stack=stack, plies=())
    window.stacks.tabs.buttons()[PANES.index("Coupon")].click()
    settle()
    return window.stacks.coupon


def switch_on(pane: CouponPane, words: str) -> None:
    for each in pane.form.findChildren(QPushButton):
        if each.text() == words:
            each.click()
            settle()
            return
    raise AssertionError(words)


@pytest.fixture
def pane(open_window: OpenWindow) -> CouponPane:
    """The strut with every third ply: a coupon has as many solids as plies and more."""
    project = coarse_sample()
    strut = project.stack("feed strut")
    assert strut is not None
    return opened(open_window(stack_edits.put_plies(project, strut.name, strut.plies[::3])))


def solve(qtbot, pane: CouponPane) -> None:  # type: ignore[no-untyped-def]
    press(qtbot, pane, "solve it three ways")
    qtbot.waitUntil(lambda: not pane.work.busy, timeout=120_000)
    settle()


def test_a_strut_is_pulled_and_its_three_ways_stand_side_by_side(qtbot, pane: CouponPane) -> None:  # type: ignore[no-untyped-def]
    assert not pane.table.isVisible()
    solve(qtbot, pane)
    # What lacks is named, with what may be done; then it is assumed.
    assert "lacks E₃" in pane.fault.text()
    switch_on(pane, "assume what lacks")
    assert not pane.fault.text()
    type_into(qtbot, named(pane, QLineEdit, "length of the coupon"), "60")  # type: ignore[arg-type]
    type_into(qtbot, named(pane, QLineEdit, "force on the coupon"), "2 kN")  # type: ignore[arg-type]
    assert (pane.ask.length, pane.ask.force) == (0.06, 2000.0)
    solve(qtbot, pane)
    found = pane.found
    assert found is not None
    assert "Least reserve factor in the middle: shell" in pane.words.text()
    assert "assumed" in pane.words.text()
    assert "E₃" in pane.words.toolTip()
    assert pane.table.isVisible()
    assert len(pane.table.table.rows) == 3 * found.laminate.count
    choose(named(pane, QComboBox, "Stress of the coupon"), "τ₁₂")  # type: ignore[arg-type]
    assert pane.table.table.rows[0][3] == pytest.approx(found.answer.shell.stress[-1, 2, 3] / 1e6)
    # The free edge, between any two plies; a longer mean is read off the same answer.
    press(qtbot, pane, "free edge")
    choose(named(pane, QComboBox, "Between which plies"), "above ply 3")  # type: ignore[arg-type]
    before = [r[2] for r in pane.table.table.rows]
    type_into(qtbot, named(pane, QLineEdit, "length of the mean at the edge"), "3")  # type: ignore[arg-type]
    after = [r[2] for r in pane.table.table.rows]
    assert np.abs(after).max() < np.abs(before).max()
    assert "before" not in pane.words.text()
    pane.table.copy()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert clipboard.text().splitlines()[1].startswith("above ply\tplies\tτxz")
    # A mean over more than there is.
    type_into(qtbot, named(pane, QLineEdit, "length of the mean at the edge"), "30")  # type: ignore[arg-type]
    assert "outside the strip" in pane.fault.text()
    # Another ply: what stands is of the stack before, and says so.
    session = pane._chosen.session  # type: ignore[union-attr]
    plies = rotate(found.stack.plies, 10.0)
    session.edit("turn", lambda p: stack_edits.put_plies(p, "feed strut", plies))
    settle()
    assert "before" in pane.words.text()


def test_other_loadings_ask_for_what_they_need(qtbot, pane: CouponPane) -> None:  # type: ignore[no-untyped-def]
    switch_on(pane, "assume what lacks")
    choose(named(pane, QComboBox, "how the coupon is loaded"), "torsion")  # type: ignore[arg-type]
    settle()
    type_into(qtbot, named(pane, QLineEdit, "moment on the coupon"), "0.5")  # type: ignore[arg-type]
    assert pane.ask.coupon.amount == 0.5
    choose(named(pane, QComboBox, "how the coupon is loaded"), "four-point bending")  # type: ignore[arg-type]
    settle()
    type_into(qtbot, named(pane, QLineEdit, "distance of the lines it lies on"), "200")  # type: ignore[arg-type]
    solve(qtbot, pane)
    assert "do not lie one within the other" in pane.fault.text()
    type_into(qtbot, named(pane, QLineEdit, "distance of the lines it lies on"), "80")  # type: ignore[arg-type]
    solve(qtbot, pane)
    assert "goes down by" in pane.words.text()


def test_it_is_given_up_and_asked_again(qtbot, pane: CouponPane) -> None:  # type: ignore[no-untyped-def]
    switch_on(pane, "assume what lacks")
    press(qtbot, pane, "solve it three ways")
    press(qtbot, pane, "stop")
    assert not pane.work.busy
    assert "stopped" in pane.note.text()
    solve(qtbot, pane)
    assert pane.found is not None
    # Another stack: nothing of the one before is shown.
    session = pane._chosen.session  # type: ignore[union-attr]
    session.select(stack="dish face")
    settle()
    assert pane.found is None
    assert not pane.table.isVisible()


def test_from_nothing_there_is_nothing_to_solve(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    window = open_window(Project("nothing"), wait=False)
    window.session.select(station="Stacks")
    window.stacks.tabs.buttons()[PANES.index("Coupon")].click()
    settle()
    window.stacks.coupon.start()
    window.stacks.add()
    settle()
    pane = window.stacks.coupon
    assert not pane.solve_button.isEnabled()
    assert "no plies" in pane.note.text()
    pane.start()
    assert not pane.work.busy
    assert not window.faults.faults
