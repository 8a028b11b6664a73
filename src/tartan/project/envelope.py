"""Margins of a part's cases and combinations: what is scaled, and what a temperature leaves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import Load as LaminateLoad
from tartan.core.shell.margins import ALL, Margins, Within
from tartan.core.shell.recovery import assess_zones
from tartan.project.shellinputs import Layout, PartInputs, heat_of

Array = NDArray[np.float64]


def factors_of(inputs: PartInputs) -> Array:
    """Factor of every case in all that is assessed, shape (k, cases); 0 in outside forces."""
    names = [c.name for c in inputs.cases]
    rows = [np.eye(len(names))]
    for each in inputs.combinations:
        row = np.zeros((1, len(names)))
        for name, factor in each.factors:
            row[0, names.index(name)] += factor
        rows.append(row)
    return np.concatenate([*rows, np.zeros((len(inputs.outside), len(names)))])


def heat_in(inputs: PartInputs, case: int) -> LaminateLoad | None:
    """Temperature of a case or combination, by its number; None without any."""
    parts = [(f, h) for f, c in zip(factors_of(inputs)[case], inputs.cases, strict=True)
             if f and (h := heat_of(c)) is not None]  # fmt: skip
    if not parts:
        return None
    return LaminateLoad(dT=sum(f * h.dT for f, h in parts),
                        dT_gradient=sum(f * h.dT_gradient for f, h in parts))  # fmt: skip


def margins_of(inputs: PartInputs, layout: Layout, strains: Array, resting: Array,
               within: Within = ALL, cases: Sequence[int] | None = None) -> Margins:  # fmt: skip
    """Least over cases: those without temperature at once, each of the others by itself.

    Parameters
    ----------
    inputs, layout : PartInputs, Layout
        The part.
    strains, resting : ndarray, shape (k, m, p, 8)
        Of all cases; what a temperature causes stays, and is empty where none has one.
    within : Within
        Plies of the lay-up, spots and criteria that are looked at.
    cases : sequence of int, optional
        Numbers of the cases that are looked at; all when left out.
    """
    sets = inputs.criteria.sets
    chosen = range(len(strains)) if cases is None else cases
    heats = {k: heat_in(inputs, k) for k in chosen}
    plain = [k for k, h in heats.items() if h is None]
    found: Margins | None = None
    if plain:
        # All of them as they lie in memory: picking would copy them.
        fed = strains if len(plain) == len(strains) else strains[plain]
        found = _of_cases(assess_zones(layout.zones, fed, sets, within=within), plain)
    factors = factors_of(inputs)
    for k, heat in heats.items():
        if heat is None:
            continue
        pulled = any(f and any(x.kind != "temperature" for x in c.loads)
                     for f, c in zip(factors[k], inputs.cases, strict=True))  # fmt: skip
        if pulled:
            own = assess_zones(layout.zones, strains[k : k + 1] - resting[k : k + 1], sets,
                               residual=resting[k], temperature=heat, within=within)  # fmt: skip
        else:
            # Nothing but a temperature: it is what is scaled.
            own = assess_zones(layout.zones, strains[k : k + 1], sets, scaled=heat, within=within)
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
        for name in ("reserve", "case", "ply", "spot", "point", "mode", "index")
    }
    first, second = (np.array([keys.index(k) for k in m.checks] or [0])[m.check]
                     for m in (one, other))  # fmt: skip
    return replace(one, **changed, check=np.where(less, second, first), checks=keys)
