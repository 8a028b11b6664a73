"""The range of a map's colours, when it is not that of the data."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import TartanError
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

Array = NDArray[np.float64]

DECADES = 3.0
"""Decades of a logarithmic map whose lower end is not given."""


@dataclass(frozen=True)
class Limits:
    """Where colours begin and end.

    Attributes
    ----------
    low, high : float or None
        Ends in SI; None takes that of the data.
    log : bool
        Whether equal ratios are equally far apart, which only sizes greater than zero allow.
    """

    low: float | None = None
    high: float | None = None
    log: bool = False

    def __bool__(self) -> bool:
        return self != Limits()

    def check(self) -> None:
        """Raise `TartanError` where the ends make no range."""
        if self.low is not None and self.high is not None and self.low >= self.high:
            raise TartanError(
                "The lower end of the colours is not below the upper one.",
                "Range of the map",
                "Change one of them, or leave it empty for that of the data.",
            )
        if self.log and any(x is not None and x <= 0 for x in (self.low, self.high)):
            raise TartanError(
                "A logarithmic range has no place for zero or less.",
                "Range of the map",
                "Enter ends above zero, or take the linear range.",
            )

    def ends(self, found: Array, *, signed: bool) -> tuple[float, float]:
        """Ends for values without NaN, shape (m,), in their own unit of SI.

        A signed field reaches as far down as up, unless an end is given.
        """
        low, high = float(found.min()), float(found.max())
        if signed and not self.log:
            low, high = -max(abs(low), abs(high)), max(abs(low), abs(high))
        elif self.log:
            size = np.abs(found)
            high = float(size.max())
            least = size[size > 0].min() if (size > 0).any() else high
            low = max(float(least), high * 10.0**-DECADES)
        else:
            low = min(low, 0.0)
        low = low if self.low is None else self.low
        high = high if self.high is None else self.high
        # An end that was given stays; the other gives way.
        if low >= high:
            low, high = (
                (low, low + (abs(low) or 1.0))
                if self.high is None
                else (high - (abs(high) or 1.0), high)
            )
        return low, high

    def share(self, found: Array, ends: tuple[float, float]) -> Array:
        """Place of values between the ends, 0 to 1 and beyond, in their shape."""
        low, high = ends
        if not self.log:
            return np.asarray((found - low) / (high - low))
        size = np.maximum(np.abs(found), np.finfo(float).tiny)
        return np.asarray(np.log(size / low) / np.log(high / low))

    def ticks(
        self, ends: tuple[float, float], quantity: Quantity
    ) -> tuple[tuple[float, str], ...]:
        """Five shares of the legend with their figures in the unit on show."""
        low, high = ends
        shares = np.linspace(0.0, 1.0, 5)
        at = low * (high / low) ** shares if self.log else low + shares * (high - low)
        return tuple(
            (float(s), units.number(float(v) / quantity.scale, 3))
            for s, v in zip(shares, at, strict=True)
        )
