"""Failure envelopes: where the first ply fails under any mix of two load components."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.response import Load
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.critical import COMPONENTS
from tartan.core.strength.reserve import first_failure

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Envelope:
    """Points on an envelope.

    Attributes
    ----------
    components : tuple of str
        The two components, of `COMPONENTS`.
    points : ndarray, shape (n, 2)
        Loads at first failure, going round [N/m, N]; NaN in a direction that never fails.
    plies : ndarray of int, shape (n,)
        Ply that fails first, from 0.
    modes : tuple of str
        Its failure mode.
    """

    components: tuple[str, str]
    points: Array
    plies: NDArray[np.int64]
    modes: tuple[str, ...]


def envelope(laminate: Laminate, key: str, components: tuple[str, str], fixed: Load | None = None,
             count: int = 72) -> Envelope:  # fmt: skip
    """Trace an envelope by rays from the origin.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    key : str
        The criterion.
    components : tuple of str
        Two different ones of `COMPONENTS`.
    fixed : Load, optional
        Temperature and moisture held fixed.
    count : int
        Rays; their directions are even where both axes are scaled by their own critical load.

    Raises
    ------
    StackError
        When the components are unknown or the same.
    CriterionError, MaterialError
        As `first_failure`.
    """
    if len(set(components)) != 2 or not set(components) <= set(COMPONENTS):
        raise StackError(f"{' and '.join(components)} are not two load components.", "Envelope",
                         f"Choose two of {', '.join(COMPONENTS)}.")  # fmt: skip
    held = fixed if fixed is not None else Load()
    axes = [COMPONENTS.index(c) for c in components]

    def ray(direction: Array) -> tuple[float, int, str]:
        load = np.zeros(6)
        load[axes] = direction
        result = first_failure(laminate, replace(held, N=load[:3], M=load[3:]), key)
        return float(result.reserve.min()), result.governing[0], result.label

    sizes = []
    for unit in np.eye(2):
        both = [r for r in (ray(unit)[0], ray(-unit)[0]) if np.isfinite(r) and r > 0]
        sizes.append(max(both, default=1.0))
    scale = np.array(sizes)
    points, plies, modes = [], [], []
    for angle in 2 * np.pi * np.arange(count) / count:
        direction = scale * np.array([np.cos(angle), np.sin(angle)])
        reserve, ply, mode = ray(direction)
        points.append(direction * reserve if np.isfinite(reserve) else np.full(2, np.nan))
        plies.append(ply)
        modes.append(mode)
    return Envelope(components, np.array(points), np.array(plies), tuple(modes))
