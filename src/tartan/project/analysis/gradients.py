"""What is derived of a part's answers: questions, variables, and gradients by sections."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.sensitivity.place import Place

Array = NDArray[np.float64]


@dataclass(frozen=True)
class ReserveAt:
    """Reserve factor of a case at one place: ply of the lay-up, level, point and criterion."""

    case: int
    element: int
    point: int
    ply: int
    level: int
    criterion: str


@dataclass(frozen=True)
class MovedAt:
    """Displacement of a node in a case along a direction [m]."""

    case: int
    node: int
    along: tuple[float, float, float]


@dataclass(frozen=True)
class Buckles:
    """First buckling factor of a case."""

    case: int


@dataclass(frozen=True)
class Swings:
    """First frequency [Hz]; under the loads of a case where one is given."""

    case: int | None = None


Question = ReserveAt | MovedAt | Buckles | Swings


@dataclass(frozen=True, eq=False)
class Variable:
    """What one unit of it changes in every ply of the lay-up, shape (plies,) [m and deg]."""

    thickness: Array
    angle: Array


@dataclass(eq=False)
class Gradient:
    """Derivative of an answer by the figures of every zone's section, and at its place itself.

    Attributes
    ----------
    value : float
        The answer.
    zones : ndarray, shape (z, 103)
        By the figures of `sections`.
    place : Place, optional
        Of a reserve factor: its ply also moves and turns by itself.
    zone : int
        Where that is.
    single : bool
        Whether the derivative is defined: false where two eigenvalues meet.
    """

    value: float
    zones: Array
    place: Place | None = None
    zone: int = -1
    single: bool = True
