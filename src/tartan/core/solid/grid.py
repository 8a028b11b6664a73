"""Lines of a coupon's grid, and how stresses are taken from its edge inwards."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError

Array = NDArray[np.float64]

GRADED = 2.5
"""Power by which lines crowd towards an edge."""


def to_edge(width: float, count: int) -> Array:
    """Lines over half a width from its middle, crowded to the edge, shape (count + 1,) [m]."""
    return np.asarray(width / 2 * (1 - np.linspace(1, 0, count + 1) ** GRADED))


def to_both_edges(width: float, count: int) -> Array:
    """Lines over a width about its middle, crowded to both edges, shape (2 count + 1,) [m].

    Parameters
    ----------
    width : float
        Whole width [m].
    count : int
        Elements over half of it.
    """
    half = to_edge(width, count)
    return np.concatenate([-half[:0:-1], half])


def belonging(lines: Array) -> Array:
    """Width that belongs to every line, shape (lines,) [m]."""
    half = np.diff(lines) / 2
    return np.asarray(np.concatenate([half, [0.0]]) + np.concatenate([[0.0], half]))


def shares_from_edge(lines: Array, length: float) -> Array:
    """Width of every line's share that lies within a length of the last line, (lines,) [m].

    Forces by line over what belongs to them, times these shares, are summed to the force within
    the length: a stress is linear between two lines.

    Parameters
    ----------
    lines : ndarray, shape (lines,)
        Ascending, the edge last [m].
    length : float
        From the edge inwards [m].

    Raises
    ------
    PartError
        A length that is none, or more than there is.
    """
    if not 0 < length <= lines[-1] - lines[0]:
        raise PartError(
            "The length for the mean lies outside the strip.",
            "Free edge",
            f"Give more than zero and at most {lines[-1] - lines[0]:g} m.",
        )
    start = lines[-1] - length
    inside = np.zeros(len(lines))
    for k, (low, high) in enumerate(pairwise(lines)):
        a = min(max(start, low), high)
        size, left = high - low, high - a
        to_high = (left * (a + high - 2 * low) / 2) / size
        inside[k + 1] += to_high
        inside[k] += left - to_high
    return inside
