"""Working of a reserve factor of sandwich stability: limit, what is held against it, direction."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.criteria.base import Strengths, mode_name
from tartan.core.criteria.sandwich import _Compressed, compression
from tartan.core.errors import CriterionError
from tartan.core.laminate.response import Load, respond
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.cores import cores_of, sandwich_of
from tartan.core.strength.laminate_reserves import Beside, sandwich_checks
from tartan.core.working import Given, Working, fields_given

Array = NDArray[np.float64]

_UNITS = {"faces": "Pa", "forces": "N/m"}


def sandwich_working(
    laminate: Laminate,
    applied: Load,
    key: str,
    ply: int,
    level: int,
    held: Load,
    beside: Beside | None = None,
) -> Working:
    """Work a reserve factor of a sandwich criterion out.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    applied, held : Load
        What is scaled, and what stays.
    key : str
        Such as wrinkling.
    ply, level : int
        The core ply, from 0, and its level: bottom and top stand for the faces.
    beside : Beside, optional
        Pressure on the faces and curvature of the surface of that one load.

    Raises
    ------
    CriterionError, MaterialError
        When the ply is no core between faces, or data are missing.
    """
    rule, material = criterion(key), laminate.materials[ply]
    found = sandwich_checks(laminate, rule, material, np.array([ply]))
    if not found:
        raise CriterionError(
            f"{rule.title} is not judged at ply {ply + 1}.",
            "Criteria",
            "Choose a core between faces.",
        )
    check, strengths = found[0], found[0].at(ply, level)
    press = kept_press = None
    if beside is not None:
        press, kept_press = beside.press, beside.held
        if "curved" in strengths:
            strengths = {**strengths, "curved": beside.curved}
    still = Load(dT=held.dT, dT_gradient=held.dT_gradient, dC=held.dC)
    kept = respond(laminate, replace(still, N=held.N, M=held.M)).stress_12
    push, rest = (
        check.fed(s, None, p)[0, level]
        for s, p in ((respond(laminate, applied).stress_12, press), (kept, kept_press))
    )
    outcome = rule.evaluate(strengths, push, rest)
    core = next(c for c in cores_of(laminate) if c.plies.start == ply)
    body = sandwich_of(laminate, core)
    given = list(fields_given(material, rule))
    given += [Given("tc", body.tc, "m", "stack"), Given("d", body.distance, "m", "stack")]
    face = body.faces[0 if level == 0 else 1] if level != 1 else None
    if face is not None:
        given.append(Given("tf", face[1], "m", "stack"))
    steps: tuple[Working, ...] = ()
    if isinstance(rule, _Compressed):
        steps = _compressed(rule, strengths, push, rest, _UNITS[rule.reads])  # type: ignore[attr-defined]
    else:
        steps = (_pressed(strengths, push, rest),)
    index = Working(
        f"{rule.title} index",
        rule.formula,
        float(outcome.index),
        "1",
        tuple(given),
        steps,
        rule.source,
    )
    mode = mode_name(rule.modes, int(outcome.mode))
    return Working(
        f"reserve factor by {rule.title} of the core, ply {ply + 1}",
        f"least multiplier at which the index reaches 1; mode: {mode}",
        float(outcome.reserve),
        "1",
        (),
        (index,),
        rule.source,
    )


def _pressed(data: Strengths, push: Array, rest: Array) -> Working:
    """What presses on a core: bending of the faces, and a pressure on them."""
    total, curved = push + rest, np.asarray(data["curved"])
    axes = ("x", "y", "xy")
    given = [Given(f"M{a}", float(v), "N", "load") for a, v in zip(axes, total[:3], strict=True)]
    given += [
        Given(f"k{a}", float(v), "1/m", "load") for a, v in zip(axes, total[3:6], strict=True)
    ]
    if curved.any():
        given += [
            Given(f"k{a} of the surface", float(v), "1/m", "surface")
            for a, v in zip(axes, curved, strict=True)
        ]
    given.append(Given("p on the faces", float(total[6]), "Pa", "load"))
    q = float(total[:3] @ (total[3:6] + curved)) / float(np.asarray(data["d"]))
    return Working(
        "pressure on the core",
        "(Mx kx + My ky + Mxy kxy) / d + p, p where it presses",
        q + max(float(total[6]), 0.0),
        "Pa",
        tuple(given),
    )


def _compressed(
    rule: _Compressed, data: Strengths, push: Array, rest: Array, unit: str
) -> tuple[Working, ...]:
    """Greatest compression and the limit of its direction."""
    size, angle = compression(push + rest)
    where = f"at {float(np.degrees(angle)) % 180:.4g}° to the laminate's x"
    axes = ("x", "y", "xy")
    given = [
        Given(f"{a}, scaled", float(v), unit, "load") for a, v in zip(axes, push, strict=True)
    ]
    if rest.any():
        given += [
            Given(f"{a}, held", float(v), unit, "stays") for a, v in zip(axes, rest, strict=True)
        ]
    return (
        Working(
            f"greatest compression, {where}",
            "√(((x − y)/2)² + xy²) − (x + y)/2",
            float(size),
            unit,
            tuple(given),
        ),
        Working(
            f"limit {where}",
            "of face and core in that direction",
            float(rule.limit(data, angle)),
            unit,
        ),
    )
