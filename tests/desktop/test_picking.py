"""Edges and faces picked in the view: several, loops, and what is then put on them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from tartan.desktop.scene.scene import PartScene
from tartan.desktop.window import MainWindow
from tartan.project.document.partmodel import EdgeForce, Force, Pressure, Region, Support
from tartan.project.edits import part_edits
from tests.desktop.conftest import coarse_sample
from tests.desktop.settle import settle
from tests.desktop.test_window import press

pytestmark = pytest.mark.gl

LEFT, CTRL = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier
NONE = Qt.KeyboardModifier.NoModifier
OpenWindow = Callable[..., MainWindow]


@pytest.fixture
def window(qtbot, open_window: OpenWindow) -> MainWindow:  # type: ignore[no-untyped-def]
    project = coarse_sample()
    assert project.part is not None
    project = part_edits.put_region(project, Region("pad", elements=(40, 41, 42)))
    window = open_window(project, wait=False)
    window.session.select(station="Cases")
    qtbot.waitUntil(lambda: scene_there(window))
    scene = window.cases.pane.scene
    assert scene is not None
    scene.frame_part((0.0, 0.0, 1.0))
    scene.view.draw()
    return window


def scene_there(window: MainWindow) -> bool:
    scene = window.cases.pane.scene
    return scene is not None and scene.mesh is not None


def scene_of(window: MainWindow) -> PartScene:
    scene = window.cases.pane.scene
    assert scene is not None
    return scene


def click_edge(window: MainWindow, name: str, keys: Qt.KeyboardModifier = NONE) -> None:
    """Click the middle of an edge."""
    scene = scene_of(window)
    nodes = scene.mesh.edges[name]  # type: ignore[union-attr]
    seen = scene.on_screen(scene.shown_nodes([int(nodes[len(nodes) // 2])]))[0]
    QTest.mouseClick(scene.view, LEFT, keys, QPoint(*np.rint(seen).astype(int).tolist()))


def test_edges_are_clicked_and_held(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view, session = window.cases, window.session
    click_edge(window, "left edge")
    assert view.pick_bar.picked == ("left edge",)
    assert view.pick_bar.isVisible()
    assert "picked edges" in scene_of(window)._extras
    click_edge(window, "upper edge", CTRL)
    assert view.pick_bar.picked == ("left edge", "upper edge")
    click_edge(window, "left edge", CTRL)
    assert view.pick_bar.picked == ("upper edge",)
    click_edge(window, "right edge", CTRL)
    press(qtbot, view.pick_bar, "support")
    assert session.project.supports[-1] == Support("upper edge", "pinned", also=("right edge",))
    session.select(case=session.project.cases[0].name)
    press(qtbot, view.pick_bar, "force per length")
    made = session.project.cases[0].loads[-1]
    assert made == EdgeForce("upper edge", (0.0, 0.0, 0.0), also=("right edge",))
    press(qtbot, view.pick_bar, "force")
    assert session.project.cases[0].loads[-1] == Force("upper edge", also=("right edge",))
    press(qtbot, view.pick_bar, "the loop")
    assert set(view.pick_bar.picked) == {"left edge", "right edge", "upper edge", "lower edge"}
    press(qtbot, view.pick_bar, "×")
    assert not view.pick_bar.isVisible()
    assert "picked edges" not in scene_of(window)._extras


def test_a_region_is_clicked_and_pressed_on(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    view, session = window.cases, window.session
    scene = scene_of(window)
    QTest.mouseClick(scene.view, LEFT, pos=scene.place_of(41))
    assert view.pick_bar.picked == ("pad",)
    assert not view.pick_bar.acts["force per length"].isVisible()
    # Where no case is chosen a new one is made for it.
    while session.project.cases:
        view.list.remove()
        name = session.project.cases[0].name if session.project.cases else ""
        session.select(case=name)
    press(qtbot, view.pick_bar, "pressure")
    assert [c.loads for c in session.project.cases] == [(Pressure(0.0, "pad"),)]
    assert session.selection.case == session.project.cases[0].name
    assert not window.faults.faults


def test_what_is_picked_does_not_outlive_its_part(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    click_edge(window, "left edge")
    window.new_project()
    window.session.select(station="Cases")
    settle()
    assert not window.faults.faults


def test_a_click_takes_all_that_goes_on_without_a_kink(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    window.session.select(station="Part", region="")
    window.part.open_form("regions")
    press(qtbot, window.part.regions, "smooth")
    window.part.regions.pick(3)
    part = window.session.project.part
    assert part is not None
    scene = window.part.pane.scene
    assert scene is not None
    assert scene.mesh is not None
    # A shallow dish has no kink: all of it.
    assert len(part.regions[-1].elements) == scene.mesh.count
    window.part.regions.pick(3)
    assert window.session.project.part is not None
