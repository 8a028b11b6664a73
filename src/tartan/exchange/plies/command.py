"""What the command line says of a ply layout, as the functions take it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from tartan.core.errors import DocumentError
from tartan.exchange.plies.form import PlyLayout, points_of
from tartan.exchange.plies.read import STAY, Placement, placement_of


def names_of(given: Sequence[str]) -> dict[str, str]:
    """Materials of the project by those of the layout, from words such as "their ply=UD carbon".

    Raises
    ------
    DocumentError
        Where one has no equals sign.
    """
    found = {}
    for words in given:
        theirs, sign, ours = words.partition("=")
        if not sign:
            raise DocumentError(
                f"'{words}' names no pair of materials.",
                "--material",
                "Write NAME IN THE LAYOUT=NAME IN THE PROJECT.",
            )
        found[theirs.strip()] = ours.strip()
    return found


def anchored(layout: PlyLayout, given: Sequence[str]) -> Placement:
    """The placement that brings a layout's anchors to three places such as "0,0.5,0" [m].

    Raises
    ------
    DocumentError
        Where they are not three places, or the layout has no anchors.
    PartError
        As `placement_of`.
    """
    if not given:
        return STAY
    if len(layout.anchors) != 3:
        raise DocumentError(
            "The layout has no three anchors to be placed by.",
            "--at",
            'Give three places under "anchors" in its file.',
        )
    try:
        there = np.array([[float(x) for x in words.split(",")] for words in given])
    except ValueError:
        there = np.zeros(0)
    if there.shape != (3, 3) or not np.isfinite(there).all():
        raise DocumentError(
            "A placement is three places.", "--at", "Write --at x,y,z three times, in metres."
        )
    return placement_of(points_of(layout.anchors, layout.metres), there)
