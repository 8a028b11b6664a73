"""Workings: how a figure came about, as a tree of steps with formula, numbers, units, source."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from tartan.core.criteria.base import Criterion, derivation, derived_value, lacking
from tartan.core.laminate.stiffness import Laminate, reduced_stiffness
from tartan.core.materials import FIELD_NAMES, Material

CLT = "Jones, Mechanics of Composite Materials, 2nd ed."
AXES = ("x", "y", "xy")
_N = ("1", "2", "6")
_UNITS = {"E": "Pa", "G": "Pa", "X": "Pa", "Y": "Pa", "S": "Pa"}


Figure = Callable[[float, str], str]
"""Writes a value with its SI unit."""


@dataclass(frozen=True)
class Given:
    """A number that went in: symbol, value, unit and where it came from."""

    symbol: str
    value: float
    unit: str
    origin: str


@dataclass(frozen=True)
class Working:
    """One step.

    Attributes
    ----------
    title, formula : str
        What is worked out, and how.
    value : float
        The result.
    unit : str
        Its unit.
    given : tuple of Given
        Numbers that went in directly.
    steps : tuple of Working
        Steps whose results went in.
    source : str
        Where the method is published.
    """

    title: str
    formula: str
    value: float
    unit: str
    given: tuple[Given, ...] = ()
    steps: tuple[Working, ...] = ()
    source: str = ""

    def lines(self, depth: int = 0, figure: Figure | None = None) -> Iterator[str]:
        """Write the tree as indented lines; `figure` writes a value with its SI unit."""
        write = figure or _in_si
        pad = "  " * depth
        yield f"{pad}{self.title} = {write(self.value, self.unit)}"
        yield f"{pad}  {self.formula}" + (f"   [{self.source}]" if self.source else "")
        for g in self.given:
            yield f"{pad}  {g.symbol} = {write(g.value, g.unit)}   ({g.origin})"
        for step in self.steps:
            yield from step.lines(depth + 1, figure)

    def text(self, figure: Figure | None = None) -> str:
        """Write the tree as text that can be copied."""
        return "\n".join(self.lines(0, figure))


def _in_si(value: float, unit: str) -> str:
    return f"{value:.10g}" if unit == "1" else f"{value:.10g} {unit}".rstrip()


def field_given(material: Material, field: str) -> Given:
    """A material's field; a derived strain allowable says so."""
    unit = _UNITS.get(field[0], "1")
    value = getattr(material, field)
    origin = f"material '{material.name}', {FIELD_NAMES[field]}"
    how = derivation(material, field)
    if how is not None:
        value = derived_value(material, field)
        origin = f"derived as {how} of material '{material.name}'"
    if field.startswith("e"):
        unit = "1"
    return Given(field, float(value), unit, origin)


def fields_given(material: Material, rule: Criterion) -> tuple[Given, ...]:
    """What a criterion reads of a material; what that lacks it goes without."""
    missing = lacking(material, rule)
    return tuple(field_given(material, f) for f in rule.needs if f not in missing)


def reduced_stiffness_working(material: Material, i: int, j: int) -> Working:
    """One entry of the reduced stiffness of a ply, indices from 0."""
    formulas = {
        (0, 0): "E1 / (1 - nu12² E2/E1)",
        (1, 1): "E2 / (1 - nu12² E2/E1)",
        (0, 1): "nu12 E2 / (1 - nu12² E2/E1)",
        (2, 2): "G12",
    }
    key = (min(i, j), max(i, j))
    used = ("G12",) if key == (2, 2) else ("E1", "E2", "nu12")
    names = ("1", "2", "6")
    return Working(
        f"Q{names[i]}{names[j]} of {material.name}",
        formulas.get(key, "0"),
        float(reduced_stiffness(material)[i, j]),
        "Pa",
        tuple(field_given(material, f) for f in used) if key in formulas else (),
        source=f"{CLT}, eq. 2.61",
    )


def stiffness_working(laminate: Laminate, block: str, i: int, j: int) -> Working:
    """One entry of A, B or D as the sum over the plies.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    block : {"A", "B", "D"}
        Which matrix.
    i, j : int
        Indices from 0.
    """
    low, high = laminate.z[:-1], laminate.z[1:]
    power = {"A": 1, "B": 2, "D": 3}[block]
    lever = (high**power - low**power) / power
    unit = {"A": "N/m", "B": "N", "D": "N·m"}[block]
    steps = []
    for k, ply in enumerate(laminate.stack.plies):
        Qbar = float(laminate.Qbar[k, i, j])
        material = laminate.materials[k]
        given = (
            Given("Qbar", Qbar, "Pa", f"Q of {material.name} turned by {ply.angle:g}°"),
            Given("z low", float(low[k]), "m", "stack"),
            Given("z high", float(high[k]), "m", "stack"),
        )
        formula = {
            1: "Qbar (z high - z low)",
            2: "Qbar (z high² - z low²) / 2",
            3: "Qbar (z high³ - z low³) / 3",
        }[power]
        entries = ((0, 0), (0, 1), (1, 1), (2, 2))
        base = tuple(reduced_stiffness_working(material, a, b) for a, b in entries)
        steps.append(Working(f"ply {k + 1}", formula, float(Qbar * lever[k]), unit, given, base))
    value = float(getattr(laminate, block)[i, j])
    names = ("1", "2", "6")
    return Working(
        f"{block}{names[i]}{names[j]} of {laminate.stack.name}",
        "sum over the plies",
        value,
        unit,
        steps=tuple(steps),
        source=f"{CLT}, eqs. 4.22–4.24",
    )


def modulus_working(laminate: Laminate, axis: int = 0, *, bending: bool = False) -> Working:
    """Membrane or flexural modulus along x (0), y (1), or in shear (2)."""
    h, at = laminate.thickness, axis + (3 if bending else 0)
    entry = float(laminate.compliance[at, at])
    unit = "1/(N·m)" if bending else "m/N"
    name = ("E" if axis < 2 else "G") + ("f" if bending else "") + AXES[axis]
    symbol = f"{'d' if bending else 'a'}{('1', '2', '6')[axis]}{('1', '2', '6')[axis]}"
    formula = f"12 / (h³ {symbol})" if bending else f"1 / (h {symbol})"
    value = 12 / (h**3 * entry) if bending else 1 / (h * entry)
    block = "D" if bending else "A"
    return Working(
        f"{name} of {laminate.stack.name}",
        formula,
        value,
        "Pa",
        (Given("h", h, "m", "stack"), Given(symbol, entry, unit, "inverse of A, B, D")),
        (stiffness_working(laminate, block, axis, axis),),
        f"{CLT}, section 4.5",
    )


_FORMS = {
    "membrane": "inverse of A, B, D",
    "flexural": "inverse of A, B, D",
    "kept flat": "inverse of A",
}


def constant_working(laminate: Laminate, field: str, form: str) -> Working:
    """An engineering constant, down to the plies.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    field : {"Ex", "Ey", "Gxy", "nuxy", "nuyx"}
        Which one.
    form : {"membrane", "flexural", "kept flat"}
        As `constants` gives them.
    """
    if field[0] in "EG" and form != "kept flat":
        axis = {"Ex": 0, "Ey": 1, "Gxy": 2}[field]
        return modulus_working(laminate, axis, bending=form == "flexural")
    letter, block = ("d", "D") if form == "flexural" else ("a", "A")
    h = laminate.thickness
    whole = np.linalg.inv(laminate.A) if form == "kept flat" else laminate.compliance
    start = 3 if form == "flexural" else 0
    s = whole[start : start + 3, start : start + 3]
    unit = "1/(N·m)" if form == "flexural" else "m/N"
    if field[0] in "EG":
        i = {"Ex": 0, "Ey": 1, "Gxy": 2}[field]
        used, formula, value = [(i, i)], f"1 / (h {letter}{_N[i]}{_N[i]})", 1 / (h * s[i, i])
    else:
        i = 0 if field == "nuxy" else 1
        used = [(i, i), (0, 1)]
        formula, value = f"-{letter}12 / {letter}{_N[i]}{_N[i]}", -s[0, 1] / s[i, i]
    given = tuple(
        Given(f"{letter}{_N[a]}{_N[b]}", float(s[a, b]), unit, _FORMS[form]) for a, b in used
    )
    return Working(
        f"{field} of {laminate.stack.name}, {form}",
        formula,
        float(value),
        "Pa" if field[0] in "EG" else "1",
        (*given, Given("h", h, "m", "stack")),
        tuple(stiffness_working(laminate, block, a, b) for a, b in used),
        f"{CLT}, section 4.5",
    )
