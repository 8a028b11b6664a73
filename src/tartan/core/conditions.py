"""Named conditions: knock-down factors for temperature, moisture and statistical basis.

A condition multiplies fields of a material; the record it came from stays as it is. Source of
the practice: CMH-17 Volume 1, chapters 2 and 8.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace

from tartan.core.errors import MaterialError
from tartan.core.materials import FIELD_NAMES, Material, checked


@dataclass(frozen=True)
class Condition:
    """Factors by field name, such as ``Condition("hot, wet", (("Xc", 0.7), ("S12", 0.75)))``."""

    name: str
    factors: tuple[tuple[str, float], ...]


def check_condition(condition: Condition) -> Condition:
    """Return the condition when it can be applied.

    Raises
    ------
    MaterialError
        When a field is unknown or named twice, or a factor is not a positive number.
    """
    seen: set[str] = set()
    for field, factor in condition.factors:
        where = f"Condition '{condition.name}', {field}"
        if field not in FIELD_NAMES:
            raise MaterialError(
                f"'{field}' is not a field of a material.",
                where,
                f"Known are {', '.join(FIELD_NAMES)}.",
            )
        if field in seen:
            raise MaterialError(f"{field} has two factors.", where, "Multiply them into one.")
        if not math.isfinite(factor) or factor <= 0:
            raise MaterialError(
                f"the factor {factor:g} is not positive.", where, "Enter a factor such as 0.8."
            )
        seen.add(field)
    return condition


def under(material: Material, conditions: Iterable[Condition]) -> Material:
    """Material with the factors of all conditions applied; empty fields stay empty.

    Raises
    ------
    MaterialError
        As `check_condition`, or when the result is not admissible.
    """
    for condition in conditions:
        values = {
            f: getattr(material, f) * k
            for f, k in check_condition(condition).factors
            if getattr(material, f) is not None
        }
        source = "; ".join(w for w in (material.source, f"knocked down: {condition.name}") if w)
        material = replace(material, source=source, **values)
    return checked(material)
