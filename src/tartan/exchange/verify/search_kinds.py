"""The best order of plies of a solved case, by complete enumeration."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from tartan.core.errors import StackError
from tartan.core.search.goals import (
    Goal,
    Plies,
    bending_goal,
    best_order,
    buckling_goal,
    reserve_goal,
)
from tartan.core.search.orders import OrderRules
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
    angles = tuple(number(p.get("angle_deg"), "plies, angle_deg") for p in given)
    counts = [_whole(p.get("count"), "plies, count") for p in given]
    objective = inputs.get("objective", {})
    if "F12_star" in objective:
        material = replace(material, f12_star=number(objective["F12_star"], "F12_star"))
    plies = Plies(material, number(inputs.get("ply_thickness"), "ply_thickness"), angles)
    found = best_order(plies, counts, _rules(inputs.get("rules") or {}), _goal(plies, objective))
    return {
        "best_value": found.best,
        "admissible": found.admissible,
        "total": found.total,
        "best_sequence": list(found.order) or None,
        "ties": found.ties,
        "second_value": found.second,
        "worst_value": found.worst,
    }


def _whole(value: object, where: str) -> int:
    found = number(value, where)
    if found != int(found) or found < 0:
        raise StackError(f"{value!r} is no number of plies.", where, "Give a whole number.")
    return int(found)


def _rules(given: Inputs) -> OrderRules:
    strange = set(given) - RULES
    if strange:
        raise NotYetError(f"rule {', '.join(sorted(strange))}")

    def count(name: str) -> int | None:
        value = given.get(name)
        return None if value is None else _whole(value, f"rules, {name}")

    cover, step = given.get("cover_angles"), given.get("max_step_deg")
    return OrderRules(
        count("max_run"),
        None if cover is None else tuple(number(a, "rules, cover_angles") for a in cover),
        bool(given.get("pairs_adjacent", False)),
        None if step is None else number(step, "rules, max_step_deg"),
        count("max_zero_at_middle"),
    )


def _goal(plies: Plies, objective: Inputs) -> Goal:
    name = objective.get("name")
    if name == "D11":
        return bending_goal(plies)
    if name == "buckling":
        a, b, nx, ny = (
            number(objective.get(k), f"objective, {k}", default=0.0)
            for k in ("a", "b", "nx", "ny")
        )
        return buckling_goal(plies, (a, b), (nx, ny))
    if name == "first_ply_rf":
        loads = [
            [*numbers(x.get("N"), 3, "loads, N"), *numbers(x.get("M"), 3, "loads, M")]
            for x in objective.get("loads", [])
        ]
        return reserve_goal(plies, loads)
    raise NotYetError(f"objective {name}")
