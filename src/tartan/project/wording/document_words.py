"""How things of the document are said: fields of materials, stacks, loads, supports, limits."""

from __future__ import annotations

import numpy as np

from tartan.core.stack import Stack
from tartan.core.stack.notation_written import context_for, write
from tartan.project.document.loadmodel import places_of
from tartan.project.document.model import Project, Version
from tartan.project.document.partmodel import (
    Acceleration,
    BucklingRequirement,
    DisplacementRequirement,
    EdgeForce,
    Force,
    FrequencyRequirement,
    LeftOut,
    Load,
    MappedPressure,
    MassRequirement,
    Movement,
    Pressure,
    Requirement,
    Rung,
    Side,
    Support,
    Temperature,
    Vector,
)
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

QUANTITIES: dict[str, Quantity] = {
    "E1": units.MODULUS,
    "E2": units.MODULUS,
    "E3": units.MODULUS,
    "nu12": units.RATIO,
    "nu13": units.RATIO,
    "nu23": units.RATIO,
    "alpha3": units.EXPANSION,
    "G12": units.MODULUS,
    "G13": units.MODULUS,
    "G23": units.MODULUS,
    "rho": units.DENSITY,
    "price": units.PRICE,
    "ply_thickness": units.LENGTH,
    "fibre_share": units.SHARE,
    "locking": units.ANGLE,
    "alpha1": units.EXPANSION,
    "alpha2": units.EXPANSION,
    "beta1": units.RATIO,
    "beta2": units.RATIO,
    "Xt": units.STRESS,
    "Xc": units.STRESS,
    "Yt": units.STRESS,
    "Yc": units.STRESS,
    "S12": units.STRESS,
    "S13": units.STRESS,
    "S23": units.STRESS,
    "wrinkling_k": units.RATIO,
    "cell_size": units.LENGTH,
    "Zc": units.STRESS,
    "f12_star": units.RATIO,
    "hashin_alpha": units.RATIO,
    "p_nl_t": units.RATIO,
    "p_nl_c": units.RATIO,
    "eXt": units.STRAIN,
    "eXc": units.STRAIN,
    "eYt": units.STRAIN,
    "eYc": units.STRAIN,
    "eS12": units.STRAIN,
}
"""Kind of quantity of every number of a material."""

SYMBOLS = {
    "E1": "E₁",
    "E2": "E₂",
    "E3": "E₃",
    "nu12": "ν₁₂",
    "G12": "G₁₂",
    "G13": "G₁₃",
    "G23": "G₂₃",
    "rho": "ρ",
    "ply_thickness": "t",
    "fibre_share": "fibres",
    "locking": "lock",
    "alpha1": "α₁",
    "alpha2": "α₂",
    "beta1": "β₁",
    "beta2": "β₂",
    "Xt": "Xt",
    "Xc": "Xc",
    "Yt": "Yt",
    "Yc": "Yc",
    "S12": "S₁₂",
    "S13": "S₁₃",
    "S23": "S₂₃",
    "f12_star": "F₁₂*",
    "hashin_alpha": "shear weight",
    "p_nl_t": "p⊥∥ᵗ",
    "p_nl_c": "p⊥∥ᶜ",
    "wrinkling_k": "k",
    "cell_size": "cell",
    "Zc": "Zc",
    "price": "price",
    "nu13": "ν₁₃",
    "nu23": "ν₂₃",
    "alpha3": "α₃",
    "eXt": "e Xt",
    "eXc": "e Xc",
    "eYt": "e Yt",
    "eYc": "e Yc",
    "eS12": "e S₁₂",
}
"""How each field is written."""


def notation(design: Project | Version, stack: Stack) -> str:
    """A stacking sequence in notation."""
    thickness = {m.name: m.ply_thickness for m in design.materials}
    return write(stack.plies, context_for(stack.plies, thickness, units.LENGTH.unit))


def load_words(load: Load) -> str:
    """A load in a few words with its figure, and whether it is held where that is not usual."""
    usual = isinstance(load, Temperature)
    held = "" if load.held == usual else ", held" if load.held else ", growing"
    return _plain_words(load) + held


def _plain_words(load: Load) -> str:
    if isinstance(load, Pressure):
        return f"{units.show(load.value, units.PRESSURE)}{_on(load)}{_from(load.side)}"
    if isinstance(load, MappedPressure):
        times = "" if load.factor == 1 else f" × {units.number(load.factor)}"
        return f"table {load.table}{times}{_on(load)}{_from(load.side)}"
    if isinstance(load, EdgeForce):
        return f"{directed(load.force, units.LINE_FORCE)} on {place_words(load)}"
    if isinstance(load, Force):
        parts = [directed(load.force, units.FORCE)] if any(load.force) else []
        parts += [directed(load.moment, units.MOMENT, "about")] if any(load.moment) else []
        return f"{', '.join(parts) or units.show(0.0, units.FORCE)} on {place_words(load)}"
    if isinstance(load, Acceleration):
        if load.vector == (0.0, 0.0, -9.81):
            return "own weight"
        return directed(load.vector, _GRAVITY)
    if isinstance(load, Movement):
        moved = [
            f"{units.show(v, units.LENGTH)} along {axis}"
            for v, axis in zip(load.move, "xyz", strict=True)
            if v
        ]
        axes = " in local axes" if load.local else ""
        return f"{place_words(load)} moved {', '.join(moved) or 'by nothing yet'}{axes}"
    parts = [units.show(load.dT, units.TEMPERATURE)]
    if load.gradient:
        side = {"front": "the front", "back": "the back", "laying": "the laying side"}[load.side]
        parts.append(f"{units.show(load.gradient, units.GRADIENT)} towards {side}")
    return ", ".join(parts)


_GRAVITY = Quantity("acceleration", "m/s²", (("g", units.GRAVITY),) * len(units.SYSTEMS))


def directed(vector: Vector, quantity: units.Quantity, way: str = "along") -> str:
    """A vector in words, with its direction: "120 N along −x", or all three where it is askew."""
    moved = [k for k in range(3) if vector[k]]
    if len(moved) == 1:
        value = vector[moved[0]]
        sign = "−" if value < 0 else "+"
        return f"{units.show(abs(value), quantity)} {way} {sign}{'xyz'[moved[0]]}"
    size = float(np.linalg.norm(vector))
    if not size:
        return units.show(0.0, quantity)
    parts = ", ".join(units.show(v, quantity, unit=False) for v in vector)
    return f"{units.show(size, quantity)} {way} ({parts})"


def _from(side: Side) -> str:
    return {"front": "", "back": " from the back", "laying": " on the laying side"}[side]


def _on(load: Pressure | MappedPressure) -> str:
    return f" on {place_words(load)}" if load.region else ""


def place_words(one: Support | Load) -> str:
    """Places of a support or load, such as "left edge and right edge"."""
    *others, last = places_of(one)
    return f"{', '.join(others)} and {last}" if others else last


def support_words(support: Support) -> str:
    """A support in a few words."""
    axes = " in local axes" if support.local else ""
    return f"{place_words(support)} {support.kind}{axes}"


def rung_words(rung: Rung) -> str:
    """What is laid and where, such as "dish face on mounts"."""
    ply = rung.ply
    what = (
        rung.stack
        if ply is None
        else (
            f"{ply.material} {units.number(ply.angle)}° {units.show(ply.thickness, units.LENGTH)}"
        )
    )
    if rung.wound is not None and ply is not None:
        wound = rung.wound
        size = units.show(ply.thickness, units.LENGTH)
        opening = units.show(wound.opening, units.LENGTH) if wound.opening else "the boss"
        of = f"round {opening}" if wound.sort != "hoop" else f"× {wound.count}"
        what = f"{ply.material} {wound.sort} {of}, {size}"
    turned = f" turned {units.number(rung.turn)}°" if rung.turn else ""
    off = ", switched off" if not rung.active else ""
    called = f"{rung.name}: " if rung.name else ""
    return f"{called}{what}{turned} on {rung.region or 'the whole part'}{off}"


def requirement_words(r: Requirement) -> str:
    """A requirement with its limit, such as "reserve factor at least 1.25 in survival wind"."""
    case = getattr(r, "case", "")
    within = f" in {case}" if case else " in all cases"
    if isinstance(r, DisplacementRequirement):
        what = "displacement" if r.measure == "size" else "surface deviation"
        return f"{what} at most {units.show(r.value, units.LENGTH)}{within}"
    if isinstance(r, BucklingRequirement):
        return f"buckling factor at least {units.number(r.value)}{within}"
    if isinstance(r, FrequencyRequirement):
        under = f" under {case}" if case else ""
        return f"first frequency at least {units.number(r.value)} Hz{under}"
    if isinstance(r, MassRequirement):
        return f"mass at most {units.number(r.value)} kg"
    return f"reserve factor at least {r.value:.2f}{within}"


def left_out_words(rule: LeftOut) -> str:
    """An area left out in words."""
    if rule.near == "region":
        return rule.region
    things = "a support" if rule.near == "supports" else "a force"
    if rule.distance is not None:
        return f"within {units.show(rule.distance, units.LENGTH)} of {things}"
    return f"within {rule.rings} element{'s' * (rule.rings != 1)} of {things}"
