"""Margins of zones of the same materials, all judged at once.

Draping makes a zone of every few elements, and what a zone takes by itself adds up.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.margins import ALL, Margins, Within, refuse_lost, swept
from tartan.core.shell.sweep import Sections, rows_of
from tartan.core.shell.zones import Zones
from tartan.core.strength.laminate_reserves import Sets, checks_of

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def assessed_alike(
    zones: Zones, strains: Array, sets: Sets, within: Within
) -> Iterator[tuple[list[int], Index, Margins]]:
    """Zones of the same materials at once: their numbers and elements, and what governs there.

    Parameters
    ----------
    zones : Zones
        Sections.
    strains : ndarray, shape (k, m, p, 8)
        Section strains; nothing is held.
    sets, within : mapping, Within
        As `assess_zones` takes them.

    Yields
    ------
    tuple
        Numbers of the zones, their elements, shape (q,), and the margins of these. Zones that are
        alone of their kind, or have criteria that the compiled search does not know, are left.

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
        part = assess_alike(laminates, which, fed, sets, chosen[numbers[0]])
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
) -> Margins | None:
    """Find the governing reserve factor of every element of sections of the same materials.

    Parameters
    ----------
    laminates : sequence of Laminate
        Sections with as many plies each, ply by ply of one material.
    which : ndarray of int, shape (m,)
        Section of every element.
    strains : ndarray, shape (k, m, p, 8)
        Section strains; nothing is held.
    sets, within : mapping, Within
        As `assess` takes them.

    Returns
    -------
    Margins or None
        As `assess` gives them section by section; none where a criterion is not one of those
        that the compiled search knows.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    checks = within.checks(checks_of(laminates[0], sets))
    rows = [rows_of(c) for c in checks]
    fit = [(c, r) for c, r in zip(checks, rows, strict=True) if r is not None]
    if not fit or len(fit) < len(checks):
        return None
    refuse_lost(strains)
    keys = tuple(dict.fromkeys(c.rule.key for c in checks))
    count = strains.shape[1]
    reserve, index = np.full(count, np.inf), np.full(count, np.nan)
    address = np.zeros((6, count), np.int64)
    levels = np.array(within.levels, np.int64)
    swept(Sections.of(laminates, which), fit, strains, keys, levels, (reserve, address, index))
    case, point, ply, level, number, mode = address
    return Margins(reserve, case, ply, level, point, number, mode, keys, index)


__all__ = ["assess_alike", "assessed_alike"]
