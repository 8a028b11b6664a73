"""Wound vessels: meridian, winding, membrane forces and netting of a solved case."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from tartan.core.errors import PartError
from tartan.core.vessel.isotensoid import Isotensoid
from tartan.core.vessel.meridian import (
    Dome,
    Ellipsoid,
    Profile,
    Torisphere,
    membrane_forces,
)
from tartan.core.vessel.netting import netting
from tartan.core.vessel.winding import Helical, WoundDome
from tartan.exchange.verify.reading import Inputs, NotYetError, number, numbers


def read_dome(inputs: Inputs, R: float) -> Dome:
    """Read the dome of a case.

    Raises
    ------
    PartError
        Where it makes no sense.
    """
    given = inputs.get("dome", {})
    kind = given.get("kind")
    if kind == "isotensoid":
        return Isotensoid(R, number(given.get("r0"), "dome, r0"))
    if kind == "ellipsoid":
        return Ellipsoid(R, number(given.get("height"), "dome, height"))
    if kind in ("sphere", "hemisphere"):
        return Ellipsoid(R, R)
    if kind == "torisphere":
        crown = given.get("crown", given.get("crown_radius"))
        knuckle = given.get("knuckle", given.get("knuckle_radius"))
        return Torisphere(R, number(crown, "dome, crown"), number(knuckle, "dome, knuckle"))
    if kind == "profile":
        points = tuple(
            (float(r), float(z))
            for r, z in (numbers(p, 2, "dome, points") for p in given.get("points", ()))
        )
        return Profile(points)
    raise NotYetError(f"dome {kind}")


def _read_layer(inputs: Inputs) -> Helical:
    given = inputs.get("helical", {})
    turning = given.get("turning", "edge")
    if turning not in ("edge", "centre"):
        raise NotYetError(f"turning {turning}")
    return Helical(
        number(given.get("polar_radius"), "helical, polar_radius"),
        number(given.get("bandwidth"), "helical, bandwidth"),
        number(given.get("ply_thickness"), "helical, ply_thickness"),
        turning,
        number(given.get("coverage"), "helical, coverage", default=1.0),
        int(number(given.get("pairs"), "helical, pairs", default=1.0)),
    )


def wound_vessel(inputs: Inputs) -> dict[str, Any]:
    """Answer a wound vessel."""
    R, L = number(inputs.get("R"), "R"), number(inputs.get("L"), "L")
    dome, layer = read_dome(inputs, R), _read_layer(inputs)
    if abs(dome.R - R) > 1e-9 * R:
        raise PartError(
            f"The meridian begins at {dome.R:g} m, the cylinder has {R:g} m.",
            "Vessel, dome",
            "Begin it on the cylinder.",
        )
    wound = WoundDome(dome, layer)
    radii = np.array([number(r, "radii") for r in inputs.get("radii", ())])
    r0 = wound.turning_radius
    z, s = dome.places(np.append(radii, r0))
    cylinder = 2 * math.pi * R * layer.thickness * L
    found: dict[str, Any] = {
        "turning_radius": r0,
        "alpha_cylinder": math.degrees(float(wound.angle(np.array(R)))),
        "winding_angle": np.degrees(wound.angle(radii)),
        "thickness_cylinder": layer.thickness,
        "thickness": wound.thickness(radii),
        "volume_cylinder": cylinder,
        "volume_dome": wound.volume,
        "volume_total": cylinder + 2 * wound.volume,
        "path_length_dome": wound.path_length,
        "turn_angle_dome": math.degrees(wound.turn_angle),
        "arc_length": float(s[-1]),
        "dome_height": float(z[-1]),
        "meridian_z": z[:-1],
    }
    if isinstance(dome, Isotensoid):
        top = np.array([dome.r_inflection])
        found["isotensoid.r_inflection"] = dome.r_inflection
        found["isotensoid.z_inflection"] = float(dome.places(top)[0][0])
        found["isotensoid.r_vertical"] = dome.r_vertical
        found["isotensoid.z_vertical"] = dome.z_vertical
    if not isinstance(dome, Profile) and inputs.get("p") is not None:
        along, hoop = membrane_forces(dome, radii, number(inputs.get("p"), "p"))
        found["N_meridian"], found["N_hoop"] = along, hoop
    if "netting" in inputs:
        given = inputs["netting"]
        alpha = math.asin(r0 / R)
        burst, strength, Vf, ratio = (
            number(given.get(k), f"netting, {k}", default=d)
            for k, d in (
                ("burst_pressure", None),
                ("fibre_strength", None),
                ("fibre_volume_fraction", None),
                ("stress_ratio", 1.0),
            )
        )
        plan = netting(R, alpha, burst, strength, Vf, ratio)
        found["netting.hoop_to_helical"] = plan.hoop_to_helical
        found["netting.helical_thickness"] = plan.helical
        found["netting.hoop_thickness"] = plan.hoop
    if "hoop" in inputs:
        thickness = number(inputs["hoop"].get("thickness"), "hoop, thickness")
        first, last = numbers(inputs["hoop"].get("inset"), 2, "hoop, inset")
        found["hoop.extent"] = [first, L - last]
        found["hoop.volume"] = 2 * math.pi * R * thickness * (L - first - last)
    return found
