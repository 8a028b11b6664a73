"""What governs a laminate: the least reserve factor over plies, levels and sets of criteria.

A layer whose kind has no criterion is refused by name, and one whose data are missing names
material and field: nothing passes silently.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS
from tartan.core.laminate.response import Load, respond_split, shear_from_section
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.laminate_reserves import (
    Check,
    Governing,
    Reserves,
    Sets,
    checks_of,
    reserves,
)

Array = NDArray[np.float64]


def govern(
    laminate: Laminate, load: Load, Q: Array | None = None, sets: Sets = DEFAULT_SETS
) -> Governing:
    """Find what governs under a load.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    load : Load
        Forces and moments are scaled; temperature and moisture stay.
    Q : ndarray, shape (2,), optional
        Transverse shear forces Qx, Qy, scaled too [N/m].
    sets : mapping
        Criteria by material name or kind.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    checks = checks_of(laminate, sets)
    applied, held = respond_split(laminate, load)
    residual = None if held is None else held.stress_12
    shear = None
    if any(c.rule.stress == "transverse" for c in checks):
        shear = interlaminar(laminate, np.zeros(2) if Q is None else np.asarray(Q, float))[None]
    return reserves(checks, applied.stress_12[None], shear, residual).governing()


def interlaminar(laminate: Laminate, Q: Array) -> Array:
    """Interlaminar shear stresses under transverse forces Q (2,) [N/m], shape (n, 3, 2) [Pa]."""
    section = np.concatenate([np.zeros(6), np.linalg.solve(laminate.shear, Q)])
    return shear_from_section(laminate, section)


__all__ = [
    "Check",
    "Governing",
    "Reserves",
    "Sets",
    "checks_of",
    "govern",
    "interlaminar",
    "reserves",
]
