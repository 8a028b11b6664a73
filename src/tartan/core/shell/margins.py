"""Margins of a solved shell: reserve factors of every ply point, and what governs.

Everything is derived from stored section strains, in blocks of bounded memory; a changed
strength or criterion needs no new solution.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS, criterion
from tartan.core.criteria.base import mode_name
from tartan.core.errors import PartError
from tartan.core.laminate.response import shear_from_section, stress_from_section
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.governing import at_levels, keep_least
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.sweep import Sections, rows_of, sweep
from tartan.core.strength.laminate_reserves import Beside, Check, Sets, checks_of

Array = NDArray[np.float64]
Index = NDArray[np.int64]
STRANGE = 1e30
"""Section strains at and beyond it are no answer."""

BLOCK = 400
"""Elements assessed at a time; with 50 plies about 100 MB of temporaries."""


@dataclass(frozen=True)
class Within:
    """What an envelope is taken over; None is all.

    Attributes
    ----------
    plies : tuple of int, optional
        Numbers of plies, from 0.
    levels : tuple of int
        0, 1 and 2 are bottom, middle and top.
    criteria : tuple of str, optional
        Keys of criteria; those of a material that are not among them are left out.
    """

    plies: tuple[int, ...] | None = None
    levels: tuple[int, ...] = (0, 1, 2)
    criteria: tuple[str, ...] | None = None

    def of_zone(self, numbers: Sequence[int]) -> Within:
        """Return the same choice by the places that the plies have in a zone's laminate."""
        if self.plies is None:
            return self
        return replace(self, plies=tuple(i for i, n in enumerate(numbers) if n in self.plies))

    def checks(self, found: Sequence[Check]) -> list[Check]:
        """Checks of the chosen criteria, each with the chosen plies it judges."""
        chosen = []
        for check in found:
            if self.criteria is not None and check.rule.key not in self.criteria:
                continue
            inside = np.ones(len(check.plies), bool)
            if self.plies is not None:
                inside = np.isin(check.plies, self.plies)
            if inside.any():
                chosen.append(check.within(inside, self.levels))
        return chosen


ALL = Within()


@dataclass(frozen=True, eq=False)
class Growth:
    """Gradients of section forces beside the transverse force, as `force_gradients` gives.

    Attributes
    ----------
    scaled : ndarray, shape (k, m, 8)
        Of the cases, in the order of `laminate.shear.GROWTH` [N/m², N/m].
    held : ndarray, shape (m, 8)
        Of what stays; zeros where nothing does.
    """

    scaled: Array
    held: Array

    def of(self, here: Index) -> Growth:
        """Return that of some elements, shape (q,)."""
        return Growth(self.scaled[:, here], self.held[here])


@dataclass(frozen=True, eq=False)
class Margins:
    """Governing reserve factor of every element, with its address.

    Attributes
    ----------
    reserve : ndarray, shape (m,)
        Least reserve factor over plies, levels, sampling points, cases and criteria [1].
    case, ply, level, point : ndarray of int, shape (m,)
        Where it is reached; indices from 0.
    check, mode : ndarray of int, shape (m,)
        Index into `checks` and into that criterion's modes.
    checks : tuple of str
        Criteria keys.
    index : ndarray, shape (m,)
        Failure index of that criterion at that place; NaN where nothing was judged [1].
    """

    reserve: Array
    case: Index
    ply: Index
    level: Index
    point: Index
    check: Index
    mode: Index
    checks: tuple[str, ...]
    index: Array

    @property
    def judged(self) -> NDArray[np.bool_]:
        """Elements in which a chosen ply was judged by a chosen criterion, shape (m,)."""
        return np.asarray(~np.isnan(self.index))

    def mode_label(self, element: int) -> str:
        """Failure mode that governs an element, in words."""
        rule = criterion(self.checks[int(self.check[element])])
        return mode_name(rule.modes, int(self.mode[element]))


def assess(  # noqa: PLR0913 - as many parts of one state
    laminate: Laminate,
    strains: Array,
    sets: Sets = DEFAULT_SETS,
    residual: Array | None = None,
    free: Array | None = None,
    own_free: Array | None = None,
    within: Within = ALL,
    *,
    beside: Beside | None = None,
    growth: Growth | None = None,
) -> Margins:
    """Find the governing reserve factor of every element.

    Parameters
    ----------
    laminate : Laminate
        Section of the elements.
    strains : ndarray, shape (k, m, p, 8)
        Section strains of k cases at p sampling points.
    sets : mapping
        Criteria by the kind of a material.
    residual : ndarray, shape (m, p, 8), optional
        Section strains that stay while the cases are scaled.
    free : ndarray, shape (n, 3, 3), optional
        Stress that the residual strains do not cause, as `free_stress` gives [Pa].
    own_free : ndarray, shape (n, 3, 3), optional
        Stress that the strains of the cases themselves do not cause, where a temperature is
        what is scaled [Pa].
    within : Within
        Plies of the laminate, levels and criteria that are looked at.
    beside : Beside, optional
        Pressure on the faces by case and element, shape (k, m), held (m,), and the surface's
        curvature, shape (m, 3); what a core carries beside the section strains.
    growth : Growth, optional
        How section forces grow from element to element; without it only moments do.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    refuse_lost(strains)
    checks = within.checks(checks_of(laminate, sets))
    keys = tuple(dict.fromkeys(c.rule.key for c in checks))
    count = strains.shape[1]
    reserve = np.full(count, np.inf)
    index = np.full(count, np.nan)
    address = np.zeros((6, count), np.int64)
    levels = np.array(within.levels, np.int64)
    if residual is None and own_free is None:
        # The usual criteria have a compiled search; the rest goes the general way below.
        rows = [rows_of(c) for c in checks]
        fit = [(c, r) for c, r in zip(checks, rows, strict=True) if r is not None]
        if fit:
            sections = Sections.of([laminate], np.zeros(count, np.int64))
            swept(sections, fit, strains, keys, levels, (reserve, address, index))
            checks = [c for c, r in zip(checks, rows, strict=True) if r is None]
    for start in range(0, count if checks else 0, BLOCK):
        part = np.moveaxis(strains[:, start : start + BLOCK], 0, 1)
        stress = {"in-plane": stress_from_section(laminate, part)}
        if own_free is not None:
            stress["in-plane"] = stress["in-plane"] - own_free
        block = slice(start, start + len(part))
        if any(c.rule.stress == "transverse" for c in checks):
            grows = None if growth is None else np.moveaxis(growth.scaled[:, block], 0, 1)
            stress["transverse"] = shear_from_section(
                laminate, part, None if grows is None else grows[:, :, None]
            )
        held = _held(laminate, residual, free, block, stress, growth)
        press = kept = None
        if beside is not None:
            press = beside.press[:, block].T[:, :, None]
            kept = beside.held[block][:, None] if held else None
        for check in (
            checks
            if beside is None
            else [c.on_surface(beside.curved[block][:, None, None]) for c in checks]
        ):
            fed = at_levels(check, stress, levels, press)
            rest = None
            if held:
                rest = np.broadcast_to(at_levels(check, held, levels, kept)[:, None], fed.shape)
            outcome = check.rule.evaluate(check.strengths, fed, rest)
            which = keys.index(check.rule.key)
            keep_least(
                outcome,
                check.plies,
                levels,
                which,
                (reserve[block], address[:, block], index[block]),
            )
    case, point, ply, level, number, mode = address
    return Margins(reserve, case, ply, level, point, number, mode, keys, index)


def refuse_lost(strains: Array) -> None:
    """Raise where section strains, shape (k, m, p, 8), are no numbers: they would pass for sound.

    Raises
    ------
    PartError
        With the element and the case.
    """
    whole = float(np.abs(strains).max(initial=0.0))
    if not whole < STRANGE:
        case, element = np.argwhere(~(np.abs(strains).max(axis=(2, 3)) < STRANGE))[0]
        raise PartError(
            "The section strains are not numbers.",
            f"Element {int(element) + 1}, case {int(case) + 1}",
            "Solve the part again; check loads and materials.",
        )


def swept(
    sections: Sections,
    fit: list[tuple[Check, Array]],
    strains: Array,
    keys: tuple[str, ...],
    levels: Index,
    kept: tuple[Array, Index, Array],
) -> None:
    """Fill reserve factors, addresses and failure indices by the compiled search.

    Parameters
    ----------
    sections : Sections
        Of the elements.
    fit : list of (Check, ndarray)
        In-plane criteria with their rows, as `rows_of` gives.
    strains : ndarray, shape (k, m, p, 8)
        Section strains.
    keys : tuple of str
        What the numbers of checks in the addresses stand for.
    levels : ndarray of int
        Levels looked at.
    kept : tuple of ndarray
        Reserve factors, shape (m,), addresses, shape (6, m), and indices, shape (m,).
    """
    reserve, address, index = kept
    checks = [c for c, _ in fit]
    _, (case, point, ply, level, number) = sweep(
        sections, checks, [r for _, r in fit], strains, levels
    )
    elements = np.arange(strains.shape[1])
    at = strains[case, elements, point]
    for i, check in enumerate(checks):
        here = np.flatnonzero(number == i)
        if len(here) == 0:
            continue
        # The place found is judged by the criterion itself, which knows the mode.
        stress = sections.stress(at[here], (here, ply[here], level[here]))
        outcome = check.rule.evaluate(check.strengths, stress)
        reserve[here], index[here] = outcome.reserve, outcome.index
        address[:, here] = np.stack(
            [
                case[here],
                point[here],
                ply[here],
                level[here],
                np.full(len(here), keys.index(check.rule.key)),
                outcome.mode,
            ]
        )


def _held(
    laminate: Laminate,
    residual: Array | None,
    free: Array | None,
    block: slice,
    stress: Mapping[str, Array],
    growth: Growth | None,
) -> dict[str, Array]:
    """Resting stresses of a block of elements, by kind, shape (b, p, n, 3, c)."""
    if residual is None:
        return {}
    strains = residual[block]
    found = {"in-plane": stress_from_section(laminate, strains) - (0.0 if free is None else free)}
    if "transverse" in stress:
        grows = None if growth is None else growth.held[block][:, None]
        found["transverse"] = shear_from_section(laminate, strains, grows)
    return found


def hot_spots(
    mesh: Mesh,
    margins: Margins,
    most: int = 12,
    apart: float = 3.0,
    left_out: NDArray[np.bool_] | None = None,
) -> list[int]:
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
    left_out : ndarray of bool, shape (m,), optional
        Elements that do not count.

    Returns
    -------
    list of int
        Worst first; elements that never fail are left out.
    """
    centre = mesh.centres()
    reach = apart * float(np.sqrt(mesh.areas().mean()))
    taken = ~np.isfinite(margins.reserve)
    if left_out is not None:
        taken |= left_out
    found: list[int] = []
    for candidate in np.argsort(margins.reserve, kind="stable"):
        if len(found) == most:
            break
        if not taken[candidate]:
            found.append(int(candidate))
            taken |= np.linalg.norm(centre - centre[candidate], axis=1) < reach
    return found
