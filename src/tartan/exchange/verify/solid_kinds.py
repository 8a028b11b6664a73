"""Answers of layered solids: plates of plies as bricks in three dimensions."""

from __future__ import annotations

from typing import Any

import numpy as np

from tartan.core.errors import PartError
from tartan.core.solid.plate import SolidPlate, bent
from tartan.exchange.verify.reading import Inputs, number, read_laminate

ACROSS, LAYERS = 14, 20
"""Elements along half a side, and through all plies together at least."""


def pagano_solid(inputs: Inputs) -> dict[str, Any]:
    """A simply supported plate under a sinusoidal pressure, by bricks ply by ply.

    Raises
    ------
    PartError
        Sides that are none, or plies that do not keep the symmetry of the plate.
    """
    laminate = read_laminate(inputs)
    a, b, q0 = (number(inputs.get(k), k) for k in ("a", "b", "q0"))
    if min(a, b) <= 0:
        raise PartError("The plate's sides must be greater than zero.", "a, b", "Mend a or b.")
    if (np.abs(np.sin(2 * laminate.angles)) > 1e-9).any():
        raise PartError(
            "Plies between 0° and 90° do not keep the symmetry of the plate.",
            "Stack",
            "Take cross-plies.",
        )
    per_ply = max(4, -(-LAYERS // laminate.count))
    found = bent(laminate, a, b, q0, across=ACROSS, per_ply=per_ply)
    names = [f for f in SolidPlate.__dataclass_fields__ if not f.startswith("_")]
    answers = {name: getattr(found, name) for name in names}
    scaled = inputs.get("nondimensional")
    if scaled:
        answers |= _scaled(found, laminate.thickness, (a, q0), scaled)
    return answers


def _scaled(
    found: SolidPlate, h: float, plate: tuple[float, float], by: dict[str, Any]
) -> dict[str, Any]:
    """Figures without dimension, as the literature has them."""
    a, q = plate
    stress, shear = h**2 / (q * a**2), h / (q * a)
    count = len(found.sigma_x_center)
    # Mid-height lies between two plies, or in the middle of one.
    at = (count // 2, 1) if count % 2 else (count // 2, 0)
    return {
        "nd.w": 100 * number(by.get("E2"), "E2") * found.w_mid * h**3 / (q * a**4),
        "nd.sigma_x_top": found.sigma_x_center[-1, 2] * stress,
        "nd.sigma_x_bottom": found.sigma_x_center[0, 0] * stress,
        "nd.tau_xz_mid": found.tau_xz_edge[at] * shear,
        "nd.tau_yz_mid": found.tau_yz_edge[at] * shear,
        "nd.tau_xy_top": found.tau_xy_corner[-1, 2] * stress,
        "nd.sigma_y": found.sigma_y_center[int(by.get("sigma_y_ply", 1)) - 1, 2] * stress,
    }
