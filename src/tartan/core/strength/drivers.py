"""Which stress drives a failure: each component's share of a criterion's expression.

The shares are the expression's own terms at failure: along the straight path from no stress, its
slope is followed back over half the way by a straight line. For an expression that is quadratic
in the stresses this gives its terms exactly, every product of two stresses halved between them;
for one that grows in proportion (Puck, maximum stress) Euler's theorem gives the same. Only the
mode that governs at failure is looked at, and nothing is asked of a criterion but its index.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria.base import Criterion, Strengths

Array = NDArray[np.float64]

BACK = 1e-3
"""How far before failure the slope is looked at a second time, as a share of the stress."""

STEP = 1e-5
"""Step of a slope as a share of the stress: a central difference of a quadratic is exact."""


@dataclass(frozen=True, eq=False)
class Drivers:
    """Shares of a criterion's expression at failure.

    Attributes
    ----------
    stress : ndarray, shape (c,)
        Stress at the applied load, what stays included [Pa].
    shares : ndarray, shape (c,)
        Of each component's scaled part; negative where it relieves [1].
    held : float
        Share of what stays while the load is scaled, such as a temperature [1].
    rest : float
        What the expression has without any stress; 0 but for a user's formula [1].
    index : float
        The expression at the stress looked at; 1 at failure.
    at_failure : bool
        Whether that is the stress at failure, or, where nothing ever fails, the applied one.
    """

    stress: Array
    shares: Array
    held: float
    rest: float
    index: float
    at_failure: bool


def drivers(
    rule: Criterion, strengths: Strengths, applied: Array, residual: Array | None = None
) -> Drivers:
    """Find what each stress contributes to a criterion at the load that just meets it.

    Parameters
    ----------
    rule : Criterion
        The criterion.
    strengths : mapping of str to float
        Its data, as `strengths_of` gives.
    applied : ndarray, shape (c,)
        Stress that is scaled, in ply axes [Pa].
    residual : ndarray, shape (c,), optional
        Stress that stays [Pa].
    """
    held = np.zeros_like(applied) if residual is None else residual
    given = None if residual is None else residual[None]
    reserve = float(rule.evaluate(strengths, applied[None], given).reserve[0])
    meets = bool(np.isfinite(reserve)) and reserve > 0
    scaled = applied * (reserve if meets else 1.0)
    total = scaled + held

    def index(stress: Array) -> Array:
        return np.asarray(rule.evaluate(strengths, stress).index)

    size = float(np.abs(total).max())
    count = len(total)
    if size == 0:
        zero = float(index(total[None])[0])
        return Drivers(applied + held, np.zeros(count), 0.0, zero, zero, meets)
    step = STEP * size * np.eye(count)
    path = np.array([1.0, 1.0 - BACK])[:, None] * total
    ahead, behind = (index(path[:, None] + sign * step) for sign in (1.0, -1.0))
    last, before = (ahead - behind) / (2 * STEP * size)
    slope = last - (last - before) * 0.5 / BACK
    rest = float(index(np.zeros((1, count)))[0])
    whole = float(index(total[None])[0])
    own, kept = slope * scaled, slope * held
    # What an expression of another kind leaves over is spread, so that the sum is right.
    said = float((own + kept).sum())
    if abs(said) > 1e-12:
        own, kept = (x * (whole - rest) / said for x in (own, kept))
    return Drivers(applied + held, own, float(kept.sum()), rest, whole, meets)
