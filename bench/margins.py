"""Figures of the Margins bench and the report: a large envelope, ply steps, the window's gaps."""

import statistics
import subprocess
import sys
import time

import numpy as np
import pyvista as pv
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from bench.part import Ticks, close, of_elements, until
from bench.shell import SETS, laminate
from tartan.core.shell.margins import assess
from tartan.desktop.scene.frameview import FrameView
from tartan.desktop.scene.smoothing import LARGE, samples
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project.document.samples import dish_panel

ELEMENTS, PLIES, CASES = 50_000, 24, 16


def strains() -> np.ndarray:
    """Section strains of every case and element, one point each."""
    rng = np.random.default_rng(4)
    size = np.array([1e-3] * 3 + [0.3] * 3 + [1e-3] * 2)
    return rng.normal(size=(CASES, ELEMENTS, 1, 8)) * size


def envelope_ratio(runs: int = 3) -> tuple[float, float, float]:
    """Envelope with addresses / copying the stresses it is taken over; both times [s]."""
    section, lam = strains(), laminate(PLIES)
    assess(lam, section[:, :100], SETS)
    spent = statistics.median(timed(lambda: assess(lam, section, SETS)) for _ in range(runs))
    # The stresses themselves are never laid down; here they are, to be copied.
    stress = np.full((CASES, ELEMENTS, PLIES, 3, 3), 1e6)
    copied = statistics.median(timed(stress.copy) for _ in range(runs))
    return spent / copied, spent, copied


def timed(work) -> float:  # type: ignore[no-untyped-def]
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def envelope_memory() -> float:
    """Peak of a process that takes that envelope [bytes]."""
    code = (
        "from bench.margins import *; s = strains(); assess(laminate(PLIES), s, SETS); "
        "print(next(x for x in open('/proc/self/status') if x.startswith('VmHWM')))"
    )
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return float(out.stdout.split()[-2]) * 1024


def painted(view: FrameView, act) -> float:  # type: ignore[no-untyped-def]
    """Time from an act to the end of the frame that follows it [s]."""
    done: list[float] = []
    observer = view.renderer.AddObserver("EndEvent", lambda *_: done.append(time.perf_counter()))
    start = time.perf_counter()
    act()
    while not done:
        QApplication.processEvents()
    view.renderer.RemoveObserver(observer)
    return done[0] - start


def stepping_figures(steps: int = 14) -> tuple[float, float, float, int]:
    """A step from ply to ply / VTK's repaint of other colours alone; both times [s]; elements."""
    project = of_elements(ELEMENTS)
    window = MainWindow(Session(project))
    window.show()
    session = window.session
    session.refresh_answer()
    until(lambda: not session.solving)
    view = window.margins
    QTest.qWait(1500)
    view.choosers.show_field("ply stress σ₁")
    session.select(element=1000, spot_ply=0, case="operating wind")
    QTest.qWait(800)
    scene = view.scene
    assert scene is not None
    assert scene.mesh is not None
    spent = []
    for _ in range(steps):
        spent.append(painted(scene.view, lambda: view.choosers.step(1)))
        QTest.qWait(150)
    count, size = scene.mesh.count, (scene.view.width(), scene.view.height())
    mesh = scene.mesh
    close(window)
    alone = bare_repaint(mesh.nodes, mesh.quads, *size, steps)
    return statistics.median(spent) / alone, statistics.median(spent), alone, count


def bare_repaint(
    nodes: np.ndarray, quads: np.ndarray, width: int, height: int, steps: int
) -> float:
    """Other colours on the same mesh in a view of VTK's alone [s]."""
    view = FrameView(None, 0 if len(quads) > LARGE else samples())
    view.resize(width, height)
    view.show()
    surface = pv.PolyData.from_regular_faces(nodes, quads)
    surface.cell_data["rgb"] = np.full((len(quads), 3), 200, np.uint8)
    view.add_mesh(surface, scalars="rgb", rgb=True, show_edges=True, line_width=1)
    view.enable_parallel_projection()
    QTest.qWait(500)
    rng = np.random.default_rng(0)
    colours = [rng.integers(0, 255, (len(quads), 3), np.uint8) for _ in range(steps)]

    def paint(rgb: np.ndarray) -> None:
        surface.cell_data["rgb"][:] = rgb
        surface.GetCellData().GetArray("rgb").Modified()
        surface.Modified()
        view.update()

    spent = []
    for rgb in colours:
        spent.append(painted(view, lambda c=rgb: paint(c)))
        QTest.qWait(50)
    view.close()
    QApplication.processEvents()
    return statistics.median(spent)


def report_gap() -> tuple[float, int]:
    """Longest event-loop gap while the report of the sample is made [s]; its figures."""
    window = MainWindow(Session(dish_panel()))
    window.show()
    session = window.session
    session.refresh_answer()
    until(lambda: not session.solving)
    session.select(station="Report")
    QTest.qWait(800)
    ticks = Ticks()
    window.report.make()
    until(lambda: not window.report.maker.busy)
    QTest.qWait(500)
    gap = ticks.gap()
    count = window.report.files[0].read_text("utf-8").count("<figure")
    close(window)
    return gap, count
