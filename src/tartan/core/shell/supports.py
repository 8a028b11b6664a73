"""Supports as eliminated unknowns, and a check that they leave no rigid motion."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

SUPPORT_KINDS: dict[str, tuple[int, ...]] = {
    "clamped": (0, 1, 2, 3, 4, 5),
    "pinned": (0, 1, 2),
    "held along x": (0,),
    "held along y": (1,),
    "held along z": (2,),
    "symmetry about x": (0, 4, 5),
    "symmetry about y": (1, 3, 5),
    "symmetry about z": (2, 3, 4),
    "free only along x": (1, 2),
    "free only along y": (0, 2),
    "free only along z": (0, 1),
    "rotations held": (3, 4, 5),
    "rotation held about x": (3,),
    "rotation held about y": (4,),
    "rotation held about z": (5,),
}
"""Kinds of support and the unknowns they hold: displacements x, y, z, then rotations."""

_MOTIONS = (
    "move along x",
    "move along y",
    "move along z",
    "turn about x",
    "turn about y",
    "turn about z",
)


def free_motions(nodes: Array, fixed: NDArray[np.bool_]) -> list[str]:
    """Name the rigid motions that the supports leave free.

    Parameters
    ----------
    nodes : ndarray, shape (n, 3)
        Positions [m].
    fixed : ndarray of bool, shape (n, 6)
        Unknowns held.

    Returns
    -------
    list of str
        In words; empty when the part is held.
    """
    centre = nodes.mean(axis=0)
    # Rotations are scaled by the part's size so that one tolerance serves all six motions.
    size = float(np.abs(nodes - centre).max()) or 1.0
    return motion_names(rigid_rows((nodes - centre) / size)[fixed])


def motion_names(rows: Array) -> list[str]:
    """Rigid motions that held directions leave free, in words.

    Parameters
    ----------
    rows : ndarray, shape (r, 6)
        What each held direction feels of the six motions, lengths as shares of the part's size.
    """
    names = []
    for vector in null_motions(rows):
        # A turn about an axis off the middle also moves the middle: it is still a turn.
        turns = np.abs(vector[3:]).max() > 1e-6
        names.append(
            _MOTIONS[
                int(np.abs(vector[3:]).argmax()) + 3 if turns else int(np.abs(vector[:3]).argmax())
            ]
        )
    return list(dict.fromkeys(names))


def null_motions(rows: Array) -> Array:
    """Rigid motions that held directions do not feel, shape (q, 6), from rows of (r, 6).

    Those that do not turn come apart from those that do.
    """
    if len(rows) == 0:
        return np.eye(6)
    _, values, vectors = np.linalg.svd(rows, full_matrices=len(rows) < 6)
    rank = int((values > 1e-6 * max(values.max(), 1e-30)).sum())
    free = vectors[rank:]
    mix = np.linalg.svd(free[:, 3:])[0] if len(free) else np.zeros((0, 0))
    free = mix.T @ free
    free[np.abs(free) < 1e-9] = 0.0
    return np.asarray(free[::-1])


def rigid_rows(x: Array) -> Array:
    """Unknowns of every node under the six rigid motions, shape (n, 6, 6)."""
    rows = np.zeros((len(x), 6, 6))
    rows[:, :, :] = np.eye(6)
    rows[:, 0, 4], rows[:, 0, 5] = x[:, 2], -x[:, 1]
    rows[:, 1, 3], rows[:, 1, 5] = -x[:, 2], x[:, 0]
    rows[:, 2, 3], rows[:, 2, 4] = x[:, 1], -x[:, 0]
    return rows


def join_words(words: Sequence[str]) -> str:
    """Words as a list in a sentence."""
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
