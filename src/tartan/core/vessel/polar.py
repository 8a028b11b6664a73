"""Polar winding: a band in a plane that touches the openings at opposite sides of the axis.

On the cylinder it runs at ``tan α = (r₁ + r₂) / (height between both turns)``; on the domes it is
off the geodesic, by a friction that is told.

Source: S. T. Peters (ed.), Composite Filament Winding (ASM International, 2011), ch. 4.
"""

from __future__ import annotations

import math

import numpy as np

from tartan.core.vessel.plan import Mandrel


def polar_angle(mandrel: Mandrel, turning: float) -> float:
    """Angle of a polar band on the cylinder, from the axis [rad].

    Parameters
    ----------
    mandrel : Mandrel
        What is wound.
    turning : float
        Radius at which it turns at both ends [m].

    Raises
    ------
    PartError
        Where a dome does not come as far in.
    """
    height = mandrel.length
    for dome in mandrel.domes:
        height += float(dome.places(np.array([turning]))[0][0])
    return math.atan(2 * turning / height)
