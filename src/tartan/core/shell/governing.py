"""What a check reads at the places of elements, and which of its answers govern them."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria.base import Outcome
from tartan.core.strength.laminate_reserves import Check

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def at_levels(
    check: Check, stress: Mapping[str, Array], levels: Index, press: Array | None = None
) -> Array:
    """What a check reads at its plies and the chosen levels.

    Parameters
    ----------
    check : Check
        The check.
    stress : mapping of str to ndarray
        Stresses "in-plane", shape (..., n, 3, 3), and "transverse", shape (..., n, 3, 2) [Pa].
    levels : ndarray of int, shape (s,)
        Levels looked at.
    press : ndarray, shape (...), optional
        Pressure on the faces [Pa].

    Returns
    -------
    ndarray, shape (..., q, s, c)
        By ply of the check, level and component [Pa].
    """
    found = check.fed(stress["in-plane"], stress.get("transverse"), press)
    return found if check.gather is not None else found[..., levels, :]


def keep_least(
    outcome: Outcome,
    plies: NDArray[np.intp],
    levels: Index,
    number: int,
    kept: tuple[Array, Index, Array],
) -> None:
    """Update reserve factors, addresses and indices in place where this check governs.

    Parameters
    ----------
    outcome : Outcome
        By element, case, point, ply of the check and level, shape (m, k, p, q, s).
    plies, levels : ndarray of int, shapes (q,) and (s,)
        What the last two axes stand for.
    number : int
        Of the check, as it is written into addresses.
    kept : tuple of ndarray, shapes (m,), (6, m) and (m,)
        Least reserve factors so far, their addresses and indices.
    """
    reserve, address, index = kept
    shape = outcome.reserve.shape[1:]
    flat = outcome.reserve.reshape(len(reserve), -1)
    rows = np.arange(len(reserve))
    least = flat.min(axis=1)
    # Of places equal but for rounding the first is named: lowest case, point, ply, level.
    best = (flat <= least[:, None] * (1 + 1e-9)).argmax(axis=1)
    # An element on which nothing ever fails keeps an address too, that of the first check.
    better = (least < reserve) | np.isnan(index)
    at = np.array(np.unravel_index(best, shape))
    found = np.stack(
        [
            at[0],
            at[1],
            plies[at[2]],
            levels[at[3]],
            np.full(len(rows), number),
            outcome.mode.reshape(len(reserve), -1)[rows, best],
        ]
    )
    address[:, better] = found[:, better]
    index[better] = outcome.index.reshape(len(reserve), -1)[rows, best][better]
    reserve[better] = least[better]
