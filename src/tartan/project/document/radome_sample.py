"""Sample data: the cap of the made-up station's radome, draped of fabric deep enough to lock."""

from __future__ import annotations

from dataclasses import replace

from tartan.core.materials import Material
from tartan.core.shell.shapes import Dome
from tartan.core.stack import Ply
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Case,
    Direction,
    Draped,
    Part,
    Pressure,
    ReserveRequirement,
    Rung,
    Support,
)

RISE = 0.35
"""Height of the cap [m]."""


def radome_cap(fabric: Material) -> Project:
    """Build the cap of a woven fabric."""
    cloth = replace(
        fabric, name="radome fabric", locking=30.0, source="generic, made up for the sample"
    )
    start = Draped((0.0, 0.0, RISE))
    rungs = tuple(
        Rung(ply=Ply(cloth.name, angle, 0.4e-3), draped=start) for angle in (0.0, 45.0, 45.0, 0.0)
    )
    return Project(
        name="Mountain station · radome cap",
        materials=(cloth,),
        part=Part(
            Dome(0.6, RISE),
            0.03,
            lay_up=rungs,
            directions=(Direction(vector=(1.0, 0.0, 0.0)),),
            fallback=(0.0, 0.0, 1.0),
        ),
        supports=(Support("lower edge", "clamped"),),
        cases=(Case("gale", (Pressure(1.8e3),)),),
        requirements=(ReserveRequirement(1.5),),
    )
