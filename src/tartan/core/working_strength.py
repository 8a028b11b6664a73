"""Workings of ply stresses and reserve factors."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tartan.core.criteria import criterion
from tartan.core.criteria.base import data_of, mode_name, strengths_of
from tartan.core.laminate.loadcase import shear_of
from tartan.core.laminate.response import LEVELS, Load, free_resultants, respond
from tartan.core.laminate.shear import GROWTH
from tartan.core.laminate.stiffness import Laminate
from tartan.core.working import AXES, CLT, Given, Working, fields_given, reduced_stiffness_working


def ply_stress_working(
    laminate: Laminate, load: Load, ply: int, level: int, component: int
) -> Working:
    """A stress of a ply in ply axes.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    load : Load
        Forces, moments, temperature, moisture.
    ply, level, component : int
        From 0; levels are bottom, middle, top, components 1, 2, 12.
    """
    r = respond(laminate, load)
    forces = np.concatenate([load.N, load.M])
    free = free_resultants(laminate, load)
    names = ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy")
    given = tuple(
        Given(n, float(f), "N/m" if i < 3 else "N", "load")
        for i, (n, f) in enumerate(zip(names, forces, strict=True))
    )
    given += tuple(
        Given(f"{n} free", float(f), "N/m" if i < 3 else "N", "temperature, moisture")
        for i, (n, f) in enumerate(zip(names, free, strict=True))
        if f
    )
    z = float(r.z[ply, level])
    strains = []
    for k, axis in enumerate(AXES):
        eps, kappa = float(r.eps0[k]), float(r.kappa[k])
        strains.append(
            Working(
                f"strain {axis} at z",
                f"eps0 {axis} + z kappa {axis}",
                eps + z * kappa,
                "1",
                (
                    Given("eps0", eps, "1", "inverse of A, B, D times all resultants"),
                    Given("kappa", kappa, "1/m", "the same"),
                    Given("z", z, "m", "stack"),
                    *given,
                ),
            )
        )
    turned = []
    for k, axis in enumerate(("1", "2", "12")):
        turned.append(
            Working(
                f"mechanical strain {axis}",
                f"strain turned by {laminate.stack.plies[ply].angle:g}°, less free expansion",
                float(r.mechanical_12[ply, level, k]),
                "1",
                steps=tuple(strains) if k == 0 else (),
            )
        )
    material = laminate.materials[ply]
    row = tuple(
        reduced_stiffness_working(material, component, k)
        for k in ((2,) if component == 2 else (0, 1))
    )
    name = ("1", "2", "12")[component]
    return Working(
        f"stress {name} in ply {ply + 1} at the {LEVELS[level]}",
        "Q times mechanical strain",
        float(r.stress_12[ply, level, component]),
        "Pa",
        (),
        (*row, *turned),
        f"{CLT}, section 4.4",
    )


def reserve_working(
    laminate: Laminate, load: Load, key: str, ply: int, level: int, held: Load | None = None
) -> Working:
    """Reserve factor of a ply at a level by a criterion, down to strengths and stresses.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    load : Load
        Forces and moments are scaled; temperature and moisture stay.
    key : str
        An in-plane criterion.
    ply, level : int
        From 0.
    held : Load, optional
        What stays, where that is not temperature and moisture on a free laminate, such as with
        prescribed strains.

    Raises
    ------
    CriterionError, MaterialError
        As `strengths_of`.
    """
    rule = criterion(key)
    material = laminate.materials[ply]
    strengths = data_of(material, rule) or strengths_of(material, rule)
    mechanical = load if held is not None else replace(load, dT=0.0, dT_gradient=0.0, dC=0.0)
    thermal = held if held is not None else replace(load, N=np.zeros(3), M=np.zeros(3))
    applied = respond(laminate, mechanical).stress_12[ply, level]
    residual = respond(laminate, thermal).stress_12[ply, level]
    outcome = rule.evaluate(strengths, applied, residual)
    reserve = float(outcome.reserve)
    stresses = [ply_stress_working(laminate, mechanical, ply, level, c) for c in range(3)]
    if residual.any():
        stresses += [
            replace(w, title=f"residual {w.title}")
            for w in (ply_stress_working(laminate, thermal, ply, level, c) for c in range(3))
        ]
    given = fields_given(material, rule)
    index = Working(
        f"{rule.title} index",
        rule.formula,
        float(outcome.index),
        "1",
        given,
        tuple(stresses),
        rule.source,
    )
    at_failure = (
        float(rule.evaluate(strengths, residual + reserve * applied).index)
        if np.isfinite(reserve)
        else float("nan")
    )
    check = Working(
        "index at failure", "index of residual + reserve factor × stress", at_failure, "1"
    )
    mode = mode_name(rule.modes, int(outcome.mode))
    return Working(
        f"reserve factor of ply {ply + 1} at the {LEVELS[level]}",
        f"least multiplier of the load at which the index reaches 1; mode: {mode}",
        reserve,
        "1",
        (),
        (index, check),
        rule.source,
    )


def shear_reserve_working(
    laminate: Laminate,
    shearing: np.typing.NDArray[np.float64],
    key: str,
    ply: int,
    level: int,
    held: np.typing.NDArray[np.float64] | None = None,
) -> Working:
    """Reserve factor of a ply by a criterion of the transverse shears, down to the forces.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    shearing : ndarray, shape (10,)
        Transverse forces and growth, as of `LoadCase.shearing` [N/m; N/m², N/m].
    key : str
        Such as core_shear or interlaminar.
    ply, level : int
        From 0.
    held : ndarray, shape (10,), optional
        The same of what stays.

    Raises
    ------
    CriterionError, MaterialError
        As `strengths_of`.
    """
    rule = criterion(key)
    material = laminate.materials[ply]
    rests = np.zeros(10) if held is None else held
    stress, resting = (shear_of(laminate, q)[ply, level] for q in (shearing, rests))
    outcome = rule.evaluate(strengths_of(material, rule), stress, resting)
    forces = _shearing_given(shearing, "load")
    steps = tuple(
        Working(
            f"shear {n} in ply {ply + 1} at the {LEVELS[level]}",
            "growth of the in-plane stresses integrated from the face, turned into ply axes",
            float(stress[k]),
            "Pa",
            forces,
            (),
            "Rohwer, DFVLR-FB 88-32 (1988)",
        )
        for k, n in enumerate(("13", "23"))
    )
    if resting.any():
        kept = _shearing_given(rests, "stays")
        steps += tuple(
            Working(
                f"residual shear {n} in ply {ply + 1} at the {LEVELS[level]}",
                "the same of the forces that stay",
                float(resting[k]),
                "Pa",
                kept,
            )
            for k, n in enumerate(("13", "23"))
        )
    given = fields_given(material, rule)
    index = Working(
        f"{rule.title} index", rule.formula, float(outcome.index), "1", given, steps, rule.source
    )
    mode = mode_name(rule.modes, int(outcome.mode))
    return Working(
        f"reserve factor of ply {ply + 1} at the {LEVELS[level]}",
        f"least multiplier at which the index reaches 1; mode: {mode}",
        float(outcome.reserve),
        "1",
        (),
        (index,),
        rule.source,
    )


def _shearing_given(shearing: np.typing.NDArray[np.float64], whence: str) -> tuple[Given, ...]:
    """Transverse forces, and what grows beside them where anything does."""
    names = ("Qx", "Qy", *GROWTH)
    return tuple(
        Given(n, float(q), "N/m²" if n[0] == "N" else "N/m", whence)
        for n, q in zip(names, shearing, strict=True)
        if q or n[0] == "Q"
    )
