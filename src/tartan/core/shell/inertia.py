"""Consistent mass and geometric stiffness of the four-node element.

A point at height z moves by ``u + z w`` with ``w = Σ Nᵢ θᵢ × nᵢ``, as in `element`. Kinetic energy
takes the mass moments I0, I1, I2 of the section through the thickness. The geometric stiffness
takes the second-order strain ``½ (u + z w),a · (u + z w),b`` of the section forces N and M that
are there; the work of z² is left out, as thin shells allow.

Source: K.-J. Bathe, Finite Element Procedures (1996), sections 4.2 and 6.8; mass moments as in
J. N. Reddy, Mechanics of Laminated Composite Plates and Shells, 2nd ed., eq. 3.4.10.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.element import CORNERS, GAUSS, frames, shape

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
    """Matrices that turn nodal rotations into director motions, ``θ × n``, shape (m, 4, 3, 3)."""
    x, y, z = np.moveaxis(normals, -1, 0)
    zero = np.zeros_like(x)
    rows = [[zero, z, -y], [-z, zero, x], [y, -x, zero]]
    return np.moveaxis(np.array(rows), (0, 1), (-2, -1))


def mass(x: Array, reference: Array, moments: Array) -> Array:
    """Consistent mass matrices.

    Parameters
    ----------
    x : ndarray, shape (m, 4, 3)
        Corner positions [m].
    reference : ndarray, shape (3,) or (m, 3)
        Reference direction; it does not change the result.
    moments : ndarray, shape (m, 3)
        I0, I1, I2 of each element.

    Returns
    -------
    ndarray, shape (m, 24, 24)
        Rigid motions have exactly the energy of the mass.
    """
    f = frames(x, reference, GAUSS)
    N, _ = shape(GAUSS)
    turn = _director(frames(x, reference, CORNERS).axes[:, :, 2])
    U = np.zeros((4, 3, 4, 6))
    U[:, [0, 1, 2], :, [0, 1, 2]] = N
    W = np.zeros((len(x), 4, 3, 4, 6))
    W[..., 3:] = np.einsum("pi,micd->mpcid", N, turn)
    flat_u, flat_w = U.reshape(4, 3, 24), W.reshape(len(x), 4, 3, 24)
    weight = f.area[:, :, None] * moments[:, None, :]
    M = np.einsum("mp,pce,pcf->mef", weight[..., 0], flat_u, flat_u)
    cross = np.einsum("mp,pce,mpcf->mef", weight[..., 1], flat_u, flat_w)
    M += cross + np.swapaxes(cross, 1, 2)
    M += np.einsum("mp,mpce,mpcf->mef", weight[..., 2], flat_w, flat_w)
    return np.asarray(M)


def geometric(x: Array, reference: Array, forces: Array, *, normal_only: bool = False) -> Array:
    """Geometric stiffness matrices.

    Parameters
    ----------
    x : ndarray, shape (m, 4, 3)
        Corner positions [m].
    reference : ndarray, shape (3,) or (m, 3)
        Reference direction that the section forces refer to.
    forces : ndarray, shape (m, 4, 6)
        N [N/m] and M [N] at the sampling points, order 11, 22, 12.
    normal_only : bool
        Take only the deflection along the normal into the second-order strain (von Kármán), as
        plate theory does.

    Returns
    -------
    ndarray, shape (m, 24, 24)
        Negative where the section is compressed.
    """
    f = frames(x, reference, GAUSS)
    _, dN = shape(GAUSS)
    d = np.einsum("mpab,pbi->mpai", f.inverse, dN)
    turn = _director(frames(x, reference, CORNERS).axes[:, :, 2])
    weighted = forces * f.area[..., None]
    N, M = (_square(weighted[..., s : s + 3]) for s in (0, 3))
    # Every component of u has the same scalar matrix in the displacements.
    scalar = np.einsum("mpai,mpab,mpbj->mij", d, N, d)
    bending = np.einsum("mpai,mpab,mpbj->mij", d, M, d)
    K = np.zeros((len(x), 4, 6, 4, 6))
    if normal_only:
        n = f.axes[:, :, 2]
        K[:, :, :3, :, :3] = np.einsum("mpai,mpab,mpbj,mpc,mpd->micjd", d, N, d, n, n)
        return K.reshape(len(x), 24, 24)
    for c in range(3):
        K[:, :, c, :, c] = scalar
    mixed = np.einsum("mij,mjcd->micjd", bending, turn)
    K[:, :, :3, :, 3:] += mixed
    K[:, :, 3:, :, :3] += np.moveaxis(mixed, (1, 2, 3, 4), (3, 4, 1, 2))
    return K.reshape(len(x), 24, 24)


def _square(values: Array) -> Array:
    """Components 11, 22, 12 as a symmetric matrix, shape (..., 2, 2)."""
    a, b, c = np.moveaxis(values, -1, 0)
    return np.moveaxis(np.array([[a, c], [c, b]]), (0, 1), (-2, -1))
