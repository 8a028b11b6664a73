"""What a wound rung of the ladder has to be."""

from __future__ import annotations

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH
from tartan.core.errors import DocumentError, StackError
from tartan.project.document.partmodel import Rung

LEAST_ANGLE = 0.1
"""Angle from the meridian, and from the hoop, that a helical layer has at least [deg]."""

LEAST_COVER, MOST_COVER = 0.01, 10.0
"""Share of the surface that a layer covers."""

MOST_WOUND = 100
"""Pairs or passes of one wound layer."""


def check_wound(rung: Rung, where: str) -> None:
    """Check that a wound rung holds a ply on the whole vessel.

    The core checks the rest as it is laid.

    Raises
    ------
    DocumentError, StackError
        Naming what is wrong.
    """
    wound = rung.wound
    assert wound is not None
    if rung.ply is None:
        raise DocumentError("A stack is not wound.", where, "Wind a single ply.")
    if rung.region:
        raise DocumentError(
            "A wound layer lies on the whole vessel.", where, "Choose 'the whole part'."
        )
    for name, value in (
        ("opening", wound.opening),
        ("distance from the lower end", wound.start),
        ("distance from the upper end", wound.end),
        ("step back", wound.step_back),
    ):
        if not 0 <= value <= MOST_LENGTH:
            raise StackError(
                f"The {name} of {value:g} m is none.", where, f"Enter 0 to {MOST_LENGTH:g} m."
            )
    for name, value in (("band width", wound.bandwidth), ("thickness", rung.ply.thickness)):
        if not LEAST_LENGTH <= value <= MOST_LENGTH:
            raise StackError(
                f"The {name} of {value:g} m is none.",
                where,
                f"Enter {LEAST_LENGTH:g} m to {MOST_LENGTH:g} m.",
            )
    if not (wound.angle == 0 or LEAST_ANGLE <= wound.angle <= 90 - LEAST_ANGLE):
        raise StackError(
            f"An angle of {wound.angle:g}° is none of a helical layer.",
            where,
            f"Enter {LEAST_ANGLE:g} to {90 - LEAST_ANGLE:g}°, or 0 for the geodesic.",
        )
    if not LEAST_COVER <= wound.coverage <= MOST_COVER:
        raise StackError(
            f"A coverage of {100 * wound.coverage:g} % is none.",
            where,
            f"Enter {100 * LEAST_COVER:g} to {100 * MOST_COVER:g} %.",
        )
    if not 1 <= wound.count <= MOST_WOUND:
        raise StackError(
            f"{wound.count} layers on each other are none.", where, f"Enter 1 to {MOST_WOUND}."
        )
