"""Single changes of a stack, ranked: their order, and a row of the table."""

from __future__ import annotations

import math

from tartan.core.search.whatif import Ranked
from tartan.pages.shown import Look
from tartan.project.wording import units

SHOWN = 200
"""Rows kept in the table; the best of all that were tried."""


def merit(r: Ranked, here: Ranked, *, per_mass: bool) -> tuple[float, float]:
    """Key that sorts the best first: gain, or gain per added mass where mass is added."""
    gain, added = r.reserve - here.reserve, r.mass - here.mass
    if not per_mass or math.isnan(added):
        return -gain, added
    if added <= 1e-12:
        # No mass added: any gain comes before those that cost mass, a loss after them.
        return (-math.inf if gain > 0 else math.inf if gain < 0 else 0.0), -gain
    return -gain / added, -gain


def ranked_row(
    r: Ranked, here: Ranked, loads: str
) -> tuple[tuple[str, float, float, float, float | None, str], list[Look | None]]:
    """Cells of a ranked change, and how they look beside the stack as it is."""
    gain, added = r.reserve - here.reserve, (r.mass - here.mass) / units.AREAL_MASS.scale
    rate = gain / added if added > 1e-12 else None
    ink = "holds" if gain > 1e-9 else "fails" if gain < -1e-9 else "soft"
    words = f"{'+' if gain > 0 else ''}{units.number(gain, 3)}"
    mass = "same" if abs(added) < 1e-12 else f"{'+' if added > 0 else ''}{units.number(added, 3)}"
    cells = (r.change.words, r.reserve, gain, added, rate, loads)
    looks = [
        None,
        Look(units.factor(r.reserve)),
        Look(words, ink),
        Look(mass),
        Look("" if rate is None else units.number(rate, 3)),
        None,
    ]
    return cells, looks
