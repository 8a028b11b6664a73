"""Strips with deflections that are not small: cantilever, hinged strip, shallow arch."""

from __future__ import annotations

import math
from typing import Any

from tartan.core.errors import StackError
from tartan.core.laminate import Laminate
from tartan.core.laminate.arches import Arch, arch_loads, arch_path
from tartan.core.laminate.strips import Strip, cantilever_force, cantilever_moment, pinned
from tartan.exchange.verify.reading import Inputs, NotYetError, number, read_laminate


def large_deflection(inputs: Inputs) -> dict[str, Any]:
    """Answer a strip of a stack in cylindrical bending.

    Raises
    ------
    StackError, MaterialError
        Inputs that cannot be.
    NotYetError
        A model, load or support that is not known.
    """
    laminate = read_laminate(inputs)
    model = inputs.get("model")
    if model == "cantilever":
        return _cantilever(inputs, laminate)
    if model == "pinned_strip":
        return _pinned(inputs, laminate)
    if model == "shallow_arch":
        return _arch(inputs, laminate)
    raise NotYetError(f"model {model}")


def _strip(inputs: Inputs, laminate: Laminate, name: str, *, coupled: bool) -> Strip:
    ABD = laminate.ABD
    B = float(ABD[0, 3]) if coupled else 0.0
    return Strip(number(inputs.get(name), name), float(ABD[0, 0]), float(ABD[3, 3]), B)


def _several(inputs: Inputs, name: str) -> list[float]:
    given = inputs.get(name)
    many = given if isinstance(given, list) else [given]
    if not many:
        raise StackError("There are no values.", name, "Give one.")
    return [number(v, name) for v in many]


def _cantilever(inputs: Inputs, laminate: Laminate) -> dict[str, Any]:
    strip, load = _strip(inputs, laminate, "L", coupled=False), inputs.get("load")
    if load not in ("tip_force", "tip_moment"):
        raise NotYetError(f"load {load}")
    values = _several(inputs, "values")
    solve = cantilever_force if load == "tip_force" else cantilever_moment
    found = [solve(strip, v) for v in values]
    force = max(map(abs, values)) if load == "tip_force" else 0.0
    return {
        "w_tip": [t.deflection for t in found],
        "u_tip": [t.shortening for t in found],
        "rotation": [math.degrees(t.rotation) for t in found],
        "root_moment": [t.moment for t in found],
        "neglected_extension": force / strip.A,
        "neglected_shear": strip.D / (float(laminate.shear[0, 0]) * strip.length**2),
        "A11": strip.A,
        "D11": strip.D,
    }


def _pinned(inputs: Inputs, laminate: Laminate) -> dict[str, Any]:
    strip = _strip(inputs, laminate, "L", coupled=True)
    found = [pinned(strip, q) for q in _several(inputs, "pressure")]
    return {
        "w_center": [p.deflection for p in found],
        "N": [p.tension for p in found],
        "M_center": [p.moment for p in found],
        "slope": [p.slope for p in found],
        "A11": strip.A,
        "B11": strip.B,
        "D11": strip.D,
    }


def _arch(inputs: Inputs, laminate: Laminate) -> dict[str, Any]:
    strip = _strip(inputs, laminate, "span", coupled=False)
    load, ends = inputs.get("load", "pressure"), inputs.get("ends", "pinned")
    if load not in ("pressure", "central_force"):
        raise NotYetError(f"load {load}")
    if ends not in ("pinned", "clamped"):
        raise NotYetError(f"ends {ends}")
    arch = Arch(strip, number(inputs.get("R"), "R"), ends == "clamped", load == "central_force")
    path = arch_path(arch)
    found: dict[str, Any] = {
        "limit_load": path.limit,
        "limit_w_center": path.limit_deflection,
        "bifurcation_load": path.bifurcation,
        "bifurcation_w_center": path.bifurcation_deflection,
        "bifurcation_first": path.bifurcation_first,
        "shallowness": arch.rise * math.sqrt(strip.A / strip.D),
        "A11": strip.A,
        "D11": strip.D,
    }
    if inputs.get("w_center") is not None:
        found["load_at_w"] = arch_loads(arch, _several(inputs, "w_center"))
    return found
