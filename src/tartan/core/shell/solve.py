"""Linear static solution: assembly on a fixed pattern, sparse Cholesky, recovery.

The matrix holds free unknowns only (supports are eliminated) and stays positive definite. All
cases are solved as one block. The pattern and the symbolic factor depend on mesh and supports
alone; a `Reuse` keeps them for the next solution on the same mesh.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Generator
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import scipy.sparse as sp
from cvxopt import cholmod, matrix, spmatrix
from numpy.typing import NDArray

from tartan.core.errors import MechanismError, PartError
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell import element
from tartan.core.shell.inertia import geometric, mass, mass_moments
from tartan.core.shell.loads import resultant
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.supports import check_held

Array = NDArray[np.float64]
Index = NDArray[np.int64]

BLOCK = 1024
"""Elements worked on at a time; keeps the strain operators within about 50 MB."""

LEAST_ANGLE = 5.0
"""A reference direction nearer to the normal than this many degrees is undefined."""


@dataclass(frozen=True, eq=False)
class ShellModel:
    """A meshed shell of one laminate with supports.

    Attributes
    ----------
    mesh : Mesh
        Elements whose normals point to the laying side.
    laminate : Laminate
        Its section.
    reference : ndarray, shape (3,)
        Reference direction, projected on every element.
    fixed : ndarray of bool, shape (n, 6)
        Unknowns held at zero.
    section : ndarray, shape (8, 8), optional
        Section stiffness in place of the laminate's own.
    """

    mesh: Mesh
    laminate: Laminate
    reference: Array
    fixed: NDArray[np.bool_]
    section: Array | None = None

    def stiffness(self) -> Array:
        """Section stiffness A, B, D and transverse shear, shape (8, 8)."""
        if self.section is not None:
            return self.section
        return section_matrix(self.laminate.ABD, self.laminate.shear)


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
        Largest share of the applied force that reactions leave unbalanced, over the cases.
    unknowns : int
        Free unknowns.
    """

    displacement: Array
    strains: Array
    applied: Array
    reaction: Array
    energy: Array
    imbalance: float
    unknowns: int


@dataclass
class Reuse:
    """Pattern and symbolic factor of the last mesh and supports."""

    key: bytes = b""
    pattern: _Pattern | None = None
    symbolic: Any = None


@dataclass(frozen=True, eq=False)
class _Pattern:
    """Lower triangle of the free unknowns, column by column.

    `order` sorts the chosen entries of all element matrices, `starts` marks where each matrix
    entry begins among them, so that assembly is one gather and one segmented sum.
    """

    chosen: Index
    order: Index
    starts: Index
    rows: Any = field(repr=False)
    columns: Any = field(repr=False)
    size: int = 0


def undefined_directions(mesh: Mesh, reference: Array) -> Index:
    """Elements to whose normal the reference direction stands too near, as indices.

    Raises
    ------
    PartError
        When the direction has no length.
    """
    length = float(np.linalg.norm(reference))
    if not np.isfinite(length) or length == 0:
        raise PartError("The reference direction has no length.", "Reference direction",
                        "Enter a vector such as 1, 0, 0.")  # fmt: skip
    cosine = np.abs(mesh.normals() @ reference) / length
    return np.flatnonzero(cosine > np.cos(np.deg2rad(LEAST_ANGLE)))


def check_model(model: ShellModel) -> None:
    """Raise when the model cannot be solved.

    Raises
    ------
    PartError
        Undefined reference directions or elements without area.
    MechanismError
        Supports that leave a rigid motion.
    """
    if not (model.mesh.areas() > 0).all():
        raise PartError("The mesh has elements without area.", "Surface", "Change the shape.")
    undefined = undefined_directions(model.mesh, model.reference)
    if len(undefined):
        what = (
            f"The reference direction stands normal to the surface in {len(undefined)} of "
            f"{len(model.mesh.quads)} elements, so their 0° is undefined."
        )
        raise PartError(what, "Reference direction", "Choose a direction along the surface.")
    check_held(model.mesh.nodes, model.fixed)


def section_matrix(ABD: Array, shear: Array) -> Array:
    """Join ABD, shape (6, 6), and transverse shear stiffness, shape (2, 2), into (8, 8)."""
    C = np.zeros((8, 8))
    C[:6, :6] = ABD
    C[6:, 6:] = shear
    return C


def solve(model: ShellModel, forces: Array, reuse: Reuse | None = None) -> Solution:
    """Solve at once; see `solution_steps`."""
    steps = solution_steps(model, forces, reuse)
    while True:
        try:
            next(steps)
        except StopIteration as end:
            result: Solution = end.value
            return result


def solution_steps(model: ShellModel, forces: Array, reuse: Reuse | None = None
                   ) -> Generator[tuple[str, float], None, Solution]:  # fmt: skip
    """Solve, telling progress between the long steps.

    Parameters
    ----------
    model : ShellModel
        The model.
    forces : ndarray, shape (k, n, 6)
        Nodal forces of k cases [N, N·m].
    reuse : Reuse, optional
        Kept between solutions.

    Yields
    ------
    tuple of str and float
        What is being done, and the share of the whole that is behind.

    Returns
    -------
    Solution
        The answer.

    Raises
    ------
    PartError, MechanismError
        As `check_model`, or when the matrix turns out to be singular.
    """
    check_model(model)
    reuse = reuse if reuse is not None else Reuse()
    mesh = model.mesh
    C = model.stiffness()
    key = hashlib.sha256(mesh.quads.tobytes() + model.fixed.tobytes()).digest()
    if reuse.key != key or reuse.pattern is None:
        yield "ordering", 0.0
        reuse.pattern, reuse.symbolic, reuse.key = _make_pattern(mesh, model.fixed), None, key
    pattern = reuse.pattern
    stiffness = np.empty((len(mesh.quads), 24, 24))
    for start in range(0, len(mesh.quads), BLOCK):
        yield "assembling", 0.1 + 0.3 * start / len(mesh.quads)
        op, section = _block(model, C, start)
        stiffness[start : start + BLOCK] = element.stiffness(op, section)
    yield "factorising", 0.4
    displacement = _factor_and_solve(pattern, stiffness, forces, model.fixed, reuse)
    yield "recovering", 0.8
    return _recover(model, C, stiffness, forces, displacement)


def _block(model: ShellModel, C: Array, start: int) -> tuple[element.Operators, Array]:
    x = model.mesh.nodes[model.mesh.quads[start : start + BLOCK]]
    return element.operators(x, model.reference), np.broadcast_to(C, (len(x), 8, 8))


def _unknowns(mesh: Mesh) -> Index:
    """Unknown numbers of every element, shape (m, 24)."""
    return (mesh.quads[..., None] * 6 + np.arange(6)).reshape(len(mesh.quads), 24)


def _make_pattern(mesh: Mesh, fixed: NDArray[np.bool_]) -> _Pattern:
    free = ~fixed.ravel()
    number = np.where(free, np.cumsum(free) - 1, -1)
    local = number[_unknowns(mesh)]
    rows = np.repeat(local[:, :, None], 24, axis=2).ravel()
    columns = np.repeat(local[:, None, :], 24, axis=1).ravel()
    chosen = np.flatnonzero((rows >= columns) & (columns >= 0))
    size = int(free.sum())
    keys = columns[chosen] * size + rows[chosen]
    order = np.argsort(keys, kind="stable")
    keys = keys[order]
    starts = np.flatnonzero(np.concatenate([[True], keys[1:] != keys[:-1]]))
    unique = keys[starts]
    return _Pattern(chosen, order, starts, matrix(unique % size), matrix(unique // size), size)


def free_matrix(model: ShellModel, matrices: Array) -> Any:
    """Sum element matrices, shape (m, 24, 24), into the sparse matrix of the free unknowns."""
    pattern = _make_pattern(model.mesh, model.fixed)
    values = np.add.reduceat(matrices.ravel()[pattern.chosen][pattern.order], pattern.starts)
    rows, columns = (np.array(v).ravel() for v in (pattern.rows, pattern.columns))
    lower = sp.coo_matrix((values, (rows, columns)), (pattern.size, pattern.size)).tocsc()
    return (lower + sp.tril(lower, -1).T).tocsc()


def element_matrices(model: ShellModel, make: Callable[[Array, Index], Array]) -> Array:
    """Element matrices block by block; `make` gets corner positions and element numbers."""
    found = np.empty((len(model.mesh.quads), 24, 24))
    for start in range(0, len(found), BLOCK):
        which = np.arange(start, min(start + BLOCK, len(found)))
        found[which] = make(model.mesh.nodes[model.mesh.quads[which]], which)
    return found


def stiffness_matrix(model: ShellModel) -> Any:
    """Sparse stiffness of the free unknowns."""
    C = model.stiffness()

    def make(x: Array, which: Index) -> Array:
        op = element.operators(x, model.reference)
        return element.stiffness(op, np.broadcast_to(C, (len(x), 8, 8)))

    return free_matrix(model, element_matrices(model, make))


def mass_matrix(model: ShellModel, moments: Array | None = None) -> Any:
    """Sparse consistent mass of the free unknowns; moments as `mass_moments`, shape (3,)."""
    m = mass_moments(model.laminate) if moments is None else moments
    return free_matrix(
        model,
        element_matrices(
            model, lambda x, _: mass(x, model.reference, np.broadcast_to(m, (len(x), 3)))
        ),
    )


def geometric_matrix(model: ShellModel, forces: Array, *, normal_only: bool = False) -> Any:
    """Sparse geometric stiffness of the free unknowns under section forces, shape (m, 4, 6)."""
    return free_matrix(model, element_matrices(
        model, lambda x, which: geometric(x, model.reference, forces[which],
                                          normal_only=normal_only)))  # fmt: skip


def _factor_and_solve(pattern: _Pattern, stiffness: Array, forces: Array,
                      fixed: NDArray[np.bool_], reuse: Reuse) -> Array:  # fmt: skip
    values = np.add.reduceat(stiffness.ravel()[pattern.chosen][pattern.order], pattern.starts)
    K = spmatrix(matrix(values), pattern.rows, pattern.columns, (pattern.size, pattern.size))
    if reuse.symbolic is None:
        reuse.symbolic = cholmod.symbolic(K)
    free = ~fixed.ravel()
    right = matrix(np.ascontiguousarray(forces.reshape(len(forces), -1)[:, free].T))
    try:
        cholmod.numeric(K, reuse.symbolic)
    except ArithmeticError as error:
        # A failed factor must not be reused.
        reuse.symbolic = None
        raise MechanismError("The stiffness matrix is singular: some of the part can move.",
                             "Supports", "Check supports and materials.") from error  # fmt: skip
    cholmod.solve(reuse.symbolic, right)
    displacement = np.zeros((len(forces), fixed.size))
    displacement[:, free] = np.array(right).T
    return displacement.reshape(len(forces), *fixed.shape)


def _recover(model: ShellModel, C: Array, stiffness: Array, forces: Array,
             displacement: Array) -> Solution:  # fmt: skip
    mesh = model.mesh
    count = len(forces)
    u = displacement[:, mesh.quads].reshape(count, len(mesh.quads), 24)
    u = np.moveaxis(u, 0, -1)
    strains = np.empty((count, len(mesh.quads), 4, 8))
    for start in range(0, len(mesh.quads), BLOCK):
        op, section = _block(model, C, start)
        strains[:, start : start + BLOCK] = element.section_strains(
            op, section, u[start : start + BLOCK]
        )
    internal = np.zeros_like(displacement)
    per_corner = np.moveaxis(stiffness @ u, -1, 0).reshape(count, len(mesh.quads), 4, 6)
    for k in range(count):
        np.add.at(internal[k], mesh.quads, per_corner[k])
    held = np.where(model.fixed, internal - forces, 0.0)
    applied = np.array([resultant(mesh, f) for f in forces]).reshape(count, 6)
    reaction = np.array([resultant(mesh, f) for f in held]).reshape(count, 6)
    energy = np.einsum("kni,kni->k", internal, displacement) / 2
    scale = np.abs(forces[..., :3]).sum(axis=(1, 2))
    gap = np.abs(applied + reaction)[:, :3].max(axis=1)
    imbalance = float((gap / np.where(scale > 0, scale, 1.0)).max(initial=0.0))
    unknowns = int((~model.fixed).sum())
    return Solution(displacement, strains, applied, reaction, energy, imbalance, unknowns)
