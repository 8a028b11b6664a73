"""Consistent mass and geometric stiffness of both elements.

A point at height z moves by ``u + z w`` with ``w = Σ Nᵢ θᵢ × nᵢ``, as in `element`. Kinetic energy
takes the mass moments I0, I1, I2 of the section through the thickness. The geometric stiffness
takes the second-order strain ``½ (u + z w),a · (u + z w),b`` of the stress that is there: of its
resultants N, M and P = ∫ σ z² dz, so that it does not depend on the reference surface.

Source: K.-J. Bathe, Finite Element Procedures (1996), sections 4.2 and 6.8; mass moments as in
J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd ed., eq. 3.4.10.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.forms import FORMS

Array = NDArray[np.float64]


def mass_moments(laminate: Laminate) -> Array:
    """I0, I1, I2 of a laminate about its reference surface, shape (3,) [kg/m², kg/m, kg].

    Raises
    ------
    MaterialError
        When a density is missing.
    """
    rho = np.array([m.need("rho", "the mass") for m in laminate.materials])
    low, high = laminate.z[:-1], laminate.z[1:]
    t, mean = high - low, (high + low) / 2
    return np.array([rho @ t, rho @ (t * mean), rho @ (t * (mean**2 + t**2 / 12))])


def _director(normals: Array) -> Array:
    """Matrices that turn nodal rotations into director motions, ``θ × n``, shape (m, c, 3, 3)."""
    x, y, z = np.moveaxis(normals, -1, 0)
    zero = np.zeros_like(x)
    rows = [[zero, z, -y], [-z, zero, x], [y, -x, zero]]
    return np.moveaxis(np.array(rows), (0, 1), (-2, -1))


def turned(normals: Array, rotations: Array) -> Array:
    """Director motions ``θ × n`` of corners, shape (m, c, 3), of rotations (m, c, 3) [rad]."""
    return np.asarray(np.einsum("micd,mid->mic", _director(normals), rotations))


def surface_of(x: Array, reference: Array) -> tuple[Array, Array, Array, Array]:
    """What the form of elements says of its surface, of corners (m, c, 3); see `ElementForm`."""
    return FORMS[x.shape[1]].surface(x, reference)


def _any_direction(x: Array) -> Array:
    """Some direction along each element: its first side."""
    return x[:, 1] - x[:, 0]


def mass(x: Array, moments: Array) -> Array:
    """Consistent mass matrices.

    Parameters
    ----------
    x : ndarray, shape (m, c, 3)
        Corner positions of quadrilaterals or triangles [m].
    moments : ndarray, shape (m, 3)
        I0, I1, I2 of each element.

    Returns
    -------
    ndarray, shape (m, 6c, 6c)
        Translations have exactly the energy of the mass.
    """
    N, area, _, normals = surface_of(x, _any_direction(x))
    if x.shape[1] == 3:
        # Quadratic products of shape functions are integrated exactly by the middles of sides.
        N = np.array([[0.5, 0.5, 0.0], [0.0, 0.5, 0.5], [0.5, 0.0, 0.5], [1 / 3, 1 / 3, 1 / 3]])
    corners = x.shape[1]
    turn = _director(normals)
    U = np.zeros((4, 3, corners, 6))
    U[:, [0, 1, 2], :, [0, 1, 2]] = N
    W = np.zeros((len(x), 4, 3, corners, 6))
    W[..., 3:] = np.einsum("pi,micd->mpcid", N, turn)
    flat_u, flat_w = U.reshape(4, 3, -1), W.reshape(len(x), 4, 3, -1)
    weight = area[:, :, None] * moments[:, None, :]
    M = np.einsum("mp,pce,pcf->mef", weight[..., 0], flat_u, flat_u)
    cross = np.einsum("mp,pce,mpcf->mef", weight[..., 1], flat_u, flat_w)
    M += cross + np.swapaxes(cross, 1, 2)
    M += np.einsum("mp,mpce,mpcf->mef", weight[..., 2], flat_w, flat_w)
    return np.asarray(M)


def driven(x: Array, moments: Array, vector: Array) -> Array:
    """Consistent mass times one acceleration of all points, without the mass matrices.

    Parameters
    ----------
    x : ndarray, shape (m, c, 3)
        Corner positions of quadrilaterals or triangles [m].
    moments : ndarray, shape (m, 3)
        I0, I1, I2 of each element.
    vector : ndarray, shape (3,)
        The acceleration [m/s²].

    Returns
    -------
    ndarray, shape (m, 6c)
        Forces [N] and moments [N·m] at the corners, as `mass` times that motion.
    """
    N, area, _, normals = surface_of(x, _any_direction(x))
    share = np.einsum("mp,pi->mi", area, N)
    spun = np.einsum("micd,c->mid", _director(normals), vector)
    found = np.empty((len(x), x.shape[1], 6))
    found[..., :3] = (moments[:, :1] * share)[..., None] * vector
    found[..., 3:] = (moments[:, 1:2] * share)[..., None] * spun
    return found.reshape(len(x), -1)


def geometric(x: Array, reference: Array, forces: Array, *, normal_only: bool = False) -> Array:
    """Geometric stiffness matrices.

    Parameters
    ----------
    x : ndarray, shape (m, c, 3)
        Corner positions of quadrilaterals or triangles [m].
    reference : ndarray, shape (3,) or (m, 3)
        Reference direction that the section forces refer to.
    forces : ndarray, shape (m, 4, 9)
        N [N/m], M [N] and P [N·m] at the sampling points, order 11, 22, 12.
    normal_only : bool
        Take only the deflection along the normal into the second-order strain (von Kármán), as
        plate theory does.

    Returns
    -------
    ndarray, shape (m, 6c, 6c)
        Negative where the section is compressed.
    """
    _, area, d, normals = surface_of(x, reference)
    corners = x.shape[1]
    weighted = forces * area[..., None]
    N, M, P = (_square(weighted[..., s : s + 3]) for s in (0, 3, 6))
    scalar = np.einsum("mpai,mpab,mpbj->mij", d, N, d)
    K = np.zeros((len(x), corners, 6, corners, 6))
    if normal_only:
        n = normals.mean(axis=1)
        n /= np.linalg.norm(n, axis=1, keepdims=True)
        K[:, :, :3, :, :3] = np.einsum("mij,mc,md->micjd", scalar, n, n)
        return K.reshape(len(x), 6 * corners, 6 * corners)
    # Every component of u has the same scalar matrix in the displacements.
    for c in range(3):
        K[:, :, c, :, c] = scalar
    bending, second = (np.einsum("mpai,mpab,mpbj->mij", d, of, d) for of in (M, P))
    turn = _director(normals)
    mixed = np.einsum("mij,mjcd->micjd", bending, turn)
    K[:, :, 3:, :, 3:] = np.einsum("mij,miec,mjed->micjd", second, turn, turn)
    K[:, :, :3, :, 3:] += mixed
    K[:, :, 3:, :, :3] += np.moveaxis(mixed, (1, 2, 3, 4), (3, 4, 1, 2))
    return K.reshape(len(x), 6 * corners, 6 * corners)


def _square(values: Array) -> Array:
    """Components 11, 22, 12 as a symmetric matrix, shape (..., 2, 2)."""
    a, b, c = np.moveaxis(values, -1, 0)
    return np.moveaxis(np.array([[a, c], [c, b]]), (0, 1), (-2, -1))
