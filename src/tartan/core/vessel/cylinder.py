"""Layered cylinders, thin by membrane theory and thick in three dimensions.

x is axial, y hoop, z radial outward; the stack is laid from inside out.

Thin: ``Ny = p R``, ``Nx = p R / 2`` (closed ends) ``+ F / (2πR)``, ``Nxy = T / (2πR²)`` with no
change of curvature. Thick: generalised plane strain with uniform axial strain and twist, see
`thick`.

Source: S. P. Timoshenko and S. Woinowsky-Krieger, Theory of Plates and Shells, 2nd ed., ch. 15.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.vessel.thick import CylinderLoad, ThickCylinder, stiffness_3d, thick_cylinder

__all__ = ["CylinderLoad", "ThickCylinder", "stiffness_3d", "thick_cylinder", "thin_resultants"]

Array = NDArray[np.float64]


def thin_resultants(R: float, p: float, closed: bool, F: float = 0.0, T: float = 0.0) -> Array:
    """Membrane forces Nx, Ny, Nxy [N/m], shape (3,).

    Raises
    ------
    PartError
        When the radius is not positive.
    """
    if not R > 0:
        raise PartError(
            f"The radius must be greater than zero, it is {R:g} m.",
            "Cylinder, R",
            "Enter a positive radius.",
        )
    axial = (p * R / 2 if closed else 0.0) + F / (2 * np.pi * R)
    return np.array([axial, p * R, T / (2 * np.pi * R**2)])
