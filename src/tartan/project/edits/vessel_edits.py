"""Edits of vessels: a pressure inside with what its bosses pass on."""

from __future__ import annotations

import math

from tartan.core.errors import PartError
from tartan.core.shell.vessel_shape import Vessel
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Case, EdgeForce, Pressure, Support
from tartan.project.edits.case_edits import put_cases, put_supports
from tartan.project.edits.design_edits import first_free

BOSSES = (
    Support("lower edge", "pinned"),
    Support("upper edge", "held along x"),
    Support("upper edge", "held along y"),
)
"""Bosses that keep their openings round; the upper one moves along the vessel."""


def add_pressure(project: Project, pressure: float) -> Project:
    """Add a case of pressure inside a vessel, closed by its bosses.

    What presses on a boss pulls on the edge of its opening: p r / 2 a length. The lower boss is
    held, where nothing is held yet, and passes its own on as a reaction.

    Raises
    ------
    PartError
        Where the part is no vessel, or the pressure is none.
    """
    part = project.part
    if part is None or not isinstance(part.surface, Vessel):
        raise PartError("The part is no vessel.", "Winding", "Choose the surface 'vessel'.")
    if not (math.isfinite(pressure) and pressure):
        raise PartError("There is no pressure.", "Winding, pressure", "Enter one.")
    along = pressure * part.surface.opening("upper") / 2
    # From within, whichever side is laid.
    loads = (Pressure(pressure, side="back"), EdgeForce("upper edge", (0.0, 0.0, along)))
    name = first_free("pressure", [*project.case_names])
    held = project if project.supports else put_supports(project, BOSSES)
    return put_cases(held, (*held.cases, Case(name, loads)))
