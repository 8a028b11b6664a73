"""The reserve factor at one place of one ply, and how it moves with the strains there."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import Load, free_stress
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.margins import Growth, Within, assess
from tartan.core.shell.sensitivity.sections import Change, slope
from tartan.core.strength.laminate_reserves import Beside, Sets

Array = NDArray[np.float64]

STEP = 1e-4
"""Step in strains, as a share of the largest."""


_STEPS = np.array([1.0, -1.0, 2.0, -2.0])
"""Steps of a central difference of fourth order."""


def _stepped(rows: Array) -> Array:
    """Rows times every step, one step after the other, shape (4 q, 8 or 16)."""
    return np.asarray((_STEPS[:, None, None] * rows).reshape(-1, rows.shape[1]))


@dataclass(frozen=True, eq=False)
class Place:
    """A ply at a level of a section, and what judges it there.

    Attributes
    ----------
    laminate : Laminate
        The section.
    within : Within
        The one ply, level and criterion.
    sets : mapping
        Criteria by material name or kind.
    strains : ndarray, shape (8,)
        Section strains that are scaled.
    held : ndarray, shape (8,), optional
        Section strains that stay.
    stays, scaled : Load, optional
        Temperature of what stays, and of what is scaled.
    beside : Beside, optional
        What acts on a core there.
    growth, held_growth : ndarray, shape (8,), optional
        How section forces grow there, of what is scaled and of what stays.
    """

    laminate: Laminate
    within: Within
    sets: Sets
    strains: Array
    held: Array | None = None
    stays: Load | None = None
    scaled: Load | None = None
    beside: Beside | None = None
    growth: Array | None = None
    held_growth: Array | None = None

    def reserve(
        self,
        laminate: Laminate,
        strains: Array,
        held: Array | None,
        growth: Growth | None = None,
    ) -> Array:
        """Reserve factors for rows of strains, shape (q, 8), to shape (q,)."""
        count = len(strains)
        if growth is None and self.growth is not None and self.held_growth is not None:
            growth = Growth(
                np.broadcast_to(self.growth, (1, count, 8)),
                np.broadcast_to(self.held_growth, (count, 8)),
            )
        free, own = (
            None if x is None else free_stress(laminate, x) for x in (self.stays, self.scaled)
        )
        near = None
        if self.beside is not None:
            near = Beside(
                np.broadcast_to(self.beside.press, (1, count)),
                np.broadcast_to(self.beside.held, (count,)),
                np.broadcast_to(self.beside.curved, (count, 3)),
            )
        margins = assess(
            laminate,
            strains[None, :, None],
            self.sets,
            None if held is None else held[:, None],
            free,
            own,
            self.within,
            beside=near,
            growth=growth,
        )
        return margins.reserve

    @cached_property
    def value(self) -> float:
        """The reserve factor."""
        held = None if self.held is None else self.held[None]
        return float(self.reserve(self.laminate, self.strains[None], held)[0])

    def by_strains(self) -> tuple[Array, Array]:
        """Gradient by the strains that are scaled and by those that stay, shape (8,) each."""
        held = np.zeros(8) if self.held is None else self.held
        steps = self._steps(held)
        rows = np.concatenate([np.diag(steps), np.zeros((8, 8))])
        also = np.concatenate([np.zeros((8, 8)), np.diag(steps)])
        if self.held is None:
            rows, also = rows[:8], also[:8]

        own = None if self.held is None else held + _stepped(also)
        found = self._slope(self.reserve(self.laminate, self.strains + _stepped(rows), own))
        return found[:8] / steps, (np.zeros(8) if self.held is None else found[8:] / steps)

    def by_growth(self) -> tuple[Array, Array]:
        """Gradient by the growth that is scaled and by that which stays, shape (8,) each."""
        if self.growth is None or self.held_growth is None:
            return np.zeros(8), np.zeros(8)
        whole = np.concatenate([self.growth, self.held_growth])
        high = float(np.abs(self.laminate.z).max())
        # Steps that shear as much as the transverse force does.
        size = np.abs(whole) * np.tile(np.repeat([high, 1.0], 4), 2)
        force = np.abs(self.laminate.shear @ self.strains[6:]).max()
        peak = max(float(size.max()), float(force)) or 1.0
        steps = STEP * peak / np.tile(np.repeat([high, 1.0], 4), 2)
        moved = whole + _stepped(np.diag(steps))
        strains = np.broadcast_to(self.strains, (len(moved), 8))
        held = None if self.held is None else np.broadcast_to(self.held, (len(moved), 8))
        growth = Growth(moved[None, :, :8], moved[:, 8:])
        found = self._slope(self.reserve(self.laminate, strains, held, growth)) / steps
        return found[:8], found[8:]

    def _slope(self, reserves: Array) -> Array:
        """Change of the reserve factor a step, by central differences of its inverse.

        The inverse is all but linear in the strains. Reserves are those of `_stepped` rows.
        """
        ahead, back, far_ahead, far_back = (1 / reserves).reshape(len(_STEPS), -1)
        found = -(self.value**2) * (8 * (ahead - back) - (far_ahead - far_back)) / 12
        return np.where(np.isfinite(found), found, 0.0)

    def by_change(self, change: Change) -> float:
        """Derivative by a variable of the section at strains that stand."""
        held = None if self.held is None else self.held[None]

        def of(laminate: Laminate) -> Array:
            return self.reserve(laminate, self.strains[None], held)

        return float(slope(self.laminate, change, of)[0])

    def _steps(self, held: Array) -> Array:
        """Steps of every strain that change the stresses by as much."""
        high = float(np.abs(self.laminate.z).max())
        size = np.abs(self.strains) + np.abs(held)
        peak = max(float(size[:3].max()), high * float(size[3:6].max()))
        slid = float(size[6:].max()) or peak or 1.0
        peak = peak or slid
        return STEP * np.repeat([peak, peak / high, slid], [3, 3, 2])
