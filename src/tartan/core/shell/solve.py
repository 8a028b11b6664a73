"""Linear static solution: assembly on a fixed pattern, sparse Cholesky, recovery.

The matrix holds free unknowns only (supports are eliminated) and stays positive definite. All
cases are solved as one block. The pattern and the symbolic factor depend on mesh and supports
alone; a `Reuse` keeps them for the next solution on the same mesh.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Generator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import scipy.sparse as sp
from cvxopt import cholmod, matrix, spmatrix
from numpy.typing import NDArray

from tartan.core.errors import MechanismError, PartError
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.assembly import (
    Found,
    Part,
    Pattern,
    blocks,
    element_matrices,
    element_matrix_steps,
    finished,
    groups,
    make_pattern,
    reference_of,
)
from tartan.core.shell.constraints import Constraints, Held, check_free_motions
from tartan.core.shell.directions import undefined
from tartan.core.shell.equilibrium import settled, shear_fit
from tartan.core.shell.inertia import geometric, mass, mass_moments
from tartan.core.shell.loads import resultant
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.zones import Zones

Array = NDArray[np.float64]
Index = NDArray[np.int64]


KEPT = 60_000
"""Most elements whose strain operators are kept from assembly to recovery, about 400 MB."""


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
    zones : Zones, optional
        Sections of a part of several zones, in place of the one laminate.
    constraints : Constraints, optional
        Supports and ties in place of `fixed`, which holds nothing then.
    """

    mesh: Mesh
    laminate: Laminate
    reference: Array
    fixed: NDArray[np.bool_]
    section: Array | None = None
    zones: Zones | None = None
    constraints: Constraints | None = None

    def stiffness(self) -> Array:
        """Section stiffness A, B, D and transverse shear of each zone, shape (z, 8, 8)."""
        if self.section is not None:
            return self.section[None]
        sections = (self.laminate,) if self.zones is None else self.zones.laminates
        return np.array([section_matrix(s.ABD, s.shear) for s in sections])

    def section_of(self, which: Index) -> Array:
        """Section stiffness of some elements, shape (len(which), 8, 8)."""
        C = self._stiffness
        if self.zones is None:
            return np.broadcast_to(C[0], (len(which), 8, 8))
        found: Array = C[self.zones.zone[which]]
        return found

    @cached_property
    def _stiffness(self) -> Array:
        return self.stiffness()

    def mass_moments(self) -> Array:
        """I0, I1, I2 of every element, shape (m, 3)."""
        if self.zones is None:
            return np.broadcast_to(mass_moments(self.laminate), (self.mesh.count, 3))
        each = np.array([mass_moments(s) for s in self.zones.laminates])
        found: Array = each[self.zones.zone]
        return found


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
    pattern: Pattern | None = None
    symbolic: Any = None
    matrix: Any = None


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
        held = [Held(nodes[which.ravel() == k], tuple(np.flatnonzero(p).tolist()))
                for k, p in enumerate(patterns)]  # fmt: skip
        check_free_motions(model.mesh, held)


def _key(model: ShellModel) -> bytes:
    """What the pattern of constraints depends on."""
    if model.constraints is None:
        return b""
    T = model.constraints.T
    return bytes(T.indices.tobytes() + T.indptr.tobytes())


def section_matrix(ABD: Array, shear: Array) -> Array:
    """Join ABD, shape (6, 6), and transverse shear stiffness, shape (2, 2), into (8, 8)."""
    C = np.zeros((8, 8))
    C[:6, :6] = ABD
    C[6:, 6:] = shear
    return C


def solve(model: ShellModel, forces: Array, reuse: Reuse | None = None) -> Solution:
    """Solve at once; see `solution_steps`."""
    return finished(solution_steps(model, forces, reuse))


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
    key = hashlib.sha256(
        mesh.quads.tobytes() + mesh.triangles.tobytes() + model.fixed.tobytes() + _key(model)
    ).digest()
    if reuse.key != key or reuse.pattern is None:
        yield "ordering", 0.0
        reuse.pattern, reuse.symbolic, reuse.key = make_pattern(mesh, model.fixed), None, key
        reuse.matrix = None
    pattern = reuse.pattern
    yield "assembling", 0.1
    kept: dict[int, Any] | None = {} if mesh.count <= KEPT else None
    assembling = element_matrix_steps(mesh, _stiffness_of(model, kept))
    stiffness = yield from _named(assembling, "assembling", 0.1, 0.4)
    yield "factorising", 0.4
    displacement = _factor_and_solve(pattern, stiffness, forces, model, reuse)
    recovering = _recover(model, stiffness, forces, displacement, kept)
    return (yield from _named(recovering, "recovering", 0.8, 1.0))


def _named(steps: Generator[float, None, Found], doing: str, start: float, end: float
              ) -> Generator[tuple[str, float], None, Found]:  # fmt: skip
    """Steps of a stretch of the whole, by its name."""
    while True:
        try:
            share = next(steps)
        except StopIteration as stop:
            found: Found = stop.value
            return found
        yield doing, start + (end - start) * share


def _stiffness_of(model: ShellModel, kept: dict[int, Any] | None) -> Callable[[Part], Array]:
    """What makes stiffness matrices of a block of elements; `kept` takes the operators."""

    def make(part: Part) -> Array:
        op = part.operators(model.mesh, model.reference)  # fmt: skip
        if kept is not None:
            kept[int(part.which[0])] = op
        found: Array = part.form.stiffness(op, model.section_of(part.which))
        return found

    return make


def stiffness_matrices(model: ShellModel) -> list[Array]:
    """Element stiffness matrices, one array a form of element."""
    return element_matrices(model.mesh, _stiffness_of(model, None))


def _kept(model: ShellModel, matrices: list[Array]) -> Any:
    """Sparse matrix of the kept unknowns."""
    whole = make_pattern(model.mesh, model.fixed).sparse(matrices)
    if model.constraints is None:
        return whole
    T = model.constraints.T
    return (T.T @ whole @ T).tocsc()


def stiffness_matrix(model: ShellModel) -> Any:
    """Sparse stiffness of the free unknowns."""
    return _kept(model, stiffness_matrices(model))


def mass_matrix(model: ShellModel, moments: Array | None = None) -> Any:
    """Sparse consistent mass of the free unknowns.

    Parameters
    ----------
    model : ShellModel
        The model.
    moments : ndarray, shape (3,) or (m, 3), optional
        I0, I1, I2 as `mass_moments` gives; those of the model's sections by default.
    """
    if moments is None:
        moments = model.mass_moments()
    each = np.broadcast_to(moments, (model.mesh.count, 3))
    return _kept(model, element_matrices(
        model.mesh, lambda part: mass(model.mesh.nodes[part.nodes], each[part.which])
    ))  # fmt: skip


def unknowns_of(model: ShellModel, kept: Array) -> Array:
    """Displacements and rotations of all nodes from those of the kept unknowns, (q, n, 6)."""
    if model.constraints is not None:
        flat = kept @ model.constraints.T.T
    else:
        flat = np.zeros((len(kept), model.fixed.size))
        flat[:, ~model.fixed.ravel()] = kept
    return np.asarray(flat.reshape(len(kept), *model.fixed.shape))


def geometric_matrix(model: ShellModel, forces: Array, *, normal_only: bool = False) -> Any:
    """Sparse geometric stiffness of the free unknowns under section forces, shape (m, 4, 6)."""
    return _kept(model, element_matrices(
        model.mesh, lambda part: geometric(
            model.mesh.nodes[part.nodes], reference_of(model.reference, part.which),
            forces[part.which], normal_only=normal_only)))  # fmt: skip


def settle_shear(model: ShellModel, strains: Array) -> None:
    """Put the shear of equilibrium in place of that of oscillating elements; see `equilibrium`."""
    zone = np.zeros(model.mesh.count, np.int64) if model.zones is None else model.zones.zone
    fit = shear_fit(model.mesh, model.reference, zone)
    if fit is not None:
        settled(fit, model.mesh, model.section_of(np.arange(model.mesh.count)), strains)


def _factor_and_solve(pattern: Pattern, stiffness: list[Array], forces: Array,
                      model: ShellModel, reuse: Reuse) -> Array:  # fmt: skip
    rules = model.constraints
    free = ~model.fixed.ravel()
    if rules is None and reuse.matrix is not None:
        K = reuse.matrix
        K.V = matrix(pattern.values(stiffness))
        right = forces.reshape(len(forces), -1)[:, free]
    elif rules is None:
        values = matrix(pattern.values(stiffness))
        K = spmatrix(values, pattern.rows, pattern.columns, (pattern.size, pattern.size))
        reuse.matrix = K
        right = forces.reshape(len(forces), -1)[:, free]
    else:
        whole = pattern.sparse(stiffness)
        reduced = sp.tril(rules.T.T @ whole @ rules.T).tocoo()
        K = spmatrix(matrix(reduced.data), matrix(reduced.row.astype(int)),
                     matrix(reduced.col.astype(int)), reduced.shape)  # fmt: skip
        right = (forces.reshape(len(forces), -1) - whole @ rules.g) @ rules.T
    if reuse.symbolic is None:
        reuse.symbolic = cholmod.symbolic(K)
    block = matrix(np.ascontiguousarray(right.T))
    try:
        cholmod.numeric(K, reuse.symbolic)
    except ArithmeticError as error:
        # A failed factor must not be reused.
        reuse.symbolic = None
        raise MechanismError("The stiffness matrix is singular: some of the part can move.",
                             "Supports", "Check supports and materials.") from error  # fmt: skip
    cholmod.solve(reuse.symbolic, block)
    found = np.array(block).T
    if rules is None:
        displacement = np.zeros((len(forces), model.fixed.size))
        displacement[:, free] = found
    else:
        displacement = found @ rules.T.T + rules.g
    return displacement.reshape(len(forces), *model.fixed.shape)


def _recover(model: ShellModel, stiffness: list[Array], forces: Array, displacement: Array,
             operators: dict[int, Any] | None) -> Generator[float, None, Solution]:  # fmt: skip
    mesh = model.mesh
    count = len(forces)
    flat = displacement.reshape(count, -1)
    strains = np.empty((count, mesh.count, 4, 8))
    for part in blocks(mesh):
        op = (operators or {}).get(int(part.which[0]))
        op = part.operators(mesh, model.reference) if op is None else op
        u = np.moveaxis(flat[:, part.unknowns], 0, -1)
        strains[:, part.which] = part.form.section_strains(op, model.section_of(part.which), u)
        yield 0.7 * (int(part.which[-1]) + 1) / mesh.count
    settle_shear(model, strains)
    gathered = np.zeros_like(flat)
    for group, K in zip(groups(mesh), stiffness, strict=True):
        u = np.moveaxis(flat[:, group.unknowns], 0, -1)
        per_element = np.moveaxis(K @ u, -1, 0)
        yield 0.8
        for k in range(count):
            np.add.at(gathered[k], group.unknowns, per_element[k])
    internal = gathered.reshape(displacement.shape)
    unbalanced = internal - forces
    held = np.where(model.fixed, unbalanced, 0.0) if model.constraints is None else unbalanced
    applied = np.array([resultant(mesh, f) for f in forces]).reshape(count, 6)
    reaction = np.array([resultant(mesh, f) for f in held]).reshape(count, 6)
    energy = np.einsum("kni,kni->k", internal, displacement) / 2
    scale = np.abs(forces[..., :3]).sum(axis=(1, 2))
    gap = np.abs(applied + reaction)[:, :3].max(axis=1)
    imbalance = float((gap / np.where(scale > 0, scale, 1.0)).max(initial=0.0))
    kept = model.constraints.T.shape[1] if model.constraints else int((~model.fixed).sum())
    return Solution(displacement, strains, applied, reaction, energy, imbalance, kept)
