"""The inputs of a solved case, read into the core's own records with clear refusals."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tartan.core.criteria import REGISTRY
from tartan.core.errors import CriterionError, MaterialError, StackError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.materials import FIELD_NAMES, Material, checked
from tartan.core.stack import Ply, Stack

Inputs = Mapping[str, Any]

_PARAMETERS = {
    "f12star": "f12_star",
    "f12*": "f12_star",
    "f12": "f12_star",
    "alpha": "hashin_alpha",
    "hashinalpha": "hashin_alpha",
}


class NotYetError(Exception):
    """The case needs something that Tartan cannot do yet."""


def number(value: object, where: str, *, default: float | None = None) -> float:
    """Read a finite number.

    Raises
    ------
    StackError
        When it is none.
    """
    if value is None and default is not None:
        return default
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise StackError(f"{value!r} is not a finite number.", where, "Enter a number.")
    return float(value)


def numbers(value: object, count: int, where: str) -> list[float]:
    """Read a list of a given number of numbers; nothing stands for zeros."""
    if value is None:
        return [0.0] * count
    if not isinstance(value, Sequence) or len(value) != count:
        raise StackError(f"{count} numbers are expected.", where, "Give one for each component.")
    return [number(v, where) for v in value]


def read_material(name: str, data: Inputs) -> Material:
    """Read a material.

    Raises
    ------
    MaterialError
        When a field is missing, no number, or inadmissible.
    """
    fields: dict[str, float] = {}
    for field in FIELD_NAMES:
        value = data.get(field)
        if value is None:
            continue
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise MaterialError(
                f"{field} is not a number: {value!r}.",
                f"Material '{name}', {field}",
                "Enter a number.",
            )
        fields[field] = float(value)
    for field in ("E1", "E2", "nu12", "G12"):
        if field not in fields:
            raise MaterialError(
                f"{field} ({FIELD_NAMES[field]}) is missing.",
                f"Material '{name}', {field}",
                f"Enter {field}.",
            )
    return checked(Material(name=name, **fields))  # type: ignore[arg-type]


def read_laminate(inputs: Inputs) -> Laminate:
    """Read materials, stack and offset."""
    materials = {n: read_material(n, d) for n, d in inputs.get("materials", {}).items()}
    plies = []
    for i, layer in enumerate(inputs.get("stack", ()), start=1):
        where = f"ply {i}"
        name = layer.get("material")
        if not isinstance(name, str):
            raise StackError("no material is named.", where, "Name a material of the case.")
        plies.append(
            Ply(
                name,
                number(layer.get("angle_deg"), f"{where}, angle", default=0.0),
                number(layer.get("thickness"), f"{where}, thickness"),
            )
        )
    offset = number(inputs.get("offset"), "offset", default=0.0)
    return make_laminate(Stack("case", tuple(plies)), materials, offset)


@dataclass(frozen=True)
class Asked:
    """A criterion of a case: name of its outputs, key, and parameters in place of the data's."""

    label: str
    key: str
    parameters: dict[str, float]


def read_plies(inputs: Inputs, name: str, count: int) -> list[int]:
    """Plies named in a list, from 1 in the file, from 0 here; empty where it is absent.

    Raises
    ------
    StackError
        When one is not among the plies.
    """
    listed = inputs.get(name)
    if listed is None:
        return []
    if not isinstance(listed, Sequence) or isinstance(listed, str):
        raise StackError("a list of plies is expected.", name, "Give their numbers from 1.")
    found = [int(number(v, name)) - 1 for v in listed]
    if strange := [p + 1 for p in found if not 0 <= p < count]:
        raise StackError(f"there is no ply {strange[0]}.", name, f"There are {count}.")
    return found


def read_criteria(inputs: Inputs) -> list[Asked]:
    """Criteria of a case with their labels and parameters; one may come several times.

    Raises
    ------
    NotYetError
        When a criterion has a parameter that Tartan does not know.
    CriterionError
        When one is unknown.
    """
    asked = inputs.get("criteria", [inputs["criterion"]] if "criterion" in inputs else [])
    found: list[Asked] = []
    if not isinstance(asked, list) or not asked:
        raise CriterionError(
            "No criterion is named.", "Criteria", f"Known criteria: {', '.join(REGISTRY)}."
        )
    for entry in asked:
        if not isinstance(entry, str | Mapping):
            raise CriterionError(
                f"{entry!r} does not name a criterion.",
                "Criteria",
                f"Known criteria: {', '.join(REGISTRY)}.",
            )
        name = entry if isinstance(entry, str) else str(entry.get("name"))
        if name not in REGISTRY:
            raise CriterionError(
                f"Unknown criterion '{name}'.",
                "Criteria",
                f"Known criteria: {', '.join(REGISTRY)}.",
            )
        given: Inputs = {} if isinstance(entry, str) else entry
        found.append(Asked(str(given.get("label", name)), name, _parameters(given)))
    return found


def _parameters(entry: Inputs) -> dict[str, float]:
    found: dict[str, float] = {}
    for key, value in entry.items():
        if key in ("name", "label"):
            continue
        if isinstance(value, Mapping):
            found |= _parameters(value)
            continue
        field = _PARAMETERS.get(key.lower().replace("_", ""), key if key in FIELD_NAMES else "")
        if not field:
            raise NotYetError(f"criterion parameter {key}")
        found[field] = number(value, f"criterion parameter {key}")
    return found
