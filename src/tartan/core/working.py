"""Workings: how a figure came about, as a tree of steps with formula, numbers, units, source."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from tartan.core.criteria import criterion
from tartan.core.criteria.base import derivation, derived_value, mode_name, strengths_of
from tartan.core.laminate.response import (
    LEVELS,
    Load,
    free_resultants,
    respond,
    shear_from_section,
)
from tartan.core.laminate.stiffness import Laminate, reduced_stiffness
from tartan.core.materials import FIELD_NAMES, Material

_CLT = "Jones, Mechanics of Composite Materials, 2nd ed."
_AXES = ("x", "y", "xy")
_N = ("1", "2", "6")
_UNITS = {"E": "Pa", "G": "Pa", "X": "Pa", "Y": "Pa", "S": "Pa"}


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

    def lines(self, depth: int = 0) -> Iterator[str]:
        """Write the tree as indented lines."""
        pad = "  " * depth
        yield f"{pad}{self.title} = {self.value:.10g} {self.unit}".rstrip()
        yield f"{pad}  {self.formula}" + (f"   [{self.source}]" if self.source else "")
        for g in self.given:
            yield f"{pad}  {g.symbol} = {g.value:.10g} {g.unit}".rstrip() + f"   ({g.origin})"
        for step in self.steps:
            yield from step.lines(depth + 1)

    def text(self) -> str:
        """Write the tree as text that can be copied."""
        return "\n".join(self.lines())


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


def reduced_stiffness_working(material: Material, i: int, j: int) -> Working:
    """One entry of the reduced stiffness of a ply, indices from 0."""
    formulas = {(0, 0): "E1 / (1 - nu12² E2/E1)", (1, 1): "E2 / (1 - nu12² E2/E1)",
                (0, 1): "nu12 E2 / (1 - nu12² E2/E1)", (2, 2): "G12"}  # fmt: skip
    key = (min(i, j), max(i, j))
    used = ("G12",) if key == (2, 2) else ("E1", "E2", "nu12")
    names = ("1", "2", "6")
    return Working(
        f"Q{names[i]}{names[j]} of {material.name}", formulas.get(key, "0"),
        float(reduced_stiffness(material)[i, j]), "Pa",
        tuple(field_given(material, f) for f in used) if key in formulas else (),
        source=f"{_CLT}, eq. 2.61",
    )  # fmt: skip


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
        given = (Given("Qbar", Qbar, "Pa", f"Q of {material.name} turned by {ply.angle:g}°"),
                 Given("z low", float(low[k]), "m", "stack"),
                 Given("z high", float(high[k]), "m", "stack"))  # fmt: skip
        formula = {1: "Qbar (z high - z low)", 2: "Qbar (z high² - z low²) / 2",
                   3: "Qbar (z high³ - z low³) / 3"}[power]  # fmt: skip
        entries = ((0, 0), (0, 1), (1, 1), (2, 2))
        base = tuple(reduced_stiffness_working(material, a, b) for a, b in entries)
        steps.append(Working(f"ply {k + 1}", formula, float(Qbar * lever[k]), unit, given, base))
    value = float(getattr(laminate, block)[i, j])
    names = ("1", "2", "6")
    return Working(f"{block}{names[i]}{names[j]} of {laminate.stack.name}", "sum over the plies",
                   value, unit, steps=tuple(steps), source=f"{_CLT}, eqs. 4.22–4.24")  # fmt: skip


def modulus_working(laminate: Laminate, axis: int = 0, *, bending: bool = False) -> Working:
    """Membrane or flexural modulus along x (0), y (1), or in shear (2)."""
    h, at = laminate.thickness, axis + (3 if bending else 0)
    entry = float(laminate.compliance[at, at])
    unit = "1/(N·m)" if bending else "m/N"
    name = ("E" if axis < 2 else "G") + ("f" if bending else "") + _AXES[axis]
    symbol = f"{'d' if bending else 'a'}{('1', '2', '6')[axis]}{('1', '2', '6')[axis]}"
    formula = f"12 / (h³ {symbol})" if bending else f"1 / (h {symbol})"
    value = 12 / (h**3 * entry) if bending else 1 / (h * entry)
    block = "D" if bending else "A"
    return Working(
        f"{name} of {laminate.stack.name}", formula, value, "Pa",
        (Given("h", h, "m", "stack"), Given(symbol, entry, unit, "inverse of A, B, D")),
        (stiffness_working(laminate, block, axis, axis),), f"{_CLT}, section 4.5",
    )  # fmt: skip


_FORMS = {"membrane": "inverse of A, B, D", "flexural": "inverse of A, B, D",
          "kept flat": "inverse of A"}  # fmt: skip


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
    given = tuple(Given(f"{letter}{_N[a]}{_N[b]}", float(s[a, b]), unit, _FORMS[form])
                  for a, b in used)  # fmt: skip
    return Working(f"{field} of {laminate.stack.name}, {form}", formula, float(value),
                   "Pa" if field[0] in "EG" else "1", (*given, Given("h", h, "m", "stack")),
                   tuple(stiffness_working(laminate, block, a, b) for a, b in used),
                   f"{_CLT}, section 4.5")  # fmt: skip


def ply_stress_working(laminate: Laminate, load: Load, ply: int, level: int, component: int
                       ) -> Working:  # fmt: skip
    """A stress of a ply in ply axes.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    load : Load
        Forces, moments, temperature, moisture.
    ply, level, component : int
        From 0; levels are bottom, middle, top, components 1, 2, 12.
    """
    r = respond(laminate, load)
    forces = np.concatenate([load.N, load.M])
    free = free_resultants(laminate, load)
    names = ("Nx", "Ny", "Nxy", "Mx", "My", "Mxy")
    given = tuple(Given(n, float(f), "N/m" if i < 3 else "N", "load")
                  for i, (n, f) in enumerate(zip(names, forces, strict=True)))  # fmt: skip
    given += tuple(Given(f"{n} free", float(f), "N/m" if i < 3 else "N", "temperature, moisture")
                   for i, (n, f) in enumerate(zip(names, free, strict=True)) if f)  # fmt: skip
    z = float(r.z[ply, level])
    strains = []
    for k, axis in enumerate(_AXES):
        eps, kappa = float(r.eps0[k]), float(r.kappa[k])
        strains.append(
            Working(
                f"strain {axis} at z",
                f"eps0 {axis} + z kappa {axis}",
                eps + z * kappa,
                "1",
                (
                    Given("eps0", eps, "1", "inverse of A, B, D times all resultants"),
                    Given("kappa", kappa, "1/m", "the same"),
                    Given("z", z, "m", "stack"),
                    *given,
                ),
            )
        )
    turned = []
    for k, axis in enumerate(("1", "2", "12")):
        turned.append(
            Working(
                f"mechanical strain {axis}",
                f"strain turned by {laminate.stack.plies[ply].angle:g}°, less free expansion",
                float(r.mechanical_12[ply, level, k]),
                "1",
                steps=tuple(strains) if k == 0 else (),
            )
        )
    material = laminate.materials[ply]
    row = tuple(
        reduced_stiffness_working(material, component, k)
        for k in ((2,) if component == 2 else (0, 1))
    )
    name = ("1", "2", "12")[component]
    return Working(
        f"stress {name} in ply {ply + 1} at the {LEVELS[level]}", "Q times mechanical strain",
        float(r.stress_12[ply, level, component]), "Pa", (), (*row, *turned),
        f"{_CLT}, section 4.4",
    )  # fmt: skip


def reserve_working(laminate: Laminate, load: Load, key: str, ply: int, level: int,
                    held: Load | None = None) -> Working:  # fmt: skip
    """Reserve factor of a ply at a level by a criterion, down to strengths and stresses.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    load : Load
        Forces and moments are scaled; temperature and moisture stay.
    key : str
        An in-plane criterion.
    ply, level : int
        From 0.
    held : Load, optional
        What stays, where that is not temperature and moisture on a free laminate, such as with
        prescribed strains.

    Raises
    ------
    CriterionError, MaterialError
        As `strengths_of`.
    """
    rule = criterion(key)
    material = laminate.materials[ply]
    strengths = strengths_of(material, rule)
    mechanical = load if held is not None else replace(load, dT=0.0, dT_gradient=0.0, dC=0.0)
    thermal = held if held is not None else replace(load, N=np.zeros(3), M=np.zeros(3))
    applied = respond(laminate, mechanical).stress_12[ply, level]
    residual = respond(laminate, thermal).stress_12[ply, level]
    outcome = rule.evaluate(strengths, applied, residual)
    reserve = float(outcome.reserve)
    stresses = [ply_stress_working(laminate, mechanical, ply, level, c) for c in range(3)]
    if residual.any():
        stresses += [replace(w, title=f"residual {w.title}") for w in (
            ply_stress_working(laminate, thermal, ply, level, c) for c in range(3))]  # fmt: skip
    given = tuple(field_given(material, f) for f in rule.needs)
    index = Working(f"{rule.title} index", rule.formula, float(outcome.index), "1", given,
                    tuple(stresses), rule.source)  # fmt: skip
    at_failure = (
        float(rule.evaluate(strengths, residual + reserve * applied).index)
        if np.isfinite(reserve)
        else float("nan")
    )
    check = Working(
        "index at failure", "index of residual + reserve factor × stress", at_failure, "1"
    )
    mode = mode_name(rule.modes, int(outcome.mode))
    return Working(
        f"reserve factor of ply {ply + 1} at the {LEVELS[level]}",
        f"least multiplier of the load at which the index reaches 1; mode: {mode}",
        reserve, "1", (), (index, check), rule.source,
    )  # fmt: skip


def shear_reserve_working(laminate: Laminate, Q: np.typing.NDArray[np.float64], key: str, ply: int,
                          level: int, held: np.typing.NDArray[np.float64] | None = None
                          ) -> Working:  # fmt: skip
    """Reserve factor of a ply by a criterion of the transverse shears, down to the forces.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    Q : ndarray, shape (2,)
        Transverse shear forces Qx, Qy [N/m].
    key : str
        Such as core_shear or interlaminar.
    ply, level : int
        From 0.
    held : ndarray, shape (2,), optional
        Transverse shear forces that stay [N/m].

    Raises
    ------
    CriterionError, MaterialError
        As `strengths_of`.
    """
    rule = criterion(key)
    material = laminate.materials[ply]
    rests = np.zeros(2) if held is None else held
    stress, resting = (
        shear_from_section(laminate, np.append(np.zeros(6), np.linalg.solve(laminate.shear, q)))[
            ply, level
        ]
        for q in (Q, rests)
    )
    outcome = rule.evaluate(strengths_of(material, rule), stress, resting)
    forces = tuple(Given(n, float(q), "N/m", "load") for n, q in zip(("Qx", "Qy"), Q, strict=True))
    steps = tuple(
        Working(f"shear {n} in ply {ply + 1} at the {LEVELS[level]}",
                "growth of the in-plane stresses integrated from the face, turned into ply axes",
                float(stress[k]), "Pa", forces, (), "Rohwer, DFVLR-FB 88-32 (1988)")
        for k, n in enumerate(("13", "23"))
    )  # fmt: skip
    if resting.any():
        kept = tuple(Given(n, float(q), "N/m", "stays") for n, q in zip(("Qx", "Qy"), rests,
                                                                       strict=True))  # fmt: skip
        steps += tuple(Working(f"residual shear {n} in ply {ply + 1} at the {LEVELS[level]}",
                               "the same of the forces that stay", float(resting[k]), "Pa", kept)
                       for k, n in enumerate(("13", "23")))  # fmt: skip
    given = tuple(field_given(material, f) for f in rule.needs)
    index = Working(f"{rule.title} index", rule.formula, float(outcome.index), "1", given, steps,
                    rule.source)  # fmt: skip
    mode = mode_name(rule.modes, int(outcome.mode))
    return Working(
        f"reserve factor of ply {ply + 1} at the {LEVELS[level]}",
        f"least multiplier at which the index reaches 1; mode: {mode}",
        float(outcome.reserve), "1", (), (index,), rule.source,
    )  # fmt: skip
