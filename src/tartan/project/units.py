"""Quantities at the edge: text with units to SI and back. The core never sees a unit.

One display system so far: mm, N, MPa with their kin. Typed units are free (`26.3 Msi`).
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import cache
from typing import Any

from tartan.core.errors import TartanError


class UnitError(TartanError):
    """A text that is no quantity of the kind asked for."""


@dataclass(frozen=True)
class Quantity:
    """A kind of quantity: its name in words, its display unit and that unit's size in SI."""

    name: str
    unit: str
    scale: float
    si: str


LENGTH = Quantity("length", "mm", 1e-3, "m")
STRESS = Quantity("stress", "MPa", 1e6, "Pa")
MODULUS = Quantity("modulus", "GPa", 1e9, "Pa")
PRESSURE = Quantity("pressure", "kPa", 1e3, "Pa")
DENSITY = Quantity("density", "kg/m³", 1.0, "kg/m**3")
AREAL_MASS = Quantity("mass per area", "kg/m²", 1.0, "kg/m**2")
EXPANSION = Quantity("thermal expansion", "10⁻⁶/K", 1e-6, "1/K")
RATIO = Quantity("number", "", 1.0, "")
ANGLE = Quantity("angle", "°", 1.0, "degree")
LINE_FORCE = Quantity("force per length", "N/mm", 1e3, "N/m")
ACCELERATION = Quantity("acceleration", "m/s²", 1.0, "m/s**2")
STRAIN = Quantity("strain", "µε", 1e-6, "")

_NUMBER = re.compile(r"\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*(.*?)\s*$")


@cache
def _registry() -> Any:
    # Loading takes a few tenths of a second, so it waits for the first typed unit.
    import pint

    registry: Any = pint.UnitRegistry()
    registry.define("Msi = 1e6 * psi")
    registry.define("msi = 1e6 * psi")
    return registry


def parse(text: str, quantity: Quantity) -> float:
    """Read a quantity; without a unit it is in the display unit.

    Parameters
    ----------
    text : str
        Such as ``181 GPa``, ``26.3 Msi`` or ``181``.
    quantity : Quantity
        What is expected.

    Returns
    -------
    float
        In SI.

    Raises
    ------
    UnitError
        When it is no number, or the unit is unknown or of another kind.
    """
    like = f"Type a number, such as 12.5{' ' + quantity.unit if quantity.unit else ''}."
    found = _NUMBER.match(text.replace("−", "-").replace("\u202f", "").replace(",", "."))
    if not found:
        raise UnitError(f"'{text.strip()}' is not a number.", "", like)
    value, unit = float(found.group(1)), found.group(2)
    if not math.isfinite(value):
        raise UnitError(f"'{text.strip()}' is too large.", "", like)
    if unit in ("", quantity.unit):
        return value * quantity.scale
    readable = unit.replace("²", "**2").replace("³", "**3").replace("µ", "u").replace("°", "deg")
    try:
        given = _registry().Quantity(value, readable)
        return float(given.to(quantity.si or "dimensionless").magnitude)
    except Exception as error:
        # pint raises many kinds, some from the tokenizer; each means the unit was not understood.
        raise UnitError(f"'{unit}' is not a unit of {quantity.name}.", "", like) from error


def number(value: float, digits: int = 4) -> str:
    """Write a number with significant digits, a true minus sign and no exponent in mid-range."""
    if math.isnan(value):
        return "–"
    if math.isinf(value):
        return "∞" if value > 0 else "−∞"
    if value == 0:
        return "0"
    magnitude = math.floor(math.log10(abs(value)))
    if -4 <= magnitude < 7:
        text = f"{value:.{max(0, digits - 1 - magnitude)}f}"
        if "." in text:
            text = text.rstrip("0").rstrip(".")
    else:
        text = f"{value:.{digits - 1}e}"
        mantissa, exponent = text.split("e")
        text = f"{mantissa}e{int(exponent)}"
    return text.replace("-", "−")


def show(value: float | None, quantity: Quantity, *, unit: bool = True, digits: int = 4) -> str:
    """Write an SI value in the display unit; a missing one is a dash."""
    if value is None:
        return "–"
    text = number(value / quantity.scale, digits)
    joint = "" if quantity.unit == "°" else " "
    return f"{text}{joint}{quantity.unit}" if unit and quantity.unit else text


def factor(value: float) -> str:
    """Write a reserve factor: two decimals below ten, fewer above."""
    if math.isinf(value):
        return "∞"
    if value >= 1000:
        return ">1000"
    return f"{value:.2f}" if value < 10 else f"{value:.1f}" if value < 100 else f"{value:.0f}"
