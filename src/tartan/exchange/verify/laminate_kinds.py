"""Answers to the laminate-scale kinds of solved cases."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any

import numpy as np

from tartan.core.criteria import criterion
from tartan.core.criteria.base import mode_name, strengths_of
from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate import Laminate
from tartan.core.laminate.constants import flexural, membrane
from tartan.core.laminate.response import (
    Load,
    PlyResponse,
    free_resultants,
    respond,
    respond_mixed,
)
from tartan.core.strength.reserve import first_failure
from tartan.exchange.verify.reading import (
    Inputs,
    number,
    numbers,
    read_criteria,
    read_laminate,
    read_material,
    read_plies,
)

Answers = dict[str, Any]


def plain(value: Any) -> Any:
    """JSON form: lists and numbers, infinity as the text "inf", what is no number as null."""
    if isinstance(value, np.ndarray | np.generic):
        return plain(value.tolist())
    if isinstance(value, list | tuple):
        return [plain(v) for v in value]
    if isinstance(value, float) and not np.isfinite(value):
        return None if np.isnan(value) else "inf" if value > 0 else "-inf"
    return value


def clt_abd(inputs: Inputs) -> Answers:
    """Stiffness and its inverse, thickness and mass."""
    lam = read_laminate(inputs)
    c = lam.compliance
    found = {
        "thickness": lam.thickness,
        "A": lam.A,
        "B": lam.B,
        "D": lam.D,
        "a": c[:3, :3],
        "b": c[:3, 3:],
        "d": c[3:, 3:],
    }
    if all(m.rho is not None for m in lam.materials):
        found["areal_mass"] = lam.areal_mass
    return found


def clt_constants(inputs: Inputs) -> Answers:
    """Membrane and flexural constants, free and held."""
    lam = read_laminate(inputs)
    found: Answers = {}
    for form, values in (
        ("membrane_free", membrane(lam)),
        ("membrane_fixed", membrane(lam, kept_flat=True)),
    ):
        found |= {f"{form}.{k}": v for k, v in asdict(values).items()}
    for form, values in (
        ("flexural_free", flexural(lam)),
        ("flexural_fixed", flexural(lam, kept_unstretched=True)),
    ):
        names = {"Ex": "Efx", "Ey": "Efy", "Gxy": "Gfxy", "nuxy": "nufxy", "nuyx": "nufyx"}
        found |= {f"{form}.{names[k]}": v for k, v in asdict(values).items() if k in names}
    return found


def read_load(inputs: Inputs) -> Load:
    """Resultants, temperature and moisture of a case."""
    return Load(
        np.array(numbers(inputs.get("N"), 3, "N")),
        np.array(numbers(inputs.get("M"), 3, "M")),
        number(inputs.get("dT"), "dT", default=0.0),
        number(inputs.get("dT_grad"), "dT_grad", default=0.0),
        number(inputs.get("dC"), "dC", default=0.0),
    )


def clt_response(inputs: Inputs) -> Answers:
    """Strains, curvatures and ply results."""
    lam = read_laminate(inputs)
    return response_answers(
        respond(lam, read_load(inputs)), read_plies(inputs, "report_plies", lam.count)
    )


def response_answers(r: PlyResponse, reported: Sequence[int] = ()) -> Answers:
    """Strains, curvatures and results of the reported plies, by their names in the case format."""
    plies = list(reported) or slice(None)
    each = {
        "z": r.z,
        "strain_12": r.strain_12,
        "strain_12_mech": r.mechanical_12,
        "stress_12": r.stress_12,
        "stress_xy": r.stress_xy,
    }
    return {"eps0": r.eps0, "kappa": r.kappa} | {k: v[plies] for k, v in each.items()}


def clt_shear(inputs: Inputs) -> Answers:
    """Transverse shear stiffness by energy equivalence."""
    lam = read_laminate(inputs)
    plain_sum = np.einsum("n,nij->ij", np.diff(lam.z), lam.shear_moduli)
    return {
        "H": lam.shear,
        "Gh": plain_sum,
        "k_x": lam.shear[0, 0] / plain_sum[0, 0],
        "k_y": lam.shear[1, 1] / plain_sum[1, 1],
    }


def clt_thermal(inputs: Inputs) -> Answers:
    """Free expansion and curvature per kelvin and per moisture content."""
    lam = read_laminate(inputs)
    found: Answers = {}
    for load, force, moment, strain, curvature in (
        (Load(dT=1.0), "N_T_per_K", "M_T_per_K", "alpha", "kappa_T"),
        (Load(dC=1.0), "N_C", "M_C", "beta", "kappa_C"),
    ):
        free = free_resultants(lam, load)
        expanded = lam.compliance @ free
        found |= {force: free[:3], moment: free[3:], strain: expanded[:3], curvature: expanded[3:]}
    return found


def clt_mixed(inputs: Inputs) -> Answers:
    """Response with strain or resultant prescribed in each component."""
    lam = read_laminate(inputs)
    flags = inputs.get("prescribed_is_strain")
    if not isinstance(flags, list) or [type(f) for f in flags] != [bool] * 6:
        raise StackError("six flags are expected.", "prescribed_is_strain", "Give one each.")
    values = np.array(numbers(inputs.get("prescribed_value"), 6, "prescribed_value"))
    r, total = respond_mixed(lam, np.array(flags, bool), values, read_load(inputs))
    reported = read_plies(inputs, "report_plies", lam.count)
    return response_answers(r, reported) | {"N": total[:3], "M": total[3:]}


def ply_failure(inputs: Inputs) -> Answers:
    """Reserve factor, index and mode of stress states of one ply."""
    data = inputs.get("material")
    if not isinstance(data, dict):
        raise MaterialError("No material is given.", "Material", "Give the ply's constants.")
    material = read_material("ply", data)
    applied = _states(inputs.get("stress_12"), "stress_12")
    residual = None
    if inputs.get("residual_12") is not None:
        residual = np.broadcast_to(_states(inputs["residual_12"], "residual_12"), applied.shape)
    found: Answers = {}
    for asked in read_criteria(inputs):
        rule, name = criterion(asked.key), asked.label
        changed = replace(material, **asked.parameters)  # type: ignore[arg-type]
        outcome = rule.evaluate(strengths_of(changed, rule), applied, residual)
        found[f"{name}.RF"] = outcome.reserve
        found[f"{name}.FI"] = outcome.index
        found[f"{name}.mode"] = [_label(mode_name(rule.modes, int(m))) for m in outcome.mode]
        if outcome.angle is not None:
            found[f"{name}.theta_fp"] = [None if np.isnan(a) else a for a in outcome.angle]
    return found


def _states(value: object, where: str) -> np.ndarray:
    rows = value if isinstance(value, list) and value else None
    if rows is None:
        raise StackError("Stress states are missing.", where, "Give rows of s1, s2, t12.")
    if not isinstance(rows[0], list):
        rows = [rows]
    return np.array([numbers(row, 3, f"{where}, state {i}") for i, row in enumerate(rows, 1)])


def _label(mode: str) -> str:
    """Mode in the words of the case format."""
    return "shear" if mode == "in-plane shear" else mode


def laminate_fpf(inputs: Inputs) -> Answers:
    """First-ply failure under a load."""
    lam = read_laminate(inputs)
    load = read_load(inputs)
    found: Answers = {}
    skipped = read_plies(inputs, "skip_plies", lam.count)
    for asked in read_criteria(inputs):
        changed = tuple(replace(m, **asked.parameters) for m in lam.materials)  # type: ignore[arg-type]
        result = first_failure(Laminate(lam.stack, changed, lam.offset), load, asked.key, skipped)
        each: list[float | None] = result.reserve.min(axis=1).tolist()
        for ply in skipped:
            each[ply] = None
        found[f"{asked.label}.RF"] = result.reserve.min()
        found[f"{asked.label}.critical_plies"] = result.governing[0] + 1
        found[f"{asked.label}.mode"] = _label(result.label)
        found[f"{asked.label}.RF_per_ply"] = each
    return found
