"""Transverse shear stiffness and stress by energy equivalence, and what acts across the plies.

The shear stress follows from in-plane equilibrium when only Mx grows along x (at the rate Qx)
and only My along y (at the rate Qy), every other resultant gradient being zero; the stiffness H
is the one that stores the same energy. One homogeneous layer gives the factor 5/6; the result
does not depend on the reference surface, and x and y couple in angle plies.

Where all gradients of the resultants are known, as in a field, those beside Qx and Qy (the
growth) add stresses that are in balance by themselves: nothing at the faces, no force in sum.

Source: K. Rohwer, Improved Transverse Shear Stiffness for Layered Finite Elements, DFVLR-FB
88-32 (1988); J. M. Whitney, J. Appl. Mech. 39 (1972) 302–304. All gradients: R. Rolfes, K.
Rohwer, Int. J. Numer. Meth. Eng. 40 (1997) 51–60, without their assumption of cylindrical bending.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

# Three Gauss points integrate the fifth degree; the energy density is of the fourth.
_POINTS = np.array([-np.sqrt(0.6), 0.0, np.sqrt(0.6)])
_WEIGHTS = np.array([5.0, 8.0, 5.0]) / 9.0


def transverse_moduli(moduli: Array, angles: Array) -> Array:
    """Transverse shear moduli in laminate axes.

    Parameters
    ----------
    moduli : ndarray, shape (..., n, 2)
        G13, G23 a ply [Pa].
    angles : ndarray, shape (..., n)
        Ply angles [rad].

    Returns
    -------
    ndarray, shape (..., n, 2, 2)
        Order xz, yz [Pa].
    """
    c, s = np.cos(angles), np.sin(angles)
    g13, g23 = moduli[..., 0], moduli[..., 1]
    xx, yy, xy = c * c * g13 + s * s * g23, s * s * g13 + c * c * g23, c * s * (g13 - g23)
    return np.moveaxis(np.array([[xx, xy], [xy, yy]]), (0, 1), (-2, -1))


def shear_distribution(Qbar: Array, z: Array, compliance: Array, at: Array) -> Array:
    """Shear stress per unit transverse force through the thickness, of one laminate or many.

    Parameters
    ----------
    Qbar : ndarray, shape (..., n, 3, 3)
        Reduced stiffness a ply in laminate axes [Pa].
    z : ndarray, shape (..., n + 1)
        Ply interfaces [m].
    compliance : ndarray, shape (..., 6, 6)
        Inverse of ABD.
    at : ndarray, shape (m,)
        Places in every ply, -1 its bottom and 1 its top.

    Returns
    -------
    ndarray, shape (..., n, m, 2, 2)
        f with ``(tau_xz, tau_yz) = f @ (Qx, Qy)`` [1/m]; zero at both faces.
    """
    F = grown(Qbar, z, compliance[..., 3:], at)
    rows = [[F[..., 0, 0], F[..., 2, 1]], [F[..., 2, 0], F[..., 1, 1]]]
    return -np.moveaxis(np.array(rows), (0, 1), (-2, -1))


def grown(Qbar: Array, z: Array, compliance: Array, at: Array) -> Array:
    """In-plane stress summed from the bottom face, per unit section force.

    Parameters
    ----------
    Qbar, z, at : ndarray
        As of `shear_distribution`, shapes (..., n, 3, 3), (..., n + 1) and (m,).
    compliance : ndarray, shape (..., 6, c)
        Columns of the inverse of ABD.

    Returns
    -------
    ndarray, shape (..., n, m, 3, c)
        ``∫ σ dz`` per unit of each force.
    """
    Qb, Qd = (Qbar @ compliance[..., None, k : k + 3, :] for k in (0, 3))
    low, t = z[..., :-1, None], np.diff(z)[..., None]

    def within(height: Array) -> Array:
        """The same from the ply's bottom over `height`, shape (..., 3, c)."""
        square = height * (low + height / 2)
        h, hh = height[..., None, None], square[..., None, None]
        return Qb[..., None, :, :] * h + Qd[..., None, :, :] * hh

    whole = within(t)[..., 0, :, :]
    below = np.cumsum(whole, axis=-3) - whole
    return np.asarray(below[..., None, :, :] + within(t * (1 + at) / 2))


GROWTH = ("Ny,x", "Nx,y", "Nxy,x", "Nxy,y", "My,x", "Mx,y", "Mxy,x", "Mxy,y")
"""Gradients of section forces beside Qx and Qy; Nx,x, Ny,y, Mx,x and My,y follow by balance."""


def growth_distribution(Qbar: Array, z: Array, compliance: Array, at: Array) -> Array:
    """Shear stress per unit growth of the section forces through the thickness.

    Parameters
    ----------
    Qbar, z, compliance, at : ndarray
        As of `shear_distribution`, shapes (..., n, 3, 3), (..., n + 1), (..., 6, 6) and (m,).

    Returns
    -------
    ndarray, shape (..., n, m, 2, 8)
        f with ``(tau_xz, tau_yz) = f @ growth`` in the order of `GROWTH` [1, 1/m]; zero at both
        faces, and nothing in sum.
    """
    F = grown(Qbar, z, compliance, at)
    found = np.empty((*F.shape[:-2], 2, 8))
    for k in (0, 1):
        # What grows along x, then along y; what balance takes back from the normal ones.
        x, y, t = (F[..., 3 * k + c] for c in range(3))
        found[..., 4 * k] = -y[..., [0, 2]]
        found[..., 4 * k + 1] = -x[..., [2, 1]]
        found[..., 4 * k + 2] = -t[..., [0, 2]] + y[..., [2, 1]]
        found[..., 4 * k + 3] = -t[..., [2, 1]] + x[..., [0, 2]]
    return found


def shear_stiffness(Qbar: Array, z: Array, G: Array, compliance: Array) -> Array:
    """Energy-equivalent transverse shear stiffness, of one laminate or many.

    Parameters
    ----------
    Qbar : ndarray, shape (..., n, 3, 3)
        Reduced stiffness a ply in laminate axes [Pa].
    z : ndarray, shape (..., n + 1)
        Ply interfaces [m].
    G : ndarray, shape (..., n, 2, 2)
        Transverse shear moduli a ply in laminate axes [Pa].
    compliance : ndarray, shape (..., 6, 6)
        Inverse of ABD.

    Returns
    -------
    ndarray, shape (..., 2, 2)
        H with ``(Qx, Qy) = H @ (gamma_xz, gamma_yz)`` [N/m].
    """
    f = shear_distribution(Qbar, z, compliance, _POINTS)
    weight = np.diff(z)[..., None] / 2 * _WEIGHTS
    density = np.swapaxes(f, -1, -2) @ np.linalg.inv(G)[..., None, :, :] @ f
    inverse = np.einsum("...nm,...nmij->...ij", weight, density)
    return np.linalg.inv((inverse + np.swapaxes(inverse, -1, -2)) / 2)
