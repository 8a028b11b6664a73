"""Reserve factors of every ply of a laminate, residual stresses held fixed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import Criterion, criterion
from tartan.core.criteria.base import NEVER, Outcome, mode_name, strengths_of
from tartan.core.errors import CriterionError
from tartan.core.laminate.response import LEVELS, Load, respond_split
from tartan.core.laminate.stiffness import Laminate
from tartan.core.materials import Material

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class PlyReserve:
    """Reserve factors of a laminate by one criterion.

    Attributes
    ----------
    reserve, index : ndarray, shape (n, 3)
        By ply and level [1].
    mode : ndarray of int8, shape (n, 3)
        Index into the criterion's modes.
    modes : tuple of str
        Those labels.
    angle : ndarray, shape (n, 3), optional
        Fracture angle where the criterion knows one [deg].
    """

    reserve: Array
    index: Array
    mode: NDArray[np.int8]
    modes: tuple[str, ...]
    angle: Array | None = None

    @property
    def governing(self) -> tuple[int, int]:
        """Ply (first of equals, from 0) and level of the least reserve factor."""
        least = self.reserve.min()
        # Equal plies differ by rounding only; the first of them is named.
        ply, level = np.argwhere(self.reserve <= least * (1 + 1e-9))[0]
        return int(ply), int(level)

    @property
    def label(self) -> str:
        """Mode at the governing place."""
        return mode_name(self.modes, int(self.mode[self.governing]))


def plies_by_material(materials: Sequence[Material]) -> Mapping[Material, NDArray[np.intp]]:
    """Indices of the plies of each material, shape (q,), in order of first appearance."""
    # Hashing a record reads all its fields; plies of one record are told apart by identity first.
    by_record: dict[int, list[int]] = {}
    for i, material in enumerate(materials):
        by_record.setdefault(id(material), []).append(i)
    found: dict[Material, list[int]] = {}
    for rows in by_record.values():
        found.setdefault(materials[rows[0]], []).extend(rows)
    return {m: np.array(sorted(rows)) for m, rows in found.items()}


def first_failure(
    laminate: Laminate, load: Load, key: str | Criterion, skipped: Sequence[int] = ()
) -> PlyReserve:
    """Reserve factor of every ply under a load by an in-plane criterion.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    load : Load
        Forces and moments are scaled; temperature and moisture stay.
    key : str or Criterion
        The criterion.
    skipped : sequence of int
        Plies that are not judged, from 0, such as a core; they need no strengths.

    Raises
    ------
    CriterionError, MaterialError
        Unknown criterion, or data it needs that are missing.
    """
    applied, held = respond_split(laminate, load)
    residual = None if held is None else held.stress_12
    return reserve_of_stresses(laminate, applied.stress_12, residual, key, skipped)


def reserve_of_stresses(
    laminate: Laminate,
    applied: Array,
    residual: Array | None,
    key: str | Criterion,
    skipped: Sequence[int] = (),
) -> PlyReserve:
    """Reserve factor of every ply from its stresses by an in-plane criterion.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    applied, residual : ndarray, shape (n, 3, 3)
        Stress scaled and stress held fixed, by ply and level in ply axes [Pa].
    key : str or Criterion
        The criterion.
    skipped : sequence of int
        Plies that are not judged, from 0; their reserve factors are infinite.

    Raises
    ------
    CriterionError, MaterialError
        Unknown criterion, data it needs that are missing, or a stress that is no number.
    """
    rule = criterion(key)
    if rule.stress != "in-plane":
        raise CriterionError(
            f"{rule.title} does not read in-plane stresses.",
            "Criteria",
            "Choose an in-plane criterion.",
        )
    judged = np.ones(laminate.count, bool)
    judged[list(skipped)] = False
    used = dict.fromkeys(m for m, on in zip(laminate.materials, judged, strict=True) if on)
    strengths = {m: strengths_of(m, rule) for m in used}
    shape = (laminate.count, len(LEVELS))
    angle = np.full(shape, np.nan)
    outcome = Outcome(np.full(shape, np.inf), np.zeros(shape), np.full(shape, NEVER, np.int8))
    for material, every in plies_by_material(laminate.materials).items():
        rows = every[judged[every]]
        if len(rows) == 0:
            continue
        held = None if residual is None else residual[rows]
        part = rule.evaluate(strengths[material], applied[rows], held)
        outcome.reserve[rows] = part.reserve
        outcome.index[rows] = part.index
        outcome.mode[rows] = part.mode
        if part.angle is not None:
            angle[rows] = part.angle
    lost = np.argwhere(np.isnan(outcome.reserve))
    if len(lost):
        ply, level = lost[0]
        where = f"ply {ply + 1} at the {LEVELS[level]}"
        raise CriterionError(
            f"The stress in {where} is not a number.",
            "Loads",
            "Check the loads and the materials.",
        )
    known = None if np.isnan(angle).all() else angle
    return PlyReserve(outcome.reserve, outcome.index, outcome.mode, rule.modes, known)
