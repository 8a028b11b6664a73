"""Figures of starting: the window against what it stands on, `tartan check` against its solve."""

import os
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

from bench.figures import Figure, median
from tartan.project.document.samples import dish_panel
from tartan.project.files import storage

LIBRARIES = "PyQt6.QtWidgets, vtk, pyvista, pyqtgraph, scipy.sparse.linalg, numba"

UNTIL = """
import os
from tartan.desktop import opening
real = opening.{what}
def ended(*given):
    real(*given)
    os._exit(0)
opening.{what} = ended
opening.run()
"""
"""A process that ends as soon as something has been done: a first window seen, or taken away."""

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
    """Run code in a fresh interpreter with a state of its own; what it prints."""
    with tempfile.TemporaryDirectory() as state:
        said = Path(state, "said")
        # Into a file: a pipe would be waited for until the solver that it starts has ended too.
        with said.open("w") as out:
            subprocess.run(
                [sys.executable, "-c", code],
                stdout=out,
                stderr=out,
                check=True,
                env=os.environ | {"TARTAN_STATE": state},
            )
        return said.read_text()


def window_ratios() -> tuple[float, float, tuple[float, float, float]]:
    """First something, and then the window, painted / importing its libraries; the times [s]."""
    times = []
    for what in ("stand", "Opening.close"):
        code = UNTIL.format(what=what)
        run(code)
        times.append(median(lambda code=code: run(code), 3))
    bare = median(lambda: run(f"import {LIBRARIES}"), 3)
    return times[0] / bare, times[1] / bare, (*times, bare)


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
    alone = statistics.median(float(run(SOLVED)) for _ in range(3))
    return whole / alone, whole, alone


def start_figures() -> list[Figure]:
    """How long it takes until there is something to see."""
    seen, stands, (shown, whole, bare) = window_ratios()
    check, checked, alone = check_ratio()
    libraries = "importing Qt, VTK, pyqtgraph, SciPy and numba"
    return [
        Figure(
            "start_seen",
            f"first thing seen / {libraries}",
            seen,
            0.5,
            f"{shown:.2f} against {bare:.2f} s",
        ),
        Figure(
            "start_window",
            f"the window painted / {libraries}",
            stands,
            0.5,
            f"{whole:.2f} against {bare:.2f} s",
        ),
        Figure(
            "start_check",
            "`tartan check` of the sample / importing NumPy and SciPy and its solve",
            check,
            1.5,
            f"{checked:.2f} against {alone:.2f} s",
        ),
    ]
