"""Neighbourhoods of elements, and slopes of what is known at their centres.

A quadratic is fitted over two rings of neighbours, in the plane of an element's own axes; what is
fitted has components in the neighbours' axes, which are turned into its own.

Source: the fit over patches as in O. C. Zienkiewicz and J. Z. Zhu, Int. J. Numer. Meth. Eng. 33
(1992) 1331–1364.
"""

from __future__ import annotations

from collections.abc import Iterator
from weakref import WeakKeyDictionary

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.shell.assembly import groups, reference_of
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Pairs = tuple[Index, Index]
"""Place of an element in a block, and the number of one of its patch."""

BLOCK = 4096
"""Elements fitted at a time."""

TERMS = ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
"""Powers of x and y in a quadratic."""

RIM = 0.85
"""Elements with fewer neighbours than this share of what is usual get a ring more."""

_SAME_SIDE = 0.8
"""Cosine within which a neighbour's normal must be for what it has to be compared."""

_LEAST = 1e-6
"""Least eigenvalue of a fit against its largest; below it a linear one is taken."""

_known: WeakKeyDictionary[Mesh, list[tuple[Index, Pairs]]] = WeakKeyDictionary()


def axes_of(mesh: Mesh, reference: Array) -> Array:
    """Reference axes of every element and its normal, as rows, shape (m, 3, 3).

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    reference : ndarray, shape (3,) or (m, 3)
        Reference direction.
    """
    normals = mesh.normals()
    along = np.broadcast_to(reference_of(reference, np.arange(mesh.count)), normals.shape)
    t1 = along - (along * normals).sum(axis=1, keepdims=True) * normals
    t1 = t1 / np.linalg.norm(t1, axis=1, keepdims=True)
    return np.stack([t1, np.cross(normals, t1), normals], axis=1)


def patches(mesh: Mesh) -> list[tuple[Index, Pairs]]:
    """Elements block by block, with their pairs within two rings on the same side.

    Remembered with the mesh.

    Returns
    -------
    list
        Of every block its elements, shape (b,), and the pairs, two arrays of shape (pairs,).
    """
    found = _known.get(mesh)
    if found is None:
        found = _known[mesh] = list(_found(mesh))
    return found


def _found(mesh: Mesh) -> Iterator[tuple[Index, Pairs]]:
    touches, normals = _touches(mesh), mesh.normals()
    beside = (touches @ touches.T).tocsr()
    for start in range(0, mesh.count, BLOCK):
        rows = np.arange(start, min(start + BLOCK, mesh.count))
        reach = (beside[rows] @ beside).tocsr()
        # At rims a fit leans to one side and needs more to stand on.
        count = np.diff(reach.indptr)
        few = count < RIM * np.median(count)
        if few.any():
            wide = sp.diags(few.astype(float)) @ reach @ beside
            reach = reach + wide
        two = reach.tocoo()
        order = np.argsort(two.row, kind="stable")
        local, other = two.row[order].astype(np.int64), two.col[order].astype(np.int64)
        same = (normals[rows[local]] * normals[other]).sum(axis=1) > _SAME_SIDE
        yield rows, (local[same], other[same])


def _touches(mesh: Mesh) -> sp.csr_matrix:
    """Which elements have which nodes, shape (m, n)."""
    rows = np.concatenate([np.repeat(g.which, g.nodes.shape[1]) for g in groups(mesh)])
    nodes = np.concatenate([g.nodes.ravel() for g in groups(mesh)])
    return sp.coo_matrix(
        (np.ones(len(rows)), (rows, nodes)), (mesh.count, len(mesh.nodes))
    ).tocsr()


def slopes(mesh: Mesh, axes: Array, rows: Index, pairs: Pairs) -> tuple[Array, NDArray[np.bool_]]:
    """Share of each neighbour in the first and second slopes at an element's centre.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    axes : ndarray, shape (m, 3, 3)
        Of `axes_of`.
    rows : ndarray of int, shape (b,)
        The elements of a block.
    pairs : tuple of ndarray of int, shape (pairs,)
        As `patches` gives, every element with itself among them.

    Returns
    -------
    tuple of ndarray
        Shares in ∂1, ∂2 [1/m] and ∂11, ∂12, ∂22 [1/m²], shape (pairs, 5); and whether an element
        has any, shape (b,). Where neighbours are too few for a quadratic the last three are zero.
    """
    local, f = pairs
    areas, centres = mesh.areas(), mesh.centres()
    size = np.sqrt(areas[rows])
    away = np.einsum("pac,pc->pa", axes[rows[local], :2], centres[f] - centres[rows[local]])
    x, y = (away / size[local, None]).T
    weight = areas[f] / (1 + (x * x + y * y) / 4)
    starts = np.searchsorted(local, np.arange(len(rows)))
    # Products of the terms 1, x, y, x², xy, y² are monomials up to the fourth degree.
    powers = [_powers(x), _powers(y)]
    sums = {
        (i, j): np.add.reduceat(weight * powers[0][i] * powers[1][j], starts)
        for i in range(5)
        for j in range(5 - i)
    }
    N = np.array([[sums[a[0] + b[0], a[1] + b[1]] for b in TERMS] for a in TERMS])
    N = np.ascontiguousarray(np.moveaxis(N, -1, 0))
    inverse = np.zeros((len(rows), 5, 6))
    done = np.zeros(len(rows), bool)
    for count in (6, 3):
        left = np.flatnonzero(~done)
        own = N[left, :count, :count]
        values = np.linalg.eigvalsh(own)
        good = values[:, 0] > _LEAST * values[:, -1]
        inverse[left[good], : count - 1, :count] = np.linalg.inv(own[good])[:, 1:]
        done[left[good]] = True
    terms = np.stack([weight * powers[0][i] * powers[1][j] for i, j in TERMS], axis=1)
    found = np.einsum("pdk,pk->pd", inverse[local], terms)
    found[:, :2] /= size[local, None]
    found[:, 2:] *= np.array([2.0, 1.0, 2.0]) / size[local, None] ** 2
    return found, done


def _powers(x: Array) -> list[Array]:
    """From none to the fourth; by products, which is many times faster than raising."""
    square = x * x
    return [np.ones_like(x), x, square, square * x, square * square]


def turns(axes: Array, rows: Index, pairs: Pairs) -> Array:
    """Cosine and sine of the neighbours' first axes in an element's own, shape (pairs, 2)."""
    local, f = pairs
    found = np.einsum("pac,pc->pa", axes[rows[local], :2], axes[f, 0])
    return np.asarray(found / np.hypot(*found.T)[:, None])
