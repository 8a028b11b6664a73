"""Support sets, held loads, movements, mends and limits, clicked in the real window."""

import dataclasses
from collections.abc import Callable

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QPushButton, QWidget

from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.desktop.cases.supports import NEW_SET, OWN
from tartan.desktop.window import MainWindow
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_mesh
from tartan.project.document.partmodel import (
    Case,
    Movement,
    Part,
    Pressure,
    ReadSurface,
    Rung,
    Support,
)
from tartan.project.edits import case_edits, part_edits
from tests.desktop.conftest import named
from tests.desktop.test_window import go, press, solved, type_into
from tests.panels import dish_panel

Opener = Callable[..., MainWindow]
LEFT = Qt.MouseButton.LeftButton


def shown(qtbot, view: QWidget, kind: type, name: str) -> QWidget:  # type: ignore[no-untyped-def]
    """A widget by its accessible name, once it is there: rows just made are shown a turn later."""
    qtbot.waitUntil(
        lambda: any(w.accessibleName() == name and w.isVisible() for w in view.findChildren(kind))
    )
    return named(view, kind, name)


def click(qtbot, view: QWidget, name: str) -> None:  # type: ignore[no-untyped-def]
    qtbot.mouseClick(shown(qtbot, view, QPushButton, name), LEFT)


def refuses_to_add(qtbot, window: MainWindow, other: str) -> None:  # type: ignore[no-untyped-def]
    """Cases on different supports are not added: said, and nothing changed."""
    session, view = window.session, window.cases
    press(qtbot, view, "+ combination")
    assert session.project.combinations[0].factors == ()
    first = session.project.cases[0].name
    type_into(qtbot, shown(qtbot, view, QLineEdit, f"factor of {first}"), "1")
    type_into(qtbot, shown(qtbot, view, QLineEdit, f"factor of {other}"), "1")
    assert "different supports" in view.fault.text()
    assert session.project.combinations[0].factors == ((first, 1.0),)


@pytest.mark.gl
def test_a_case_gets_supports_of_its_own_and_loads_that_stay(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, window.cases
    before = session.project
    go(qtbot, window, "Cases")
    session.select(case="own weight")
    chooser = shown(qtbot, view, QComboBox, "supports of the case")
    assert chooser.currentText() == OWN  # type: ignore[attr-defined]
    chooser.textActivated.emit(NEW_SET)  # type: ignore[attr-defined]
    assert session.project.cases[1].supports == "supports"
    type_into(qtbot, shown(qtbot, view, QLineEdit, "name of the support set"), "crane")
    assert [s.name for s in session.project.support_sets] == ["crane"]
    qtbot.waitUntil(lambda: bool(view.supports.findChildren(QPushButton)))
    kind = shown(qtbot, view, QComboBox, "kind of support 1")
    kind.textActivated.emit("clamped")  # type: ignore[attr-defined]
    # The usual supports, and the case on them, stay as they were.
    assert session.project.supports == before.supports
    assert session.project.support_sets[0].supports[0].kind == "clamped"
    listed = view.list.cards
    cards = [listed.item(i).data(Qt.ItemDataRole.UserRole) for i in range(listed.count())]  # type: ignore[union-attr]
    assert "on crane" in next(c.words for c in cards if c.name == "own weight")
    solved(qtbot, window)
    assert session.answer is not None
    edge = session.answer.layout().mesh.edges[before.supports[0].place]
    turned = session.answer.solution.displacement[:, edge, 3:]
    assert np.abs(turned[0]).max() > 0
    assert np.abs(turned[1]).max() == 0
    # A movement and a temperature: the one grows, the other is held, until it is clicked.
    view.new_load.textActivated.emit("movement")
    type_into(qtbot, shown(qtbot, view, QLineEdit, "move of load 2 z"), "-0.5")
    assert session.project.cases[1].loads[-1] == Movement(
        before.supports[0].place, (0.0, 0.0, -5e-4)
    )
    view.new_load.textActivated.emit("temperature")
    click(qtbot, view, "load 3 is held")
    assert session.project.cases[1].loads[2].held is False
    click(qtbot, view, "load 1 is held")
    assert session.project.cases[1].loads[0].held is True
    solved(qtbot, window)
    refuses_to_add(qtbot, window, "own weight")
    for _ in range(20):
        session.undo()
    assert session.project == before


@pytest.mark.gl
def test_a_movement_of_what_nothing_holds_is_said_and_mended(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    session, view = window.session, window.cases
    go(qtbot, window, "Cases")
    session.select(case="own weight")
    view.new_load.textActivated.emit("movement")
    solved(qtbot, window)
    good = session.verdict.state
    assert good in ("holds", "fails")
    type_into(qtbot, shown(qtbot, view, QLineEdit, "move of load 2 y"), "1")
    solved(qtbot, window)
    assert session.verdict.state == "blocked"
    assert "no support holds" in session.verdict.sentence
    assert "own weight" in session.verdict.sentence
    session.undo()
    solved(qtbot, window)
    assert session.verdict.state == good


def apart() -> Project:
    """Skin with a blade 2 mm over it, two elements of which lie twice."""
    skin, blade = grid_mesh(Panel(0.4, 0.3), 8, 6), grid_mesh(Panel(0.4, 0.04), 7, 2)
    turn = np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]])
    nodes = np.concatenate([skin.nodes, blade.nodes @ turn.T + [0.0, 0.0, 0.022]])
    quads = np.concatenate([skin.quads, blade.quads + len(skin.nodes), skin.quads[:2]])
    mesh = Mesh(nodes, quads, {"left edge": skin.edges["left edge"]})
    part = Part(ReadSurface("blade.vtu", pack_mesh(mesh)), 0.05, (Rung(stack="feed strut"),))
    project = dataclasses.replace(dish_panel(), part=None, supports=(), cases=(), requirements=())
    project = part_edits.put_part(project, part)
    project = case_edits.put_supports(project, [Support("left edge", "clamped")])
    return case_edits.put_cases(project, [Case("press", (Pressure(2e3),))])


@pytest.mark.gl
def test_a_mesh_is_mended_and_tied_by_clicks(qtbot, open_window: Opener) -> None:  # type: ignore[no-untyped-def]
    window = open_window(apart())
    session, view = window.session, window.part
    assert session.verdict.state == "blocked"
    assert "second time" in session.verdict.sentence
    go(qtbot, window, "Part")
    press(qtbot, view, "remove the copies")
    solved(qtbot, window)
    assert "second time" not in session.verdict.sentence
    assert session.verdict.state == "blocked"
    press(qtbot, view, "surface")
    field = shown(qtbot, view, QLineEdit, "gap bridged by ties")
    type_into(qtbot, field, "1.5")
    assert "Nothing comes as near" in view.surface.ties.found.text()
    type_into(qtbot, field, "3")
    # The reach is what was typed, and the tie is listed with its length and gap.
    assert session.project.part.tie_gap == pytest.approx(3e-3)  # type: ignore[union-attr]
    assert view.surface.ties.found.text() == "tie 1: 400 mm of edge, gap up to 2 mm"
    solved(qtbot, window)
    assert session.verdict.state in ("holds", "fails")
    assert "Not covered: deflection too large" in session.verdict.sentence
    go(qtbot, window, "Margins")
    press(qtbot, window.margins.tabs, "requirements")
    assert "too large for linear theory" in window.margins.board.limits.text()


def test_a_part_far_from_the_origin_turns_about_itself(qtbot, open_window: Opener) -> None:  # type: ignore[no-untyped-def]
    """It stays in sight however it is turned, and fine meshes are not covered by their edges."""
    window = open_window()
    window.session.select(station="Margins")
    qtbot.waitUntil(lambda: window.margins.scene is not None)
    scene = window.margins.scene
    assert scene is not None
    assert scene.mesh is not None
    far = dataclasses.replace(scene.mesh, nodes=scene.mesh.nodes + np.array([300.0, -80.0, 500.0]))
    scene.put_mesh(far)
    scene.frame_part()
    middle = (far.nodes.min(axis=0) + far.nodes.max(axis=0)) / 2
    np.testing.assert_allclose(scene.view.camera.focal_point, middle, atol=0.3)
    area = scene.view.rect()
    for turn in ((40, 0), (0, 60), (-170, 30)):
        scene.view.camera.azimuth += turn[0]
        scene.view.camera.elevation += turn[1]
        at = scene.place_of(far.count // 2)
        assert area.contains(at)
    # Far away elements are a pixel or two: their edges fade and come back with nearness.
    near = scene.view.camera.parallel_scale
    scene.show_edges(on=True)
    assert scene._actor.prop.show_edges
    scene.view.camera.parallel_scale = 200 * near
    scene._fade_edges()
    assert not scene._actor.prop.show_edges
    scene.view.camera.parallel_scale = near
    scene._fade_edges()
    assert scene._actor.prop.show_edges
    assert 0 < scene._actor.prop.edge_opacity <= 1
    scene.show_edges(on=False)
    assert not scene._actor.prop.show_edges
