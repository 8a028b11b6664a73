"""Views draw on one canvas, each at its own size, and the mouse moves the camera of its own."""

from collections.abc import Callable, Iterator

import numpy as np
import pytest
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QWheelEvent

from tartan.core.shell.mesh import Mesh
from tartan.desktop.scene.canvas import canvas
from tartan.desktop.scene.frameview import NOTCH
from tartan.desktop.scene.scene import PartScene
from tartan.desktop.window import MainWindow
from tartan.pages.stations import STATIONS
from tests.desktop.settle import settle

SIZES = ((420, 300), (301, 333))


def plate(count: int, rise: float) -> Mesh:
    """A quarter of a square plate, `count` elements a side, bent up by `rise` [m]."""
    x, y = (a.ravel() for a in np.meshgrid(*2 * [np.linspace(0.0, 1.0, count + 1)]))
    at = np.arange((count + 1) ** 2).reshape(count + 1, count + 1)
    quads = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], -1).reshape(-1, 4)
    return Mesh(np.column_stack([x, y, rise * x * y]), quads)


@pytest.fixture
def scenes(qtbot) -> Iterator[list[PartScene]]:  # type: ignore[no-untyped-def]
    made = []
    for size, mesh in zip(SIZES, (plate(5, 0.4), plate(7, 0.0)), strict=True):
        scene = PartScene()
        scene.resize(*size)
        scene.show()
        qtbot.waitExposed(scene)
        scene.put_mesh(mesh)
        made.append(scene)
    settle()
    yield made
    for scene in made:
        scene.close_view()
        scene.close()


def pixels(frame: QImage) -> NDArray[np.uint32]:
    """Colours of a frame, row by row."""
    bits = frame.constBits()
    assert bits is not None
    bits.setsize(frame.sizeInBytes())
    return np.frombuffer(bits, np.uint32).reshape(frame.height(), frame.width()).copy()


def test_each_view_draws_its_own_part_at_its_own_size(scenes: list[PartScene]) -> None:
    first, second = scenes
    alone = [scene.view.frame() for scene in scenes]
    for scene, size in zip(scenes, SIZES, strict=True):
        assert (scene.view.frame().width(), scene.view.frame().height()) == size
    for _ in range(2):
        for scene, frame in zip(scenes, alone, strict=True):
            scene.view.draw()
            assert scene.view.frame() == frame
    # What one shows is none of the other's.
    first.paint(np.full((25, 3), (200, 30, 20), np.uint8))
    second.view.draw()
    assert second.view.frame() == alone[1]
    first.view.draw()
    assert first.view.frame() != alone[0]


def test_places_are_those_of_the_view_that_is_asked(scenes: list[PartScene]) -> None:
    """The canvas is as large as the view that drew last; the other is asked between."""
    for asked, other in (scenes, scenes[::-1]):
        for element in (0, 3, asked.mesh.count // 2, asked.mesh.count - 1):  # type: ignore[union-attr]
            other.view.draw()
            place = asked.place_of(element)
            other.view.draw()
            assert asked.element_at(place) == element
            seen = asked.on_screen(asked.points_of(element).mean(axis=0)[None])[0]
            assert (place.x(), place.y()) == pytest.approx(seen, abs=1.0)


def test_a_drag_turns_the_part_about_its_middle(qtbot, scenes: list[PartScene]) -> None:  # type: ignore[no-untyped-def]
    first, second = scenes
    before, stood = first.viewpoint, second.viewpoint
    view, middle = first.view, QPoint(200, 150)
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=middle)
    qtbot.mouseMove(view, middle + QPoint(60, 25))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=middle + QPoint(60, 25))
    after = first.viewpoint
    assert after.focus == pytest.approx(before.focus, abs=1e-12)
    assert after.scale == before.scale
    distance = np.linalg.norm(np.subtract(before.position, before.focus))
    assert np.linalg.norm(np.subtract(after.position, after.focus)) == pytest.approx(distance)
    assert np.linalg.norm(np.subtract(after.position, before.position)) > 0.2 * distance
    assert second.viewpoint == stood


def test_the_middle_button_takes_the_part_along(qtbot, scenes: list[PartScene]) -> None:  # type: ignore[no-untyped-def]
    """To a pixel; without the view's own size it would run ahead of the pointer or behind."""
    for scene, other in (scenes, scenes[::-1]):
        other.view.draw()
        before = scene.place_of(2)
        view, middle, way = scene.view, QPoint(140, 150), QPoint(37, -21)
        qtbot.mousePress(view, Qt.MouseButton.MiddleButton, pos=middle)
        other.view.draw()
        qtbot.mouseMove(view, middle + way)
        qtbot.mouseRelease(view, Qt.MouseButton.MiddleButton, pos=middle + way)
        assert (scene.place_of(2) - before - way).manhattanLength() <= 2


def test_a_wheel_brings_the_part_nearer_and_back(scenes: list[PartScene]) -> None:
    first, second = scenes
    before, stood = first.viewpoint.scale, second.viewpoint
    told: list[str] = []
    first.view.camera_moved.connect(lambda: told.append("moved"))
    # Half a notch is none yet, as from a touchpad.
    for turn, times in ((NOTCH // 2, 0), (NOTCH // 2, 1), (-NOTCH, 2)):
        place = QPointF(200.0, 150.0)
        first.view.wheelEvent(
            QWheelEvent(
                place,
                place,
                QPoint(),
                QPoint(0, turn),
                Qt.MouseButton.NoButton,
                Qt.KeyboardModifier.NoModifier,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            )
        )
        assert len(told) == times
        if times == 1:
            assert first.viewpoint.scale < 0.95 * before
    assert first.viewpoint.scale == pytest.approx(before, rel=1e-9)
    assert second.viewpoint == stood


def test_axes_stand_in_the_corner_once_whatever_is_worn(scenes: list[PartScene]) -> None:
    first, second = scenes
    first.put_nothing()
    first.view.draw()
    seen = pixels(first.view.frame())
    high, wide = seen.shape
    corner = np.zeros(seen.shape, bool)
    corner[int(0.78 * high) :, : int(0.15 * wide)] = True
    assert len(np.unique(seen[corner])) > 10
    assert len(np.unique(seen[~corner])) == 1
    for scene in scenes:
        scene.wear()
        scene.view.draw()
    assert np.array_equal(pixels(first.view.frame()), seen)
    # A renderer for the part and one for the corner each, and none that was left.
    assert len(list(canvas().window.GetRenderers())) % 2 == 0
    before = len(list(canvas().window.GetRenderers()))
    second.wear()
    assert len(list(canvas().window.GetRenderers())) == before


def test_a_view_that_is_closed_draws_no_more_and_takes_nothing_along(
    qtbot,  # type: ignore[no-untyped-def]
    scenes: list[PartScene],
) -> None:
    first, second = scenes
    stands = second.view.frame()
    before = len(list(canvas().window.GetRenderers()))
    first.close_view()
    assert len(list(canvas().window.GetRenderers())) == before - 2
    # Qt may still have an event for it on its way.
    first.view.repaint()
    first.view.resize(200, 100)
    qtbot.mousePress(first.view, Qt.MouseButton.LeftButton, pos=QPoint(20, 20))
    qtbot.mouseMove(first.view, QPoint(60, 40))
    qtbot.mouseRelease(first.view, Qt.MouseButton.LeftButton, pos=QPoint(60, 40))
    first.close_view()
    second.view.draw()
    assert second.view.frame() == stands


def test_a_closed_window_gives_all_its_views_up(open_window: Callable[..., MainWindow]) -> None:
    before = len(list(canvas().window.GetRenderers()))
    window = open_window()
    for station in STATIONS:
        window.session.select(station=station)
        settle()
    drawn = len(list(canvas().window.GetRenderers()))
    # Part, Cases, Margins, and both versions that stand side by side.
    assert drawn == before + 2 * 5
    window.session.history.mark_saved()
    window.close()
    assert len(list(canvas().window.GetRenderers())) == before
