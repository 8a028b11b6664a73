"""What a wound rung of the ladder has to be."""

from __future__ import annotations

from collections.abc import Mapping

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH
from tartan.core.errors import DocumentError, StackError
from tartan.project.document.partmodel import Rung, Wound

LEAST_ANGLE = 0.1
"""Angle from the meridian, and from the hoop, that a helical layer has at least [deg]."""

LEAST_COVER, MOST_COVER = 0.01, 10.0
"""Share of the surface that a layer covers."""

MOST_WOUND = 100
"""Pairs or passes of one wound layer."""


MOST_TOWS, LEAST_SPEED, MOST_SPEED, MOST_RUN_OUT = 1000, 1e-3, 100.0, 100.0
"""Tows in a band, speed of winding [m/s], length of resin beside an end by its height."""


def check_wound(rung: Rung, where: str, kinds: Mapping[str, str]) -> None:
    """Check that a wound rung holds a ply on the whole vessel.

    The core checks the rest as it is laid. `kinds` are those of the materials, by name.

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
    _check_figures(wound, where)
    _check_filler(wound, where, kinds)


def _check_figures(wound: Wound, where: str) -> None:
    cover = (100 * LEAST_COVER, 100 * MOST_COVER)
    for value, (low, high), what, unit in (
        (100 * wound.coverage, cover, "A coverage", "%"),
        (wound.count, (1, MOST_WOUND), "A layer", "on each other"),
        (wound.tows, (1, MOST_TOWS), "A band", "tows"),
        (wound.speed, (LEAST_SPEED, MOST_SPEED), "A speed", "m/s"),
        (wound.run_out, (1, MOST_RUN_OUT), "Resin that runs out in a length", "times its height"),
    ):
        if not low <= value <= high:
            raise StackError(
                f"{what} of {value:g} {unit} is none.", where, f"Enter {low:g} to {high:g} {unit}."
            )


def _check_filler(wound: Wound, where: str, kinds: Mapping[str, str]) -> None:
    if wound.filler and kinds.get(wound.filler) != "filler":
        what = "no resin filler" if wound.filler in kinds else "no material of the project"
        raise StackError(
            f"'{wound.filler}' is {what}.",
            where,
            "Choose a material of the kind 'resin filler', or none.",
        )
