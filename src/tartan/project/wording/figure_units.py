"""The quantity of a figure by its path, so that it is typed and shown in the user's units."""

from __future__ import annotations

import re

from tartan.project.wording import units
from tartan.project.wording.units import Quantity

_BY_FIELD: dict[str, Quantity] = {
    **dict.fromkeys(("E1", "E2", "E3", "G12", "G13", "G23"), units.MODULUS),
    **dict.fromkeys(
        ("Xt", "Xc", "Yt", "Yc", "Zt", "Zc", "S12", "S13", "S23", "strength"), units.STRESS
    ),
    **dict.fromkeys(("alpha1", "alpha2", "alpha3"), units.EXPANSION),
    "rho": units.DENSITY,
    "angle": units.ANGLE,
    "turn": units.ANGLE,
    "temperature": units.TEMPERATURE,
    "dT": units.TEMPERATURE,
    "growing_dT": units.TEMPERATURE,
    "dT_gradient": units.GRADIENT,
    "dC": units.MOISTURE,
    "pressure": units.PRESSURE,
    "acceleration": units.ACCELERATION,
    "torque": units.MOMENT,
    "force": units.FORCE,
    "moment": units.MOMENT,
}

_LENGTHS = re.compile(
    r"thickness|length|width|height|radius|sagitta|opening|mesh_size|bandwidth|crown|knuckle|bow"
)

_COMPONENTS: dict[str, Quantity] = {
    **dict.fromkeys(("Nx", "Ny", "Nxy", "Qx", "Qy"), units.LINE_FORCE),
    **dict.fromkeys(("Mx", "My", "Mxy"), units.LINE_MOMENT),
}


_OF_A_CASE: dict[str, Quantity] = {
    "value": units.PRESSURE,
    "dT": units.TEMPERATURE,
    "gradient": units.GRADIENT,
    "vector": units.ACCELERATION,
    "moment": units.MOMENT,
    "at": units.LENGTH,
    "reach": units.LENGTH,
    "move": units.LENGTH,
}
"""Figures of the loads of the part. A force may be one per length: its path does not say."""


def quantity_of(path: str) -> Quantity:
    """Quantity of the figure at a path; a plain number in SI where it is not known."""
    last = re.sub(r"\[[^\]]*\]$", "", path).rpartition(".")[2]
    key = path.rpartition("[")[2].rstrip("]") if path.endswith("]") else ""
    if path.removeprefix("-").startswith("cases["):
        return _OF_A_CASE.get(last, units.RATIO)
    if last in ("values", "Q") and key in _COMPONENTS:
        return _COMPONENTS[key]
    if last in _BY_FIELD:
        return _BY_FIELD[last]
    return units.LENGTH if _LENGTHS.search(last) else units.RATIO


def figure_words(path: str) -> str:
    """A figure in words, such as "angle of ply 3, feed strut"."""
    plain = path.removeprefix("-")
    ply = re.fullmatch(r"stacks\[(.+)\]\.plies\[(\d+|\*)\]\.(\w+)", plain)
    if ply:
        which = "every ply" if ply[2] == "*" else f"ply {ply[2]}"
        return f"{ply[3]} of {which}, {ply[1]}"
    rung = re.fullmatch(r"part\.lay_up\[(\d+)\]\.(?:ply\.)?(\w+)", plain)
    if rung:
        return f"{rung[2]} of rung {rung[1]}"
    of_one = re.fullmatch(r"(materials|load_cases|cases)\[(.+?)\]\.(.+)", plain)
    if of_one:
        inner = re.sub(r"^values\[(\w+)\]$", r"\1", of_one[3])
        return f"{inner} of {of_one[2]}"
    if plain.startswith("part."):
        return f"{plain.removeprefix('part.').removeprefix('surface.')} of the part"
    return plain
