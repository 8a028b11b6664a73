"""Edits of vessels: a pressure inside with what its bosses pass on."""

from __future__ import annotations

import math

from tartan.core.errors import PartError
from tartan.core.shell.vessel_shape import ENDS, Vessel
from tartan.core.stack import Ply
from tartan.core.vessel.netting import netting
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Case,
    EdgeForce,
    Pressure,
    Rung,
    Support,
    Wound,
)
from tartan.project.edits.case_edits import put_cases, put_supports
from tartan.project.edits.design_edits import first_free
from tartan.project.edits.part_edits import put_lay_up
from tartan.project.edits.wound_rungs import MOST_WOUND

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


def balanced_plan(project: Project, burst: float) -> Project:
    """Wind a vessel with hoops and helical layers whose fibres fail together, in place of what is.

    By netting: the helical layers wind round the vessel's opening and carry the caps, the hoops
    what is left of the hoop force. Passes and pairs are whole, so that it holds a little more.
    Liners and other plies stay where they are.

    Parameters
    ----------
    project : Project
        With a vessel, and a ply material whose Xt and ply thickness are known.
    burst : float
        Pressure at which the fibres fail [Pa].

    Raises
    ------
    PartError, MaterialError
        Where there is no vessel or pressure, no material that can be wound, or the opening asks
        for an angle that cannot be balanced.
    """
    part = project.part
    if part is None or not isinstance(part.surface, Vessel):
        raise PartError("The part is no vessel.", "Winding", "Choose the surface 'vessel'.")
    if not (math.isfinite(burst) and burst > 0):
        raise PartError("There is no pressure.", "Winding, pressure", "Enter one above 0.")
    wound = next((r for r in part.lay_up if r.wound is not None and r.ply is not None), None)
    name = wound.ply.material if wound is not None and wound.ply is not None else None
    material = next(
        (m for m in project.materials if m.name == name or (name is None and m.kind == "ply")),
        None,
    )
    if material is None:
        raise PartError("There is no ply material to wind.", "Winding", "Add one in Materials.")
    strength = material.need("Xt", "a balanced plan")
    thickness = wound.ply.thickness if wound is not None and wound.ply is not None else None
    thickness = thickness or material.need("ply_thickness", "a balanced plan")
    like = wound.wound if wound is not None else None
    width = like.bandwidth if like is not None else Wound().bandwidth
    opening = max(part.surface.opening(end) for end in ENDS)
    alpha = math.asin(min(1.0, (opening + width / 2) / part.surface.radius))
    plan = netting(part.surface.radius, alpha, burst, strength, 1.0)
    pairs = math.ceil(plan.helical / (2 * thickness) * (1 - 1e-9))
    passes = math.ceil(plan.hoop / thickness * (1 - 1e-9))
    if max(pairs, passes) > MOST_WOUND:
        raise PartError(
            f"It takes {max(pairs, passes)} layers on each other.",
            "Winding",
            "Lower the pressure, or enter a thicker ply.",
        )
    ply = Ply(material.name, 0.0, thickness)
    helical = Rung(ply=ply, wound=Wound(bandwidth=width, count=pairs))
    hoop = Rung(ply=ply, wound=Wound("hoop", bandwidth=width, count=max(1, passes)))
    kept = [r for r in part.lay_up if r.wound is None]
    return put_lay_up(project, [*kept, hoop, helical] if passes else [*kept, helical])
