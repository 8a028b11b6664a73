"""Figures of starting: the window against what it stands on, `tartan check` against its solve."""

import subprocess
import sys
import tempfile
from pathlib import Path

from bench.figures import Figure, median
from tartan.project.document.samples import dish_panel
from tartan.project.files import storage

LIBRARIES = "PyQt6.QtWidgets, vtk, pyvista, pyvistaqt, pyqtgraph, scipy.sparse.linalg, numba"

SHOWN = """
from PyQt6.QtCore import QEvent, QObject
from tartan.desktop.app import make_application, make_window
class Watch(QObject):
    def eventFilter(self, which, event):
        if event.type() == QEvent.Type.Paint:
            app.exit()
        return False
app = make_application(dark=False)
window = make_window()
watch = Watch()
window.installEventFilter(watch)
window.show()
app.exec()
import os
os._exit(0)
"""
"""A process that ends as soon as the window has been painted once."""

SOLVED = """
import time
start = time.perf_counter()
import numpy, scipy.sparse.linalg
imported = time.perf_counter() - start
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import solve_now
from tartan.project.document.samples import dish_panel
inputs = part_inputs(dish_panel())
solve_now(inputs)
begun = time.perf_counter()
solve_now(inputs)
print(imported + time.perf_counter() - begun)
"""


def run(code: str) -> str:
    """Run code in a fresh interpreter; what it prints."""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return done.stdout


def window_ratio() -> tuple[float, float, float]:
    """First painted window / importing its libraries; both times [s]."""
    run(SHOWN)
    shown = median(lambda: run(SHOWN), 3)
    bare = median(lambda: run(f"import {LIBRARIES}"), 3)
    return shown / bare, shown, bare


def check_ratio() -> tuple[float, float, float]:
    """`tartan check` of the sample / imports of NumPy and SciPy and its solve; both times [s]."""
    with tempfile.TemporaryDirectory() as place:
        file = Path(place, "sample.tartan")
        storage.save(dish_panel(), file)
        command = [str(Path(sys.executable).with_name("tartan")), "check", str(file)]

        def check() -> None:
            subprocess.run(command, capture_output=True, check=False)

        check()
        whole = median(check, 3)
    alone = sorted(
        float(run(f"import time\nstart = time.perf_counter()\n{SOLVED}")) for _ in "abc"
    )[1]
    return whole / alone, whole, alone


def start_figures() -> list[Figure]:
    """How long it takes until there is something to see."""
    window, shown, bare = window_ratio()
    check, whole, alone = check_ratio()
    return [
        Figure(
            "start_window",
            "first painted window / importing Qt, VTK, pyqtgraph, SciPy and numba",
            window,
            0.5,
            f"{shown:.2f} against {bare:.2f} s",
        ),
        Figure(
            "start_check",
            "`tartan check` of the sample / importing NumPy and SciPy and its solve",
            check,
            1.5,
            f"{whole:.2f} against {alone:.2f} s",
        ),
    ]
