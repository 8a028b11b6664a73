"""Four-node shell element on its own bilinear surface, six unknowns a node.

The surface is ``x = Σ Nᵢ xᵢ`` with director ``d = Σ Nᵢ nᵢ``, nᵢ the element's own normal at
corner i, so warped elements need no correction and branched shells no averaged normals. A point
at height z moves by ``u + z w``, ``w = Σ Nᵢ θᵢ × nᵢ``. With Cartesian surface axes t1 (the
reference direction projected on the surface) and t2 = n × t1 at every point:

- membrane ``e_ab = ½ (t_a·u,b + t_b·u,a)``, enhanced by four incompatible strain parameters
  against locking in in-plane bending [2];
- curvature ``k_ab = ½ (t_a·w,b + t_b·w,a + d,a·u,b + d,b·u,a)``;
- transverse shear ``x,α·w + d·u,α`` sampled at the middle of the sides and interpolated [1];
- a weak tie of the rotation about the normal to the rotation of the surface at the middle of
  stiffness [3].

Rigid motions strain none of these exactly. Section strains are ordered
``e11, e22, 2e12, k11, k22, 2k12, γ13, γ23`` in the reference axes.

[1] E. N. Dvorkin, K.-J. Bathe, Eng. Comput. 1 (1984) 77–88.
[2] J. C. Simo, M. S. Rifai, Int. J. Numer. Meth. Eng. 29 (1990) 1595–1638.
[3] T. J. R. Hughes, F. Brezzi, Comput. Meth. Appl. Mech. Eng. 72 (1989) 105–121.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]

_G = 1 / np.sqrt(3.0)
GAUSS = np.array([[-_G, -_G], [_G, -_G], [_G, _G], [-_G, _G]])
"""The four sampling points (ξ, η) of every element, in the order of its corners."""

CORNERS = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]])
"""Its corners in the same coordinates."""

_TIES = np.array([[0.0, -1.0], [0.0, 1.0], [-1.0, 0.0], [1.0, 0.0]])

DRILL = 0.3
"""Stiffness of the drilling tie at an element's middle against its in-plane shear stiffness.

Where neighbours meet at an angle h/R, a twisting moment leans on the tie; it must stay well
above (t/R)²/12 to carry it (at 1e-4 the Scordelis-Lo roof drifts by 2 % under refinement).
"""

DRILL_HOURGLASS = 1e-4
"""The same tie at the sampling points, only to hold the patterns that the middle cannot see.

In-plane bending turns corners against the middle, so a strong tie there stiffens it: at 1e-2
slender elements lose 4 %.
"""


def shape(points: Array) -> tuple[Array, Array]:
    """Bilinear shape functions and their derivatives.

    Parameters
    ----------
    points : ndarray, shape (p, 2)
        ξ, η.

    Returns
    -------
    tuple of ndarray
        N, shape (p, 4), and dN, shape (p, 2, 4).
    """
    xi, eta = points[:, :1], points[:, 1:]
    a, b = CORNERS[:, 0], CORNERS[:, 1]
    N = (1 + xi * a) * (1 + eta * b) / 4
    dN = np.stack([a * (1 + eta * b) / 4, b * (1 + xi * a) / 4], axis=1)
    return N, dN


@dataclass(frozen=True, eq=False)
class Frames:
    """Surface axes at p points of m elements.

    Attributes
    ----------
    area : ndarray, shape (m, p)
        |x,ξ × x,η| [m²].
    axes : ndarray, shape (m, p, 3, 3)
        Rows t1, t2, n.
    inverse : ndarray, shape (m, p, 2, 2)
        ∂ξα/∂x_a [1/m].
    """

    area: Array
    axes: Array
    inverse: Array


def frames(x: Array, reference: Array, points: Array) -> Frames:
    """Surface axes from the corners and the reference direction.

    Parameters
    ----------
    x : ndarray, shape (m, 4, 3)
        Corner positions [m].
    reference : ndarray, shape (3,) or (m, 3)
        Direction of the laminate's x axis, not normal to the surface.
    points : ndarray, shape (p, 2)
        ξ, η.
    """
    _, dN = shape(points)
    g = np.einsum("pai,mic->mpac", dN, x)
    n = np.cross(g[:, :, 0], g[:, :, 1])
    area = np.linalg.norm(n, axis=-1)
    n /= area[..., None]
    along = np.broadcast_to(reference, (len(x), 3))[:, None]
    t1 = along - (n * along).sum(axis=-1, keepdims=True) * n
    t1 /= np.linalg.norm(t1, axis=-1, keepdims=True)
    axes = np.stack([t1, np.cross(n, t1), n], axis=2)
    J = np.einsum("mpac,mpbc->mpab", g, axes[:, :, :2])
    return Frames(area, axes, np.linalg.inv(J))


@dataclass(frozen=True, eq=False)
class Operators:
    """Matrices of m elements at the four sampling points.

    Attributes
    ----------
    area : ndarray, shape (m, 4)
        Surface area of each point [m²].
    B : ndarray, shape (m, 4, 8, 24)
        Section strains from the 24 nodal unknowns.
    E : ndarray, shape (m, 4, 3, 4)
        Membrane strains from the four enhanced parameters.
    R : ndarray, shape (m, 4, 24)
        Drilling rotation less rotation of the reference surface.
    R_up : ndarray, shape (m, 4, 24)
        What the same of a surface one metre above adds [1/m]; nothing in rigid motions.
    """

    area: Array
    B: Array
    E: Array
    R: Array
    R_up: Array


def operators(x: Array, reference: Array) -> Operators:
    """Strain operators of a block of elements.

    Parameters
    ----------
    x : ndarray, shape (m, 4, 3)
        Corner positions [m].
    reference : ndarray, shape (3,) or (m, 3)
        Direction of the laminate's x axis.
    """
    m = len(x)
    f = frames(x, reference, GAUSS)
    N, dN = shape(GAUSS)
    t1, t2, n = f.axes[:, :, 0], f.axes[:, :, 1], f.axes[:, :, 2]
    d1, d2 = np.moveaxis(np.einsum("mpab,pbi->mpai", f.inverse, dN), 2, 0)
    normals = frames(x, reference, CORNERS).axes[:, :, 2]
    B = np.zeros((m, 4, 8, 4, 6))
    R = np.zeros((m, 4, 4, 6))

    B[:, :, 0, :, :3] = d1[..., None] * t1[:, :, None]
    B[:, :, 1, :, :3] = d2[..., None] * t2[:, :, None]
    B[:, :, 2, :, :3] = d2[..., None] * t1[:, :, None] + d1[..., None] * t2[:, :, None]

    # t·(θ × n) = θ·(n × t), so the rotations enter through n × t at each corner.
    b1 = np.cross(normals[:, None], t1[:, :, None])
    b2 = np.cross(normals[:, None], t2[:, :, None])
    B[:, :, 3, :, 3:] = d1[..., None] * b1
    B[:, :, 4, :, 3:] = d2[..., None] * b2
    B[:, :, 5, :, 3:] = d2[..., None] * b1 + d1[..., None] * b2
    turn1 = np.einsum("mpi,mic->mpc", d1, normals)[:, :, None]
    turn2 = np.einsum("mpi,mic->mpc", d2, normals)[:, :, None]
    B[:, :, 3, :, :3] = d1[..., None] * turn1
    B[:, :, 4, :, :3] = d2[..., None] * turn2
    B[:, :, 5, :, :3] = d2[..., None] * turn1 + d1[..., None] * turn2

    B[:, :, 6:] = np.einsum("mpab,mpbic->mpaic", f.inverse, _assumed_shear(x, normals))

    R[..., 3:] = N[None, :, :, None] * n[:, :, None]
    R[..., :3] = (d2[..., None] * t1[:, :, None] - d1[..., None] * t2[:, :, None]) / 2
    R_up = np.zeros_like(R)
    spin = (d2[..., None] * b1 - d1[..., None] * b2) / 2
    R_up[..., 3:] = spin - N[None, :, :, None] * spin.sum(axis=2, keepdims=True)
    return Operators(
        f.area,
        B.reshape(m, 4, 8, 24),
        _enhanced(x, reference, f.area),
        R.reshape(m, 4, 24),
        R_up.reshape(m, 4, 24),
    )


def lift(C: Array) -> Array:
    """Height of the middle of stiffness over the reference surface, shape (m,) [m].

    It moves with the reference, so that what refers to it does not depend on that choice.
    """
    found: Array = np.trace(C[:, :3, 3:6], axis1=1, axis2=2) / np.trace(
        C[:, :3, :3], axis1=1, axis2=2
    )
    return found


def _assumed_shear(x: Array, normals: Array) -> Array:
    """Covariant shear at the sampling points, from the side middles, shape (m, 4, 2, 4, 6)."""
    N, dN = shape(_TIES)
    along = np.array([0, 0, 1, 1])
    dNt = dN[np.arange(4), along]
    tangent = np.einsum("ti,mic->mtc", dNt, x)
    director = np.einsum("ti,mic->mtc", N, normals)
    tied = np.zeros((len(x), 4, 4, 6))
    tied[..., :3] = dNt[None, :, :, None] * director[:, :, None]
    tied[..., 3:] = N[None, :, :, None] * np.cross(normals[:, None], tangent[:, :, None])
    xi, eta = GAUSS[:, 0], GAUSS[:, 1]
    weights = np.zeros((4, 2, 4))
    weights[:, 0, 0], weights[:, 0, 1] = (1 - eta) / 2, (1 + eta) / 2
    weights[:, 1, 2], weights[:, 1, 3] = (1 - xi) / 2, (1 + xi) / 2
    interpolated: Array = np.einsum("pat,mtic->mpaic", weights, tied)
    return interpolated


def _enhanced(x: Array, reference: Array, area: Array) -> Array:
    """Enhanced membrane strains; their mean over the element is zero, as the patch test asks."""
    centre = frames(x, reference, np.zeros((1, 2)))
    i = centre.inverse[:, 0]
    p, q, r, s = i[:, 0, 0], i[:, 0, 1], i[:, 1, 0], i[:, 1, 1]
    T = np.moveaxis(
        np.array(
            [[p * p, q * q, p * q], [r * r, s * s, r * s], [2 * p * r, 2 * q * s, p * s + q * r]]
        ),
        -1,
        0,
    )
    M = np.zeros((4, 3, 4))
    xi, eta = GAUSS[:, 0], GAUSS[:, 1]
    M[:, 0, 0], M[:, 1, 1], M[:, 2, 2], M[:, 2, 3] = xi, eta, xi, eta
    scale = centre.area / area
    return np.asarray(scale[..., None, None] * np.einsum("mab,pbc->mpac", T, M))


def stiffness(op: Operators, C: Array) -> Array:
    """Element stiffness matrices.

    Parameters
    ----------
    op : Operators
        From `operators`.
    C : ndarray, shape (m, 8, 8)
        Section stiffness: A, B, D and transverse shear.

    Returns
    -------
    ndarray, shape (m, 24, 24)
        Symmetric, with exactly six zero modes.
    """
    m = len(C)
    weighted = C[:, None] * op.area[..., None, None]
    CB = weighted @ op.B
    flat = op.B.reshape(m, 32, 24)
    K = np.swapaxes(flat, 1, 2) @ CB.reshape(m, 32, 24)
    Kae, Kaa = _enhanced_blocks(op, C, CB)
    K -= np.swapaxes(Kae, 1, 2) @ np.linalg.solve(Kaa, Kae)
    shear = C[:, 2, 2, None] * op.area
    R = op.R + lift(C)[:, None, None] * op.R_up
    K += np.swapaxes(R, 1, 2) @ (DRILL_HOURGLASS * shear[..., None] * R)
    # The mean over the sampling points is the tie at the middle, also of distorted elements.
    mean = (op.area[..., None] * R).sum(axis=1) / op.area.sum(axis=1)[:, None]
    strength = DRILL * shear.sum(axis=1)
    K += strength[:, None, None] * mean[:, :, None] * mean[:, None, :]
    return np.asarray((K + np.swapaxes(K, 1, 2)) / 2)


def _enhanced_blocks(op: Operators, C: Array, CB: Array) -> tuple[Array, Array]:
    m = len(C)
    flat = op.E.reshape(m, 12, 4)
    Kae = np.swapaxes(flat, 1, 2) @ CB[:, :, :3].reshape(m, 12, 24)
    AE = (C[:, None, :3, :3] * op.area[..., None, None]) @ op.E
    Kaa = np.swapaxes(flat, 1, 2) @ AE.reshape(m, 12, 4)
    return Kae, Kaa


def section_strains(op: Operators, C: Array, u: Array) -> Array:
    """Section strains at the sampling points.

    Parameters
    ----------
    op : Operators
        From `operators`.
    C : ndarray, shape (m, 8, 8)
        Section stiffness.
    u : ndarray, shape (m, 24, k)
        Nodal unknowns of k cases.

    Returns
    -------
    ndarray, shape (k, m, 4, 8)
        Membrane strain, curvature, transverse shear strain, with the enhanced part.
    """
    CB = (C[:, None] * op.area[..., None, None]) @ op.B
    Kae, Kaa = _enhanced_blocks(op, C, CB)
    strains = np.einsum("mpse,mek->kmps", op.B, u, optimize=True)
    alpha = -np.linalg.solve(Kaa, Kae @ u)
    strains[..., :3] += np.einsum("mpsa,mak->kmps", op.E, alpha, optimize=True)
    return np.asarray(strains)


def block_operators(
    mesh: Mesh, nodes: NDArray[np.int64], which: NDArray[np.int64], along: Array
) -> Operators:
    """Operators of quadrilaterals of a mesh; see `forms.ElementForm` for the shapes."""
    return operators(mesh.nodes[nodes], along)


def points(x: Array) -> tuple[Array, Array]:
    """Shape functions (p, 4) and normal times area at the sampling points (m, p, 3) [m²]."""
    N, dN = shape(GAUSS)
    g = np.einsum("pai,mic->mpac", dN, x)
    return N, np.cross(g[:, :, 0], g[:, :, 1])


def surface(x: Array, reference: Array) -> tuple[Array, Array, Array, Array]:
    """Shape functions (p, 4), areas (m, p), derivatives (m, p, 2, 4), corner normals (m, 4, 3)."""
    f = frames(x, reference, GAUSS)
    N, dN = shape(GAUSS)
    d = np.einsum("mpab,pbi->mpai", f.inverse, dN)
    return N, f.area, d, frames(x, reference, CORNERS).axes[:, :, 2]
