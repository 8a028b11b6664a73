"""Figures of searches: orders judged a second, and what workers are worth."""

import math
import time

import numpy as np

from bench.figures import Figure, median, sized
from tartan.core.search.candidates import layers_of
from tartan.core.shell.assembly import finished
from tartan.core.stack import Ply
from tartan.project.analysis.engine import Engine
from tartan.project.analysis.gradients import Variable
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import Memory, SolveRequest, run_solve
from tartan.project.document.samples import UNIDIRECTIONAL
from tartan.project.findings.size_points import derived
from tartan.project.findings.sweeps import over_of, run_task, tasks_of

ORDERS = 200_000

SOLVES = 120
"""Part solves that are timed; the issue's 2 000 of them take as long by pieces."""

NAPS, NAP = 100, 0.02
"""Pieces that cost a worker nothing but time, and their seconds."""


def order_rate() -> tuple[float, float]:
    """Seconds for 200 000 stacks of 16 plies under four loads, on one core; and a second's."""
    kinds = [Ply(UNIDIRECTIONAL.name, a, 1.25e-4) for a in (0.0, 45.0, -45.0, 90.0)]
    table = layers_of(kinds, [UNIDIRECTIONAL] * 4, [("tsai_wu",)] * 4)
    rng = np.random.default_rng(6)
    orders = rng.integers(0, 4, (ORDERS, 16)).astype(np.int8)
    loads = rng.normal(size=(4, 6)) * np.array([1e5, 1e5, 1e5, 50, 50, 50])
    table.reserves(orders[:10], loads)
    took = median(lambda: table.reserves(orders, loads), 5)
    return took, ORDERS / took


def _nap(_: object, item: int) -> float:
    end = time.perf_counter() + NAP
    value = 0.0
    while time.perf_counter() < end:
        value += math.sin(item)
    return value


def engine_overhead() -> float:
    """One worker's time for pieces of 20 ms / plain calls of them."""
    with Engine(workers=1) as engine:
        list(engine.run(_nap, None, [1] * 8))
        took = median(lambda: list(engine.run(_nap, None, list(range(NAPS)))), 3)
    plain = median(lambda: [_nap(None, k) for k in range(NAPS)], 3)
    return took / plain


def two_workers() -> float:
    """Time of two workers for part solves / of one."""
    project = sized(0.12)
    over = over_of(project, f"materials[honeycomb].G13 = 20 to 40 in {SOLVES - 1} MPa")
    tasks = tasks_of([over], ["part.displacement"])

    def took(workers: int) -> float:
        with Engine(workers=workers) as engine:
            # What each worker loads and meshes once is no part of it.
            list(engine.run(run_task, project, tasks[: 6 * workers]))
            start = time.perf_counter()
            assert len(list(engine.run(run_task, project, tasks))) == SOLVES
            return time.perf_counter() - start

    return took(2) / took(1)


def slopes_share() -> float:
    """Time for the derivatives of all requirements of the dish by 50 variables / of its answer."""
    project = sized(0.02)
    inputs, rng = part_inputs(project), np.random.default_rng(3)
    solves, slopes = [], []
    for _ in range(3):
        memory = Memory()
        start = time.perf_counter()
        answer = finished(run_solve(SolveRequest(0, inputs), memory))
        solves.append(time.perf_counter() - start)
        plies = len(answer.layout().laid)
        # Every variable moves every ply: the most that there can be to do.
        variables = [Variable(*rng.normal(size=(2, plies))) for _ in range(50)]
        start = time.perf_counter()
        derived(project, answer, memory, variables)
        slopes.append(time.perf_counter() - start)
    return float(np.median(slopes) / np.median(solves))


def search_figures() -> list[Figure]:
    """Orders, workers."""
    took, rate = order_rate()
    return [
        Figure(
            "orders",
            "time for 200 000 stacks of 16 plies under 4 loads / one second",
            took,
            1.0,
            f"{rate:,.0f} a second on one core",
        ),
        Figure("engine", "pieces of 20 ms on one worker / plain calls", engine_overhead(), 1.1),
        Figure(
            "slopes",
            "slopes of all requirements by 50 variables / one answer of the part",
            slopes_share(),
            3.0,
        ),
        Figure("two_workers", "part solves by two workers / by one", two_workers(), 1 / 1.7),
    ]
