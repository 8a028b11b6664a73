"""Sparse stiffness, mass and geometric stiffness of a shell's kept unknowns."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.assembly import Part, element_matrices, make_pattern, reference_of
from tartan.core.shell.inertia import geometric, mass
from tartan.core.shell.model import ShellModel

Array = NDArray[np.float64]


def stiffness_maker(model: ShellModel, kept: dict[int, Any] | None) -> Callable[[Part], Array]:
    """What makes stiffness matrices, shape (m, d, d), of a block; `kept` takes the operators."""

    def make(part: Part) -> Array:
        op = part.operators(model.mesh, model.reference)
        if kept is not None:
            kept[int(part.which[0])] = op
        found: Array = part.form.stiffness(op, model.section_of(part.which))
        return found

    return make


def stiffness_matrices(model: ShellModel) -> list[Array]:
    """Element stiffness matrices, one array a form of element."""
    return element_matrices(model.mesh, stiffness_maker(model, None))


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
    return _kept(
        model,
        element_matrices(
            model.mesh, lambda part: mass(model.mesh.nodes[part.nodes], each[part.which])
        ),
    )


def unknowns_of(model: ShellModel, kept: Array) -> Array:
    """Displacements and rotations of all nodes from those of the kept unknowns, (q, n, 6)."""
    if model.constraints is not None:
        flat = kept @ model.constraints.T.T
    else:
        flat = np.zeros((len(kept), model.fixed.size))
        flat[:, ~model.fixed.ravel()] = kept
    return np.asarray(flat.reshape(len(kept), *model.fixed.shape))


def geometric_matrix(model: ShellModel, forces: Array, *, normal_only: bool = False) -> Any:
    """Sparse geometric stiffness of the free unknowns.

    Parameters
    ----------
    model : ShellModel
        The model.
    forces : ndarray, shape (m, 4, 6) or (m, 4, 9)
        N, M and P as `prestress` gives them; P = 0 where it is left out [N/m, N, N·m].
    normal_only : bool
        As in `geometric`.
    """
    if forces.shape[-1] == 6:
        forces = np.concatenate([forces, np.zeros((*forces.shape[:-1], 3))], axis=-1)
    given = forces
    return _kept(
        model,
        element_matrices(
            model.mesh,
            lambda part: geometric(
                model.mesh.nodes[part.nodes],
                reference_of(model.reference, part.which),
                given[part.which],
                normal_only=normal_only,
            ),
        ),
    )
