"""Transverse shear of thin elements from the equilibrium of their moments.

In thin shells the shear strain is what keeps directors normal; between unlike elements and on
distorted meshes it oscillates by several times its true size, while moments stay right. There the
shear force is taken from ``Qa = Mab,b`` instead, with the moments fitted over two rings of
neighbours. Thick sections and regular meshes keep the elements' own shear.

Source: equilibrium as in J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd
ed., eq. 3.4.27; the fit over patches as in `patches`.
"""

from __future__ import annotations

from dataclasses import dataclass
from weakref import WeakKeyDictionary

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.shell.element import lift
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.patches import Pairs, axes_of, patches, slopes, turns

Array = NDArray[np.float64]
Index = NDArray[np.int64]

SKEW = 0.04
"""Quadrilaterals farther than this from a parallelogram oscillate, as a share of their size."""

THICK = 10.0
"""Sections with bending over shear stiffness beyond this many element areas keep the elements' own
shear by half or more: there it is as good as their bending."""


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
    axes = axes_of(mesh, reference)
    kept, blocks = [], []
    for rows, (local, f) in patches(mesh):
        same = zone[rows[local]] == zone[f]
        pairs = local[same], f[same]
        slope, usable = slopes(mesh, axes, rows, pairs)
        one = _divergence(rows, pairs, turns(axes, rows, pairs), slope[:, :2], mesh.count)
        blocks.append(one[np.repeat(usable, 2)])
        kept.append(rows[usable])
    return ShearFit(np.concatenate(kept), sp.vstack(blocks).tocsr())


def _divergence(rows: Index, pairs: Pairs, turn: Array, slope: Array, count: int) -> sp.csr_matrix:
    """Operator of ``Qa = Mab,b``, moments of the neighbours turned into each element's axes."""
    local, f = pairs
    c, s = turn.T
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
