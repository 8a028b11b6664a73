"""Columns of a table of cases: what they are called, their quantities, what else names them."""

from __future__ import annotations

from collections.abc import Sequence

from tartan.core.errors import DocumentError, TartanError
from tartan.exchange.tables import column_of
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

ALL = "whole part"

AXES = "xyz"

VECTORS: dict[str, tuple[Quantity, tuple[str, ...]]] = {
    "force": (units.FORCE, ("f",)),
    "moment": (units.MOMENT, ("m",)),
    "per length": (units.LINE_FORCE, ("q", "line force ", "line load ")),
    "acceleration": (units.ACCELERATION, ("a", "g")),
    "move": (units.LENGTH, ("u", "movement ", "displacement ")),
    "at": (units.LENGTH, ("",)),
}
"""Columns of three, their quantity, and what may stand before the axis instead of their name."""

PLAIN: dict[str, tuple[Quantity | None, tuple[str, ...]]] = {
    "case": (None, ("load case", "loadcase", "lc")),
    "supports": (None, ("support", "support set")),
    "on": (None, ("place", "region", "edge", "where", "location")),
    "also": (None, ("further places", "also on")),
    "side": (None, ()),
    "pressure": (units.PRESSURE, ("p",)),
    "table": (None, ("pressure table",)),
    "times": (units.RATIO, ("factor of the table",)),
    "temperature": (units.TEMPERATURE, ("dt", "δt", "temperature change")),
    "gradient": (units.GRADIENT, ()),
    "spread": (units.LENGTH, ("spread within", "reach")),
    "local": (None, ("local axes",)),
    "held": (None, ()),
}
"""Columns of one, their quantity, and what else they may be called."""


def columns() -> tuple[str, ...]:
    """Heads of a table of cases, with the units in force."""
    found = []
    for name, (quantity, _) in PLAIN.items():
        if name == "spread":
            found += [
                f"{many} {axis} [{q.unit}]" for many, (q, _) in VECTORS.items() for axis in AXES
            ]
        found.append(f"{name} [{quantity.unit}]" if quantity and quantity.unit else name)
    return tuple(found)


def bare(head: str) -> str:
    """A head without its unit."""
    return column_of(head)[0]


def cell_at(cells: Sequence[str], j: int) -> str:
    """A cell of a row, which may be short."""
    return cells[j] if j < len(cells) else ""


def figure(text: str, unit: str, quantity: Quantity, where: str) -> float:
    """A figure of a cell, with the unit of the cell itself, or else that of the head."""
    try:
        alone = units.is_plain_number(text)
        return units.parse(f"{text} {unit}" if alone else text, quantity)
    except TartanError as error:
        raise DocumentError(error.what, where, error.mend) from error


def column_named(head: str, where: str) -> tuple[str, str]:
    """Name and unit of a column of cases."""
    given, unit = column_of(head)
    name = " ".join(given.casefold().replace("_", " ").split())
    if not name:
        return "", ""
    for known, (_, others) in PLAIN.items():
        if name == known or name in others:
            return known, unit
    for known, (_, before) in VECTORS.items():
        for axis in AXES:
            if name in {f"{b}{axis}" for b in (f"{known} ", known, *before)}:
                return f"{known} {axis}", unit
    raise DocumentError(
        f"'{given}' is no column of cases.",
        where,
        f"Use {', '.join(bare(h) for h in columns())}; x, y and z have a column each.",
    )


def quantity_of(column: str) -> Quantity | None:
    """Quantity of a column; None where words stand in it."""
    if column in PLAIN:
        return PLAIN[column][0]
    return VECTORS[column[:-2]][0]
