"""Lines of words in the margin of a picture, each with a thread to its place. No Qt.

The words go where all threads together are shortest: then no two threads cross, since uncrossing
two of them would make both shorter together.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Lines:
    """Where the words stand.

    Attributes
    ----------
    ends : ndarray, shape (q, 2)
        Inner end of every line of words, where its thread begins.
    right : ndarray of bool, shape (q,)
        Whether it stands in the right margin, its words going outwards from the end.
    """

    ends: Array
    right: NDArray[np.bool_]


def two_margins(count: int, height: float, high: float, gap: float = 8.0) -> bool:
    """Whether so many lines of words need both margins; one takes less from the picture."""
    return count > max(1, int((height - 2 * gap) // high))


def margin_lines(
    anchors: Array,
    size: tuple[float, float],
    wide: float,
    high: float,
    gap: float = 8.0,
    *,
    right_only: bool = False,
) -> Lines:
    """Place lines of words for some places of a picture.

    Parameters
    ----------
    anchors : ndarray, shape (q, 2)
        Places, in pixels from a lower or upper corner.
    size : tuple of float
        Width and height of the picture.
    wide, high : float
        Width of the widest line of words, and height of a line.
    gap : float
        Distance from the rim.
    right_only : bool
        Whether the left margin is taken by something else.
    """
    width, height = size
    count = len(anchors)
    least = count if right_only else -(-count // 2)
    rows = max(1, int((height - 2 * gap) // high), least)
    y = height / 2 + (np.arange(rows) - (rows - 1) / 2) * min(high, height / rows)
    right = np.stack([np.full(rows, width - gap - wide), y], axis=1)
    left = np.stack([np.full(rows, gap + wide), y], axis=1)
    both = not right_only and two_margins(count, height, high, gap)
    slots = np.concatenate([right, left]) if both else right
    if count == 0:
        return Lines(np.zeros((0, 2)), np.zeros(0, bool))
    far = np.linalg.norm(anchors[:, None] - slots[None], axis=2)
    _, chosen = scipy.optimize.linear_sum_assignment(far)
    return Lines(slots[chosen], chosen < rows)
