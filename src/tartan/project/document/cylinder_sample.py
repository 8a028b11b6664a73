"""Sample data: the breathing-air cylinder of the made-up station's crew, wound on a liner."""

from __future__ import annotations

import dataclasses

from tartan.core.criteria import written
from tartan.core.materials import Material, isotropic
from tartan.core.shell.vessel_shape import Vessel
from tartan.core.stack import Ply, Stack
from tartan.project.document.model import USUAL, CriteriaSet, Project
from tartan.project.document.partmodel import (
    Case,
    Direction,
    EdgeForce,
    LeftOut,
    Part,
    Pressure,
    ReserveRequirement,
    Rung,
    Support,
    Wound,
)

SERVICE = 30e6
"""Pressure of the filled cylinder [Pa]."""

OPENING = 0.022
"""Radius of both bosses [m]."""


def _pressed(name: str, pressure: float) -> Case:
    """Pressure inside; the bosses pass what presses on them to the openings' edges."""
    along = pressure * OPENING / 2
    return Case(
        name,
        (
            Pressure(pressure, side="back"),
            EdgeForce("upper edge", (0.0, 0.0, along)),
        ),
    )


LINER = isotropic(
    "polymer liner",
    1.4e9,
    0.4,
    strength=70e6,
    rho=1140.0,
    ply_thickness=3e-3,
    alpha=90e-6,
    source="generic, made up for the sample",
)

RESIN = dataclasses.replace(
    isotropic(
        "winding resin",
        3.2e9,
        0.35,
        rho=1180.0,
        alpha=60e-6,
        source="generic, made up for the sample",
    ),
    kind="filler",
)
"""Fills beside the ends of the hoops; nothing judges it."""

FIBRES = written("fibre stress", "max(s1/Xt, -s1/Xc)")
"""Cracks across the fibres open long before a wound vessel bursts: its fibres are what counts."""


def air_cylinder(carbon: Material) -> Project:
    """Build the cylinder with a tow of a material."""
    tow = Ply(carbon.name, 0.0, 0.3e-3)
    helical = Rung(ply=tow, wound=Wound("helical", bandwidth=0.012, tows=4))
    hoop = Rung(
        ply=dataclasses.replace(tow, angle=90.0),
        wound=Wound(
            "hoop",
            bandwidth=0.012,
            count=3,
            step_back=0.001,
            tows=4,
            speed=1.0,
            filler=RESIN.name,
            run_out=8.0,
        ),
    )
    return Project(
        name="Mountain station · breathing-air cylinder",
        materials=(carbon, LINER, RESIN),
        stacks=(Stack("liner", (Ply(LINER.name, 0.0, 3e-3),)),),
        part=Part(
            Vessel(0.08, 0.3, lower_opening=OPENING, upper_opening=OPENING),
            0.008,
            lay_up=(Rung(stack="liner"), hoop, helical, hoop, helical, hoop, helical, helical),
            directions=(Direction(vector=(0.0, 0.0, 1.0)),),
            reference_surface="bottom",
        ),
        supports=(
            Support("lower edge", "pinned"),
            Support("upper edge", "held along x"),
            Support("upper edge", "held along y"),
        ),
        cases=(_pressed("filled", SERVICE), _pressed("proof test", 1.5 * SERVICE)),
        requirements=(ReserveRequirement(1.25, case="proof test"),),
        left_out=(LeftOut("supports", distance=0.02),),
        criteria=(
            CriteriaSet(
                "fibres",
                (("ply", (FIBRES,)), ("isotropic", ("von_mises",))),
            ),
            USUAL,
        ),
        formulas=(FIBRES,),
    )
