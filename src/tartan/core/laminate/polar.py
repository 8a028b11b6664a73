"""Engineering constants over the direction in the plane.

Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., eqs. 2.97 (constants in turned
axes), applied to the mean compliance of the laminate.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate, strain_rotation

Array = NDArray[np.float64]


def polar_moduli(
    laminate: Laminate, angles: Array, *, bending: bool = False
) -> tuple[Array, Array]:
    """Young's and shear modulus in turned directions.

    Parameters
    ----------
    laminate : Laminate
        The laminate; curvature, or for `bending` stretch, is left free.
    angles : ndarray, shape (...)
        Directions from x towards y [rad].
    bending : bool
        Flexural instead of membrane moduli.

    Returns
    -------
    tuple of ndarray, shape (...)
        E(θ) and G(θ) [Pa].
    """
    h = laminate.thickness
    s = laminate.compliance[3:, 3:] * h**3 / 12 if bending else laminate.compliance[:3, :3] * h
    T = strain_rotation(angles)
    # Stress turned back to laminate axes is the transpose of the strain rotation.
    turned = T @ s @ np.swapaxes(T, -1, -2)
    return 1 / turned[..., 0, 0], 1 / turned[..., 2, 2]
