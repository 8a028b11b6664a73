"""The Part and Cases benches in the real window: picked, dragged, swept and placed in 3-D."""

import dataclasses
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit, QPushButton

from tartan.core.shell.mesh import Pad, Panel, grid_mesh
from tartan.core.stack import Ply
from tartan.desktop.cases.view import CasesView
from tartan.desktop.part.probe import ProbeCard
from tartan.desktop.scene.scene import PartScene
from tartan.desktop.window import MainWindow
from tartan.exchange.pressure_table import pressure_table
from tartan.exchange.tables import write_table
from tartan.project.analysis.partmesh import meshed
from tartan.project.document import samples
from tartan.project.document.model import Project
from tartan.project.document.packed_arrays import pack_mesh
from tartan.project.document.partmodel import (
    Direction,
    MappedPressure,
    Part,
    ReadSurface,
    Region,
    Rung,
)
from tartan.project.edits import case_edits, part_edits
from tests.core.test_shell_surfaces import write_bracket
from tests.desktop.conftest import coarse_sample, named
from tests.desktop.settle import settle
from tests.desktop.test_window import press, solved, type_into
from tests.project.test_part import plate

pytestmark = pytest.mark.gl
LEFT = Qt.MouseButton.LeftButton
CTRL = Qt.KeyboardModifier.ControlModifier


def padded() -> Project:
    """The plain panel with two pads, coarse."""
    project = coarse_sample()
    assert project.part is not None
    surface = Panel(1.6, 1.2, 9.0, 9.0, pads=(Pad("A", -0.4, 0.0, 0.3), Pad("B", 0.4, 0.0, 0.3)))
    part = dataclasses.replace(project.part, surface=surface, mesh_size=0.12)
    return part_edits.put_surface(project, part)[0]


@pytest.fixture
def part_window(qtbot, open_window: Callable[..., MainWindow]) -> MainWindow:  # type: ignore[no-untyped-def]
    window = open_window(padded())
    window.session.select(station="Part")
    qtbot.waitUntil(lambda: window.part.pane.scene is not None)
    scene_of(qtbot, window)
    return window


def scene_of(qtbot, window: MainWindow) -> PartScene:  # type: ignore[no-untyped-def]
    """The view, once it stands in its size."""
    scene = window.part.pane.scene
    assert scene is not None
    qtbot.waitUntil(lambda: scene.view.width() > 300)
    settle()
    return scene


def element_of(window: MainWindow, face: str) -> int:
    """Element in the middle of a face."""
    part = window.session.project.part
    assert part is not None
    whole = meshed(part)
    inside = whole.regions[face]
    at = whole.mesh.centres()[inside]
    return int(inside[np.linalg.norm(at - at.mean(axis=0), axis=1).argmin()])


def click(qtbot, scene: PartScene, element: int) -> None:  # type: ignore[no-untyped-def]
    qtbot.mouseClick(scene.view, LEFT, pos=scene.place_of(element))


def drag(view, start: QPoint, end: QPoint) -> None:  # type: ignore[no-untyped-def]
    QTest.mousePress(view, LEFT, pos=start)
    for share in (0.3, 0.6, 1.0):
        QTest.mouseMove(view, start + (end - start) * share)
        QApplication.processEvents()
    QTest.mouseRelease(view, LEFT, pos=end)


def test_faces_picked_become_a_region_that_is_named(qtbot, part_window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    window, session = part_window, part_window.session
    press(qtbot, window.part, "regions")
    scene = scene_of(qtbot, window)
    for face in ("A", "B"):
        click(qtbot, scene, element_of(window, face))
    assert session.project.part is not None
    assert session.project.part.regions == (Region("region 1", faces=("A", "B")),)
    type_into(qtbot, named(window.part, QLineEdit, "Region name"), "mounts")
    assert session.project.part.regions[0].name == "mounts"
    press(qtbot, window.part, "grow")
    assert session.project.part.regions[0].grow == 1
    type_into(qtbot, named(window.part, QLineEdit, "Region name"), "A")
    assert "already" in window.part.fault.text()
    qtbot.keyClick(named(window.part, QLineEdit, "Region name"), Qt.Key.Key_Escape)
    click(qtbot, scene, element_of(window, "B"))
    assert session.project.part.regions[0].faces == ("A",)
    for _ in range(5):
        session.undo()
    assert session.project.part.regions == ()


def test_elements_are_swept_by_brush_and_box(qtbot, part_window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    window, session = part_window, part_window.session
    press(qtbot, window.part, "regions")
    press(qtbot, window.part, "brush")
    scene = scene_of(qtbot, window)
    one, other = (scene.place_of(element_of(window, f)) for f in ("A", "B"))
    camera = scene.view.camera.position
    drag(scene.view, one, other)
    assert session.project.part is not None
    swept = set(session.project.part.regions[0].elements)
    assert {element_of(window, "A"), element_of(window, "B")} <= swept
    assert scene.view.camera.position == camera
    press(qtbot, window.part, "box")
    drag(scene.view, QPoint(2, 2), QPoint(scene.view.width() - 2, scene.view.height() - 2))
    assert len(session.project.part.regions[0].elements) == meshed(session.project.part).mesh.count
    QTest.mousePress(scene.view, LEFT, CTRL, pos=one - QPoint(15, 15))
    QTest.mouseMove(scene.view, one + QPoint(15, 15))
    QTest.mouseRelease(scene.view, LEFT, CTRL, pos=one + QPoint(15, 15))
    assert element_of(window, "A") not in session.project.part.regions[0].elements


def test_direction_and_side_are_set_on_the_part(qtbot, part_window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    window, session = part_window, part_window.session
    press(qtbot, window.part, "0°, side")
    form = window.part.directions
    form.region.setCurrentText("A")
    form.region.textActivated.emit("A")
    form.way.textActivated.emit("along an edge")
    assert session.project.part is not None
    own = next(d for d in session.project.part.directions if d.region == "A")
    assert (own.way, own.edge) == ("edge", "left edge")
    press(qtbot, window.part, "follow the whole part")
    assert session.project.part.directions == (Direction(),)
    press(qtbot, window.part, "turn by a click")
    scene = scene_of(qtbot, window)
    element = element_of(window, "B")
    before = meshed(session.project.part).mesh.normals()[element]
    click(qtbot, scene, element)
    assert session.project.part.flipped == ("B",)
    np.testing.assert_allclose(meshed(session.project.part).mesh.normals()[element], -before)
    session.undo()
    assert session.project.part.flipped == ()


def test_plies_are_laid_dragged_and_undone(qtbot, part_window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    window, session = part_window, part_window.session
    ladder, before = window.part.lay_up.ladder, session.project
    ladder.setFocus()
    qtbot.mouseClick(ladder, LEFT, pos=ladder.rect_of(0).center().toPoint())
    assert session.selection.rungs == (0,)
    qtbot.keyClick(ladder, Qt.Key.Key_Return)
    assert session.project.part is not None
    assert session.project.part.lay_up[1].ply is not None
    type_into(qtbot, named(window.part, QLineEdit, "angle of the rung"), "30")
    window.part.lay_up.region.textActivated.emit("A")
    assert session.project.part.lay_up[1] == Rung("A", ply=Ply("woven carbon", 30.0, 0.12e-3))
    solved(qtbot, window)
    assert session.answer is not None
    assert len(session.answer.layout().zones.laminates) == 2
    foot = ladder.rect_of(0).bottomLeft().toPoint() + QPoint(40, 2)
    drag(ladder, ladder.rect_of(1).center().toPoint(), foot)
    assert [r.region for r in session.project.part.lay_up] == ["A", ""]
    assert session.selection.rungs == (0,)
    # Esc in the middle of a drag leaves all as it was.
    QTest.mousePress(ladder, LEFT, pos=ladder.rect_of(0).center().toPoint())
    QTest.mouseMove(ladder, ladder.rect_of(1).topLeft().toPoint())
    qtbot.keyClick(ladder, Qt.Key.Key_Escape)
    QTest.mouseRelease(ladder, LEFT, pos=ladder.rect_of(1).topLeft().toPoint())
    assert [r.region for r in session.project.part.lay_up] == ["A", ""]
    session.select(rungs=(0,))
    for key, count in ((Qt.Key.Key_D, 3), (Qt.Key.Key_M, 4)):
        qtbot.keyClick(ladder, key, CTRL)
        assert len(session.project.part.lay_up) == count
    qtbot.keyClick(ladder, Qt.Key.Key_C, CTRL)
    qtbot.keyClick(ladder, Qt.Key.Key_V, CTRL)
    assert len(session.project.part.lay_up) == 5
    qtbot.keyClick(ladder, Qt.Key.Key_Space)
    assert sum(not r.active for r in session.project.part.lay_up) == 1
    qtbot.keyClick(ladder, Qt.Key.Key_Delete)
    assert len(session.project.part.lay_up) == 4
    for _ in range(20):
        session.undo()
    assert session.project == before


def test_playback_and_probe_read_the_lay_up(qtbot, part_window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    window, session = part_window, part_window.session
    scene = scene_of(qtbot, window)
    solved(qtbot, window)
    element = element_of(window, "A")
    place = scene.place_of(element)
    QTest.mouseMove(scene.view, place - QPoint(40, 0))
    QTest.mouseMove(scene.view, place)
    qtbot.waitUntil(lambda: window.part.probe.element == element)
    assert dict(window.part.probe.facts)["plies"] == "7"
    assert len(window.part.probe.rows) == 7
    assert "A" in window.part.probe.place
    click(qtbot, scene, element)
    click(qtbot, scene, element_of(window, "B"))
    pinned = [p for p in window.part.findChildren(ProbeCard) if p.isVisible() and p.element]
    assert {p.element for p in pinned} >= {element, element_of(window, "B")}
    press(qtbot, window.part, "▶ play")
    qtbot.waitUntil(lambda: (window.part.lay_up.playback.step or 0) >= 2, timeout=8000)
    assert "of 7" in window.part.pane.note.text()
    shown = np.asarray(scene._surface.cell_data["rgb"]).copy()
    press(qtbot, window.part, "■ stop")
    assert window.part.lay_up.playback.step is None
    assert (np.asarray(scene._surface.cell_data["rgb"]) != shown).any()
    assert session.project == padded()


def test_a_knob_shapes_the_surface(qtbot, part_window: MainWindow) -> None:  # type: ignore[no-untyped-def]
    window, session = part_window, part_window.session
    press(qtbot, window.part, "surface")
    scene = scene_of(qtbot, window)
    handle = next(h for h in scene.handles.all if h.name == "length")
    ends = scene.on_screen(np.array([handle.at, np.array(handle.at) + 0.1 * np.array(handle.way)]))
    start, end = (QPoint(*np.round(p).astype(int).tolist()) for p in ends)
    drag(scene.view, start, end)
    assert session.project.part is not None
    assert session.project.part.surface.length == pytest.approx(1.8, abs=0.03)  # type: ignore[union-attr]
    session.undo()
    assert session.project == padded()


def test_a_step_file_is_read_and_its_loose_ends_are_said(
    qtbot, part_window: MainWindow, tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    window, session = part_window, part_window.session
    file = tmp_path / "bracket.step"
    write_bracket(file)
    press(qtbot, window.part, "surface")
    window.part.surface.file.read(file)
    qtbot.waitUntil(lambda: not window.part.surface.file.background.busy, timeout=120_000)
    part = session.project.part
    assert part is not None
    assert isinstance(part.surface, ReadSurface)
    assert len(meshed(part).mesh.regions) == 9
    assert "no longer has" in window.part.fault.text()
    assert "support on left edge" in window.part.fault.text()
    words = " ".join(x.words for x in window.part.ready.lines)
    assert "no 0°" in words
    assert "no supports" in words
    press(qtbot, window.part, "give them the flattest axis")
    assert "no 0°" not in " ".join(x.words for x in window.part.ready.lines)
    before = meshed(part).mesh.count
    type_into(qtbot, named(window.part, QLineEdit, "mesh size"), "2.5")
    qtbot.waitUntil(lambda: not window.part.surface.file.background.busy, timeout=120_000)
    assert meshed(session.project.part).mesh.count > before  # type: ignore[arg-type]
    file.write_text("nonsense")
    window.part.surface.file.read(file)
    qtbot.waitUntil(lambda: not window.part.surface.file.background.busy, timeout=120_000)
    assert "not a STEP file" in window.part.fault.text()


def test_a_mechanism_swings_where_it_is_shown(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    project = padded()
    project = case_edits.put_supports(project, project.supports[4:])
    window = open_window(project)
    assert window.session.verdict.state == "blocked"
    window.session.select(station="Part")
    scene = scene_of(qtbot, window)
    line = window.part.ready.lines[0]
    assert "The part can move along z" in line.words
    # A mesh that changes while it swings ends the swing.
    line.show()
    finer = dataclasses.replace(window.session.project.part, mesh_size=0.15)  # type: ignore[type-var]
    window.session.edit("mesh", lambda p: part_edits.put_surface(p, finer)[0])  # type: ignore[arg-type]
    qtbot.waitUntil(lambda: not window.part._swing.isActive(), timeout=2000)
    window.session.undo()
    line = window.part.ready.lines[0]
    line.show()
    rest = scene.mesh.nodes  # type: ignore[union-attr]
    qtbot.waitUntil(lambda: np.abs(np.asarray(scene._surface.points) - rest).max() > 1e-3)
    qtbot.waitUntil(lambda: not window.part._swing.isActive(), timeout=8000)
    np.testing.assert_allclose(scene._surface.points, rest, rtol=1e-5, atol=1e-6)


def type_factor(qtbot, view: CasesView, case: int, text: str) -> None:  # type: ignore[no-untyped-def]
    """Type a factor in the row of the matrix where the cursor stands."""
    grid = view.matrix.view
    qtbot.waitUntil(lambda: grid.currentIndex().row() == 0)
    grid.setFocus()
    grid.setCurrentIndex(view.matrix.model.index(0, case))
    qtbot.keyClicks(grid, text)
    editor = grid.findChild(QLineEdit)
    qtbot.keyClick(editor, Qt.Key.Key_Return)


def test_loads_are_placed_combined_and_undone(
    qtbot, part_window: MainWindow, tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    window, session = part_window, part_window.session
    before = session.project
    session.select(station="Cases", case="own weight")
    settle()
    view = window.cases
    view.new_load.textActivated.emit("force or moment")
    assert session.project.cases[1].loads[-1].place == "left edge"  # type: ignore[union-attr]
    settle()
    place = named(view, type(view.new_load), "place of load 2")
    place.textActivated.emit("B")  # type: ignore[attr-defined]
    settle()
    type_into(qtbot, named(view, QLineEdit, "force of load 2 z"), "-250")
    assert "−" in view.resultant.text()
    table = samples.dish_panel().tables[0]
    write_table(pressure_table(table), tmp_path / "gale.csv")
    view.read_table(tmp_path / "gale.csv")
    view.new_load.textActivated.emit("pressure table")
    load = session.project.cases[1].loads[-1]
    assert load == MappedPressure("gale")
    press(qtbot, view, "+ combination")
    both = session.project.combinations[0]
    assert session.selection.case == both.name
    settle()
    assert both.factors == ()
    type_into(qtbot, named(view, QLineEdit, "factor of own weight"), "1.5")
    type_factor(qtbot, view, 0, "1")
    both = {session.project.cases[0].name: 1.0, "own weight": 1.5}
    # The table's editor hands its text on when the key is done.
    qtbot.waitUntil(lambda: dict(session.project.combinations[0].factors) == both)
    view.new_asked.textActivated.emit("frequency")
    solved(qtbot, window)
    assert session.answer is not None
    assert session.answer.modes is not None
    u = session.answer.solution.displacement
    np.testing.assert_allclose(u[2], u[0] + 1.5 * u[1], atol=1e-12)
    (tmp_path / "bad.csv").write_text("x [mm],y [mm],z [mm]\n1,2,3\n")
    view.read_table(tmp_path / "bad.csv")
    assert "column p" in view.fault.text()
    for _ in range(20):
        session.undo()
    assert session.project == before


def test_forty_rungs_and_twelve_regions_and_nothing_at_all(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    project = padded()
    assert project.part is not None
    rungs = tuple(Rung(ply=Ply("UD carbon", 9.0 * i, 0.1e-3)) for i in range(40))
    regions = tuple(Region(f"r{i}", faces=("A",), grow=i % 3) for i in range(12))
    many = part_edits.put_part(
        project, dataclasses.replace(project.part, lay_up=rungs, regions=regions)
    )
    window = open_window(many, wait=False)
    window.session.select(station="Part", rungs=(39,))
    ladder = window.part.lay_up.ladder
    assert ladder.minimumHeight() > 1000
    assert [r.numbers for r in ladder.rows][-1] == (40, 40)
    press(qtbot, window.part, "regions")
    empty = open_window(Project("nothing"), wait=False)
    empty.session.select(station="Part")
    assert not empty.part.isVisible()
    press(qtbot, empty.pages["Part"].blank, "a tube")
    assert empty.part.isVisible()
    assert empty.session.project.part is not None
    empty.session.select(station="Cases")
    assert "lay" in empty.session.verdict.sentence.lower()


def test_parts_that_do_not_touch_are_tied_by_a_click(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    one = grid_mesh(Panel(0.4, 0.2), 8, 4)
    beside = one.nodes * [0.5, 1, 1] + np.array([0.301, 0, 0])
    two = dataclasses.replace(
        one,
        nodes=np.concatenate([one.nodes, beside]),
        places=np.zeros((0, 2)),
        quads=np.concatenate([one.quads, one.quads + 45]),
        edges={"left edge": one.edges["left edge"]},
        regions={"both": np.arange(64)},
    )
    surface = ReadSurface("two.vtu", pack_mesh(two))
    window = open_window(plate(surface=surface, lay_up=(Rung(stack="feed strut"),)))
    assert window.session.verdict.state == "blocked"
    window.session.select(station="Part")
    assert "the gap is 1 mm" in window.part.ready.lines[0].words
    press(qtbot, window.part, "tie them")
    solved(qtbot, window)
    assert window.session.verdict.state == "holds"
    assert not window.part.ready.lines


def test_playing_where_nothing_is_laid_shows_nothing(
    qtbot, open_window: Callable[..., MainWindow]
) -> None:  # type: ignore[no-untyped-def]
    """A step back from before the first ply stood at ply −1 (found by random work)."""
    window = open_window(Project("bare", part=Part(Panel(0.4, 0.2), 0.05)), wait=False)
    window.session.select(station="Part")
    qtbot.waitUntil(lambda: window.part.pane.scene is not None)
    for name in ("One ply back", "One ply on", "▶ play", "One ply back"):
        buttons = [
            b
            for b in window.part.lay_up.findChildren(QPushButton)
            if name in (b.text(), b.toolTip())
        ]
        assert len(buttons) == 1, name
        qtbot.mouseClick(buttons[0], LEFT)
    assert window.part.lay_up.playback.step is None
    assert not window.faults.faults
