"""What the Materials station shows: groups of fields and lines of words. No Qt."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable

from tartan.core.errors import TartanError
from tartan.core.materials import Material, replace_value
from tartan.project import edits, units
from tartan.project.model import Project

SYMBOLS = {
    "E1": "E₁", "E2": "E₂", "E3": "E₃", "nu12": "ν₁₂", "G12": "G₁₂", "G13": "G₁₃", "G23": "G₂₃",
    "rho": "ρ", "ply_thickness": "t", "alpha1": "α₁", "alpha2": "α₂", "beta1": "β₁", "beta2": "β₂",
    "Xt": "Xt", "Xc": "Xc", "Yt": "Yt", "Yc": "Yc", "S12": "S₁₂", "S13": "S₁₃", "S23": "S₂₃",
    "f12_star": "F₁₂*", "hashin_alpha": "shear weight", "p_nl_t": "p⊥∥ᵗ", "p_nl_c": "p⊥∥ᶜ",
    "price": "price", "nu13": "ν₁₃", "nu23": "ν₂₃", "alpha3": "α₃",
    "eXt": "e Xt", "eXc": "e Xc", "eYt": "e Yt", "eYc": "e Yc", "eS12": "e S₁₂",
}  # fmt: skip
"""How each field is written."""

GROUPS: dict[str, tuple[str, ...]] = {
    "Stiffness": ("E1", "E2", "nu12", "G12", "G13", "G23", "E3"),
    "Strength": ("Xt", "Xc", "Yt", "Yc", "S12", "S13", "S23"),
    "Ply and expansion": ("ply_thickness", "rho", "alpha1", "alpha2"),
    "Criteria": ("f12_star", "hashin_alpha"),
}
"""Fields of the card, in the order in which they are read."""

_OPTIONAL = {f.name for f in dataclasses.fields(Material) if f.default is None}

_ISOTROPIC = {"E1", "nu12", "Xt", "ply_thickness", "rho", "alpha1"}
_CORE_WITHOUT = {"Xt", "Xc", "Yt", "Yc", "S12", "f12_star", "hashin_alpha"}


def shown(material: Material, field: str) -> bool:
    """Whether a field means something for this kind of material."""
    if material.kind == "isotropic":
        return field in _ISOTROPIC
    return not (material.kind == "core" and field in _CORE_WITHOUT)


def optional(field: str) -> bool:
    """Whether a field may be left empty."""
    return field in _OPTIONAL


def words(material: Material) -> str:
    """Key figures in one line."""
    if material.kind == "core":
        g13, g23 = (units.number((g or 0) / 1e6, 3) for g in (material.G13, material.G23))
        return f"core · G {g13} / {g23} MPa"
    e1, e2 = (units.number(e / 1e9, 3) for e in (material.E1, material.E2))
    if material.kind == "isotropic":
        return f"isotropic · E {e1} GPa"
    return f"ply · E {e1} / {e2} GPa"


def use(project: Project, material: str) -> str:
    """Which stacks a change of this material touches, in words."""
    stacks = project.stacks_using(material)
    if not stacks:
        return "Used by no stack."
    on_part = project.part is not None and project.part.stack in stacks
    tail = " A change of stiffness or density solves the part again." if on_part else ""
    return f"Used by {', '.join(stacks)}.{tail}"


def change(name: str, field: str, value: float | str | None) -> Callable[[Project], Project]:
    """Edit that sets one field of a material."""

    def edit(project: Project) -> Project:
        material = project.material(name)
        if material is None:
            raise TartanError(f"There is no material '{name}'.", "Materials", "Choose another.")
        return edits.put_material(project, name, replace_value(material, field, value))

    return edit
