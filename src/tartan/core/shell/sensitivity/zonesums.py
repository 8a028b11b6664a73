"""What a gradient of a shell's answer is by the sections of its zones.

Elements of a zone share a section, so the derivative of any product ``vᵀ K u`` by all that a
section can be made of is one matrix a zone; variables, however many, are then sums over it.

Source: E. J. Haug, K. K. Choi, V. Komkov, Design Sensitivity Analysis of Structural Systems
(1986), sections 1.2 and 1.3 (static response and eigenvalues).
"""

from __future__ import annotations

from collections.abc import Callable
from types import ModuleType

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.shell.assembly import Part, blocks, finished, groups, over_blocks, reference_of
from tartan.core.shell.inertia import driven, mass, surface_of, turned
from tartan.core.shell.model import ShellModel
from tartan.core.shell.sensitivity import quad, tri

Array = NDArray[np.float64]
Index = NDArray[np.int64]

_SLOPES: dict[int, ModuleType] = {4: quad, 3: tri}

MOST_PAIRS = 16
"""Pairs of states worked on at a time; a block of elements takes about 10 MB with them."""


def zone_of(model: ShellModel) -> tuple[Index, int]:
    """Zone of every element, shape (m,), and how many there are."""
    if model.zones is None:
        return np.zeros(model.mesh.count, np.int64), 1
    return model.zones.zone, len(model.zones.laminates)


def _unknowns(part: Part, fields: Array) -> Array:
    """Nodal unknowns of a block, shape (m, d, k), of fields, shape (k, n, 6)."""
    flat = fields.reshape(len(fields), -1)
    return np.moveaxis(flat[:, part.unknowns], 0, -1)


def _summed(model: ShellModel, shape: tuple[int, ...], each: Callable[[Part], Array]) -> Array:
    """Sum over the elements of every zone of what a block gives, shape (k, m, …) to (k, z, …)."""
    zone, count = zone_of(model)
    size = int(np.prod(shape[1:], dtype=int))
    found: dict[int, Array] = {}

    def one(part: Part) -> None:
        values = np.moveaxis(each(part), 1, 0).reshape(len(part.which), -1)
        pick = sp.coo_matrix(
            (np.ones(len(part.which)), (zone[part.which], np.arange(len(part.which)))),
            (count, len(part.which)),
        ).tocsr()
        found[int(part.which[0])] = pick @ values

    finished(over_blocks(model.mesh, one))
    # Summed in the order of the elements, whichever block was ready first.
    total = sum((found[k] for k in sorted(found)), np.zeros((count, shape[0] * size)))
    return np.moveaxis(np.asarray(total).reshape(count, *shape), 0, 1)


def stiffness_work(model: ShellModel, v: Array, u: Array) -> Array:
    """Derivative of ``vᵀ K u`` by the section stiffness of every zone.

    Parameters
    ----------
    model : ShellModel
        The model, of z zones.
    v, u : ndarray, shape (k, n, 6)
        Pairs of states.

    Returns
    -------
    ndarray, shape (k, z, 8, 8)
        Its sum with a change of the section stiffnesses is the change of the product.
    """
    found = []
    for start in range(0, len(v), MOST_PAIRS):
        some = slice(start, start + MOST_PAIRS)
        found.append(_stiffness_work(model, v[some], u[some]))
    return np.concatenate(found) if found else np.zeros((0, zone_of(model)[1], 8, 8))


def _stiffness_work(model: ShellModel, v: Array, u: Array) -> Array:
    def each(part: Part) -> Array:
        op = part.operators(model.mesh, model.reference)
        slopes = _SLOPES[part.nodes.shape[1]]
        C = np.ascontiguousarray(model.section_of(part.which))
        found: Array = slopes.work(op, C, _unknowns(part, v), _unknowns(part, u))
        return found

    return _summed(model, (len(v), 8, 8), each)


def pull_strains(model: ShellModel, u: Array, which: Index, a: Array) -> tuple[Array, Array]:
    """Gradient by section strains of some elements as one by displacements and by the sections.

    Parameters
    ----------
    model : ShellModel
        The model.
    u : ndarray, shape (n, 6)
        State that the strains are of.
    which : ndarray of int, shape (q,)
        Elements, each once.
    a : ndarray, shape (q, 4, 8)
        Gradient by their section strains at the sampling points.

    Returns
    -------
    tuple of ndarray
        Gradients by the unknowns, shape (n, 6), and by the section stiffnesses, shape (z, 8, 8).
    """
    zone, count = zone_of(model)
    place = np.full(model.mesh.count, -1)
    place[which] = np.arange(len(which))
    by_u, by_C = np.zeros(u.size), np.zeros((count, 8, 8))
    for part in blocks(model.mesh):
        inside = place[part.which] >= 0
        if not inside.any():
            continue
        some = Part(part.nodes[inside], part.which[inside], part.form)
        op = some.operators(model.mesh, model.reference)
        C = np.ascontiguousarray(model.section_of(some.which))
        slopes = _SLOPES[some.nodes.shape[1]]
        own, of_C = slopes.pull(op, C, _unknowns(some, u[None]), a[place[some.which]][None])
        np.add.at(by_u, some.unknowns, own[..., 0])
        np.add.at(by_C, zone[some.which], of_C[0])
    return by_u.reshape(u.shape), by_C


def heat_work(model: ShellModel, v: Array) -> Array:
    """Work of free resultants of every element on states, shape (k, m, 6) by N and M.

    Its sum with the change of what free expansion would be resisted with is that of ``vᵀ f``; v
    has the shape (k, n, 6).
    """
    found = np.zeros((len(v), model.mesh.count, 6))

    def each(part: Part) -> None:
        op = part.operators(model.mesh, model.reference)
        found[:, part.which] = np.einsum(
            "mp,mpse,mek->kms", op.area, op.B[:, :, :6], _unknowns(part, v), optimize=True
        )

    finished(over_blocks(model.mesh, each))
    return found


def driven_work(model: ShellModel, v: Array, vector: Array) -> Array:
    """Derivative of ``vᵀ f`` of an acceleration by I0, I1, I2 of every zone.

    Parameters
    ----------
    model : ShellModel
        The model.
    v : ndarray, shape (k, n, 6)
        States.
    vector : ndarray, shape (3,)
        The acceleration [m/s²].

    Returns
    -------
    ndarray, shape (k, z, 3)
    """

    def each(part: Part) -> Array:
        x = model.mesh.nodes[part.nodes]
        units = [driven(x, np.broadcast_to(e, (len(x), 3)), vector) for e in np.eye(3)]
        found: Array = np.einsum("sme,mek->kms", np.array(units), _unknowns(part, v))
        return found

    return _summed(model, (len(v), 3), each)


def mass_work(model: ShellModel, v: Array, u: Array) -> Array:
    """Derivative of ``vᵀ M u`` by I0, I1, I2 of every zone, shape (k, z, 3), of (k, n, 6)."""

    def each(part: Part) -> Array:
        x = model.mesh.nodes[part.nodes]
        a, b = _unknowns(part, v), _unknowns(part, u)
        found = [
            np.einsum("mek,mek->km", a, mass(x, np.broadcast_to(e, (len(x), 3))) @ b)
            for e in np.eye(3)
        ]
        return np.stack(found, axis=-1)

    return _summed(model, (len(v), 3), each)


def geometric_work(model: ShellModel, v: Array) -> Array:
    """Derivative of ``vᵀ G v`` by the prestress N, M, P at every point, shape (m, 4, 9).

    `v` is one state, shape (n, 6); the order is 11, 22, 12.
    """
    mesh = model.mesh
    found = np.zeros((mesh.count, 4, 9))
    for part in groups(mesh):
        x = mesh.nodes[part.nodes]
        _, area, d, normals = surface_of(x, reference_of(model.reference, part.which))
        own = v[part.nodes]
        moved = np.einsum("mpai,mic->mpac", d, own[..., :3])
        spun = np.einsum("mpai,mic->mpac", d, turned(normals, own[..., 3:]))
        for start, (a, b, twice) in enumerate(
            ((moved, moved, 1.0), (moved, spun, 2.0), (spun, spun, 1.0))
        ):
            product = twice * area[..., None, None] * np.einsum("mpac,mpbc->mpab", a, b)
            at = found[part.which, :, 3 * start : 3 * start + 3]
            at[..., 0], at[..., 1] = product[..., 0, 0], product[..., 1, 1]
            at[..., 2] = product[..., 0, 1] + product[..., 1, 0]
            found[part.which, :, 3 * start : 3 * start + 3] = at
    return found
