"""What governs a laminate: the least reserve factor over plies, spots and sets of criteria.

A layer whose kind has no criterion is refused by name, and one whose data are missing names
material and field: nothing passes silently.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS, Criterion, criterion
from tartan.core.criteria.base import Strengths, strengths_of
from tartan.core.errors import CriterionError
from tartan.core.laminate.response import (
    SPOTS,
    Load,
    respond,
    shear_from_section,
)
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.reserve import plies_by_material

Array = NDArray[np.float64]
Sets = Mapping[str, Sequence[str]]
"""Criteria keys by the name of a material, or by its kind."""


@dataclass(frozen=True, eq=False)
class Check:
    """One criterion for the plies of one material."""

    rule: Criterion
    strengths: Strengths
    plies: NDArray[np.intp]


@dataclass(frozen=True)
class Governing:
    """The least reserve factor with its address.

    Attributes
    ----------
    reserve : float
        Reserve factor [1].
    margin : float
        Margin of safety, one less.
    ply : int
        First of equals, from 0.
    spot, criterion, mode : str
        Where in the ply, by which criterion, in which mode.
    angle : float or None
        Fracture angle where the criterion knows one [deg].
    """

    reserve: float
    ply: int
    spot: str
    criterion: str
    mode: str
    angle: float | None

    @property
    def margin(self) -> float:
        """Margin of safety."""
        return self.reserve - 1


def checks_of(laminate: Laminate, sets: Sets = DEFAULT_SETS) -> list[Check]:
    """Criteria of every material of a laminate.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    sets : mapping
        Criteria by material name, which comes first, or kind.

    Raises
    ------
    CriterionError
        When a layer has no criterion.
    MaterialError
        When a datum is missing.
    """
    found = []
    for material, plies in plies_by_material(laminate.materials).items():
        chosen = sets.get(material.name, sets.get(material.kind, ()))
        if not chosen:
            raise CriterionError(f"No failure criterion is chosen for {material.kind} layers.",
                                 f"Material '{material.name}'",
                                 "Choose one in Margins.")  # fmt: skip
        for key in chosen:
            rule = criterion(key)
            found.append(Check(rule, strengths_of(material, rule), plies))
    return found


def govern(laminate: Laminate, load: Load, Q: Array | None = None, sets: Sets = DEFAULT_SETS
           ) -> Governing:  # fmt: skip
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
    applied = {
        "in-plane": respond(laminate, replace(load, dT=0.0, dT_gradient=0.0, dC=0.0)).stress_12
    }
    residual: dict[str, Array | None] = {"in-plane": None, "transverse": None}
    if load.dT or load.dT_gradient or load.dC:
        residual["in-plane"] = respond(
            laminate, replace(load, N=np.zeros(3), M=np.zeros(3))
        ).stress_12
    if any(c.rule.stress == "transverse" for c in checks):
        force = np.zeros(2) if Q is None else np.asarray(Q, float)
        section = np.concatenate([np.zeros(6), np.linalg.solve(laminate.shear, force)])
        applied["transverse"] = shear_from_section(laminate, section)
    best: Governing | None = None
    for check in checks:
        held = residual[check.rule.stress]
        outcome = check.rule.evaluate(check.strengths, applied[check.rule.stress][check.plies],
                                      None if held is None else held[check.plies])  # fmt: skip
        least = float(outcome.reserve.min())
        row, spot = np.argwhere(outcome.reserve <= least * (1 + 1e-9))[0]
        ply = int(check.plies[row])
        tie = best is not None and least <= best.reserve * (1 + 1e-9) and ply < best.ply
        if best is None or least < best.reserve * (1 - 1e-9) or tie:
            angle = None if outcome.angle is None else float(outcome.angle[row, spot])
            mode = check.rule.modes[int(outcome.mode[row, spot])]
            best = Governing(least, ply, SPOTS[spot], check.rule.key, mode, angle)
    assert best is not None
    return best
