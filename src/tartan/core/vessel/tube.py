"""What a laminate does as the wall of a tube: growth, twist, burst, and the thick wall beside it.

Thin: membrane forces of `TubeLoad.resultants` with no change of curvature. Thick: exact in three
dimensions, away from the ends.

Source: S. P. Timoshenko and S. Woinowsky-Krieger, Theory of Plates and Shells, 2nd ed., ch. 15;
S. G. Lekhnitskii, Theory of Elasticity of an Anisotropic Body (1963), section 44.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import Criterion
from tartan.core.errors import StackError
from tartan.core.laminate.loadcase import Answer, LoadCase, answer
from tartan.core.laminate.stiffness import Laminate
from tartan.core.laminate.tube import TubeLoad
from tartan.core.strength.laminate_reserves import Beside, checks_of, reserves
from tartan.core.strength.progressive import Rule, ply_discount
from tartan.core.vessel.thick import CylinderLoad, ThickCylinder, thick_cylinder

Array = NDArray[np.float64]

UNIT_PRESSURE = 1e6
"""Pressure that burst is sought with [Pa]; the answer does not depend on it."""


def tube_of(loads: LoadCase) -> TubeLoad:
    """The tube of a load case.

    Raises
    ------
    StackError
        Where it is none.
    """
    if loads.tube is None:
        raise StackError(
            "The load case is not that of a tube.",
            f"Load case '{loads.name}'",
            "Enter it as a tube.",
        )
    return loads.tube


@dataclass(frozen=True)
class Growth:
    """How a tube changes.

    Attributes
    ----------
    radius : float
        Growth of the radius [m].
    length : float
        Growth of the length [m]; 0 where no length is given.
    twist : float
        Turn of one end against the other per length [rad/m].
    axial, hoop, shear : float
        Strains of the wall [1].
    """

    radius: float
    length: float
    twist: float
    axial: float
    hoop: float
    shear: float


def growth(laminate: Laminate, loads: LoadCase, found: Answer | None = None) -> Growth:
    """How a tube changes under a load case, temperature included, by thin-wall theory.

    Raises
    ------
    StackError
        Where the load case is no tube, or the wall has no room.
    """
    tube = tube_of(loads)
    R = tube.mean(laminate.thickness)
    x, y, xy = ((found or answer(laminate, loads)).total.eps0).tolist()
    return Growth(R * y, tube.length * x, xy / R, x, y, xy)


@dataclass(frozen=True)
class Burst:
    """Pressure at which a ply of a tube fails.

    Attributes
    ----------
    pressure : float
        Inside over outside [Pa]; infinite where nothing fails.
    ply : int
        From 0, the innermost.
    level : str
        Where in the ply.
    mode : str
        How it fails.
    key : str
        Criterion by which.
    """

    pressure: float
    ply: int
    level: str
    mode: str
    key: str


def pressed(loads: LoadCase, laminate: Laminate, sign: float = 1.0) -> LoadCase:
    """The load case whose pressure alone is scaled; force, torque and temperature stay.

    Raises
    ------
    StackError
        Where it is no tube.
    """
    tube = tube_of(loads)
    steady = replace(tube, pressure=0.0).resultants(laminate.thickness)
    held = (float(steady[0]), float(steady[1]), float(steady[2]), 0.0, 0.0, 0.0, 0.0, 0.0)
    alone = replace(tube.alone, pressure=np.copysign(UNIT_PRESSURE, sign))
    return replace(loads, tube=alone, held=held, scales_temperature=False)


def first_burst(
    laminate: Laminate,
    loads: LoadCase,
    sets: Mapping[str, tuple[str | Criterion, ...]],
    sign: float = 1.0,
) -> Burst:
    """Pressure at which the first ply fails, force, torque and temperature as they are.

    Parameters
    ----------
    laminate : Laminate
        The wall, from inside out.
    loads : LoadCase
        Of a tube; its own pressure is not read.
    sets : mapping of str to tuple
        Criteria by kind or name of material.
    sign : float
        Above zero for a pressure inside, below for one outside.

    Raises
    ------
    TartanError
        Where the load case is no tube, or a strength is missing.
    """
    case = pressed(loads, laminate, sign)
    found = answer(laminate, case)
    checks = checks_of(laminate, sets)
    worst = reserves(
        checks,
        found.applied.stress_12[None],
        found.shear[None],
        found.residual,
        found.held_shear,
        Beside.of(case),
    ).governing()
    pressure = worst.reserve * np.copysign(UNIT_PRESSURE, sign)
    return Burst(float(pressure), worst.ply, worst.level, worst.mode, worst.criterion)


def last_burst(
    laminate: Laminate,
    loads: LoadCase,
    key: str | Criterion,
    rule: Rule = "mode",
    sign: float = 1.0,
) -> Burst:
    """Greatest pressure that the wall carries ply by ply, by ply discount.

    Raises
    ------
    TartanError
        As `ply_discount`, and where the load case is no tube.
    """
    history = ply_discount(laminate, pressed(loads, laminate, sign), key, rule)
    if not history.steps:
        return Burst(np.inf, -1, "", "none", "")
    last = max(history.steps, key=lambda s: s.reserve)
    pressure = last.reserve * np.copysign(UNIT_PRESSURE, sign)
    name = key if isinstance(key, str) else key.key
    return Burst(float(pressure), last.plies[0], "", last.modes[0], name)


@dataclass(frozen=True, eq=False)
class Wall:
    """Stresses over the radius, thin beside thick; shapes (n, 3) at inside, middle, outside.

    Attributes
    ----------
    radius : ndarray
        [m].
    axial, hoop : ndarray
        Of the thick wall [Pa].
    thin_axial, thin_hoop : ndarray
        Of thin-wall theory [Pa].
    radial : ndarray
        Of the thick wall [Pa]; thin-wall theory knows none.
    cylinder : ThickCylinder
        The whole solution.
    """

    radius: Array
    axial: Array
    hoop: Array
    thin_axial: Array
    thin_hoop: Array
    radial: Array
    cylinder: ThickCylinder

    @property
    def difference(self) -> float:
        """Greatest difference of hoop or axial stress as a share of the greatest thin one [1]."""
        most = max(np.abs(self.thin_axial).max(), np.abs(self.thin_hoop).max())
        gap = max(
            np.abs(self.axial - self.thin_axial).max(), np.abs(self.hoop - self.thin_hoop).max()
        )
        return float(gap / most) if most else 0.0


def thick_wall(laminate: Laminate, loads: LoadCase, found: Answer | None = None) -> Wall:
    """Stresses over the radius in three dimensions, beside those of thin-wall theory.

    Parameters
    ----------
    laminate : Laminate
        The wall, from inside out.
    loads : LoadCase
        Of a tube, with an even temperature.
    found : Answer, optional
        The thin answer, where it is known.

    Raises
    ------
    StackError
        Where the load case is no tube, or a temperature changes through the wall.
    MaterialError
        Where E3, nu13 or nu23 is missing.
    """
    tube = tube_of(loads)
    if loads.dT_gradient or loads.growing_gradient or loads.dC:
        raise StackError(
            "The thick wall is answered for an even temperature without moisture.",
            f"Load case '{loads.name}', thick wall",
            "Set the gradient and the moisture to 0.",
        )
    inner = tube.inner(laminate.thickness)
    tube.resultants(laminate.thickness)
    inside, outside = max(tube.pressure, 0.0), max(-tube.pressure, 0.0)
    load = CylinderLoad(
        inside,
        outside,
        tube.force,
        tube.torque,
        loads.dT + loads.growing_dT,
        closed=tube.closed,
    )
    made = thick_cylinder(laminate, inner, load)
    heights = np.concatenate([[0.0], np.cumsum([p.thickness for p in laminate.stack.plies])])
    radius = inner + np.stack(
        [heights[:-1], (heights[:-1] + heights[1:]) / 2, heights[1:]], axis=1
    )
    thin = (found or answer(laminate, loads)).total.stress_xy
    return Wall(
        radius,
        made.stress[..., 0],
        made.stress[..., 1],
        thin[..., 0],
        thin[..., 1],
        made.stress[..., 2],
        made,
    )
