"""A plain panel for tests: one stack, edges held, a uniform pressure; it holds, or it fails."""

from __future__ import annotations

import dataclasses

from tartan.core.shell.mesh import EDGES, Panel
from tartan.project.document import samples
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Acceleration,
    Case,
    DisplacementRequirement,
    Part,
    Pressure,
    ReserveRequirement,
    Rung,
    Support,
)


def plain_part(stack: str = "reflector sandwich", size: float = 0.04) -> Part:
    """Doubly curved panel of one stack."""
    return Part(Panel(1.6, 1.2, 9.0, 9.0), size, (Rung(stack=stack),))


def dish_panel() -> Project:
    """The panel with the sandwich that holds; stacks 0 to 2 are the sandwiches and the strut."""
    project = samples.dish_panel()
    return dataclasses.replace(
        project,
        stacks=project.stacks[-3:],
        part=plain_part(),
        supports=(
            *(Support(edge, "held along z") for edge in EDGES),
            Support("left edge", "held along x"),
            Support("lower left corner", "held along y"),
        ),
        cases=(
            Case("operating wind", (Pressure(3200.0), Acceleration((0.0, 0.0, -9.81)))),
            Case("own weight", (Acceleration((0.0, 0.0, -9.81)),)),
        ),
        combinations=(),
        tables=(),
        requirements=(ReserveRequirement(1.25), DisplacementRequirement(0.25e-3, "own weight")),
    )


def light_dish_panel() -> Project:
    """The same with the light sandwich: it does not hold."""
    return dataclasses.replace(dish_panel(), name="light", part=plain_part("light sandwich"))
