"""Quantities at the edge: text with units to SI and back. The core never sees a unit.

One of three display systems is in force for the whole program; data stay in SI whatever it is.
Typed units are free (`26.3 Msi`), and a unit of any display system is understood in all.
"""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any

from tartan.core.errors import TartanError, speak_through

SYSTEMS = ("mm · N · MPa", "SI base", "US customary")
"""Display systems; the first is the usual one."""

_in_force = [0]


class UnitError(TartanError):
    """A text that is no quantity of the kind asked for."""


@dataclass(frozen=True)
class Quantity:
    """A kind of quantity.

    Attributes
    ----------
    name : str
        In words.
    si : str
        Its SI unit, as pint reads it.
    shown : tuple of (str, float)
        Unit and its size in SI, by display system.
    """

    name: str
    si: str
    shown: tuple[tuple[str, float], ...]

    @property
    def unit(self) -> str:
        """Unit in the display system in force."""
        return self.shown[_in_force[0]][0]

    @property
    def scale(self) -> float:
        """Size of that unit in SI."""
        return self.shown[_in_force[0]][1]


def use_system(name: str) -> None:
    """Put a display system in force.

    Raises
    ------
    UnitError
        When there is none of that name.
    """
    if name not in SYSTEMS:
        raise UnitError(
            f"There is no unit system '{name}'.", "Units", f"Choose one of {', '.join(SYSTEMS)}."
        )
    _in_force[0] = SYSTEMS.index(name)


def system() -> str:
    """Name of the display system in force."""
    return SYSTEMS[_in_force[0]]


def _same(name: str, unit: str, scale: float, si: str) -> Quantity:
    return Quantity(name, si, ((unit, scale),) * 3)


_INCH, _LBF, _POUND = 0.0254, 4.4482216152605, 0.45359237
_PSI = _LBF / _INCH**2

LENGTH = Quantity("length", "m", (("mm", 1e-3), ("m", 1.0), ("in", _INCH)))
STRESS = Quantity("stress", "Pa", (("MPa", 1e6), ("Pa", 1.0), ("ksi", 1e3 * _PSI)))
MODULUS = Quantity("modulus", "Pa", (("GPa", 1e9), ("Pa", 1.0), ("Msi", 1e6 * _PSI)))
PRESSURE = Quantity("pressure", "Pa", (("kPa", 1e3), ("Pa", 1.0), ("psi", _PSI)))
DENSITY = Quantity(
    "density", "kg/m**3", (("kg/m³", 1.0), ("kg/m³", 1.0), ("lb/in³", _POUND / _INCH**3))
)
AREAL_MASS = Quantity(
    "mass per area", "kg/m**2", (("kg/m²", 1.0), ("kg/m²", 1.0), ("lb/ft²", _POUND / 0.3048**2))
)
EXPANSION = Quantity(
    "thermal expansion", "1/K", (("10⁻⁶/K", 1e-6), ("1/K", 1.0), ("10⁻⁶/°F", 1.8e-6))
)
RATIO = _same("number", "", 1.0, "")
ANGLE = _same("angle", "°", 1.0, "degree")
PRICE = _same("price per mass", "per kg", 1.0, "")
SHARE = _same("share", "%", 1e-2, "")
MOISTURE = _same("moisture", "%", 1e-2, "")
LINE_FORCE = Quantity(
    "force per length", "N/m", (("N/mm", 1e3), ("N/m", 1.0), ("lbf/in", _LBF / _INCH))
)
LINE_MOMENT = Quantity("moment per length", "N", (("N", 1.0), ("N", 1.0), ("lbf", _LBF)))
CURVATURE = Quantity("curvature", "1/m", (("1/m", 1.0), ("1/m", 1.0), ("1/in", 1 / _INCH)))
MEMBRANE = Quantity(
    "membrane stiffness", "N/m", (("kN/mm", 1e6), ("N/m", 1.0), ("kip/in", 1e3 * _LBF / _INCH))
)
COUPLING = Quantity("coupling stiffness", "N", (("kN", 1e3), ("N", 1.0), ("kip", 1e3 * _LBF)))
BENDING = Quantity(
    "bending stiffness", "N*m", (("N·m", 1.0), ("N·m", 1.0), ("lbf·in", _LBF * _INCH))
)
ACCELERATION = Quantity(
    "acceleration", "m/s**2", (("m/s²", 1.0), ("m/s²", 1.0), ("ft/s²", 0.3048))
)
GRAVITY = 9.81
"""What "g" stands for where accelerations are typed [m/s²]; to pint it is a gram."""

STRAIN = Quantity("strain", "", (("µε", 1e-6), ("1", 1.0), ("µε", 1e-6)))
FORCE = Quantity("force", "N", (("N", 1.0), ("N", 1.0), ("lbf", _LBF)))
MOMENT = Quantity("moment", "N*m", (("N·m", 1.0), ("N·m", 1.0), ("lbf·in", _LBF * _INCH)))
TUBE_PRESSURE = Quantity("pressure", "Pa", (("MPa", 1e6), ("Pa", 1.0), ("psi", _PSI)))
TWIST = Quantity(
    "twist per length",
    "radian/m",
    (("°/m", math.pi / 180), ("rad/m", 1.0), ("°/in", math.pi / 180 / _INCH)),
)
SPEED = Quantity("speed", "m/s", (("m/min", 1 / 60), ("m/s", 1.0), ("ft/min", 0.3048 / 60)))
MASS = Quantity("mass", "kg", (("kg", 1.0), ("kg", 1.0), ("lb", _POUND)))
FREQUENCY = _same("frequency", "Hz", 1.0, "Hz")
TEMPERATURE = Quantity("temperature change", "K", (("K", 1.0), ("K", 1.0), ("°F", 5 / 9)))
GRADIENT = Quantity(
    "temperature gradient", "K/m", (("K/mm", 1e3), ("K/m", 1.0), ("°F/in", 5 / 9 / _INCH))
)
BEND_EXPANSION = Quantity(
    "thermal curvature",
    "1/(m*K)",
    (("1/(m·K)", 1.0), ("1/(m·K)", 1.0), ("1/(in·°F)", 1.8 / _INCH)),
)

_NUMBER = re.compile(r"\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)\s*(.*?)\s*$")


@cache
def _registry() -> Any:
    # Loading takes a few tenths of a second, so it waits for the first typed unit.
    import pint

    registry: Any = pint.UnitRegistry()
    registry.define("Msi = 1e6 * psi")
    registry.define("msi = 1e6 * psi")
    return registry


def prepare() -> None:
    """Load what the first typed unit would wait for."""
    _registry()


def counted(number: int, noun: str, plural: str = "") -> str:
    """A number of things, such as "1 ply" or "3 plies"."""
    return f"{number} {noun if number == 1 else plural or noun + 's'}"


def is_plain_number(text: str) -> bool:
    """Whether a text is a number without a unit."""
    found = _NUMBER.match(_plain_signs(text))
    return found is not None and not found.group(2)


def _plain_signs(text: str) -> str:
    return text.replace("−", "-").replace("\u202f", "").replace(",", ".")


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
    found = _NUMBER.match(_plain_signs(text))
    if not found:
        raise UnitError(f"'{text.strip()}' is not a number.", "", like)
    value, unit = float(found.group(1)), found.group(2)
    if not math.isfinite(value):
        raise UnitError(f"'{text.strip()}' is too large.", "", like)
    for known, scale in (("", quantity.scale), (quantity.unit, quantity.scale), *quantity.shown):
        if unit == known:
            return value * scale
    if quantity is ACCELERATION and unit == "g":
        return value * GRAVITY
    try:
        given = _registry().Quantity(value, _readable(unit))
        return float(given.to(quantity.si or "dimensionless").magnitude)
    except Exception as error:
        # pint raises many kinds, some from the tokenizer; each means the unit was not understood.
        raise UnitError(f"'{unit}' is not a unit of {quantity.name}.", "", like) from error


def _readable(unit: str) -> str:
    """Unit as pint reads it; every temperature here is a difference."""
    for shown, read in (
        ("°F", "delta_degF"),
        ("°C", "delta_degC"),
        ("²", "**2"),
        ("³", "**3"),
        ("µ", "u"),
        ("°", "deg"),
        ("·", "*"),
    ):
        unit = unit.replace(shown, read)
    return unit


@lru_cache(maxsize=8192)
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
    return f"{text}{joint}{quantity.unit}" if unit and quantity.unit not in ("", "1") else text


def factor(value: float) -> str:
    """Write a reserve factor: two decimals below ten, fewer above."""
    if math.isinf(value):
        return "∞"
    if value >= 1000:
        return ">1000"
    return f"{value:.2f}" if value < 10 else f"{value:.1f}" if value < 100 else f"{value:.0f}"


_OF_SI = {
    "m": LENGTH,
    "Pa": STRESS,
    "N/m": LINE_FORCE,
    "N": LINE_MOMENT,
    "N·m": MOMENT,
    "1/m": CURVATURE,
    "K": TEMPERATURE,
}
"""What a figure with an SI unit is shown as."""

_FIGURE_IN_SI = re.compile(
    r"(?<![\w.,])([-−±]?)(\d+(?:\.\d+)?(?:e[+-]?\d+)?) (m|Pa|N/m|1/m)(?![\w/·²³'\"])"
)


def worded(value: float, unit: str) -> str:
    """A value with an SI unit in the display unit, with all its digits."""
    quantity = _OF_SI.get(unit)
    if quantity is None:
        return f"{value:.10g}" if unit in ("", "1") else f"{value:.10g} {unit}"
    return f"{value / quantity.scale:.10g} {quantity.unit}"


def worded_short(value: float, unit: str) -> str:
    """A value with an SI unit in the display unit, to six digits."""
    quantity = _OF_SI.get(unit)
    if quantity is None:
        return number(value, 6) if unit in ("", "1") else f"{number(value, 6)} {unit}"
    return show(value, quantity, digits=6)


def retold(text: str) -> str:
    """A sentence of the core with its figures in display units instead of SI."""

    def one(found: re.Match[str]) -> str:
        quantity = _OF_SI[found[3]]
        return found[1].replace("-", "−") + show(float(found[2]), quantity, digits=5)

    return _FIGURE_IN_SI.sub(one, text)


speak_through(retold)
