"""Margins of zones of the same materials, all judged at once.

Draping makes a zone of every few elements, and what a zone takes by itself adds up.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS
from tartan.core.laminate.response import Load, free_stress
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.governing import at_levels, keep_least
from tartan.core.shell.margins import (
    ALL,
    BLOCK,
    Margins,
    Within,
    refuse_lost,
    swept,
)
from tartan.core.shell.sweep import Sections, rows_of
from tartan.core.shell.zones import Zones
from tartan.core.strength.laminate_reserves import Check, Sets, checks_of

Array = NDArray[np.float64]
Index = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class Rest:
    """What stays while elements of several sections are loaded, and what causes no stress.

    Attributes
    ----------
    residual : ndarray, shape (m, p, 8), optional
        Section strains that stay.
    free, own_free : ndarray, shape (z, n, 3, 3), optional
        By section: stress that the residual strains, and those that are scaled, do not cause [Pa].
    """

    residual: Array | None = None
    free: Array | None = None
    own_free: Array | None = None

    @property
    def nothing(self) -> bool:
        """Whether stresses are those of the scaled strains alone."""
        return self.residual is None and self.own_free is None


NOTHING = Rest()


def of_zone(loads: Load | Sequence[Load], number: int) -> Load:
    """Temperature of a zone, given for all of them or for each."""
    return loads if isinstance(loads, Load) else loads[number]


def assessed_alike(
    zones: Zones,
    strains: Array,
    sets: Sets,
    within: Within,
    residual: Array | None = None,
    temperature: Load | Sequence[Load] | None = None,
    scaled: Load | Sequence[Load] | None = None,
) -> Iterator[tuple[list[int], Index, Margins]]:
    """Zones of the same materials at once: their numbers and elements, and what governs there.

    Parameters
    ----------
    zones : Zones
        Sections.
    strains : ndarray, shape (k, m, p, 8)
        Section strains that are scaled.
    sets, within : mapping, Within
        As `assess_zones` takes them.
    residual : ndarray, shape (m, p, 8), optional
        Section strains that stay.
    temperature, scaled : Load or sequence of Load, optional
        As `assess_zones` takes them.

    Yields
    ------
    tuple
        Numbers of the zones, their elements, shape (q,), and the margins of these. Zones that are
        alone of their kind, or have criteria of more than the stresses in the plane, are left.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    alike: dict[tuple[object, ...], list[int]] = {}
    chosen = [within.of_zone(plies) for plies in zones.plies] or [within] * len(zones.laminates)
    for number, laminate in enumerate(zones.laminates):
        # Of one project the materials are the same objects.
        key = (chosen[number].plies, *map(id, laminate.materials))
        alike.setdefault(key, []).append(number)
    for numbers in alike.values():
        local = np.full(len(zones.laminates), -1)
        local[numbers] = np.arange(len(numbers))
        here = np.flatnonzero(local[zones.zone] >= 0)
        if len(numbers) == 1 or len(here) == 0:
            continue
        which = local[zones.zone[here]]
        fed = strains if len(here) == strains.shape[1] else strains[:, here]
        laminates = [zones.laminates[k] for k in numbers]
        free, own = (
            None
            if x is None
            else np.array([free_stress(zones.laminates[k], of_zone(x, k)) for k in numbers])
            for x in (temperature, scaled)
        )
        rest = Rest(None if residual is None else residual[here], free, own)
        part = assess_alike(laminates, which, fed, sets, chosen[numbers[0]], rest)
        if part is None:
            continue
        if zones.plies:
            lay_up = np.array([zones.plies[k] for k in numbers])
            part = replace(part, ply=lay_up[which, part.ply])
        yield numbers, here, part


def assess_alike(
    laminates: Sequence[Laminate],
    which: Index,
    strains: Array,
    sets: Sets = DEFAULT_SETS,
    within: Within = ALL,
    rest: Rest = NOTHING,
) -> Margins | None:
    """Find the governing reserve factor of every element of sections of the same materials.

    Parameters
    ----------
    laminates : sequence of Laminate
        Sections with as many plies each, ply by ply of one material.
    which : ndarray of int, shape (m,)
        Section of every element.
    strains : ndarray, shape (k, m, p, 8)
        Section strains that are scaled.
    sets, within : mapping, Within
        As `assess` takes them.
    rest : Rest
        What stays meanwhile.

    Returns
    -------
    Margins or None
        As `assess` gives them section by section; none where a criterion reads more than the
        stresses in the plane of a ply.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    checks = within.checks(checks_of(laminates[0], sets))
    if not checks or any(c.rule.stress != "in-plane" for c in checks):
        return None
    refuse_lost(strains)
    keys = tuple(dict.fromkeys(c.rule.key for c in checks))
    count = strains.shape[1]
    reserve, index = np.full(count, np.inf), np.full(count, np.nan)
    address = np.zeros((6, count), np.int64)
    levels = np.array(within.levels, np.int64)
    sections = Sections.of(laminates, which)
    kept = reserve, address, index
    rows = [rows_of(c) if rest.nothing else None for c in checks]
    fit = [(c, r) for c, r in zip(checks, rows, strict=True) if r is not None]
    if fit:
        swept(sections, fit, strains, keys, levels, kept)
    others = [c for c, r in zip(checks, rows, strict=True) if r is None]
    if others:
        _walk(sections, others, strains, rest, keys, levels, kept)
    case, point, ply, level, number, mode = address
    return Margins(reserve, case, ply, level, point, number, mode, keys, index)


def _walk(
    sections: Sections,
    checks: Sequence[Check],
    strains: Array,
    rest: Rest,
    keys: tuple[str, ...],
    levels: Index,
    kept: tuple[Array, Index, Array],
) -> None:
    """Fill reserve factors, addresses and indices by the criteria themselves, block by block."""
    reserve, address, index = kept
    for start in range(0, strains.shape[1], BLOCK):
        block = slice(start, start + BLOCK)
        which = sections.which[block]
        stress = sections.stresses(np.moveaxis(strains[:, block], 0, 1), which)
        if rest.own_free is not None:
            stress -= rest.own_free[which][:, None, None]
        held = None
        if rest.residual is not None:
            held = sections.stresses(rest.residual[block][:, None], which)
            if rest.free is not None:
                held -= rest.free[which][:, None, None]
        for check in checks:
            fed = at_levels(check, {"in-plane": stress}, levels)
            stays = None
            if held is not None:
                stays = np.broadcast_to(at_levels(check, {"in-plane": held}, levels), fed.shape)
            keep_least(
                check.rule.evaluate(check.strengths, fed, stays),
                check.plies,
                levels,
                keys.index(check.rule.key),
                (reserve[block], address[:, block], index[block]),
            )


__all__ = ["Rest", "assess_alike", "assessed_alike", "of_zone"]
