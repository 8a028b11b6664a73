"""Areas left out near supports and forces, by a length, a count or a brush."""

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPushButton, QWidget

from tartan.core.criteria import criterion
from tartan.desktop.window import MainWindow
from tartan.project.document.partmodel import LeftOut
from tartan.project.edits import case_edits
from tartan.project.wording import units
from tests.desktop.conftest import named
from tests.desktop.test_margins import ready
from tests.desktop.test_window import CTRL, LEFT, press, solved, type_into

pytestmark = pytest.mark.gl


def test_what_is_near_is_left_out_by_a_length(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    press(qtbot, view.tabs, "left out")
    press(qtbot, view.left_out, "+ near supports")
    assert session.project.part is not None
    size = 2 * session.project.part.mesh_size
    assert session.project.left_out == (LeftOut("supports", distance=size),)
    words = f"Left out: within {units.show(size, units.LENGTH)} of a support"
    assert words in window.session.verdict.sentence
    field = named(view, QLineEdit, "Distance left out near supports")
    type_into(qtbot, field, "0.1 m")
    assert session.project.left_out[0].distance == pytest.approx(0.1)
    type_into(qtbot, field, "0")
    assert "greater than zero" in view.left_out.told.text()
    assert session.project.left_out[0].distance == pytest.approx(0.1)


def test_areas_are_left_out_by_rule_and_by_brush(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, ready(qtbot, window)
    scene = view.scene
    assert scene is not None
    before = session.answer
    assert before is not None
    press(qtbot, view.tabs, "left out")
    # Files of before count elements, and go on doing so.
    session.edit("old", lambda p: case_edits.put_left_out(p, [LeftOut("supports", 2)]))
    assert "left out" in scene._extras
    assert "Left out: within 2 elements of a support" in window.session.verdict.sentence
    fields = view.left_out.rows.findChildren
    qtbot.waitUntil(lambda: any(f.isVisible() for f in fields(QLineEdit)))
    field = named(view, QLineEdit, "Elements left out near supports")
    type_into(qtbot, field, "1")
    assert session.project.left_out[0].rings == 1
    type_into(qtbot, field, "400")
    assert "cannot be left out" in view.left_out.told.text()
    assert session.project.left_out[0].rings == 1
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    qtbot.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert session.project.left_out == ()
    press(qtbot, view.left_out, "brush")
    spot = before.spots[0]
    place = scene.place_of(spot)
    QTest.mousePress(scene.view, LEFT, pos=place)
    QTest.mouseMove(scene.view, place + QPoint(12, 0))
    QTest.mouseRelease(scene.view, LEFT, pos=place + QPoint(12, 0))
    assert session.project.part is not None
    hand = session.project.part.region("left out by hand")
    assert hand is not None
    assert spot in hand.elements
    solved(qtbot, window)
    # Nothing was solved anew: the region is but a name to the solver.
    assert session.answer is not None
    assert not session.answer.resolved
    assert session.statuses[0].address is None or session.statuses[0].address.element != spot
    press(qtbot, view.tabs, "hot spots")
    assert spot not in view.hot.elements
    assert scene.mode == "look"
    session.undo()
    assert session.project.left_out == ()


def test_a_material_gets_criteria_of_its_own_and_gives_them_back(
    qtbot, window: MainWindow
) -> None:  # type: ignore[no-untyped-def]
    """Judged by one criterion alone, by its name; the other materials go on by their kind."""
    session, view = window.session, ready(qtbot, window)
    press(qtbot, view.tabs, "criteria")
    before = session.project
    assert session.answer is not None
    old = session.answer.margins
    name = session.answer.layout().laid[0].ply.material
    chooser = named(view, QComboBox, "Material with criteria of its own")
    chooser.setCurrentText(name)
    chooser.textActivated.emit(name)
    kind = session.project.material(name).kind  # type: ignore[union-attr]
    rules = dict(session.project.criteria[0].rules)
    assert rules[name] == rules[kind]
    solved(qtbot, window)
    assert session.answer is not None
    assert np.allclose(session.answer.margins.reserve, old.reserve)
    for key in rules[name][1:]:
        title = criterion(key).title
        qtbot.waitUntil(lambda t=title: bool(boxes(view, f"{t} for {name} layers")))
        boxes(view, f"{title} for {name} layers")[0].click()
    assert dict(session.project.criteria[0].rules)[name] == rules[name][:1]
    assert dict(session.project.criteria[0].rules)[kind] == rules[kind]
    solved(qtbot, window)
    # Fewer judges never find a lower reserve.
    assert session.answer is not None
    assert (session.answer.margins.reserve >= old.reserve - 1e-9).all()
    named(view, QPushButton, f"Judge {name} by its kind").click()  # type: ignore[attr-defined]
    assert session.project.criteria == before.criteria


def boxes(view: QWidget, name: str) -> list[QCheckBox]:
    return [b for b in view.findChildren(QCheckBox) if b.accessibleName() == name]
