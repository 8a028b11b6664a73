"""Figures where parts meet: one more support set, and ties."""

import statistics
import time

import numpy as np
from cvxopt import cholmod, matrix, spmatrix
from scipy.sparse import tril

from bench.shell import cases, laminate, model
from tartan.core.shell.constraints import Held, constrain, tie_nodes
from tartan.core.shell.matrices import stiffness_matrix
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.solve import Problem, Reuse, ShellModel, solve_steps

RUNS = 3


def _timed(problems: list[Problem]) -> dict[str, float]:
    """Time of every stage [s]."""
    found: dict[str, float] = {}
    steps = solve_steps(problems)
    last, doing = time.perf_counter(), "checking"
    for new, _ in steps:
        now = time.perf_counter()
        found[doing] = found.get(doing, 0.0) + now - last
        last, doing = now, new
    found[doing] = found.get(doing, 0.0) + time.perf_counter() - last
    return found


def one_more_support_set() -> float:
    """What a second set of supports adds, cases kept, against its own factorisation."""
    m = model(80, 16)
    fixed = m.fixed.copy()
    fixed[m.mesh.edges["left edge"]] = True
    other = ShellModel(m.mesh, m.laminate, m.reference, fixed)
    forces = cases(m, 8)
    reuse = [Reuse() for _ in range(3)]
    ratios = []
    for run in range(RUNS + 1):
        one = _timed([Problem(m, forces, None, reuse[0])])
        two = _timed(
            [Problem(m, forces[:4], None, reuse[1]), Problem(other, forces[4:], None, reuse[2])]
        )
        if run:
            added = sum(two.values()) - sum(one.values())
            ratios.append(added / one["factorising"])
    return statistics.median(ratios)


def _factor_size(K: object) -> int:
    low = tril(K).tocoo()  # type: ignore[arg-type]
    lower = spmatrix(matrix(low.data), matrix(low.row.astype(int)), matrix(low.col.astype(int)))
    symbolic = cholmod.symbolic(lower)
    # Raises where the matrix is not positive definite.
    cholmod.numeric(lower, symbolic)
    return len(cholmod.getfactor(symbolic).V)


def tied_factor() -> float:
    """Size of the factor of two tied plates against that of one plate meshed through."""
    a, b = grid_mesh(Panel(1.0, 1.0), 40, 40), grid_mesh(Panel(1.0, 1.0), 40, 33)
    n = len(a.nodes)
    mesh = Mesh(
        np.concatenate([a.nodes, b.nodes + np.array([1.001, 0, 0])]),
        np.concatenate([a.quads, b.quads + n]),
    )
    tie = tie_nodes(mesh, n + b.edges["left edge"], np.arange(len(a.quads)))
    x, free = np.array([1.0, 0.0, 0.0]), np.zeros((len(mesh.nodes), 6), bool)
    rules = constrain(mesh, [Held(a.edges["left edge"], tuple(range(6)))], [tie])
    tied = stiffness_matrix(ShellModel(mesh, laminate(8), x, free, constraints=rules))
    whole = grid_mesh(Panel(2.0, 1.0), 80, 37)
    fixed = np.zeros((len(whole.nodes), 6), bool)
    fixed[whole.edges["left edge"]] = True
    one = stiffness_matrix(ShellModel(whole, laminate(8), x, fixed))
    return _factor_size(tied) / tied.shape[0] / (_factor_size(one) / one.shape[0])
