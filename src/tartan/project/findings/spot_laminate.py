"""One place of a solved part as a laminate under a load: what the stations of a stack can ask."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.laminate.loadcase import Eight, LoadCase, answer
from tartan.core.laminate.response import Load, free_resultants
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.drivers import Drivers, drivers
from tartan.core.strength.laminate_reserves import Beside, checks_of
from tartan.project.analysis.core_pressure import beside_of
from tartan.project.analysis.force_growth import growth_at
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.superposition import heats_in, scheme_of

Array = NDArray[np.float64]


def spot_loads(found: PartAnswer, element: int, case: int, point: int | None = None) -> LoadCase:
    """Section forces of a case in an element as a load case on its laminate.

    What the case holds stays, the rest is scaled.

    Parameters
    ----------
    found : PartAnswer
        The answer.
    element, case : int
        From 0.
    point : int, optional
        Sampling point; the one that governs the element when left out.
    """
    laminate = found.layout().laminate(element)
    point = int(found.margins.point[element]) if point is None else point
    strains = found.solution.strains[case, element, point]
    name = f"{found.inputs.case_names[case]}, element {element + 1}"
    sign = found.sign(element)
    grows, stays = (None if h is None else h.on(sign) for h in heats_in(found.inputs, case))
    rest = np.zeros(8)
    if scheme_of(found.inputs).held[case].any():
        rest = found.resting[case, element, point]
    section = _as_loads(name, _forces(laminate, strains - rest) - _free(laminate, grows))
    held = _as_loads(name, _forces(laminate, rest) - _free(laminate, stays))
    loads = replace(section, held=(*held.values, *held.Q)) if rest.any() else section
    if (beside := beside_of(found.inputs, found.layout())) is not None:
        x, y, xy = (float(c) for c in beside.curved[element])
        loads = replace(
            loads,
            press=float(beside.press[case, element]),
            held_press=float(beside.held[case, element]),
            curved=(x, y, xy),
        )
    growth, held_growth = growth_at(found, element, case)
    loads = replace(loads, growth=_eight(growth), held_growth=_eight(held_growth))
    if stays is not None:
        loads = replace(loads, dT=stays.dT, dT_gradient=stays.dT_gradient)
    if grows is None:
        return loads
    if stays is None and not rest.any():
        return replace(loads, dT=grows.dT, dT_gradient=grows.dT_gradient, scales_temperature=True)
    return replace(loads, growing_dT=grows.dT, growing_gradient=grows.dT_gradient)


def _free(laminate: Laminate, heat: Load | None) -> Array:
    """What free expansion would be resisted with, as section forces, shape (8,)."""
    found = np.zeros(8)
    if heat is not None:
        found[:6] = free_resultants(laminate, heat)
    return found


def _forces(laminate: Laminate, strains: Array) -> Array:
    return np.concatenate([laminate.ABD @ strains[:6], laminate.shear @ strains[6:]])


def _as_loads(name: str, forces: Array) -> LoadCase:
    v = [float(f) for f in forces]
    return LoadCase(name, (v[0], v[1], v[2], v[3], v[4], v[5]), Q=(v[6], v[7]))


def _eight(v: Array) -> Eight:
    a, b, c, d, e, f, g, h = (float(x) for x in v)
    return a, b, c, d, e, f, g, h


def about_middle(laminate: Laminate, loads: LoadCase) -> LoadCase:
    """Return the same forces with moments about the laminate's middle."""
    lift = float(laminate.z[0] + laminate.z[-1]) / 2
    if lift == 0:
        return loads

    def moved(v: tuple[float, ...]) -> tuple[float, float, float, float, float, float]:
        return v[0], v[1], v[2], v[3] - lift * v[0], v[4] - lift * v[1], v[5] - lift * v[2]

    def grown(v: Eight) -> Eight:
        return _eight(np.array(v) - lift * np.array([0.0] * 4 + list(v[:4])))

    # The temperature of a laminate is that at mid-thickness, wherever its reference is.
    return replace(
        loads,
        values=moved(loads.values),
        held=(*moved(loads.held), *loads.held[6:]),
        growth=grown(loads.growth),
        held_growth=grown(loads.held_growth),
    )


def spot_drivers(found: PartAnswer, element: int) -> tuple[str, Drivers]:
    """Criterion that governs an element, and what each stress contributes to it there."""
    margins = found.margins
    return drivers_at(
        found,
        element,
        int(margins.case[element]),
        int(margins.ply[element]),
        int(margins.level[element]),
        margins.checks[int(margins.check[element])],
        int(margins.point[element]),
    )


def drivers_at(
    found: PartAnswer,
    element: int,
    case: int,
    ply: int,
    level: int,
    key: str,
    point: int | None = None,
) -> tuple[str, Drivers]:
    """What each stress contributes to a criterion at a ply of the lay-up and a level.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    layout = found.layout()
    laminate, place = layout.laminate(element), layout.plies(element).index(ply)
    rule = criterion(key)
    loads = spot_loads(found, element, case, point)
    response = answer(laminate, loads)
    checks = checks_of(laminate, found.inputs.criteria.sets)
    check = next(c for c in checks if c.rule.key == key and place in c.plies)
    beside = Beside.of(loads)
    row = int(np.flatnonzero(check.plies == place)[0])
    scaled = check.fed(response.applied.stress_12, response.shear, beside.press)[row, level]
    stays = response.held_shear if rule.stress == "transverse" else response.residual
    rest = None
    if stays is not None or beside.held:
        still = np.zeros_like(response.applied.stress_12)
        still = still if response.residual is None else response.residual
        rest = check.fed(still, response.held_shear, beside.held)[row, level]
    data = check.at(place, level)
    if "curved" in data:
        data = {**data, "curved": beside.curved}
    return key, drivers(rule, data, scaled, rest)
