"""Sample data: the anchor plate of a guy rope of the made-up station, thick and drilled."""

from __future__ import annotations

from dataclasses import replace

from tartan.core.materials import Material
from tartan.core.shell.mesh import Opening, Panel
from tartan.core.stack import Ply, Stack
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Case,
    DisplacementRequirement,
    EdgeForce,
    Part,
    ReserveRequirement,
    Rung,
    Support,
)

PLY = 0.25e-3
HOLE = "earthing hole"


def anchor_plate(tow: Material) -> Project:
    """Build the plate of a unidirectional ply, with what three dimensions ask for."""
    ply = replace(
        tow,
        name="UD carbon, heavy",
        E3=8.9e9,
        nu13=0.31,
        nu23=0.43,
        alpha3=29e-6,
        ply_thickness=PLY,
        source="generic, made up for the sample",
    )
    half = (0.0, 45.0, -45.0, 0.0, 90.0, 0.0, 45.0, -45.0, 0.0, 90.0, 45.0, -45.0)
    stack = Stack("anchor plate", tuple(Ply(ply.name, a, PLY) for a in (*half, *half[::-1])))
    return Project(
        name="Mountain station · anchor plate",
        materials=(ply,),
        stacks=(stack,),
        part=Part(
            Panel(0.28, 0.12, openings=(Opening(HOLE, 0.02, 0.0, 0.024, 0.024),)),
            0.008,
            (Rung(stack=stack.name),),
        ),
        supports=(Support("left edge", "clamped"),),
        # The rope's clamp bar pulls along the plate, and off it as the mast sways.
        cases=(
            Case("rope in a gale", (EdgeForce("right edge", (330e3, 0.0, 400.0)),)),
            Case("rope, iced", (EdgeForce("right edge", (420e3, 0.0, 0.0)),)),
        ),
        requirements=(ReserveRequirement(1.5), DisplacementRequirement(3e-3, "rope in a gale")),
    )
