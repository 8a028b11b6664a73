"""A load set: any mix of forces, strains and mean stresses, with temperature and moisture.

Each of the six components is prescribed in one way; transverse forces are always forces. The
mechanical part is what a reserve factor scales; the response to temperature and moisture with
all prescribed values at zero is the residual part that stays.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.response import Load, PlyResponse, respond_mixed, shear_from_section
from tartan.core.laminate.stiffness import Laminate

Array = NDArray[np.float64]
Way = Literal["force", "strain", "stress"]

COMPONENTS = ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy")
_NONE: tuple[Way, ...] = ("force",) * 6


@dataclass(frozen=True)
class LoadSet:
    """A named load on a laminate.

    Attributes
    ----------
    name : str
        Unique within a project.
    values : tuple of float
        Six components, order x, y, xy, then bending: by `ways` forces and moments per width
        [N/m, N], strains and curvatures [1, 1/m], or mean and flexural stresses N/h and
        6M/h² [Pa].
    ways : tuple of {"force", "strain", "stress"}
        How each component is prescribed.
    Q : tuple of float
        Transverse forces Qx, Qy [N/m].
    dT, dT_gradient : float
        Temperature change from the stress-free state at mid-thickness [K], and its growth
        along z [K/m].
    dC : float
        Change of moisture content [1].
    stack : str
        The stack it belongs to; empty for all.
    """

    name: str
    values: tuple[float, float, float, float, float, float] = (0.0,) * 6
    ways: tuple[Way, Way, Way, Way, Way, Way] = _NONE  # type: ignore[assignment]
    Q: tuple[float, float] = (0.0, 0.0)
    dT: float = 0.0
    dT_gradient: float = 0.0
    dC: float = 0.0
    stack: str = ""

    @property
    def residual(self) -> Load:
        """Its temperature and moisture alone."""
        return Load(dT=self.dT, dT_gradient=self.dT_gradient, dC=self.dC)

    @property
    def is_strain(self) -> NDArray[np.bool_]:
        """Which components prescribe a strain or curvature, shape (6,)."""
        return np.array([w == "strain" for w in self.ways])

    def prescribed(self, thickness: float) -> Array:
        """Prescribed values with mean stresses made forces and moments, shape (6,)."""
        found = np.array(self.values)
        for i, way in enumerate(self.ways):
            if way == "stress":
                found[i] *= thickness if i < 3 else thickness**2 / 6
        return found


def check_load_set(loads: LoadSet) -> LoadSet:
    """Return the load set when it can be used.

    Raises
    ------
    StackError
        When a value is not finite or a way unknown.
    """
    where = f"Load set '{loads.name}'"
    if not all(map(math.isfinite, (*loads.values, *loads.Q, loads.dT, loads.dT_gradient,
                                   loads.dC))):  # fmt: skip
        raise StackError("A load is not a finite number.", where, "Enter a number.")
    return loads


@dataclass(frozen=True, eq=False)
class Answer:
    """Response of a laminate to a load set.

    Attributes
    ----------
    applied, total : PlyResponse
        To the mechanical part, and to all.
    residual : ndarray, shape (n, 3, 3) or None
        Stress of temperature and moisture in ply axes [Pa].
    resultants : ndarray, shape (6,)
        Forces and moments of the whole [N/m, N].
    shear : ndarray, shape (n, 3, 2)
        tau_13, tau_23 by equilibrium [Pa].
    """

    applied: PlyResponse
    total: PlyResponse
    residual: Array | None
    resultants: Array
    shear: Array


def answer(laminate: Laminate, loads: LoadSet) -> Answer:
    """Work out a laminate's response to a load set.

    Raises
    ------
    StackError
        When a load is not finite.
    """
    check_load_set(loads)
    values, known = loads.prescribed(laminate.thickness), loads.is_strain
    applied, resultants = respond_mixed(laminate, known, values, Load())
    total, residual = applied, None
    if loads.dT or loads.dT_gradient or loads.dC:
        total, resultants = respond_mixed(laminate, known, values, loads.residual)
        held, _ = respond_mixed(laminate, known, np.zeros(6), loads.residual)
        residual = held.stress_12
    return Answer(applied, total, residual, resultants, shear_of(laminate, loads.Q))


def shear_of(laminate: Laminate, Q: tuple[float, float]) -> Array:
    """Interlaminar shear stresses under transverse forces, shape (n, 3, 2) [Pa]."""
    if not any(Q):
        return np.zeros((laminate.count, 3, 2))
    section = np.concatenate([np.zeros(6), np.linalg.solve(laminate.shear, np.array(Q))])
    return shear_from_section(laminate, section)


def parts(laminate: Laminate, loads: LoadSet) -> tuple[Load, Load]:
    """The scaled and the resting part as forces, moments and temperatures that would cause them.

    Returns
    -------
    tuple of Load
        The mechanical part; and temperature and moisture with the forces that hold prescribed
        strains at zero.
    """
    values, known = loads.prescribed(laminate.thickness), loads.is_strain
    _, applied = respond_mixed(laminate, known, values, Load())
    _, held = respond_mixed(laminate, known, np.zeros(6), loads.residual)
    rest = loads.residual
    return (Load(applied[:3], applied[3:]),
            Load(held[:3], held[3:], rest.dT, rest.dT_gradient, rest.dC))  # fmt: skip
