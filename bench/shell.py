"""Figures of the shell core: a whole solution, its growth with size, cases and plies, memory."""

import subprocess
import sys
import time

import numpy as np
from cvxopt import cholmod, matrix, spmatrix

from tartan.core.laminate import Laminate, make_laminate
from tartan.core.shell import loads, sweep
from tartan.core.shell.assembly import make_pattern
from tartan.core.shell.margins import assess
from tartan.core.shell.mesh import Panel, grid_mesh
from tartan.core.shell.solve import Reuse, ShellModel, solution_steps, solve, stiffness_matrices
from tartan.core.stack import Ply, Stack
from tartan.project.document.samples import UNIDIRECTIONAL

SETS = {"ply": ("tsai_wu", "hashin")}


def laminate(count: int, turn: float = 0.0) -> Laminate:
    angles = [0.0, 45.0, -45.0, 90.0]
    plies = tuple(
        Ply(UNIDIRECTIONAL.name, angles[i % 4] + (turn if i == 2 else 0.0), 1.25e-4)
        for i in range(count)
    )
    return make_laminate(Stack("b", plies), {UNIDIRECTIONAL.name: UNIDIRECTIONAL})


def model(n: int, plies: int, turn: float = 0.0) -> ShellModel:
    mesh = grid_mesh(Panel(1.0, 1.0, 4.0, 6.0), n, n)
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    for edge in mesh.edges.values():
        fixed[edge, :3] = True
    return ShellModel(mesh, laminate(plies, turn), np.array([1.0, 0.0, 0.0]), fixed)


def cases(m: ShellModel, count: int) -> np.ndarray:
    rng = np.random.default_rng(0)
    return np.array(
        [loads.pressure(m.mesh, rng.normal(1e3, 500, (m.mesh.count, 4))) for _ in range(count)]
    )


def bare(m: ShellModel, forces: np.ndarray) -> float:
    """CHOLMOD's own factorisation and solves of that matrix [s]."""
    pattern = make_pattern(m.mesh, m.fixed)
    values = matrix(pattern.values(stiffness_matrices(m)))
    K = spmatrix(values, pattern.rows, pattern.columns, (pattern.size, pattern.size))
    right = matrix(np.ascontiguousarray(forces.reshape(len(forces), -1)[:, ~m.fixed.ravel()].T))
    symbolic = cholmod.symbolic(K)
    start = time.perf_counter()
    cholmod.numeric(K, symbolic)
    cholmod.solve(symbolic, right)
    return time.perf_counter() - start


def spent(work) -> float:  # type: ignore[no-untyped-def]
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def whole_ratios() -> tuple[float, float, float]:
    """Whole answer, after a changed angle, after a changed allowable, against CHOLMOD alone.

    The compiled loops are read before, as the window does when it opens.
    """
    sweep.compile_all()
    small = model(4, 4)
    assess(small.laminate, solve(small, cases(small, 1)).strains, SETS)
    m = model(100, 24)
    forces = cases(m, 8)
    alone = min(bare(m, forces) for _ in range(2))
    reuse = Reuse()
    kept = {}

    def answer(which: ShellModel) -> None:
        kept["s"] = solve(which, forces, reuse)
        assess(which.laminate, kept["s"].strains, SETS)

    first = spent(lambda: answer(m))
    second = spent(lambda: answer(model(100, 24, 5.0)))
    third = spent(lambda: assess(m.laminate, kept["s"].strains, SETS))
    return first / alone, second / alone, third / alone


def staged(m: ShellModel, forces: np.ndarray) -> tuple[float, float]:
    """Time of all but the factorisation with its solves, and of that [s]."""
    rest = factor = 0.0
    steps = solution_steps(m, forces)
    last, doing = time.perf_counter(), ""
    while True:
        try:
            new, _ = next(steps)
        except StopIteration:
            new = None
        now = time.perf_counter()
        if doing == "factorising":
            factor += now - last
        else:
            rest += now - last
        if new is None:
            return rest, factor
        last, doing = now, new


def growth() -> tuple[float, float]:
    """Fitted exponents of the whole and of all but the factorisation, by unknowns."""
    sizes, whole, rest = [], [], []
    for n in (41, 72, 126, 204):
        m = model(n, 8)
        forces = cases(m, 1)
        stages = min((staged(m, forces) for _ in range(2)), key=sum)
        sizes.append(6 * len(m.mesh.nodes))
        whole.append(sum(stages))
        rest.append(stages[0])
    return tuple(float(np.polyfit(np.log(sizes), np.log(t), 1)[0]) for t in (whole, rest))


def more_cases() -> float:
    """Sixteen cases against one."""
    m = model(100, 8)
    one, many = cases(m, 1), cases(m, 16)
    solve(m, one)
    return spent(lambda: solve(m, many)) / spent(lambda: solve(m, one))


def more_plies() -> float:
    """Solving with 64 plies against 8."""
    few, many = model(100, 8), model(100, 64)
    forces = cases(few, 1)
    solve(few, forces)
    times = {
        c: min(spent(lambda m=m: solve(m, forces)) for _ in range(3))
        for c, m in ((8, few), (64, many))
    }
    return times[64] / times[8]


def peak_memory() -> float:
    """Peak of a process that answers 250 000 unknowns, 48 plies, 16 cases [bytes]."""
    code = (
        "import resource; from bench.shell import *; m = model(203, 48); "
        "f = cases(m, 16); s = solve(m, f); assess(m.laminate, s.strains, SETS); "
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)"
    )
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    return float(out.stdout.split()[-1]) * 1024
