"""Curvature of the unloaded surface in every element, from the normals of its neighbours."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.assembly import groups, reference_of
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]

CREASE = float(np.cos(np.radians(30)))
"""Neighbours whose normals lie farther apart meet at a crease, which is no curvature."""

FLAT = 1e-9
"""Curvature times element size below which a surface is flat."""


def surface_curvature(mesh: Mesh, reference: Array) -> Array:
    """Curvature of the surface in reference axes, shape (m, 3) [1/m].

    Fitted to how the normals of the neighbours across a side differ from an element's own, which
    is exact for equal elements of a cylinder or sphere but for terms of second order.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    reference : ndarray, shape (3,) or (m, 3)
        Reference direction.

    Returns
    -------
    ndarray
        xx, yy and twice xy, as curvatures by bending are counted: positive where the surface
        bulges to the laying side.
    """
    one, other = _neighbours(mesh)
    normals, centres = mesh.normals(), mesh.centres()
    smooth = np.einsum("pi,pi->p", normals[one], normals[other]) > CREASE
    one, other = one[smooth], other[smooth]
    along = np.broadcast_to(reference_of(reference, np.arange(mesh.count)), normals.shape)
    x = along - np.einsum("mi,mi->m", along, normals)[:, None] * normals
    x = x / np.maximum(np.linalg.norm(x, axis=1), 1e-300)[:, None]
    y = np.cross(normals, x)
    step, turn = centres[other] - centres[one], normals[other] - normals[one]
    dx, dy = (np.einsum("pi,pi->p", step, a[one]) for a in (x, y))
    tx, ty = (np.einsum("pi,pi->p", turn, a[one]) for a in (x, y))
    zero = np.zeros_like(dx)
    rows = np.stack([np.stack([dx, zero, dy], -1), np.stack([zero, dy, dx], -1)], axis=1)
    right = np.stack([tx, ty], axis=-1)
    normal = np.zeros((mesh.count, 3, 3))
    load = np.zeros((mesh.count, 3))
    np.add.at(normal, one, np.einsum("pri,prj->pij", rows, rows))
    np.add.at(load, one, np.einsum("pri,pr->pi", rows, right))
    found = np.einsum("mij,mj->mi", np.linalg.pinv(normal, rcond=1e-9, hermitian=True), load)
    found[:, 2] *= 2
    size = np.sqrt(mesh.areas())
    return np.where(np.abs(found) * size[:, None] < FLAT, 0.0, found)


def _neighbours(mesh: Mesh) -> tuple[Index, Index]:
    """Pairs of elements that share a side of two elements, in both orders."""
    sides, owner = [], []
    for group in groups(mesh):
        ends = np.stack([group.nodes, np.roll(group.nodes, -1, axis=1)], axis=2).reshape(-1, 2)
        sides.append(np.sort(ends, axis=1))
        owner.append(np.repeat(group.which, group.nodes.shape[1]))
    every, of = np.concatenate(sides), np.concatenate(owner)
    key = every[:, 0] * len(mesh.nodes) + every[:, 1]
    order = np.argsort(key, kind="stable")
    key, of = key[order], of[order]
    _, start, count = np.unique(key, return_index=True, return_counts=True)
    first = start[count == 2]
    a, b = of[first], of[first + 1]
    return np.concatenate([a, b]), np.concatenate([b, a])
