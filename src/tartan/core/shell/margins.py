"""Margins of a solved shell: reserve factors of every ply point, and what governs.

Everything is derived from stored section strains, in blocks of bounded memory; a changed
strength or criterion needs no new solution.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS, Criterion, criterion
from tartan.core.criteria.base import Outcome, Strengths, strengths_of
from tartan.core.errors import CriterionError
from tartan.core.laminate.response import shear_from_section, stress_from_section
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.mesh import Mesh
from tartan.core.strength.reserve import plies_by_material

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Sets = Mapping[str, Sequence[str]]
"""Criteria keys by the kind of a material."""

BLOCK = 400
"""Elements assessed at a time; with 50 plies about 100 MB of temporaries."""


@dataclass(frozen=True, eq=False)
class Margins:
    """Governing reserve factor of every element, with its address.

    Attributes
    ----------
    reserve : ndarray, shape (m,)
        Least reserve factor over plies, spots, sampling points, cases and criteria [1].
    case, ply, spot, point : ndarray of int, shape (m,)
        Where it is reached; indices from 0.
    check, mode : ndarray of int, shape (m,)
        Index into `checks` and into that criterion's modes.
    checks : tuple of str
        Criteria keys.
    """

    reserve: Array
    case: Index
    ply: Index
    spot: Index
    point: Index
    check: Index
    mode: Index
    checks: tuple[str, ...]

    def mode_label(self, element: int) -> str:
        """Failure mode that governs an element, in words."""
        rule = criterion(self.checks[int(self.check[element])])
        return rule.modes[int(self.mode[element])]


@dataclass(frozen=True, eq=False)
class _Check:
    """One criterion for the plies of one material."""

    rule: Criterion
    number: int
    strengths: Strengths
    plies: NDArray[np.intp]


def checks_of(
    laminate: Laminate, sets: Sets = DEFAULT_SETS
) -> tuple[list[_Check], tuple[str, ...]]:
    """Criteria to evaluate for each material of a laminate.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    sets : mapping
        Criteria by the kind of a material.

    Raises
    ------
    CriterionError
        When a material's kind has no criterion: such a layer never passes silently.
    MaterialError
        When a strength that a criterion needs is missing.
    """
    keys: list[str] = []
    found = []
    for material, plies in plies_by_material(laminate.materials).items():
        chosen = sets.get(material.kind, ())
        if not chosen:
            raise CriterionError(f"No failure criterion is chosen for {material.kind} layers.",
                                 f"Material '{material.name}'",
                                 "Choose one in Margins.")  # fmt: skip
        for key in chosen:
            if key not in keys:
                keys.append(key)
            rule = criterion(key)
            found.append(_Check(rule, keys.index(key), strengths_of(material, rule), plies))
    return found, tuple(keys)


def assess(laminate: Laminate, strains: Array, sets: Sets = DEFAULT_SETS) -> Margins:
    """Find the governing reserve factor of every element.

    Parameters
    ----------
    laminate : Laminate
        Section of the elements.
    strains : ndarray, shape (k, m, p, 8)
        Section strains of k cases at p sampling points.
    sets : mapping
        Criteria by the kind of a material.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    checks, keys = checks_of(laminate, sets)
    cases, count = strains.shape[:2]
    reserve = np.full(count, np.inf)
    address = np.zeros((6, count), np.int64)
    for start in range(0, count, BLOCK):
        part = np.moveaxis(strains[:, start : start + BLOCK], 0, 1)
        stress = {"in-plane": stress_from_section(laminate, part)}
        if any(c.rule.stress == "transverse" for c in checks):
            stress["transverse"] = shear_from_section(laminate, part)
        for check in checks:
            outcome = check.rule.evaluate(
                check.strengths, stress[check.rule.stress][..., check.plies, :, :]
            )
            block = slice(start, start + len(part))
            _keep_least(outcome, check, cases, reserve[block], address[:, block])
    case, point, ply, spot, number, mode = address
    return Margins(reserve, case, ply, spot, point, number, mode, keys)


def _keep_least(outcome: Outcome, check: _Check, cases: int, reserve: Array,
                address: Index) -> None:  # fmt: skip
    """Update `reserve` and `address` in place where this check governs."""
    shape = outcome.reserve.shape[1:]
    flat = outcome.reserve.reshape(len(reserve), -1)
    rows = np.arange(len(reserve))
    least = flat.min(axis=1)
    # Of places equal but for rounding the first is named: lowest case, point, ply, spot.
    best = (flat <= least[:, None] * (1 + 1e-9)).argmax(axis=1)
    better = least < reserve
    at = np.array(np.unravel_index(best, shape))
    found = np.stack([at[0], at[1], check.plies[at[2]], at[3],
                      np.full(len(rows), check.number),
                      outcome.mode.reshape(len(reserve), -1)[rows, best]])  # fmt: skip
    # An element on which nothing ever fails keeps an address too, that of the first check.
    address[:, better] = found[:, better]
    reserve[better] = least[better]


def hot_spots(mesh: Mesh, margins: Margins, most: int = 12, apart: float = 3.0) -> list[int]:
    """Elements with the least reserve factors, one of each neighbourhood.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    margins : Margins
        Of the same elements.
    most : int
        Longest list.
    apart : float
        Distance within which an element belongs to a worse one's spot, in element sizes.

    Returns
    -------
    list of int
        Worst first; elements that never fail are left out.
    """
    centre = mesh.corners().mean(axis=1)
    reach = apart * float(np.sqrt(mesh.areas().mean()))
    taken = ~np.isfinite(margins.reserve)
    found: list[int] = []
    for candidate in np.argsort(margins.reserve, kind="stable"):
        if len(found) == most:
            break
        if not taken[candidate]:
            found.append(int(candidate))
            taken |= np.linalg.norm(centre - centre[candidate], axis=1) < reach
    return found
