"""Answers to the kinds about strength, sandwiches and cylinders."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from tartan.core.errors import StackError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import Load, respond_mixed
from tartan.core.laminate.shear import shear_distribution
from tartan.core.strength.critical import critical_loads as core_critical_loads
from tartan.core.strength.progressive import ply_discount
from tartan.core.strength.reserve import reserve_of_stresses
from tartan.core.strength.sandwich import check_sandwich
from tartan.core.vessel.cylinder import CylinderLoad, thick_cylinder, thin_resultants
from tartan.exchange.verify.laminate_kinds import read_load
from tartan.exchange.verify.reading import (
    Inputs,
    NotYetError,
    number,
    read_criteria,
    read_laminate,
    read_plies,
)

Answers = dict[str, Any]


def with_parameters(laminate: Laminate, parameters: dict[str, float]) -> Laminate:
    """Laminate whose materials carry a criterion's parameters."""
    changed = tuple(replace(m, **parameters) for m in laminate.materials)  # type: ignore[arg-type]
    return Laminate(laminate.stack, changed, laminate.offset)


def interlaminar(inputs: Inputs) -> Answers:
    """Shear stresses through the thickness from Qx, Qy."""
    lam = read_laminate(inputs)
    Q = np.array([number(inputs.get(k), k, default=0.0) for k in ("Qx", "Qy")])
    f = shear_distribution(lam.Qbar, lam.z, lam.compliance, np.array([-1.0, 0.0, 1.0]))
    tau = f @ Q
    t = np.diff(lam.z)
    total = np.einsum("n,s,nsi->i", t / 6, [1.0, 4.0, 1.0], tau)
    return {"tau": tau, "resultant_check": total}


def critical_loads(inputs: Inputs) -> Answers:
    """Twelve single loads at first-ply failure."""
    lam = read_laminate(inputs)
    residual = replace(read_load(inputs), N=np.zeros(3), M=np.zeros(3))
    found: Answers = {}
    skipped = read_plies(inputs, "skip_plies", lam.count)
    for asked in read_criteria(inputs):
        changed = with_parameters(lam, asked.parameters)
        for c in core_critical_loads(changed, asked.key, residual, skipped):
            found[f"{asked.label}.{'+' if c.sign > 0 else '-'}{c.component}"] = c.load
    return found


def progressive(inputs: Inputs) -> Answers:
    """First- and last-ply failure by ply discount."""
    lam = read_laminate(inputs)
    rule = inputs.get("rule", "full")
    if rule not in ("full", "mode"):
        raise NotYetError(f"rule {rule}")
    asked = read_criteria(inputs)[0]
    eta = number(inputs.get("eta"), "eta", default=1e-6)
    history = ply_discount(
        with_parameters(lam, asked.parameters), read_load(inputs), asked.key, rule, eta
    )
    return {
        "FPF": history.first,
        "LPF": history.last,
        "sequence_RF": [s.reserve for s in history.steps],
        "sequence_plies": [[p + 1 for p in s.plies] for s in history.steps],
        "sequence_modes": [list(s.modes) for s in history.steps],
    }


def sandwich_check(inputs: Inputs) -> Answers:
    """Face wrinkling and core shear."""
    lam = read_laminate(inputs)
    core = int(number(inputs.get("core_ply"), "core_ply")) - 1
    Q = np.array([number(inputs.get(k), k, default=0.0) for k in ("Qx", "Qy")])
    factor = number(inputs.get("k_wrinkling"), "k_wrinkling", default=0.5)
    check = check_sandwich(lam, core, read_load(inputs), Q, factor)
    found: Answers = {}
    for name, face in check.faces.items():
        found |= {
            f"{name}.mean_stress": face.mean_stress,
            f"{name}.RF": face.reserve,
            f"{name}.wrinkling_stress": face.wrinkling_stress,
        }
    return found | {
        "core_shear.tau_13": check.tau_13,
        "core_shear.tau_23": check.tau_23,
        "core_shear.RF": check.core_reserve,
    }


def thin_cylinder(inputs: Inputs) -> Answers:
    """Membrane theory with no change of curvature."""
    lam = read_laminate(inputs)
    R = number(inputs.get("R"), "R")
    ends = inputs.get("end", "open")
    if ends not in ("closed", "open"):
        raise NotYetError(f"end {ends}")
    p, F, T = (number(inputs.get(k), k, default=0.0) for k in ("p", "F", "T"))
    N = thin_resultants(R, p, ends == "closed", F, T)
    load = read_load(inputs)
    kept = np.array([False] * 3 + [True] * 3)
    values = np.concatenate([N, np.zeros(3)])
    whole, _ = respond_mixed(lam, kept, values, load)
    applied, _ = respond_mixed(lam, kept, values, Load())
    residual, _ = respond_mixed(lam, kept, np.zeros(6), load)
    found: Answers = {
        "N": N,
        "eps": whole.eps0,
        "radial_growth": R * whole.eps0[1],
        "stress_12": whole.stress_12,
    }
    hot = bool(load.dT or load.dC or load.dT_gradient)
    for asked in read_criteria(inputs) if "criteria" in inputs else ():
        changed = with_parameters(lam, asked.parameters)
        result = reserve_of_stresses(
            changed, applied.stress_12, residual.stress_12 if hot else None, asked.key
        )
        found[f"{asked.label}.RF"] = result.reserve.min()
        found[f"{asked.label}.critical_plies"] = result.governing[0] + 1
    return found


def _cylinder_load(inputs: Inputs) -> CylinderLoad:
    values = {k: number(inputs.get(k), k, default=0.0) for k in ("pi", "po", "F", "T", "dT")}
    axial, twist = inputs.get("axial", "force"), inputs.get("twist", "free")
    if axial not in ("force", "closed", "fixed", "plane_strain"):
        raise NotYetError(f"axial {axial}")
    if twist not in ("free", "fixed", "zero"):
        raise NotYetError(f"twist {twist}")
    if inputs.get("dC") or inputs.get("eps_axial"):
        raise NotYetError("moisture or a prescribed strain in a thick cylinder")
    return CylinderLoad(
        values["pi"],
        values["po"],
        values["F"],
        values["T"],
        values["dT"],
        closed=axial == "closed",
        axial_held=axial in ("fixed", "plane_strain"),
        twist_held=twist != "free",
    )


def thick_cylinder_case(inputs: Inputs) -> Answers:
    """Layered thick cylinder in generalised plane strain."""
    lam = read_laminate(inputs)
    inner = number(inputs.get("ri"), "ri")
    if inner <= 0:
        raise StackError("the inner radius must be greater than zero.", "ri", "Enter a radius.")
    found = thick_cylinder(lam, inner, _cylinder_load(inputs))
    s = found.stress
    return {
        "u_inner": found.u_inner,
        "u_outer": found.u_outer,
        "eps_axial": found.eps_axial,
        "twist_per_length": found.twist,
        "axial_force": found.force,
        "axial": s[..., 0],
        "hoop": s[..., 1],
        "radial": s[..., 2],
        "tau_xy": s[..., 3],
        "sigma_1": found.fibre,
    }
