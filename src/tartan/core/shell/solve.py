"""Linear static solution: assembly on a fixed pattern, sparse Cholesky, recovery.

The matrix holds free unknowns only (supports are eliminated) and stays positive definite. All
cases are solved as one block. The pattern and the symbolic factor depend on mesh and supports
alone; a `Reuse` keeps them for the next solution on the same mesh.
"""

from __future__ import annotations

import hashlib
from collections.abc import Generator, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from cvxopt import matrix, spmatrix
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.assembly import (
    Found,
    Part,
    Pattern,
    element_matrix_steps,
    finished,
    groups,
    make_pattern,
    over_blocks,
)
from tartan.core.shell.balance import equilibrium
from tartan.core.shell.constraints import Held, check_free_motions
from tartan.core.shell.defects import serious_defects
from tartan.core.shell.directions import undefined
from tartan.core.shell.factor import Factor, lower_half
from tartan.core.shell.loads import resultant
from tartan.core.shell.matrices import (
    geometric_matrix,
    mass_matrix,
    stiffness_maker,
    stiffness_matrices,
    stiffness_matrix,
    unknowns_of,
)
from tartan.core.shell.model import ShellModel, section_matrix
from tartan.core.shell.shear_fit import settled, shear_fit

__all__ = [
    "Problem",
    "Reuse",
    "ShellModel",
    "Solution",
    "check_model",
    "geometric_matrix",
    "mass_matrix",
    "section_matrix",
    "solution_steps",
    "solve",
    "solve_steps",
    "stiffness_matrices",
    "stiffness_matrix",
    "unknowns_of",
]

Array = NDArray[np.float64]
Index = NDArray[np.int64]


KEPT = 60_000
"""Most elements whose strain operators are kept from assembly to recovery, about 400 MB."""


@dataclass(frozen=True, eq=False)
class Solution:
    """Answer of a linear static solution for k cases.

    Attributes
    ----------
    displacement : ndarray, shape (k, n, 6)
        Displacements [m] and rotations [rad].
    strains : ndarray, shape (k, m, 4, 8)
        Section strains at the sampling points.
    applied, reaction : ndarray, shape (k, 6)
        Total force [N] and moment about the origin [N·m] of loads and of supports.
    energy : ndarray, shape (k,)
        Strain energy [J].
    imbalance : float
        Largest share of the forces that the reactions at the supports alone leave unbalanced,
        over the cases.
    unknowns : int
        Free unknowns.
    residual : float
        Largest share of the forces by which the kept unknowns are out of equilibrium,
        ``‖Tᵀ(K u − f)‖``, over the cases.
    """

    displacement: Array
    strains: Array
    applied: Array
    reaction: Array
    energy: Array
    imbalance: float
    unknowns: int
    residual: float = 0.0


@dataclass
class Reuse:
    """Pattern and factor, with its ordering, of the last mesh and supports."""

    key: bytes = b""
    pattern: Pattern | None = None
    factor: Factor = field(default_factory=Factor)
    matrix: Any = None


def check_model(model: ShellModel) -> None:
    """Raise when the model cannot be solved.

    Raises
    ------
    PartError
        Undefined reference directions; elements that are doubled, folded or without area.
    MechanismError
        Supports that leave a rigid motion.
    """
    for defect in serious_defects(model.mesh):
        raise PartError(
            defect.words, "Surface, mesh", f"In Part, {defect.mend}, or read another mesh."
        )
    undefined_ = undefined(model.mesh, model.reference)
    if len(undefined_):
        what = (
            f"The reference direction stands normal to the surface in {len(undefined_)} of "
            f"{model.mesh.count} elements, so their 0° is undefined."
        )
        raise PartError(what, "Reference direction", "Choose a direction along the surface.")
    if model.constraints is None:
        nodes = np.flatnonzero(model.fixed.any(axis=1))
        patterns, which = np.unique(model.fixed[nodes], axis=0, return_inverse=True)
        held = [
            Held(nodes[which.ravel() == k], tuple(np.flatnonzero(p).tolist()))
            for k, p in enumerate(patterns)
        ]
        check_free_motions(model.mesh, held)


def _key(model: ShellModel) -> bytes:
    """What the pattern of constraints depends on."""
    if model.constraints is None:
        return b""
    T = model.constraints.T
    return bytes(T.indices.tobytes() + T.indptr.tobytes())


@dataclass(frozen=True, eq=False)
class Problem:
    """Cases on one set of supports.

    Attributes
    ----------
    model : ShellModel
        Mesh, zones and supports; problems solved together share all but the supports.
    forces : ndarray, shape (k, n, 6)
        Nodal forces of k cases [N, N·m].
    moves : ndarray, shape (k, 6n), optional
        Prescribed movement of each case, as `Constraints.moved` gives; what the constraints
        themselves prescribe when left out [m, rad].
    reuse : Reuse
        Kept between solutions.
    """

    model: ShellModel
    forces: Array
    moves: Array | None = None
    reuse: Reuse = field(default_factory=Reuse)


def solve(
    model: ShellModel, forces: Array, reuse: Reuse | None = None, moves: Array | None = None
) -> Solution:
    """Solve cases of forces, shape (k, n, 6) [N, N·m], at once; see `solution_steps`."""
    return finished(solution_steps(model, forces, reuse, moves))


def solution_steps(
    model: ShellModel, forces: Array, reuse: Reuse | None = None, moves: Array | None = None
) -> Generator[tuple[str, float], None, Solution]:
    """Solve cases of forces, shape (k, n, 6) [N, N·m], on one set of supports.

    See `Problem` and `solve_steps`.
    """
    return (yield from solve_steps([Problem(model, forces, moves, reuse or Reuse())]))


def solve_steps(problems: Sequence[Problem]) -> Generator[tuple[str, float], None, Solution]:
    """Solve cases on one or more sets of supports, telling progress between the long steps.

    Elements are assembled once; every set of supports costs a factorisation.

    Parameters
    ----------
    problems : sequence of Problem
        On one mesh with one lay-up.

    Yields
    ------
    tuple of str and float
        What is being done, and the share of the whole that is behind.

    Returns
    -------
    Solution
        The answer of all cases, in the order of the problems.

    Raises
    ------
    PartError, MechanismError
        As `check_model`, or when the matrix turns out to be singular.
    """
    model = problems[0].model
    for each in problems:
        check_model(each.model)
    mesh = model.mesh
    for each in problems:
        if _renewed(each.reuse, each.model):
            yield "ordering", 0.0
            each.reuse.pattern = make_pattern(mesh, each.model.fixed)
    yield "assembling", 0.1
    kept: dict[int, Any] | None = {} if mesh.count <= KEPT else None
    assembling = element_matrix_steps(mesh, stiffness_maker(model, kept))
    stiffness = yield from _named(assembling, "assembling", 0.1, 0.4)
    displacement = []
    for number, each in enumerate(problems):
        yield "factorising", 0.4 + 0.4 * number / len(problems)
        displacement.append(_factor_and_solve(each, stiffness))
    recovering = _recover(problems, stiffness, displacement, kept)
    return (yield from _named(recovering, "recovering", 0.8, 1.0))


def _renewed(reuse: Reuse, model: ShellModel) -> bool:
    """Whether what is kept is of another mesh or other supports, and was dropped."""
    mesh = model.mesh
    key = hashlib.sha256(
        b"".join(b.nodes.tobytes() for b in mesh.blocks) + model.fixed.tobytes() + _key(model)
    ).digest()
    if reuse.key == key and reuse.pattern is not None:
        return False
    reuse.factor.forget()
    reuse.matrix, reuse.key = None, key
    return True


def _named(
    steps: Generator[float, None, Found], doing: str, start: float, end: float
) -> Generator[tuple[str, float], None, Found]:
    """Steps of a stretch of the whole, by its name."""
    while True:
        try:
            share = next(steps)
        except StopIteration as stop:
            found: Found = stop.value
            return found
        yield doing, start + (end - start) * share


def settle_shear(model: ShellModel, strains: Array) -> None:
    """Put the shear of equilibrium in place of that of oscillating elements; see `shear_fit`.

    Strains, shape (k, m, 4, 8), are changed in place.
    """
    zone = np.zeros(model.mesh.count, np.int64) if model.zones is None else model.zones.zone
    fit = shear_fit(model.mesh, model.reference, zone)
    if fit is not None:
        settled(fit, model.mesh, model.section_of(np.arange(model.mesh.count)), strains)


def _factor_and_solve(problem: Problem, stiffness: list[Array]) -> Array:
    """Displacements of the cases of a problem, shape (k, n, 6)."""
    model, reuse, forces = problem.model, problem.reuse, problem.forces
    rules, pattern = model.constraints, reuse.pattern
    assert pattern is not None
    free = ~model.fixed.ravel()
    flat = forces.reshape(len(forces), -1)
    moves = np.zeros((len(forces), 1)) if rules is None else _moves_of(problem)
    if rules is None and reuse.matrix is not None:
        K = reuse.matrix
        K.V = matrix(pattern.values(stiffness))
        right = flat[:, free]
    elif rules is None:
        values = matrix(pattern.values(stiffness))
        K = spmatrix(values, pattern.rows, pattern.columns, (pattern.size, pattern.size))
        reuse.matrix = K
        right = flat[:, free]
    else:
        whole = pattern.sparse(stiffness)
        K = lower_half(rules.T.T @ whole @ rules.T)
        pulled = (whole @ moves.T).T if moves.any() else 0.0
        right = (flat - pulled) @ rules.T
    reuse.factor.take(K)
    found = reuse.factor.solve(right.T).T
    if rules is None:
        displacement = np.zeros((len(forces), model.fixed.size))
        displacement[:, free] = found
    else:
        displacement = found @ rules.T.T + moves
    return displacement.reshape(len(forces), *model.fixed.shape)


def _moves_of(problem: Problem) -> Array:
    """Prescribed movement of every case, shape (k, 6n)."""
    rules = problem.model.constraints
    assert rules is not None
    given = rules.g if problem.moves is None else problem.moves
    return np.broadcast_to(given, (len(problem.forces), len(rules.g)))


def _recover(
    problems: Sequence[Problem],
    stiffness: list[Array],
    moved: list[Array],
    operators: dict[int, Any] | None,
) -> Generator[float, None, Solution]:
    model = problems[0].model
    mesh = model.mesh
    displacement = np.concatenate(moved)
    count = len(displacement)
    flat = displacement.reshape(count, -1)
    strains = np.empty((count, mesh.count, 4, 8))

    def recover(part: Part) -> None:
        op = (operators or {}).get(int(part.which[0]))
        op = part.operators(mesh, model.reference) if op is None else op
        u = np.moveaxis(flat[:, part.unknowns], 0, -1)
        strains[:, part.which] = part.form.section_strains(op, model.section_of(part.which), u)

    for share in over_blocks(mesh, recover):
        yield 0.7 * share
    settle_shear(model, strains)
    gathered = np.zeros_like(flat)
    for group, K in zip(groups(mesh), stiffness, strict=True):
        u = np.moveaxis(flat[:, group.unknowns], 0, -1)
        per_element = np.moveaxis(K @ u, -1, 0)
        yield 0.8
        for k in range(count):
            np.add.at(gathered[k], group.unknowns, per_element[k])
    internal = gathered.reshape(displacement.shape)
    forces = np.concatenate([p.forces for p in problems])
    starts = np.cumsum([0] + [len(p.forces) for p in problems])
    checked = [
        equilibrium(p.model, internal[a:b], p.forces)
        for p, a, b in zip(problems, starts[:-1], starts[1:], strict=True)
    ]
    applied = np.array([resultant(mesh, f) for f in forces]).reshape(count, 6)
    energy = np.einsum("kni,kni->k", internal, displacement) / 2
    return Solution(
        displacement,
        strains,
        applied,
        np.concatenate([c.reaction for c in checked]),
        energy,
        max(c.imbalance for c in checked),
        checked[0].unknowns,
        max(c.residual for c in checked),
    )
