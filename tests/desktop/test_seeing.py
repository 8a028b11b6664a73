"""Looking at the part: sides, hiding, cuts, measuring, ranges of colour, films, the spot."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit

from tartan.core.shell.shapes import Tube
from tartan.desktop import theme
from tartan.desktop.preferences import preferences
from tartan.desktop.scene.marks import rgb
from tartan.desktop.scene.measuring import circle
from tartan.desktop.scene.scene import PartScene
from tartan.desktop.window import MainWindow
from tartan.exchange.maps.fields import values
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Near, Part, Region
from tartan.project.document.samples import dish_panel
from tartan.project.edits import part_edits
from tartan.project.wording import units
from tests.desktop.conftest import coarse_sample, named
from tests.desktop.settle import settle
from tests.desktop.test_window import type_into

pytestmark = pytest.mark.gl

LEFT = Qt.MouseButton.LeftButton
OpenWindow = Callable[..., MainWindow]


@pytest.fixture
def window(qtbot, open_window: OpenWindow) -> MainWindow:  # type: ignore[no-untyped-def]
    project = coarse_sample()
    for name, edge in (("strip", "left edge"), ("rest", "right edge")):
        near = (Near(0.2 if name == "strip" else 5.0, edge),)
        project = part_edits.put_region(project, Region(name, near=near))
    window = open_window(project)
    window.session.select(station="Margins")
    qtbot.waitUntil(
        lambda: window.margins.scene is not None and window.margins.scene.mesh is not None
    )
    return window


def scene_of(window: MainWindow) -> PartScene:
    scene = window.margins.scene
    assert scene is not None
    return scene


def test_what_is_hidden_is_neither_painted_nor_picked(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    scene, tools = scene_of(window), window.margins.stage.tools
    tools.look("from +z")
    scene.view.draw()
    places = tools.places()
    name = min(places, key=lambda n: len(places[n]))
    element = int(places[name][0])
    at = scene.place_of(element)
    assert scene.element_at(at) == element
    tools.hide_place(name)
    assert set(np.flatnonzero(~scene.in_sight)) == set(places[name])
    scene.view.draw()
    assert scene.element_at(at) != element
    # What is left keeps its own number and colour under the pointer.
    other = int(np.flatnonzero(scene.in_sight)[0])
    assert scene.element_at(scene.place_of(other)) == other
    assert scene._shown.n_cells == scene.in_sight.sum()
    assert (scene._shown.cell_data["rgb"] == scene._surface.cell_data["rgb"][scene._ids]).all()
    tools.show_all()
    scene.view.draw()
    assert scene.element_at(at) == element


def test_hiding_everything_is_refused(window: MainWindow) -> None:
    scene, tools = scene_of(window), window.margins.stage.tools
    for name in tools.places():
        tools.hide_place(name)
    assert scene.in_sight.any()


def test_a_cut_takes_away_one_side_and_gives_it_back(window: MainWindow) -> None:
    scene, tools = scene_of(window), window.margins.stage.tools
    tools.look("from +z")
    tools.bar.begin(0)
    tools.bar.slider.setValue(100)
    x = scene.mesh.centres()[:, 0]  # type: ignore[union-attr]
    middle = (scene.mesh.nodes[:, 0].min() + scene.mesh.nodes[:, 0].max()) / 2  # type: ignore[union-attr]
    assert (scene.in_sight == (x <= middle)).all()
    scene.view.draw()
    gone = int(np.argmax(x))
    assert scene.element_at(scene.place_of(gone)) is None
    tools.bar.other.click()
    scene.view.draw()
    assert scene.element_at(scene.place_of(gone)) == gone
    tools.bar.end()
    assert scene.in_sight.all()


def test_clicks_measure_the_undeformed_part(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    scene, stage = scene_of(window), window.margins.stage
    stage.tools.look("from +z")
    qtbot.mouseClick(stage.tools.measure, LEFT)
    scene.view.draw()
    nodes = []
    for element in (3, scene.mesh.count // 2, scene.mesh.count - 4):  # type: ignore[union-attr]
        corner = scene._to_view(
            scene.points_of(element)[0] * 0.999 + 0.001 * scene.points_of(element).mean(axis=0)
        )
        before = window.session.selection.element
        QTest.mouseClick(scene.view, LEFT, pos=corner)
        nodes.append(scene.measure.nodes[-1])
        assert window.session.selection.element == before
        if len(nodes) == 2:
            a, b = scene.mesh.nodes[nodes]  # type: ignore[union-attr]
            size = units.show(float(np.linalg.norm(b - a)), units.LENGTH)
            assert stage.note.text().startswith(f"distance {size}")
    assert "radius" in stage.note.text()
    radius, _ = circle(*scene.mesh.nodes[nodes])  # type: ignore[union-attr]
    assert units.show(radius, units.LENGTH) in stage.note.text()
    qtbot.keyClick(stage, Qt.Key.Key_Escape)
    assert not stage.tools.measure.isChecked()
    assert scene.mode == "look"


def test_three_points_of_a_circle_give_its_radius() -> None:
    rng = np.random.default_rng(4)
    for _ in range(200):
        size = 10.0 ** rng.uniform(-3, 3)
        axes, _ = np.linalg.qr(rng.normal(size=(3, 3)))
        angles = np.sort(rng.uniform(0, 2 * np.pi, 3))
        if np.diff(angles).min() < 0.05:
            continue
        points = size * (np.cos(angles)[:, None] * axes[0] + np.sin(angles)[:, None] * axes[1])
        radius, angle = circle(*(points + rng.normal(size=3)))
        assert radius == pytest.approx(size, rel=1e-6)
        # The angle at the second point stands over the arc between the other two.
        arc = np.degrees(angles[2] - angles[0])
        assert angle == pytest.approx((360 - arc) / 2, abs=1e-4)
    assert circle(np.zeros(3), np.ones(3), 2 * np.ones(3))[0] == np.inf


def test_a_view_is_kept_by_name_and_what_is_damaged_is_not_read(window: MainWindow) -> None:
    scene, tools = scene_of(window), window.margins.stage.tools
    tools.look("from −y")
    tools.keep("rim")
    stood = scene.viewpoint
    tools.look("from +z")
    tools.look_as_kept("rim")
    assert scene.viewpoint == stood
    for damaged in ("{", "[1]", '{"a": 1}', '{"a": {"position": [1, 2, 1e999]}}', "[" * 5000):
        preferences().setValue(tools._key, damaged)
        assert tools.kept() == {}
    tools.keep("rim")
    tools.forget_view("rim")
    assert tools.kept() == {}


def test_the_legend_takes_a_range_and_refuses_what_is_none(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    stage = window.margins.stage
    window.margins.choosers.show_field("displacement")
    qtbot.mouseClick(stage.legend, LEFT)
    form = stage.range_form
    type_into(qtbot, named(form, QLineEdit, "upper end"), "2 mm")
    assert stage.shown is not None
    assert stage.shown.map.ticks[-1] == (1.0, "2")
    assert "beyond" in stage.note.text()
    type_into(qtbot, named(form, QLineEdit, "lower end"), "3")
    assert "not below" in form.fault.text()
    assert form.limits.low is None
    qtbot.mouseClick(form.log, LEFT)
    view, answer = stage.shown.view, window.session.answer
    assert view is not None
    assert answer is not None
    # Without a lower end of its own the range begins at the least size of the data.
    assert stage.shown.map.ticks[0][1] == units.number(1e3 * values(answer, view).min(), 3)
    assert "logarithmic" in stage.note.text()
    form.close()


def test_large_gives_the_map_the_window_and_gives_it_back(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    before = scene_of(window).view.width()
    qtbot.keyClick(window, Qt.Key.Key_F11)
    qtbot.waitUntil(lambda: scene_of(window).view.width() > 1.5 * before)
    assert not window.margins.spot.isVisible()
    assert not window.route.isVisible()
    window.session.select(station="Stacks")
    assert window.route.isVisible()
    window.session.select(station="Margins")
    scene_of(window).view.setFocus()
    qtbot.keyClick(scene_of(window).view, Qt.Key.Key_Escape)
    qtbot.waitUntil(lambda: window.margins.spot.isVisible() and window.route.isVisible())


def test_a_film_is_one_swing_and_can_be_given_up(
    qtbot, window: MainWindow, tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    from PIL import Image

    pictures = window.margins.stage.tools.pictures
    for name in ("swing.gif", "swing.png"):
        pictures.film(tmp_path / name)
        qtbot.waitUntil(lambda: not pictures.filming)
        with Image.open(tmp_path / name) as film:
            assert film.n_frames > 20  # type: ignore[attr-defined]
            film.seek(0)
            first = np.asarray(film.convert("RGB"), int)
            film.seek(film.n_frames // 4)  # type: ignore[attr-defined]
            assert np.abs(np.asarray(film.convert("RGB"), int) - first).sum() > 0
    pictures.film(tmp_path / "not.gif")
    pictures.cancel()
    assert not (tmp_path / "not.gif").exists()
    pictures.film(tmp_path / "nowhere" / "not.gif")
    qtbot.waitUntil(lambda: not pictures.filming)
    assert "cannot be written" in window.margins.stage.note.text()


def test_a_picture_holds_the_part_and_its_legend(window: MainWindow) -> None:
    window.margins.stage.tools.pictures.copy()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    image = clipboard.image()
    at = scene_of(window).view.mapTo(window.margins.stage.pictured, QPoint())
    ground = image.pixelColor(2, image.height() - 2)
    view = [
        image.pixelColor(at.x() + x, at.y() + y)
        for x in range(9, 500, 7)
        for y in range(9, 250, 7)
    ]
    legend = [image.pixelColor(x, y) for x in range(20) for y in range(60, 200, 3)]
    assert sum(c != ground for c in view) > 200
    assert any(c != ground for c in legend)


def tube_seen_across(qtbot, open_window: OpenWindow) -> PartScene:  # type: ignore[no-untyped-def]
    """A tube whose near wall covers the far one."""
    window = open_window(Project("tube", part=Part(Tube(0.1, 0.5), 0.02)), wait=False)
    window.session.select(station="Part")
    qtbot.waitUntil(
        lambda: window.part.pane.scene is not None and window.part.pane.scene.mesh is not None
    )
    scene = window.part.pane.scene
    assert scene is not None
    assert scene.mesh is not None
    scene.frame_part((0.0, -1.0, 0.0))
    return scene


def test_the_spot_is_turned_to_and_what_covers_it_is_hidden(
    qtbot, open_window: OpenWindow
) -> None:  # type: ignore[no-untyped-def]
    """A spot at the far wall of a tube: the near wall covers it, its own side does not."""
    scene = tube_seen_across(qtbot, open_window)
    assert scene.mesh is not None
    centres = scene.mesh.centres()
    far = int(np.argmax(centres[:, 1] - 0.1 * np.abs(centres[:, 2] - 0.25)))
    near = int(np.argmin(centres[:, 1]))
    stood = scene.viewpoint
    assert scene.turn_to(near) is None
    assert scene.viewpoint == stood
    covers = scene.turn_to(far)
    scene.view.draw()
    assert covers is None
    assert scene.element_at(scene.place_of(far)) == far
    assert dataclasses.astuple(scene.viewpoint) != dataclasses.astuple(stood)


def test_what_covers_a_spot_is_a_veil_that_no_click_meets(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    scene = tube_seen_across(qtbot, open_window)
    assert scene.mesh is not None
    y = scene.mesh.centres()[:, 1]
    near, far = y < 0, int(np.argmax(y - 0.1 * np.abs(scene.mesh.centres()[:, 2] - 0.25)))
    scene.view.draw()
    assert near[scene.element_at(scene.place_of(far))]
    whole = scene.view.frame()
    scene.hide_elements(near, veiled=near)
    scene.view.draw()
    assert scene.element_at(scene.place_of(far)) == far
    veiled = scene.view.frame()
    scene.hide_elements(near)
    scene.view.draw()
    bare = scene.view.frame()
    assert veiled != bare
    scene.hide_elements(None)
    scene.view.draw()
    assert scene.view.frame() == whole
    assert scene._veil is None


def test_words_in_the_margin_take_on_the_appearance(
    qtbot, window: MainWindow, qapp: QApplication
) -> None:  # type: ignore[no-untyped-def]
    scene = scene_of(window)
    qtbot.waitUntil(lambda: bool(scene.callouts._words))
    try:
        theme.use(qapp, dark=True)
        window.wear()
        qtbot.waitUntil(lambda: bool(scene.callouts._words))
        ink = scene.callouts._words[0].GetTextProperty().GetColor()
        assert ink == pytest.approx(rgb(theme.DARK.ink), abs=1e-6)
    finally:
        theme.use(qapp, dark=False)
        window.wear()


def test_letters_typed_into_the_view_change_nothing(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    """The library under the view has keys of its own: 3 drew the part in colours, w in wires."""
    scene = scene_of(window)
    scene.view.setFocus()
    stood, style, seen = scene.viewpoint, scene._actor.prop.style, scene.view.frame()
    for key in "wsprv3eqcfuijk+-":
        qtbot.keyClick(scene.view, key)
    settle()
    assert scene.viewpoint == stood
    assert scene._actor.prop.style == style
    scene.view.draw()
    assert scene.view.frame() == seen
    assert window.isVisible()


def test_what_was_measured_and_cut_outlives_another_mesh(qtbot, window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    """A corner of the mesh before was looked for in the new one, and the bar told of no cut."""
    scene, tools = scene_of(window), window.margins.stage.tools
    tools.look("from +z")
    scene.view.draw()
    tools.measure.setChecked(True)
    last = scene.mesh.count - 1  # type: ignore[union-attr]
    QTest.mouseClick(scene.view, LEFT, pos=scene.place_of(last))
    assert scene.measure.nodes
    tools.bar.begin(1)
    part = window.session.project.part
    assert part is not None
    coarser = dataclasses.replace(part, mesh_size=2 * part.mesh_size)
    window.session.edit("coarser", lambda p: part_edits.put_surface(p, coarser)[0])
    qtbot.waitUntil(lambda: window.session.fresh)
    assert scene.mesh.count - 1 < last  # type: ignore[union-attr]
    assert scene.measure.nodes == []
    assert tools.bar.isVisible()
    assert 0 < scene.in_sight.sum() < len(scene.in_sight)
    scene.view.draw()
    QTest.mouseClick(scene.view, LEFT, pos=scene.place_of(int(np.flatnonzero(scene.in_sight)[0])))
    assert len(scene.measure.nodes) == 1
    assert not window.faults.faults


def test_words_of_zones_stand_apart_and_within_the_view(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    sample = dish_panel()
    assert sample.part is not None
    coarse = dataclasses.replace(sample.part, mesh_size=0.1)
    window = open_window(part_edits.put_part(sample, coarse), wait=False)
    window.session.select(station="Part")
    qtbot.waitUntil(lambda: window.part.pane.scene is not None)
    scene = window.part.pane.scene
    assert scene is not None
    # The sizing takes half of the width, in which the words once ran into each other.
    for form in ("lay-up", "sizing"):
        window.part.open_form(form)
        settle()
        window.part.draw()
        words = scene._extras["zone words"]
        assert len(words) == 2
        at = scene.on_screen(np.array([w.GetPosition() for w in words]))
        across, down = np.abs(at[0] - at[1])
        assert across > 110 or down > 18
        assert (at[:, 0] + 110 < scene.view.width()).all()
