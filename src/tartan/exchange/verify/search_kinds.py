"""The best order of plies of a solved case, by complete enumeration."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from tartan.core.errors import StackError
from tartan.core.materials import Material
from tartan.core.search.candidates import layers_of
from tartan.core.search.complete import complete
from tartan.core.search.goals import Value, bending_goal
from tartan.core.search.plate import Panel, buckling
from tartan.core.search.plyset import PlySet, Stiffness
from tartan.core.search.shoprules import (
    COVER,
    MIDDLE,
    PAIRS,
    RUN,
    STEP,
    ShopRule,
    checked_rule,
)
from tartan.core.stack import Ply
from tartan.exchange.verify.reading import Inputs, NotYetError, number, numbers, read_material

RULES = {"max_run", "cover_angles", "pairs_adjacent", "max_step_deg", "max_zero_at_middle"}


def stacking_search(inputs: Inputs) -> dict[str, Any]:
    """Greatest objective over all admissible half stacks, and how many there are.

    Raises
    ------
    StackError, MaterialError
        Inputs that cannot be.
    NotYetError
        A rule or an objective that is not known.
    """
    material = read_material("material", inputs.get("material", {}))
    given = inputs.get("plies") or []
    angles = [number(p.get("angle_deg"), "plies, angle_deg") for p in given]
    counts = tuple(_whole(p.get("count"), "plies, count") for p in given)
    objective = inputs.get("objective", {})
    if "F12_star" in objective:
        material = replace(material, f12_star=number(objective["F12_star"], "F12_star"))
    thickness = number(inputs.get("ply_thickness"), "ply_thickness")
    kinds = tuple(Ply(material.name, angle, thickness) for angle in angles)
    stiff = Stiffness.of(PlySet(kinds, counts), {material.name: material})
    found = complete(stiff, _rules(inputs.get("rules") or {}), _value(stiff, material, objective))
    return {
        "best_value": found.best,
        "admissible": found.admissible,
        "total": found.total,
        "best_sequence": [angles[k] for k in found.order] or None,
        "ties": found.ties,
        "second_value": found.second,
        "worst_value": found.worst,
    }


def _whole(value: object, where: str) -> int:
    found = number(value, where)
    if found != int(found) or found < 0:
        raise StackError(f"{value!r} is no number of plies.", where, "Give a whole number.")
    return int(found)


def _rules(given: Inputs) -> list[ShopRule]:
    strange = set(given) - RULES
    if strange:
        raise NotYetError(f"rule {', '.join(sorted(strange))}")
    found = []
    for name, kind, angle in (("max_run", RUN, None), ("max_zero_at_middle", MIDDLE, 0.0)):
        if given.get(name) is not None:
            found.append(ShopRule(kind, _whole(given[name], f"rules, {name}"), angle))
    if given.get("cover_angles") is not None:
        cover = tuple(number(a, "rules, cover_angles") for a in given["cover_angles"])
        found.append(ShopRule(COVER, angles=cover))
    if given.get("pairs_adjacent", False):
        found.append(ShopRule(PAIRS))
    if given.get("max_step_deg") is not None:
        found.append(ShopRule(STEP, number(given["max_step_deg"], "rules, max_step_deg")))
    return [checked_rule(rule) for rule in found]


def _value(stiff: Stiffness, material: Material, objective: Inputs) -> Value:
    name = objective.get("name")
    if name == "D11":
        return bending_goal(stiff).value
    if name == "buckling":
        a, b, nx, ny = (
            number(objective.get(k), f"objective, {k}", default=0.0)
            for k in ("a", "b", "nx", "ny")
        )
        # Asked for by the closed form, whatever D16 and D26 are.
        panel = Panel((a, b), (nx, ny, 0.0)).checked("load")
        return lambda full: buckling(panel, stiff.abd(full)[2])
    if name == "first_ply_rf":
        loads = np.array(
            [
                [*numbers(x.get("N"), 3, "loads, N"), *numbers(x.get("M"), 3, "loads, M")]
                for x in objective.get("loads", [])
            ]
        )
        kinds = stiff.plies.kinds
        table = layers_of(kinds, [material] * len(kinds), [("tsai_wu",)] * len(kinds))
        return lambda full: table.reserves(full, loads)
    raise NotYetError(f"objective {name}")
