"""Figures of the Part and Cases benches: the 3-D view, a changed ply angle, a STEP file."""

import dataclasses
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import gmsh
import numpy as np
import pyvista as pv
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication
from tests.panels import dish_panel

from tartan.core.shell.mesh import Panel, grid_mesh
from tartan.core.shell.solve import Reuse, solve
from tartan.desktop.scene.frameview import FrameView
from tartan.desktop.scene.smoothing import samples
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.exchange.surfaces import ReadRequest, read_surface
from tartan.project.analysis.caseloads import case_forces
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.analysis.shellinputs import shell_model
from tartan.project.document.model import Project
from tartan.project.edits import part_edits, stack_edits

GAP = 0.150


def of_elements(count: int) -> Project:
    """The plain panel with about as many elements."""
    project = dish_panel()
    assert project.part is not None
    size = float(np.sqrt(1.92 / count))
    return part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=size))


class Ticks:
    """Notes when the event loop turns."""

    def __init__(self) -> None:
        self.at: list[float] = []
        self._timer = QTimer()
        self._timer.timeout.connect(lambda: self.at.append(time.perf_counter()))
        self._timer.start(1)

    def gap(self) -> float:
        self._timer.stop()
        return float(np.diff(self.at).max())


def send(view: FrameView, kind: QEvent.Type, at: QPoint, held: Qt.MouseButton) -> None:
    """A mouse event, as the system would send it."""
    moving = kind == QEvent.Type.MouseMove
    button = Qt.MouseButton.NoButton if moving else held
    buttons = held if kind != QEvent.Type.MouseButtonRelease else Qt.MouseButton.NoButton
    where = QPointF(at)
    place = QPointF(view.mapToGlobal(at))
    QApplication.sendEvent(
        view, QMouseEvent(kind, where, place, button, buttons, Qt.KeyboardModifier.NoModifier)
    )


def rotate(view: FrameView, frames: int = 12, pause: int = 0) -> float:
    """Median time of a frame while the part is turned by the mouse [s]."""
    left, start = Qt.MouseButton.LeftButton, QPoint(view.width() // 2, view.height() // 2)
    send(view, QEvent.Type.MouseButtonPress, start, left)
    spent = []
    for i in range(frames):
        begin = time.perf_counter()
        send(view, QEvent.Type.MouseMove, start + QPoint(4 * i + 4, i), left)
        QApplication.processEvents()
        spent.append(time.perf_counter() - begin)
        QTest.qWait(pause)
    send(view, QEvent.Type.MouseButtonRelease, start + QPoint(4 * frames, frames), left)
    QTest.qWait(200)
    return statistics.median(spent[2:])


def bare_frame(project: Project, width: int, height: int) -> float:
    """The same of a view of VTK's alone with nothing but the mesh [s]."""
    part = project.part
    assert part is not None
    assert isinstance(part.surface, Panel)
    nx, ny = (round(side / part.mesh_size) for side in (1.6, 1.2))
    mesh = grid_mesh(part.surface, nx, ny)
    view = FrameView(None, samples(mesh))
    view.resize(width, height)
    view.show()
    surface = pv.PolyData.from_regular_faces(mesh.nodes, mesh.quads)
    surface.cell_data["rgb"] = np.full((mesh.count, 3), 200, np.uint8)
    view.add_mesh(surface, scalars="rgb", rgb=True, show_edges=True, line_width=1)
    view.enable_parallel_projection()
    QTest.qWait(500)
    found = rotate(view)
    view.close()
    QApplication.processEvents()
    return found


def view_figures() -> tuple[float, float, int]:
    """Longest gap while pointing, turning and switching, a frame against bare VTK, elements."""
    project = of_elements(50_000)
    window = MainWindow(Session(project))
    window.show()
    window.session.select(station="Part", rungs=(0,))
    QTest.qWait(1500)
    scene = window.part.pane.scene
    assert scene is not None
    assert scene.mesh is not None
    view = scene.view
    frame = rotate(view)
    gaps = []
    for act in (lambda: rotate(view, 8, 8), lambda: point(view), lambda: switch(window)):
        ticks = Ticks()
        act()
        gaps.append(ticks.gap())
    count, size = scene.mesh.count, (view.width(), view.height())
    close(window)
    return max(gaps), frame / bare_frame(project, *size), count


def point(view: FrameView) -> None:
    """Move the pointer over the part."""
    for i in range(12):
        at = QPoint(view.width() // 3 + 20 * i, view.height() // 2)
        send(view, QEvent.Type.MouseMove, at, Qt.MouseButton.NoButton)
        QTest.qWait(50)


def switch(window: MainWindow) -> None:
    """Switch every overlay off and on."""
    for overlay in window.part.pane.overlays.values():
        for _ in range(2):
            overlay.click()
            QTest.qWait(300)


def close(window: MainWindow) -> None:
    """Shut a window without asking."""
    window.session.history.mark_saved()
    window.shut()
    window.close()
    QApplication.processEvents()


def until(done: Callable[[], bool]) -> None:
    """Let the window work."""
    while not done():
        QTest.qWait(2)


def angle_figures(runs: int = 5) -> tuple[float, float, int]:
    """A changed ply angle to the repainted map / the solver's own time; the longest gap."""
    project = of_elements(10_000)
    window = MainWindow(Session(project))
    window.show()
    session = window.session
    session.refresh_answer()
    until(lambda: not session.solving)
    session.select(station="Margins")
    QTest.qWait(800)
    spent, gaps = [], []
    for turn in range(1, runs + 1):
        ticks = Ticks()
        begin = time.perf_counter()
        session.edit(
            "turn",
            lambda p, t=turn: stack_edits.put_plies(  # type: ignore[misc]
                p,
                "reflector sandwich",
                [dataclasses.replace(q, angle=q.angle + 3.0 * t) for q in p.stacks[0].plies],
            ),
        )
        until(lambda: not session.solving)
        scene = window.margins.scene
        assert scene is not None
        until(lambda s=scene: not s._soon.isActive())  # type: ignore[misc]
        QApplication.processEvents()
        spent.append(time.perf_counter() - begin)
        gaps.append(ticks.gap())
    close(window)
    inputs = part_inputs(project)
    model, layout = shell_model(inputs), layout_of(inputs)
    forces = np.array([case_forces(layout, c) for c in inputs.cases])
    reuse = Reuse()
    solve(model, forces, reuse)
    own = []
    for _ in range(runs):
        begin = time.perf_counter()
        solve(model, forces, reuse)
        own.append(time.perf_counter() - begin)
    ratio = statistics.median(spent) / statistics.median(own)
    return ratio, statistics.median(gaps), model.mesh.count


def write_plate(path: Path, holes: int) -> None:
    """Block with holes, of 6 + holes faces."""
    gmsh.initialize(interruptible=False)
    gmsh.option.setNumber("General.Terminal", 0)
    gmsh.option.setString("Geometry.OCCTargetUnit", "MM")
    occ = gmsh.model.occ
    block = occ.addBox(0, 0, 0, 400, 200, 10)
    tools = [
        (3, occ.addCylinder(15 + 20 * (i % 19), 20 + 40 * (i // 19), -5, 0, 0, 20, 5))
        for i in range(holes)
    ]
    occ.cut([(3, block)], tools)
    occ.synchronize()
    gmsh.write(str(path))
    gmsh.finalize()


def step_figure(runs: int = 3) -> tuple[float, int]:
    """Reading and meshing a STEP file of 100 faces / gmsh alone at the same settings."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "plate.step"
        write_plate(path, 94)
        ours, alone, faces = [], [], 0
        for _ in range(runs):
            begin = time.perf_counter()
            read_surface(ReadRequest(path, size=0.006))
            ours.append(time.perf_counter() - begin)
            begin = time.perf_counter()
            faces = bare_gmsh(path, 0.006)
            alone.append(time.perf_counter() - begin)
    return statistics.median(ours) / statistics.median(alone), faces


def bare_gmsh(path: Path, size: float) -> int:
    """What gmsh itself takes: read, heal and mesh; returns the number of faces."""
    gmsh.initialize(interruptible=False)
    for name, value in (
        ("General.Terminal", 0),
        ("General.NumThreads", 1),
        ("Mesh.MeshSizeMax", size),
        ("Mesh.MeshSizeMin", size / 20),
        ("Mesh.MeshSizeFromCurvature", 12),
        ("Mesh.Algorithm", 8),
        ("Mesh.RecombineAll", 1),
        ("Mesh.RecombinationAlgorithm", 1),
    ):
        gmsh.option.setNumber(name, value)
    for heal in ("FixDegenerated", "FixSmallEdges", "FixSmallFaces", "SewFaces"):
        gmsh.option.setNumber(f"Geometry.OCC{heal}", 1)
    gmsh.option.setString("Geometry.OCCTargetUnit", "M")
    gmsh.model.occ.importShapes(str(path))
    gmsh.model.occ.synchronize()
    gmsh.model.mesh.generate(2)
    faces = len(gmsh.model.getEntities(2))
    gmsh.finalize()
    return faces
