"""Figures that matter, as ratios measured in one run; a table, and build/bench.json."""

import contextlib
import dataclasses
import json
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtTest import QTest

from tartan.core.shell.margins import assess
from tartan.core.shell.solve import Reuse, solve
from tartan.desktop.app import make_application
from tartan.desktop.session import Session
from tartan.desktop.window import MainWindow
from tartan.project import edits
from tartan.project.model import Project
from tartan.project.samples import dish_panel
from tartan.project.shellinputs import case_forces, part_inputs, shell_model

RUNS = 5
GAP = 0.100


@dataclasses.dataclass
class Figure:
    """One measured ratio."""

    id: str
    divides: str
    ratio: float
    goal: float
    note: str = ""

    @property
    def met(self) -> bool:
        return self.ratio <= self.goal


def sized(size: float) -> Project:
    project = dish_panel()
    assert project.part is not None
    return edits.put_part(project, dataclasses.replace(project.part, mesh_size=size))


def timed(work: Callable[[], object]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def median(work: Callable[[], object], runs: int = RUNS) -> float:
    return statistics.median(timed(work) for _ in range(runs))


def core_figures() -> list[Figure]:
    """Solution against its factorisation, margins against the solution."""
    from tartan.core.shell import solve as module

    inputs = part_inputs(sized(0.017))
    model = shell_model(inputs)
    forces = np.array([case_forces(model.mesh, model.laminate, c) for c in inputs.cases])
    reuse = Reuse()
    solution = solve(model, forces, reuse)
    whole = median(lambda: solve(model, forces, reuse))
    factor = []
    inner = module._factor_and_solve

    def spy(*arguments):  # type: ignore[no-untyped-def]
        start = time.perf_counter()
        result = inner(*arguments)
        factor.append(time.perf_counter() - start)
        return result

    module._factor_and_solve = spy
    for _ in range(RUNS):
        solve(model, forces, reuse)
    module._factor_and_solve = inner
    margins = median(lambda: assess(model.laminate, solution.strains))
    note = f"{solution.unknowns} unknowns"
    return [
        Figure("solve_whole", "whole solution / matrix, CHOLMOD factor and solves",
               whole / statistics.median(factor), 3.0, note),
        Figure("margins_anew", "margins after a changed strength / whole solution",
               margins / whole, 2.0, f"{margins:.2f} s against {whole:.2f} s"),
    ]  # fmt: skip


def longest_gap(window: MainWindow, turn: float) -> float:
    """Longest pause of the event loop from a changed ply to the repainted answer [s]."""
    ticks: list[float] = []
    timer = QTimer()
    timer.timeout.connect(lambda: ticks.append(time.perf_counter()))
    timer.start(1)
    window.session.edit("turn", lambda p: edits.put_plies(
        p, "reflector sandwich", [dataclasses.replace(q, angle=q.angle + turn)
                                  for q in p.stacks[0].plies]))  # fmt: skip
    while window.session.solving:
        QTest.qWait(5)
    QTest.qWait(400)
    timer.stop()
    return float(np.diff(ticks).max())


def window_figures() -> list[Figure]:
    """Event-loop gaps while a 40 000-unknown model is solved, in each station."""
    application = make_application(dark=False)
    window = MainWindow(Session(sized(0.017)))
    window.show()
    window.session.refresh_answer()
    while window.session.solving:
        QTest.qWait(20)
    assert window.session.answer is not None
    unknowns = window.session.answer.solution.unknowns
    found = []
    for station in ("Margins", "Stacks"):
        window.session.select(station=station)
        QTest.qWait(500)
        gaps = [longest_gap(window, 3.0) for _ in range(RUNS)]
        found.append(Figure(
            f"loop_gap_{station.lower()}", f"longest event-loop gap in {station} / 100 ms",
            statistics.median(gaps) / GAP, 1.0,
            f"{unknowns} unknowns, worst of {RUNS} runs {max(gaps) * 1e3:.0f} ms",
        ))  # fmt: skip
    window.session.history.mark_saved()
    window.shut()
    window.close()
    application.processEvents()
    return found


def main() -> int:
    """Measure everything; return 1 when a goal is missed."""
    figures = [*core_figures(), *window_figures()]
    print(f"{'id':22} {'ratio':>7} {'goal':>6}  met   what is divided by what")
    for f in figures:
        print(
            f"{f.id:22} {f.ratio:7.2f} {f.goal:6.2f}  {'yes' if f.met else 'NO ':3}   {f.divides}"
            f" ({f.note})"
        )
    out = Path("build")
    out.mkdir(exist_ok=True)
    rows = [dataclasses.asdict(f) | {"met": f.met} for f in figures]
    (out / "bench.json").write_text(json.dumps(rows, indent=1) + "\n", "utf-8")
    return 0 if all(f.met for f in figures) else 1


if __name__ == "__main__":
    with contextlib.suppress(KeyboardInterrupt):
        sys.exit(main())
