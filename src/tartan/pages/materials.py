"""What the Materials station shows: groups of fields and lines of words. No Qt."""

from __future__ import annotations

import dataclasses
import re
from collections.abc import Callable
from functools import lru_cache

from tartan.core.criteria.base import derivation, derived_value
from tartan.core.errors import MaterialError, TartanError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.materials import FIELD_NAMES, ISOTROPIC, OPTIONAL, Kind, Material, findings
from tartan.core.stack import Ply, Stack
from tartan.project.analysis.shellinputs import laminate_for
from tartan.project.document.model import AppliedCondition, Project
from tartan.project.edits import stack_edits
from tartan.project.wording import units
from tartan.project.wording.document_words import QUANTITIES, SYMBOLS

GROUPS: dict[str, tuple[str, ...]] = {
    "Stiffness": ("E1", "E2", "E3", "G12", "G13", "G23", "nu12", "nu13", "nu23"),
    "Strength in plane": ("Xt", "Xc", "Yt", "Yc", "S12"),
    "Strain allowables": ("eXt", "eXc", "eYt", "eYc", "eS12"),
    "Between plies": ("S13", "S23"),
    "Ply": ("ply_thickness", "rho", "fibre_share", "price", "locking"),
    "Expansion": ("alpha1", "alpha2", "alpha3", "beta1", "beta2"),
    "Criteria": ("f12_star", "hashin_alpha", "p_nl_t", "p_nl_c"),
    "Sandwich": ("Zc", "cell_size", "wrinkling_k"),
}
"""Fields of the card, in the order in which they are read."""

KIND_WORDS: dict[Kind, str] = {
    "ply": "unidirectional ply",
    "woven": "woven ply",
    "isotropic": "isotropic layer",
    "core": "sandwich core",
    "filler": "resin filler",
}

_ISOTROPIC = {"E1", "nu12", "Xt", "ply_thickness", "rho", "alpha1", "price"}
_CORE_WITHOUT = {
    "Xt",
    "Xc",
    "Yt",
    "Yc",
    "S12",
    "eXt",
    "eXc",
    "eYt",
    "eYc",
    "eS12",
    "f12_star",
    "hashin_alpha",
    "p_nl_t",
    "p_nl_c",
}

BLANK = Material("material", 100e9, 10e9, 0.3, 5e9)
"""A material to begin with: the four elastic constants that every one has, and nothing else."""


def shown(material: Material, field: str) -> bool:
    """Whether a field means something for this kind of material."""
    if material.kind in ISOTROPIC:
        return field in _ISOTROPIC
    if field in GROUPS["Sandwich"]:
        return material.kind == "core"
    if field in ("locking", "fibre_share") and material.kind not in ("ply", "woven"):
        return False
    return not (material.kind == "core" and field in _CORE_WITHOUT)


def optional(field: str) -> bool:
    """Whether a field may be left empty."""
    return field in OPTIONAL


def words(material: Material) -> str:
    """Key figures in one line."""
    if material.kind == "core":
        g13, g23 = (
            units.show(g, units.STRESS, unit=False, digits=3) for g in (material.G13, material.G23)
        )
        return f"core · G {g13} / {g23} {units.STRESS.unit}"
    unit = units.MODULUS.unit
    e1, e2 = (
        units.show(e, units.MODULUS, unit=False, digits=3) for e in (material.E1, material.E2)
    )
    if material.kind in ISOTROPIC:
        return f"{material.kind} · E {e1} {unit}"
    return f"{'woven' if material.kind == 'woven' else 'ply'} · E {e1} / {e2} {unit}"


def touched(project: Project, material: str) -> str:
    """What a change of this material touches besides the stacks, in words."""
    stacks = project.stacks_using(material)
    if not stacks:
        return "Used by no stack."
    on_part = project.part is not None and bool(set(project.part.stacks()) & set(stacks))
    return "A change of stiffness or density solves the part again." if on_part else ""


def change(name: str, field: str, value: float | str | None) -> Callable[[Project], Project]:
    """Edit that sets one field of a material."""
    return lambda project: stack_edits.set_value(project, name, field, value)


def fault_of(material: Material, field: str, text: str) -> str:
    """What would be wrong with a value as it is being typed; empty while it cannot be read."""
    try:
        value = units.parse(text, QUANTITIES[field])
    except TartanError:
        return ""
    found = findings(dataclasses.replace(material, **{field: value}))  # type: ignore[arg-type]
    return f"{found[0].what} {found[0].mend}" if found else ""


def derived_words(material: Material, field: str) -> str:
    """Value and origin of a field that is empty but follows from others; empty otherwise."""
    how = derivation(material, field)
    if how is None or material.kind in ("core", *ISOTROPIC):
        return ""
    return f"{units.show(derived_value(material, field), QUANTITIES[field], unit=False)} = {how}"


def against(value: float | None, other: float | None) -> str:
    """The other material's value against this one's, such as "+12%"; "× 6.8" where far apart."""
    if value is None or other is None:
        return ""
    if value * other <= 0:
        return "same" if value == other else ""
    share = other / value - 1
    if share > 1:
        return f"× {units.number(other / value, 2)}"
    return "same" if abs(share) < 5e-4 else f"{'+' if share > 0 else '−'}{abs(share):.0%}"


def factor_text(condition: AppliedCondition) -> str:
    """Factors as they are typed: ``Xc 0.7, S12 0.75``."""
    return ", ".join(f"{field} {factor:g}" for field, factor in condition.factors)


_FACTOR = re.compile(r"([A-Za-z][A-Za-z0-9_]*)\s*[×*]?\s*(\d+(?:\.\d*)?|\.\d+)$")


def read_factors(text: str) -> tuple[tuple[str, float], ...]:
    """Read factors as `factor_text` writes them.

    Raises
    ------
    MaterialError
        Naming the part that cannot be read.
    """
    found = []
    for number, part in enumerate((p.strip() for p in re.split(r"[,;]", text)), start=1):
        if not part:
            continue
        match = _FACTOR.match(part)
        if match is None:
            raise MaterialError(
                f"'{part}' is not a field and a factor.",
                f"Factor {number}",
                "Write such as: Xc 0.7, S12 0.75.",
            )
        if match.group(1) not in FIELD_NAMES:
            raise MaterialError(
                f"'{match.group(1)}' is not a field of a material.",
                f"Factor {number}",
                f"Known are {', '.join(FIELD_NAMES)}.",
            )
        found.append((match.group(1), float(match.group(2))))
    return tuple(found)


def in_force_words(project: Project, material: Material) -> str:
    """Values that active conditions change, in words; empty when there are none."""
    changed = project.in_force(material)
    if changed == material:
        return ""
    parts = []
    for field in FIELD_NAMES:
        now, entered = getattr(changed, field), getattr(material, field)
        if now != entered:
            parts.append(f"{SYMBOLS[field]} {units.show(now, QUANTITIES[field])}")
    return f"In force: {', '.join(parts)}."


@lru_cache(maxsize=64)
def single_ply(material: Material) -> Laminate | None:
    """One ply of a material at 0°, for pictures; None when it is not admissible."""
    try:
        return make_laminate(
            Stack(material.name, (Ply(material.name, 0.0, 1e-3),)), {material.name: material}
        )
    except TartanError:
        return None


def laminate_of(project: Project, stack: Stack) -> Laminate | None:
    """Laminate of a stack, for pictures; None when it cannot be made."""
    try:
        return laminate_for(stack, project.materials_of(stack))
    except TartanError:
        return None
