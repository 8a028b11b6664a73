"""Critical loads: the single force or moment, of either sign, at which the first ply fails.

Each is also given as mean stress N/h or flexural stress 6M/h², and as the strain or curvature it
causes. Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., section 4.5.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from tartan.core.laminate.response import SPOTS, Load
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.govern import Sets, govern
from tartan.core.strength.reserve import first_failure

COMPONENTS = ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy")


@dataclass(frozen=True)
class CriticalLoad:
    """First failure under one component alone.

    Attributes
    ----------
    component : str
        One of `COMPONENTS`.
    sign : int
        +1 or -1.
    load : float
        Its size at first failure [N/m or N]; infinite when it never fails.
    stress : float
        Mean or flexural stress then [Pa].
    deformation : float
        Strain [1] or curvature [1/m] of the same component then.
    ply : int
        First of the plies that fail, from 0.
    spot : str
        Bottom, middle or top.
    mode : str
        Failure mode.
    angle : float or None
        Fracture angle where the criterion knows one [deg].
    """

    component: str
    sign: int
    load: float
    stress: float
    deformation: float
    ply: int
    spot: str
    mode: str
    angle: float | None


def critical_loads(
    laminate: Laminate, key: str, residual: Load | None = None
) -> list[CriticalLoad]:
    """Twelve critical loads by a criterion.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    key : str
        The criterion.
    residual : Load, optional
        Temperature and moisture whose stresses stay as they are.

    Raises
    ------
    CriterionError, MaterialError
        As `first_failure`.
    """
    held = residual if residual is not None else Load()
    h = laminate.thickness
    found = []
    for i, component in enumerate(COMPONENTS):
        for sign in (1, -1):
            unit = np.zeros(6)
            # A moment of h stresses a laminate about as much as a force of one.
            size = 1.0 if i < 3 else h
            unit[i] = sign * size
            result = first_failure(laminate, replace(held, N=unit[:3], M=unit[3:]), key)
            ply, spot = result.governing
            load = float(result.reserve.min()) * size
            stress = load / h if i < 3 else 6 * load / h**2
            deformation = sign * load * float(laminate.compliance[i, i])
            angle = None if result.angle is None else float(result.angle[ply, spot])
            found.append(CriticalLoad(component, sign, load, stress, deformation, ply,
                                      SPOTS[spot], result.label, angle))  # fmt: skip
    return found


def critical_shears(laminate: Laminate, sets: Sets) -> dict[str, float]:
    """Transverse shear forces Qx, Qy at first failure [N/m], the same for either sign.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    sets : mapping
        Criteria by material or kind, such as interlaminar shear for plies and core shear for
        cores.

    Raises
    ------
    CriterionError, MaterialError
        As `govern`.
    """
    units = {"Qx": np.array([1.0, 0.0]), "Qy": np.array([0.0, 1.0])}
    return {name: govern(laminate, Load(), Q, sets).reserve for name, Q in units.items()}
