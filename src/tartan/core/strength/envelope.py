"""Failure envelopes: where the first ply fails under any mix of two load components."""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.response import Load
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.critical import COMPONENTS, reserves_of_forces
from tartan.core.strength.govern import Governing, Sets

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


def envelope(
    laminate: Laminate,
    sets: str | Sets,
    components: tuple[str, str],
    fixed: Load | None = None,
    count: int = 72,
) -> Envelope:
    """Trace an envelope by rays from the origin.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    sets : str or mapping
        One criterion for all plies, or criteria by material name or kind.
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
        As `checks_of`.
    """
    steps = envelope_steps(laminate, sets, components, fixed, count)
    while True:
        try:
            next(steps)
        except StopIteration as end:
            found: Envelope = end.value
            return found


def envelope_steps(
    laminate: Laminate,
    sets: str | Sets,
    components: tuple[str, str],
    fixed: Load | None = None,
    count: int = 72,
) -> Generator[float, None, Envelope]:
    """Trace as `envelope`, yielding the share done, so that other work can go on between.

    Raises
    ------
    TartanError
        As `envelope` does.
    """
    if len(set(components)) != 2 or not set(components) <= set(COMPONENTS):
        raise StackError(
            f"{' and '.join(components)} are not two load components.",
            "Envelope",
            f"Choose two of {', '.join(COMPONENTS)}.",
        )
    chosen = {m.name: (sets,) for m in laminate.materials} if isinstance(sets, str) else sets
    axes = [COMPONENTS.index(c) for c in components]
    ends = np.zeros((4, 6))
    ends[[0, 1, 2, 3], [axes[0], axes[0], axes[1], axes[1]]] = [1.0, -1.0, 1.0, -1.0]
    reach = reserves_of_forces(laminate, ends, chosen, fixed).reserve.min(axis=(1, 2))
    usable = np.where(np.isfinite(reach) & (reach > 0), reach, 0.0).reshape(2, 2).max(axis=1)
    scale = np.where(usable > 0, usable, 1.0)
    angle = 2 * np.pi * np.arange(count) / count
    direction = scale * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    loads = np.zeros((count, 6))
    loads[:, axes] = direction
    worst: list[Governing] = []
    for part in np.array_split(loads, max(1, count * laminate.count // 2000)):
        found = reserves_of_forces(laminate, part, chosen, fixed)
        worst += [found.governing(i) for i in range(len(part))]
        yield len(worst) / count
    reserve = np.array([w.reserve for w in worst])
    points = direction * np.where(np.isfinite(reserve), reserve, np.nan)[:, None]
    return Envelope(
        components, points, np.array([w.ply for w in worst]), tuple(w.mode for w in worst)
    )
