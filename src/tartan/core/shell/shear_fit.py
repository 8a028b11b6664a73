"""Transverse shear of thin elements from the equilibrium of their moments.

In thin shells the shear strain is what keeps directors normal; between unlike elements and on
distorted meshes it oscillates by several times its true size, while moments stay right. There the
shear force is taken from ``Qa = Mab,b`` instead, with the moments fitted by a quadratic over two
rings of neighbours. Thick sections and regular meshes keep the elements' own shear.

Source: equilibrium as in J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd
ed., eq. 3.4.27; the fit over patches as in O. C. Zienkiewicz and J. Z. Zhu, Int. J. Numer. Meth.
Eng. 33 (1992) 1331–1364.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.shell.assembly import groups, reference_of
from tartan.core.shell.element import lift
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]

SKEW = 0.04
"""Quadrilaterals farther than this from a parallelogram oscillate, as a share of their size."""

THICK = 10.0
"""Sections with bending over shear stiffness beyond this many element areas keep the elements' own
shear by half or more: there it is as good as their bending."""

BLOCK = 4096
"""Elements fitted at a time."""

_TERMS = ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))
"""Powers of x and y in a quadratic."""

_SAME_SIDE = 0.8
"""Cosine within which a neighbour's normal must be for its moments to be compared."""

_LEAST = 1e-6
"""Least eigenvalue of a fit against its largest; below it a linear one is taken."""


@dataclass(frozen=True, eq=False)
class ShearFit:
    """Shear forces of some elements from the moments of all.

    Attributes
    ----------
    elements : ndarray of int, shape (q,)
        Those that have one.
    operator : sparse matrix, shape (2q, 3m)
        Q1, Q2 of each from M11, M22, M12 of every element [1/m].
    """

    elements: Index
    operator: sp.csr_matrix


def oscillates(mesh: Mesh) -> bool:
    """Whether the elements' own shear is not to be trusted where they are thin.

    The oscillation begins at triangles and skew quadrilaterals and reaches the farther the
    thinner the shell is; a mesh of parallelograms has none.
    """
    x = mesh.nodes[mesh.quads]
    skew = np.linalg.norm(x[:, 0] - x[:, 1] + x[:, 2] - x[:, 3], axis=1) / 4
    size = np.sqrt(mesh.areas()[: len(mesh.quads)])
    return bool(len(mesh.triangles) or (skew > SKEW * size).any())


_kept: WeakKeyDictionary[Mesh, tuple[bytes, ShearFit]] = WeakKeyDictionary()


def shear_fit(mesh: Mesh, reference: Array, zone: Index) -> ShearFit | None:
    """What gives shear forces from moments, where the elements' own oscillate; None elsewhere.

    Remembered with the mesh.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    reference : ndarray, shape (3,) or (m, 3)
        Reference direction.
    zone : ndarray of int, shape (m,)
        Zones; a fit does not reach across their borders.
    """
    if not oscillates(mesh):
        return None
    key = np.ascontiguousarray(reference, float).tobytes() + zone.tobytes()
    known = _kept.get(mesh)
    if known is None or known[0] != key:
        known = _kept[mesh] = (key, _fitted(mesh, reference, zone))
    return known[1]


def _fitted(mesh: Mesh, reference: Array, zone: Index) -> ShearFit:
    normals = mesh.normals()
    along = np.broadcast_to(reference_of(reference, np.arange(mesh.count)), normals.shape)
    t1 = along - (along * normals).sum(axis=1, keepdims=True) * normals
    t1 = t1 / np.linalg.norm(t1, axis=1, keepdims=True)
    axes = np.stack([t1, np.cross(normals, t1), normals], axis=1)
    kept, blocks = [], []
    for rows, pairs in _patches(mesh):
        e, f = rows[pairs[0]], pairs[1]
        same = (zone[e] == zone[f]) & ((normals[e] * normals[f]).sum(axis=1) > _SAME_SIDE)
        local, f = pairs[0][same], f[same]
        slope, usable = _slopes(mesh, axes, rows, (local, f))
        one = _divergence(axes, rows, (local, f), slope, mesh.count)
        blocks.append(one[np.repeat(usable, 2)])
        kept.append(rows[usable])
    return ShearFit(np.concatenate(kept), sp.vstack(blocks).tocsr())


def _touches(mesh: Mesh) -> sp.csr_matrix:
    """Which elements have which nodes, shape (m, n)."""
    rows = np.concatenate([np.repeat(g.which, g.nodes.shape[1]) for g in groups(mesh)])
    nodes = np.concatenate([g.nodes.ravel() for g in groups(mesh)])
    return sp.coo_matrix(
        (np.ones(len(rows)), (rows, nodes)), (mesh.count, len(mesh.nodes))
    ).tocsr()


def _patches(mesh: Mesh) -> Iterator[tuple[Index, tuple[Index, Index]]]:
    """Elements block by block, with pairs of (place in the block, element of its patch)."""
    touches = _touches(mesh)
    beside = (touches @ touches.T).tocsr()
    for start in range(0, mesh.count, BLOCK):
        rows = np.arange(start, min(start + BLOCK, mesh.count))
        two = (beside[rows] @ beside).tocoo()
        order = np.argsort(two.row, kind="stable")
        yield rows, (two.row[order].astype(np.int64), two.col[order].astype(np.int64))


def _slopes(
    mesh: Mesh, axes: Array, rows: Index, pairs: tuple[Index, Index]
) -> tuple[Array, NDArray[np.bool_]]:
    """Share of each neighbour in the slopes along t1 and t2, shape (pairs, 2) [1/m]."""
    local, f = pairs
    areas, centres = mesh.areas(), mesh.centres()
    size = np.sqrt(areas[rows])
    away = np.einsum("pac,pc->pa", axes[rows[local], :2], centres[f] - centres[rows[local]])
    x, y = (away / size[local, None]).T
    weight = areas[f] / (1 + (x * x + y * y) / 4)
    starts = np.searchsorted(local, np.arange(len(rows)))
    # Products of the terms 1, x, y, x², xy, y² are monomials up to the fourth degree.
    powers = [np.ones_like(x), x, x * x, x**3, x**4], [np.ones_like(y), y, y * y, y**3, y**4]
    sums = {
        (i, j): np.add.reduceat(weight * powers[0][i] * powers[1][j], starts)
        for i in range(5)
        for j in range(5 - i)
    }
    N = np.array([[sums[a[0] + b[0], a[1] + b[1]] for b in _TERMS] for a in _TERMS])
    N = np.ascontiguousarray(np.moveaxis(N, -1, 0))
    found = np.zeros((len(local), 2))
    done = np.zeros(len(rows), bool)
    for count in (6, 3):
        values = np.linalg.eigvalsh(N[:, :count, :count])
        good = (values[:, 0] > _LEAST * values[:, -1]) & ~done
        if not good.any():
            continue
        inverse = np.zeros((len(rows), 2, count))
        inverse[good] = np.linalg.inv(N[good, :count, :count])[:, 1:3]
        chosen = inverse[local]
        for k, (i, j) in enumerate(_TERMS[:count]):
            found += chosen[:, :, k] * (weight * powers[0][i] * powers[1][j])[:, None]
        done |= good
    found /= size[local, None]
    return found, done


def _divergence(
    axes: Array, rows: Index, pairs: tuple[Index, Index], slope: Array, count: int
) -> sp.csr_matrix:
    """Operator of ``Qa = Mab,b``, moments of the neighbours turned into each element's axes."""
    local, f = pairs
    own = axes[rows[local]]
    c, s = np.einsum("pac,pc->ap", own[:, :2], axes[f, 0])
    size = np.hypot(c, s)
    c, s = c / size, s / size
    x, y = slope.T
    # M'11, M'12 and M'22 from M11, M22, M12.
    m11 = np.stack([c * c, s * s, -2 * c * s])
    m22 = np.stack([s * s, c * c, 2 * c * s])
    m12 = np.stack([c * s, -c * s, c * c - s * s])
    values = np.stack([x * m11 + y * m12, x * m12 + y * m22])
    row = np.broadcast_to((2 * local + np.array([[0], [1]]))[:, None], values.shape)
    column = np.broadcast_to(3 * f + np.arange(3)[:, None], values.shape)
    return sp.coo_matrix(
        (values.ravel(), (row.ravel(), column.ravel())), (2 * len(rows), 3 * count)
    ).tocsr()


def settled(fit: ShearFit, mesh: Mesh, C: Array, strains: Array) -> None:
    """Replace oscillating shear strains by those of equilibrium, in place.

    Parameters
    ----------
    fit : ShearFit
        From `shear_fit`.
    mesh : Mesh
        The mesh.
    C : ndarray, shape (m, 8, 8)
        Section stiffness, about any reference surface.
    strains : ndarray, shape (k, m, 4, 8)
        Section strains of k cases.
    """
    mean = mesh.point_mean(strains[..., :6])
    e = fit.elements
    # About the middle of stiffness, where in-plane loads do not turn the section.
    up = lift(C)
    forces = np.einsum("mst,kmt->kms", C[:, :6, :6], mean)
    moments = forces[..., 3:] - up[:, None] * forces[..., :3]
    flat = moments.reshape(len(strains), -1)
    Q = (fit.operator @ flat.T).T.reshape(len(strains), len(e), 2)
    H = C[e, 6:, 6:]
    gamma = np.linalg.solve(H[None], Q[..., None])[..., 0]
    D = C[e, 3:6, 3:6] - up[e, None, None] ** 2 * C[e, :3, :3]
    bend, slide = np.trace(D, axis1=1, axis2=2), np.trace(H, axis1=1, axis2=2)
    share = 1 / (1 + np.maximum(bend, 0.0) / (THICK * slide * mesh.areas()[e]))
    own = strains[:, e, :, 6:]
    strains[:, e, :, 6:] = own + share[:, None, None] * (gamma[:, :, None] - own)
