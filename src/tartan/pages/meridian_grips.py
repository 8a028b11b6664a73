"""Dimensions of a vessel that are dragged in the section of its meridian. No Qt."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from tartan.core.shell.vessel_shape import End, Vessel, meridian_of


@dataclass(frozen=True)
class Grip:
    """A place of the section that is dragged.

    Attributes
    ----------
    field : str
        Field of `Vessel` that it sets.
    at : tuple of float
        z from the tangent line, outwards, and r [m].
    value : callable
        Value of the field where it is dragged to, from z and r [m].
    """

    field: str
    at: tuple[float, float]
    value: Callable[[float, float], float]


def grips(shape: Vessel, end: End) -> tuple[Grip, ...]:
    """Grips of one end's half, from the middle of the cylinder to the opening.

    Raises
    ------
    PartError
        Where the dome cannot be.
    """
    R, half, opening = shape.radius, shape.length / 2, shape.opening(end)
    line = meridian_of(shape.dome(end), opening)
    rise = float(line.at(np.array(1.0))[1])
    found = [
        Grip("radius", (-half / 2, R), lambda z, r: r),
        Grip("length", (-half, R), lambda z, r: -2 * z),
        Grip(f"{end}_opening", (rise, opening), lambda z, r: r),
    ]
    sort = getattr(shape, f"{end}_dome")
    if sort == "ellipsoid":
        height = float(getattr(shape, f"{end}_height"))
        found.append(Grip(f"{end}_height", (height, 0.0), lambda z, r: z))
    if sort == "torisphere":
        crown, k = (float(getattr(shape, f"{end}_{name}")) for name in ("crown", "knuckle"))
        within = R - k

        def crown_of(z: float, r: float) -> float:
            # The crown meets the knuckle without a bend: (crown − h)² = (crown − k)² − (R − k)².
            over = max(z - k, 1e-9)
            return (over**2 + within**2) / (2 * over) + k

        apex = crown - math.sqrt((crown - k) ** 2 - within**2)
        found.append(Grip(f"{end}_knuckle", (0.0, within), lambda z, r: R - r))
        found.append(Grip(f"{end}_crown", (apex, 0.0), crown_of))
    return tuple(found)
