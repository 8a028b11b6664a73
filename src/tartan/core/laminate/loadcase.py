"""A load case: any mix of forces, strains and mean stresses, with temperature and moisture.

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

from tartan.core.bounds import MOST_HEAT, MOST_STRESS, beyond
from tartan.core.errors import StackError
from tartan.core.laminate.response import Load, PlyResponse, respond_mixed, shear_from_section
from tartan.core.laminate.stiffness import Laminate
from tartan.core.laminate.tube import TubeLoad, check_tube

Array = NDArray[np.float64]
Way = Literal["force", "strain", "stress"]
Eight = tuple[float, float, float, float, float, float, float, float]

COMPONENTS = ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy")
_NONE: tuple[Way, ...] = ("force",) * 6


@dataclass(frozen=True)
class LoadCase:
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
    held : tuple of float
        Forces, moments and transverse forces that stay while the others are scaled, where a
        force is prescribed; such as what a temperature causes in a part that is not free to
        move [N/m, N, N/m].
    scales_temperature : bool
        Whether temperature and moisture are scaled with the rest, so that nothing stays.
    growing_dT, growing_gradient : float
        Temperature that is scaled with the forces, beside the one that stays [K, K/m].
    press, held_press : float
        Pressure on the faces that a core carries, scaled, and what stays of it [Pa].
    curved : tuple of float
        Curvature xx, yy and twice xy of the unloaded surface, positive where it bulges upwards;
        bent faces of a curved sandwich press on its core [1/m].
    growth, held_growth : tuple of float
        How forces and moments grow along the surface beside the transverse forces, as at a place
        of a part, in the order of `shear.GROWTH`; scaled, and what stays [N/m², N/m].
    tube : TubeLoad or None
        Where the laminate is the wall of a tube: what that is under stands in place of the six
        components, which are kept for when it is a flat laminate again.
    """

    name: str
    values: tuple[float, float, float, float, float, float] = (0.0,) * 6
    ways: tuple[Way, Way, Way, Way, Way, Way] = _NONE  # type: ignore[assignment]
    Q: tuple[float, float] = (0.0, 0.0)
    dT: float = 0.0
    dT_gradient: float = 0.0
    dC: float = 0.0
    stack: str = ""
    held: Eight = (0.0,) * 8
    scales_temperature: bool = False
    growing_dT: float = 0.0
    growing_gradient: float = 0.0
    press: float = 0.0
    held_press: float = 0.0
    curved: tuple[float, float, float] = (0.0, 0.0, 0.0)
    growth: Eight = (0.0,) * 8
    held_growth: Eight = (0.0,) * 8
    tube: TubeLoad | None = None

    @property
    def growing(self) -> Load:
        """The temperature alone that is scaled with the forces beside the one that stays."""
        return Load(dT=self.growing_dT, dT_gradient=self.growing_gradient)

    @property
    def whole_heat(self) -> Load:
        """All temperature and moisture together."""
        return Load(
            dT=self.dT + self.growing_dT,
            dT_gradient=self.dT_gradient + self.growing_gradient,
            dC=self.dC,
        )

    @property
    def residual(self) -> Load:
        """Its temperature and moisture alone."""
        return Load(dT=self.dT, dT_gradient=self.dT_gradient, dC=self.dC)

    @property
    def across(self) -> tuple[float, float]:
        """Transverse forces; the wall of a tube is under none [N/m]."""
        return self.Q if self.tube is None else (0.0, 0.0)

    @property
    def shearing(self) -> Array:
        """Transverse forces and growth that are scaled, shape (10,); nothing of them in a tube."""
        growth = self.growth if self.tube is None else (0.0,) * 8
        return np.array([*self.across, *growth])

    @property
    def held_shearing(self) -> Array:
        """The same of what stays, shape (10,)."""
        growth = self.held_growth if self.tube is None else (0.0,) * 8
        return np.array([*self.held[6:], *growth])

    @property
    def grows(self) -> bool:
        """Whether forces grow along a surface beside the transverse ones."""
        return self.tube is None and (any(self.growth) or any(self.held_growth))

    @property
    def loaded(self) -> bool:
        """Whether it scales any force, moment or strain."""
        tube = self.tube
        if tube is not None:
            return bool(tube.pressure or tube.force or tube.torque)
        return any(self.values)

    @property
    def rests(self) -> bool:
        """Whether anything stays while the rest is scaled."""
        return bool(self.dT or self.dT_gradient or self.dC or any(self.held))

    @property
    def held_forces(self) -> Array:
        """Forces and moments that stay, zero where a strain is prescribed, shape (6,)."""
        return np.where(self.is_strain, 0.0, self.held[:6])

    @property
    def is_strain(self) -> NDArray[np.bool_]:
        """Which components prescribe a strain or curvature, shape (6,)."""
        if self.tube is not None:
            return np.array([False, False, False, True, True, True])
        return np.array([w == "strain" for w in self.ways])

    def prescribed(self, thickness: float) -> Array:
        """Prescribed values with mean stresses made forces and moments, shape (6,).

        Raises
        ------
        StackError
            Where a tube's radius has no room for the wall.
        """
        if self.tube is not None:
            return np.concatenate([self.tube.resultants(thickness), np.zeros(3)])
        found = np.array(self.values)
        for i, way in enumerate(self.ways):
            if way == "stress":
                found[i] *= thickness if i < 3 else thickness**2 / 6
        return found


def check_load_case(loads: LoadCase) -> LoadCase:
    """Return the load case when it can be used.

    Raises
    ------
    StackError
        When a value is not finite or a way unknown.
    """
    where = f"Load case '{loads.name}'"
    if loads.tube is not None:
        check_tube(loads.tube, where)
    if not all(
        map(
            math.isfinite,
            (
                *loads.values,
                *loads.Q,
                loads.dT,
                loads.dT_gradient,
                loads.dC,
                *loads.held,
                loads.growing_dT,
                loads.growing_gradient,
                loads.press,
                loads.held_press,
                *loads.curved,
                *loads.growth,
                *loads.held_growth,
            ),
        )
    ):
        raise StackError("A load is not a finite number.", where, "Enter a number.")
    forces = [
        *loads.Q,
        *loads.held,
        *loads.growth,
        *loads.held_growth,
        *(v for v, w in zip(loads.values, loads.ways, strict=True) if w != "strain"),
    ]
    strains = [v for v, w in zip(loads.values, loads.ways, strict=True) if w == "strain"]
    heats = [loads.dT, loads.dT_gradient / 100, loads.growing_dT, loads.growing_gradient / 100]
    presses = [loads.press, loads.held_press]
    for figures, most in (
        (forces, MOST_STRESS),
        (strains, 1e6),
        (heats, MOST_HEAT),
        ([loads.dC], 1e3),
        (presses, MOST_STRESS),
        (loads.curved, 1e6),
    ):
        if wrong := [v for v in figures if beyond(v, most)]:
            raise StackError(
                f"A load of {wrong[0]:g} is beyond ±{most:g} in SI units.",
                where,
                "Check its unit.",
            )
    return loads


@dataclass(frozen=True, eq=False)
class Answer:
    """Response of a laminate to a load case.

    Attributes
    ----------
    applied, total : PlyResponse
        To the mechanical part, and to all.
    residual : ndarray, shape (n, 3, 3) or None
        Stress of temperature and moisture in ply axes [Pa].
    resultants : ndarray, shape (6,)
        Forces and moments of the whole [N/m, N].
    shear : ndarray, shape (n, 3, 2)
        tau_13, tau_23 by equilibrium, of what is scaled [Pa].
    held_shear : ndarray, shape (n, 3, 2) or None
        The same of what stays [Pa].
    """

    applied: PlyResponse
    total: PlyResponse
    residual: Array | None
    resultants: Array
    shear: Array
    held_shear: Array | None = None


def answer(laminate: Laminate, loads: LoadCase) -> Answer:
    """Work out a laminate's response to a load case.

    Raises
    ------
    StackError
        When a load is not finite.
    """
    check_load_case(loads)
    values, known = loads.prescribed(laminate.thickness), loads.is_strain
    applied, resultants = respond_mixed(laminate, known, values, loads.growing)
    total, residual = applied, None
    if loads.rests:
        stays = loads.held_forces
        total, resultants = respond_mixed(laminate, known, values + stays, loads.whole_heat)
        held, _ = respond_mixed(laminate, known, stays, loads.residual)
        residual = held.stress_12
    stays_shear, scaled = loads.held_shearing, shear_of(laminate, loads.shearing)
    kept = shear_of(laminate, stays_shear) if stays_shear.any() else None
    if loads.scales_temperature:
        both = scaled + (0.0 if kept is None else kept)
        return Answer(total, total, None, resultants, both)
    return Answer(applied, total, residual, resultants, scaled, kept)


def shear_of(laminate: Laminate, shearing: Array) -> Array:
    """Interlaminar shear stresses under transverse forces and growth.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    shearing : ndarray, shape (10,)
        As of `LoadCase.shearing` [N/m; N/m², N/m].

    Returns
    -------
    ndarray, shape (n, 3, 2)
        tau_13, tau_23 by ply and level [Pa].
    """
    if not shearing.any():
        return np.zeros((laminate.count, 3, 2))
    section = np.concatenate([np.zeros(6), np.linalg.solve(laminate.shear, shearing[:2])])
    return shear_from_section(laminate, section, shearing[2:])


def parts(laminate: Laminate, loads: LoadCase) -> tuple[Load, Load]:
    """The scaled and the resting part as forces, moments and temperatures that would cause them.

    Returns
    -------
    tuple of Load
        The mechanical part; and temperature and moisture with the forces that hold prescribed
        strains at zero. Nothing rests where temperature is scaled.
    """
    values, known = loads.prescribed(laminate.thickness), loads.is_strain
    grows = loads.growing
    _, applied = respond_mixed(laminate, known, values, grows)
    _, held = respond_mixed(laminate, known, loads.held_forces, loads.residual)
    rest = loads.residual
    if loads.scales_temperature:
        whole, heat = applied + held, loads.whole_heat
        return Load(whole[:3], whole[3:], heat.dT, heat.dT_gradient, heat.dC), Load()
    return (
        Load(applied[:3], applied[3:], grows.dT, grows.dT_gradient),
        Load(held[:3], held[3:], rest.dT, rest.dT_gradient, rest.dC),
    )
