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
from tartan.core.solid.constants import ply_axes, stiffness, turned

Array = NDArray[np.float64]

WITHIN, ACROSS = np.array([0, 1, 3]), np.array([2, 4, 5])
"""Components in the plane, and those across it, of xx, yy, zz, xy, xz, yz."""


def effective(laminate: Laminate) -> Array:
    """Effective stiffness of a laminate, shape (6, 6), order xx, yy, zz, xy, xz, yz [Pa].

    Raises
    ------
    MaterialError
        Where a material lacks what three dimensions need.
    """
    share = np.diff(laminate.z) / laminate.thickness
    known = {id(m): stiffness(m) for m in laminate.materials}
    axes = ply_axes(laminate.angles)
    own, mixed, across = (np.zeros((3, 3)) for _ in range(3))
    for s, material, turn in zip(share, laminate.materials, axes, strict=True):
        C = turned(known[id(material)], turn)
        compliance = np.linalg.inv(C[np.ix_(ACROSS, ACROSS)])
        coupled = C[np.ix_(WITHIN, ACROSS)] @ compliance
        own += s * (C[np.ix_(WITHIN, WITHIN)] - coupled @ C[np.ix_(ACROSS, WITHIN)])
        mixed += s * coupled
        across += s * compliance
    found = np.zeros((6, 6))
    stiff = np.linalg.inv(across)
    found[np.ix_(ACROSS, ACROSS)] = stiff
    found[np.ix_(WITHIN, ACROSS)] = mixed @ stiff
    found[np.ix_(ACROSS, WITHIN)] = (mixed @ stiff).T
    found[np.ix_(WITHIN, WITHIN)] = own + mixed @ stiff @ mixed.T
    return found


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
