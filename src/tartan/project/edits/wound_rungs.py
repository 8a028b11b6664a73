"""What a wound rung of the ladder has to be."""

from __future__ import annotations

import math

from tartan.core.errors import DocumentError, StackError
from tartan.project.document.partmodel import Rung

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
    figures = (wound.opening, wound.bandwidth, wound.coverage, wound.start, wound.end)
    if not all(map(math.isfinite, (*figures, wound.step_back))) or wound.opening < 0:
        raise StackError("A figure of the winding is none.", where, "Enter a number.")
    if not 1 <= wound.count <= MOST_WOUND:
        raise StackError(
            f"{wound.count} layers on each other are none.", where, f"Enter 1 to {MOST_WOUND}."
        )
