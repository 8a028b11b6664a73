"""Things that pages show, as plain records: plies as rows, cards, columns of results, knobs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Row:
    """A ply as the picture shows it; `kind` is the material's."""

    angle: float
    thickness: float
    material: str
    kind: str
    number: int = 0


@dataclass(frozen=True)
class Card:
    """What a card shows; `mark` is a small word at the right in the accent."""

    name: str
    words: str
    rows: tuple[Row, ...] | None = None
    mark: str = ""
    fault: bool = False


@dataclass(frozen=True, eq=False)
class Column:
    """Results beside the plies.

    Attributes
    ----------
    title, unit : str
        What is shown.
    values : ndarray, shape (n, 3) or (n,)
        In display units: a profile at bottom, middle and top of every ply, or one bar a ply.
    need : float or None
        For reserve factors: the least one asked for, drawn as a line.
    before : ndarray of the same shape, or None
        The same of the baseline, where its plies are as many.
    key : str
        Which result it is, for whoever opens its working.
    """

    title: str
    unit: str
    values: Array
    need: float | None = None
    before: Array | None = None
    key: str = ""


@dataclass(frozen=True)
class Handle:
    """A knob that changes a length: where it stands, which way it grows, and how fast.

    Attributes
    ----------
    name : str
        The field it changes.
    at : tuple of float
        Its place [m].
    way : tuple of float
        Unit direction in which the value grows.
    gain : float
        Change of the value for each metre moved.
    value : float
        The value as it stands [m].
    """

    name: str
    at: tuple[float, float, float]
    way: tuple[float, float, float]
    gain: float
    value: float


@dataclass(frozen=True)
class Look:
    """How a cell is shown when not plainly: text, ink, tooltip, and a mode's drawing."""

    text: str
    ink: str = "ink"
    tip: str = ""
    mode: str = ""
