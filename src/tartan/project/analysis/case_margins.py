"""Margins of a part's cases and combinations: what grows, and what is held."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.margins import ALL, Margins, Within
from tartan.core.shell.recovery import assess_zones
from tartan.core.strength.laminate_reserves import Beside
from tartan.project.analysis.caseloads import heats_on
from tartan.project.analysis.core_pressure import beside_of
from tartan.project.analysis.force_growth import growth_of, shears_plies
from tartan.project.analysis.inputs import Layout, PartInputs
from tartan.project.analysis.superposition import heats_in, scheme_of

Array = NDArray[np.float64]


def margins_of(
    inputs: PartInputs,
    layout: Layout,
    strains: Array,
    resting: Array,
    within: Within = ALL,
    cases: Sequence[int] | None = None,
) -> Margins:
    """Least over cases: those in which all grows at once, each of the others by itself.

    Parameters
    ----------
    inputs, layout : PartInputs, Layout
        The part.
    strains, resting : ndarray, shape (k, m, p, 8)
        Of all cases; what is held stays, and is empty where no case holds anything.
    within : Within
        Plies of the lay-up, levels and criteria that are looked at.
    cases : sequence of int, optional
        Numbers of the cases that are looked at; all when left out.
    """
    sets = inputs.criteria.sets
    scheme = scheme_of(inputs)
    chosen = range(len(strains)) if cases is None else cases
    heats = {k: heats_in(inputs, k) for k in chosen}
    plain = [k for k, h in heats.items() if h == (None, None) and not scheme.held[k].any()]
    found: Margins | None = None
    outside = beside_of(inputs, layout)
    sheared = shears_plies(inputs, within)

    def beside(cases: list[int]) -> Beside | None:
        if outside is None:
            return None
        return Beside(outside.press[cases], outside.held[cases[0]], outside.curved)

    if plain:
        # All of them as they lie in memory: picking would copy them.
        fed = strains if len(plain) == len(strains) else strains[plain]
        own = assess_zones(
            layout.zones,
            fed,
            sets,
            within=within,
            beside=beside(plain),
            growth=growth_of(layout, (fed, None)) if sheared else None,
        )
        found = _of_cases(own, plain)
    for k, (grows, stays) in heats.items():
        if k in plain:
            continue
        held = bool(scheme.held[k].any())
        fed = strains[k : k + 1] - resting[k : k + 1] if held else strains[k : k + 1]
        own = assess_zones(
            layout.sided,
            fed,
            sets,
            residual=resting[k] if held else None,
            temperature=None if stays is None else heats_on(layout, stays),
            scaled=None if grows is None else heats_on(layout, grows),
            within=within,
            beside=beside([k]),
            growth=(
                growth_of(layout, (fed, grows), (resting[k : k + 1], stays) if held else None)
                if sheared
                else None
            ),
        )
        found = _lesser(found, _of_cases(own, [k]))
    assert found is not None
    return found


def _of_cases(margins: Margins, cases: list[int]) -> Margins:
    return replace(margins, case=np.array(cases)[margins.case])


def _lesser(one: Margins | None, other: Margins) -> Margins:
    """Margins of whichever is less, element by element."""
    if one is None:
        return other
    keys = tuple(dict.fromkeys((*one.checks, *other.checks)))
    less = (other.reserve < one.reserve) | ~one.judged
    changed: dict[str, Any] = {
        name: np.where(less, getattr(other, name), getattr(one, name))
        for name in ("reserve", "case", "ply", "level", "point", "mode", "index")
    }
    first, second = (
        np.array([keys.index(k) for k in m.checks] or [0])[m.check] for m in (one, other)
    )
    return replace(one, **changed, check=np.where(less, second, first), checks=keys)
