"""Critical loads: the single force or moment, of either sign, at which the first ply fails.

Each is also given as mean stress N/h or flexural stress 6M/h², and as the strain or curvature it
causes. Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., section 4.5.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import Criterion, criterion
from tartan.core.errors import CriterionError
from tartan.core.laminate.response import Load, respond, stress_from_section
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.govern import Reserves, Sets, checks_of, interlaminar, reserves

Array = NDArray[np.float64]

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
    level : str
        Bottom, middle or top.
    mode : str
        Failure mode.
    angle : float or None
        Fracture angle where the criterion knows one [deg].
    criterion : str
        Key of the criterion that governs.
    """

    component: str
    sign: int
    load: float
    stress: float
    deformation: float
    ply: int
    level: str
    mode: str
    angle: float | None
    criterion: str = ""


def critical_loads(
    laminate: Laminate,
    key: str | Criterion,
    residual: Load | None = None,
    skipped: Sequence[int] = (),
) -> list[CriticalLoad]:
    """Twelve critical loads by one criterion for all plies.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    key : str or Criterion
        An in-plane criterion.
    residual : Load, optional
        Temperature and moisture whose stresses stay as they are.
    skipped : sequence of int
        Plies that are not judged, from 0, such as a core; they need no strengths.

    Raises
    ------
    CriterionError, MaterialError
        Unknown criterion, or data it needs that are missing.
    """
    if criterion(key).stress != "in-plane":
        raise CriterionError(
            f"{criterion(key).title} does not read in-plane stresses.",
            "Criteria",
            "Choose an in-plane criterion.",
        )
    sets = {m.name: (key,) for m in laminate.materials}
    return critical_by_sets(laminate, sets, residual, skipped)


def critical_by_sets(
    laminate: Laminate, sets: Sets, residual: Load | None = None, skipped: Sequence[int] = ()
) -> list[CriticalLoad]:
    """Twelve critical loads, the worst of a set of criteria governing.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    sets : mapping
        Criteria by material name or kind.
    residual : Load, optional
        Temperature and moisture whose stresses stay as they are.
    skipped : sequence of int
        Plies that are not judged, from 0.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    h = laminate.thickness
    # A moment of h stresses a laminate about as much as a force of one.
    sizes = np.array([1.0, 1.0, 1.0, h, h, h])
    loads = np.kron(np.diag(sizes), np.array([[1.0], [-1.0]]))
    found = reserves_of_forces(laminate, loads, sets, residual, skipped)
    made = []
    for row, load in enumerate(loads):
        i, sign = row // 2, 1 if row % 2 == 0 else -1
        worst = found.governing(row)
        size = worst.reserve * float(np.abs(load).max())
        stress = size / h if i < 3 else 6 * size / h**2
        made.append(
            CriticalLoad(
                COMPONENTS[i],
                sign,
                size,
                stress,
                sign * size * float(laminate.compliance[i, i]),
                worst.ply,
                worst.level,
                worst.mode,
                worst.angle,
                worst.criterion,
            )
        )
    return made


def reserves_of_forces(
    laminate: Laminate,
    loads: Array,
    sets: Sets,
    fixed: Load | None = None,
    skipped: Sequence[int] = (),
) -> Reserves:
    """Reserve factors of every ply under many forces and moments.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    loads : ndarray, shape (k, 6)
        Forces and moments [N/m, N].
    sets : mapping
        Criteria by material name or kind.
    fixed : Load, optional
        Temperature and moisture whose stresses stay; its forces are not read.
    skipped : sequence of int
        Plies that are not judged, from 0.
    """
    section = np.zeros((len(loads), 8))
    section[:, :6] = loads @ laminate.compliance
    held = None
    if fixed is not None and (fixed.dT or fixed.dT_gradient or fixed.dC):
        held = respond(laminate, replace(fixed, N=np.zeros(3), M=np.zeros(3))).stress_12
    checks = checks_of(laminate, sets, skipped)
    return reserves(checks, stress_from_section(laminate, section), None, held)


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
    shear = np.stack([interlaminar(laminate, Q) for Q in np.eye(2)])
    still = np.zeros((2, laminate.count, 3, 3))
    found = reserves(checks_of(laminate, sets), still, shear).reserve.min(axis=(1, 2))
    return {"Qx": float(found[0]), "Qy": float(found[1])}
