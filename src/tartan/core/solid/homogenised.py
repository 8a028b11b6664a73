"""One solid in place of many plies: the laminate's effective constants in three dimensions.

Strains in the plane are the same in every ply, stresses across it too; what is averaged is each
ply's answer to these.

Source: C. T. Sun, S. Li, Three-dimensional effective elastic constants for thick laminates, J.
Composite Materials 22 (1988) 629–639.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.solid.constants import expansion, ply_axes, stiffness, strain_turn, turned

Array = NDArray[np.float64]

WITHIN, ACROSS = np.array([0, 1, 3]), np.array([2, 4, 5])
"""Components in the plane, and those across it, of xx, yy, zz, xy, xz, yz."""


def parted(C: Array) -> tuple[Array, Array, Array]:
    """A ply's stiffness by what is within its plane and across it.

    Parameters
    ----------
    C : ndarray, shape (6, 6)
        In the laminate's axes [Pa].

    Returns
    -------
    tuple of ndarray, each of shape (3, 3)
        Stiffness within where nothing acts across [Pa], what acts across adds within [1], and
        compliance across where nothing is stretched within [1/Pa].
    """
    compliance = np.linalg.inv(C[np.ix_(ACROSS, ACROSS)])
    coupled = C[np.ix_(WITHIN, ACROSS)] @ compliance
    within = C[np.ix_(WITHIN, WITHIN)] - coupled @ C[np.ix_(ACROSS, WITHIN)]
    return within, coupled, compliance


def _turned(laminate: Laminate) -> list[Array]:
    known = {id(m): stiffness(m) for m in laminate.materials}
    axes = ply_axes(laminate.angles)
    return [turned(known[id(m)], a) for m, a in zip(laminate.materials, axes, strict=True)]


def effective(laminate: Laminate) -> Array:
    """Effective stiffness of a laminate, shape (6, 6), order xx, yy, zz, xy, xz, yz [Pa].

    Raises
    ------
    MaterialError
        Where a material lacks what three dimensions need.
    """
    share = np.diff(laminate.z) / laminate.thickness
    own, mixed, across = (np.zeros((3, 3)) for _ in range(3))
    for s, C in zip(share, _turned(laminate), strict=True):
        within, coupled, compliance = parted(C)
        own += s * within
        mixed += s * coupled
        across += s * compliance
    found = np.zeros((6, 6))
    stiff = np.linalg.inv(across)
    found[np.ix_(ACROSS, ACROSS)] = stiff
    found[np.ix_(WITHIN, ACROSS)] = mixed @ stiff
    found[np.ix_(ACROSS, WITHIN)] = (mixed @ stiff).T
    found[np.ix_(WITHIN, WITHIN)] = own + mixed @ stiff @ mixed.T
    return found


def ply_expansion(laminate: Laminate) -> Array:
    """Thermal expansion of every ply in the laminate's axes, shape (n, 6) [1/K]."""
    back = np.linalg.inv(strain_turn(ply_axes(laminate.angles)))
    own = np.array([[*expansion(m), 0.0, 0.0, 0.0] for m in laminate.materials])
    return np.asarray(np.einsum("nst,nt->ns", back, own))


def effective_expansion(laminate: Laminate) -> Array:
    """Expansion of one solid in place of all plies, evenly warmed, shape (6,) [1/K].

    Raises
    ------
    MaterialError
        As `effective`.
    """
    share = np.diff(laminate.z) / laminate.thickness
    alpha = ply_expansion(laminate)
    pressed, lifted, mixed, across = np.zeros(3), np.zeros(3), np.zeros((3, 3)), np.zeros((3, 3))
    for s, C, a in zip(share, _turned(laminate), alpha, strict=True):
        within, coupled, compliance = parted(C)
        pressed += s * within @ a[WITHIN]
        lifted += s * (a[ACROSS] + coupled.T @ a[WITHIN])
        mixed += s * coupled
        across += s * compliance
    held = np.zeros(6)
    held[ACROSS] = -np.linalg.solve(across, lifted)
    held[WITHIN] = -pressed + mixed @ held[ACROSS]
    return np.asarray(-np.linalg.solve(effective(laminate), held))


def engineering(C: Array) -> dict[str, float]:
    """Moduli and Poisson's ratios of a stiffness, shape (6, 6) [Pa, 1]."""
    S = np.linalg.inv(C)
    moduli = dict(zip(("Ex", "Ey", "Ez", "Gxy", "Gxz", "Gyz"), 1 / np.diag(S), strict=True))
    ratios = {
        "nuxy": -S[0, 1] / S[0, 0],
        "nuxz": -S[0, 2] / S[0, 0],
        "nuyz": -S[1, 2] / S[1, 1],
    }
    return {k: float(v) for k, v in {**moduli, **ratios}.items()}
