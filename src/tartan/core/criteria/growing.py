"""The way from a held state to failure where it is no quadratic: looked for, then closed in on."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria.base import Strengths, quadratic_root

Array = NDArray[np.float64]

MATRICES = ("compliance", "G")
"""Data that are matrices at every place."""

SCAN = 48
"""Steps that are taken before they are made twice as wide: a held part may turn the compression
on the way, into a weaker direction and out of it again."""

TURNS, ROUNDS = 6, 60
"""Times that steps are made wider, where nothing ever fails for certain and where it does."""

CLOSE = {"xrtol": 1e-12, "fatol": 1e-13}
"""How closely failure is named: to the last digits it takes four times as long."""

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

    def first(self, limits: tuple[Array, Array]) -> Array:
        """Least multiple, shape (q,), at which the index is one, or infinite.

        Parameters
        ----------
        limits : tuple of ndarray, shape (q,)
            Compression below which no place fails in any direction, and beyond which all do.
        """
        weak, strong = limits
        low, far = self._reaching(weak), self._reaching(strong)
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            # Both parts are as great there, and the compression turns the most.
            turn = np.abs(self.residual).sum(axis=-1) / np.abs(self.applied).sum(axis=-1)
        low = np.where(np.isfinite(low) & (low < far), low, 0.0)
        # Once the scaled part is many times as great the direction stays, and steps may be wide.
        step = np.minimum(far / SCAN, np.maximum(turn / 24, low / 16))
        step = np.where(step > 0, step, far / SCAN)
        going = np.flatnonzero(np.isfinite(step) & (step > 0))
        low[going[self.index(low[going], going) >= 1]] = 0.0
        high = np.full(far.shape, np.inf)
        for done in range(ROUNDS):
            if done == TURNS:
                # What is pulled has turned the held part by then; the rest fails for certain.
                going = going[np.isfinite(far[going])]
            if not going.size:
                break
            going = self._scanned(going, step, low, high)
            step *= 2
        met = np.flatnonzero(np.isfinite(high))
        if met.size:
            # Loaded when a held part first asks for it: it takes as long as all of this module's.
            from scipy.optimize.elementwise import find_root

            # An index far beyond one, or without end, says no more than that it is beyond.
            found = find_root(
                lambda load, at: np.minimum(self.index(load, at), 2.0) - 1.0,
                (low[met], high[met]),
                args=(met,),
                tolerances=CLOSE,
            )
            high[met] = np.where(found.success, found.x, high[met])
        return high

    def _reaching(self, limit: Array) -> Array:
        """Least multiple, shape (q,), at which the greatest compression is a limit, or infinite.

        The compression p is the root of (p + s)² = d² + t², with s and d half the sum and half
        the difference of the stresses; all three grow linearly.
        """
        r, a = self.residual, self.applied
        s0, s1 = (r[:, 0] + r[:, 1]) / 2 + limit, (a[:, 0] + a[:, 1]) / 2
        d0, d1 = (r[:, 0] - r[:, 1]) / 2, (a[:, 0] - a[:, 1]) / 2
        t0, t1 = r[:, 2], a[:, 2]
        c = d0**2 + t0**2 - s0**2
        below = (c < 0) & (s0 > 0)
        root = quadratic_root(
            d1**2 + t1**2 - s1**2, 2 * (d0 * d1 + t0 * t1 - s0 * s1), np.where(below, c, -1.0)
        )
        return np.where(below, root, 0.0)

    def _scanned(
        self, going: NDArray[np.intp], step: Array, low: Array, high: Array
    ) -> NDArray[np.intp]:
        """Look at `SCAN` multiples beyond `low` in steps; places that go on without failing.

        The last multiple before failure is put into `low`, and the one after it into `high`.
        """
        k = 0
        while going.size and k < SCAN:
            # Few places are looked at all the way at once; many step by step, and those that have
            # failed no more.
            count = min(SCAN - k, max(1, AT_ONCE // going.size))
            here = low[going] + step[going] * np.arange(1, count + 1)[:, None]
            over = self.index(here, going) >= 1
            failed, which = over.any(axis=0), over.argmax(axis=0)
            first = np.take_along_axis(here, which[None], axis=0)[0]
            high[going[failed]] = first[failed]
            low[going] = np.where(failed, first - step[going], here[-1])
            k, going = k + count, going[~failed]
        return going
