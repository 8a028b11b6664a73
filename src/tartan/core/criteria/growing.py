"""The way from a held state to failure where it is no quadratic: looked for, then closed in on."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria.base import Strengths

Array = NDArray[np.float64]

MATRICES = ("compliance", "G")
"""Data that are matrices at every place."""

SCAN = 48
"""Places at which the way to failure is looked at where a held part turns the compression."""

AT_ONCE = 4096
"""Places and multiples looked at in one go."""


class Indexed(Protocol):
    """A criterion with an index of first degree."""

    def index(self, strengths: Strengths, stress: Array) -> Array:
        """Index in the shape of the stresses less their axis [1]."""
        ...


def at_rows(
    strengths: Strengths, shape: tuple[int, ...], rows: NDArray[np.intp]
) -> dict[str, Array]:
    """Data of some places of a shape, one after another."""
    found, shape = {}, shape or (1,)
    at = np.unravel_index(rows, shape)
    for name, value in strengths.items():
        data = np.asarray(value)
        own = data.shape[-2:] if name in MATRICES else ()
        whole = np.broadcast_to(data, shape + own)
        found[name] = whole[at]
    return found


class Way:
    """The way from a held state to failure at some places, as their load grows."""

    def __init__(
        self,
        rule: Indexed,
        data: dict[str, Array],
        applied: Array,
        residual: Array,
        rows: NDArray[np.intp],
    ) -> None:
        self.rule, self.data = rule, data
        self.applied = applied.reshape(-1, 3)[rows]
        self.residual = np.broadcast_to(residual, applied.shape).reshape(-1, 3)[rows]

    def index(self, load: Array, at: NDArray[np.intp]) -> Array:
        """Index at multiples of the load, shape (..., q), at q places."""
        data = {name: value[at] for name, value in self.data.items()}
        stress = self.residual[at] + load[..., None] * self.applied[at]
        return self.rule.index(data, stress)

    def first(self, far: Array) -> Array:
        """Least multiple up to `far`, shape (q,), at which the index is one, or infinite."""
        low, high = np.zeros(far.shape), np.full(far.shape, np.inf)
        going, k = np.arange(len(far)), 0
        while going.size and k < SCAN:
            # Few places are looked at all the way at once; many step by step, and those that have
            # failed no more.
            marks = np.arange(k + 1, min(SCAN, k + max(1, AT_ONCE // going.size)) + 1)
            here = far[going] * marks[:, None] / SCAN
            over = self.index(here, going) >= 1
            failed, which = over.any(axis=0), over.argmax(axis=0)
            high[going[failed]] = np.take_along_axis(here, which[None], axis=0)[0][failed]
            k = int(marks[-1])
            low[going] = far[going] * np.where(failed, marks[0] - 1 + which, k) / SCAN
            going = going[~failed]
        met = np.flatnonzero(np.isfinite(high))
        if met.size:
            # Loaded when a held part first asks for it: it takes as long as all of this module's.
            from scipy.optimize.elementwise import find_root

            # An index far beyond one, or without end, says no more than that it is beyond.
            found = find_root(
                lambda load, at: np.minimum(self.index(load, at), 2.0) - 1.0,
                (low[met], high[met]),
                args=(met,),
            )
            high[met] = np.where(found.success, found.x, high[met])
        return high
