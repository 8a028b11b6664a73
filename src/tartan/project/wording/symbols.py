"""What every symbol on screen is, its unit, and how it is counted."""

from __future__ import annotations

import re

from tartan.core.materials import FIELD_NAMES
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

_PLAIN = str.maketrans("₀₁₂₃₄₅₆₇₈₉ₓᵧ", "0123456789xy")

_TENSION = "tension is positive"
_SENSE = "positive where it turns the right angle between +{0} and +{1} smaller"
_TWO = (("1", "2"), ("x", "y"))


def _strains_and_stresses() -> dict[str, tuple[str, Quantity | None]]:
    where = {
        "1": "along the fibre",
        "2": "across the fibre, in the ply",
        "3": "through the thickness",
        "x": "along x of the laminate",
        "y": "along y of the laminate",
        "I": "in the direction where it is largest",
        "II": "in the direction where it is smallest",
    }
    found: dict[str, tuple[str, Quantity | None]] = {}
    for axis, words in where.items():
        found[f"σ{axis}"] = (f"stress {words}; {_TENSION}", units.STRESS)
        found[f"ε{axis}"] = (f"strain {words}; lengthening is positive", units.STRAIN)
    for a, b in _TWO:
        sense = _SENSE.format(a, b)
        found[f"τ{a}{b}"] = (f"shear stress in the plane {a}{b}; {sense}", units.STRESS)
        found[f"γ{a}{b}"] = (
            f"engineering shear strain in the plane {a}{b}, twice the tensor's; {sense}",
            units.STRAIN,
        )
    for a, words in (("1", "along the fibre"), ("2", "across the fibre")):
        found[f"τ{a}3"] = (
            f"shear stress between plies {words}; positive where the upper side goes along +{a}",
            units.STRESS,
        )
    return found


def _laminate() -> dict[str, tuple[str, Quantity | None]]:
    force, moment = units.LINE_FORCE, units.LINE_MOMENT
    top = "positive where the top, the laying side, is in tension"
    return {
        "Nx": (f"force along x per length of the edge across it; {_TENSION}", force),
        "Ny": (f"force along y per length of the edge across it; {_TENSION}", force),
        "Nxy": (f"shear force per length in the plane; {_SENSE.format('x', 'y')}", force),
        "Mx": (f"moment per length that bends x; {top}", moment),
        "My": (f"moment per length that bends y; {top}", moment),
        "Mxy": ("twisting moment per length; positive where it shears the top as +τxy", moment),
        "Qx": ("transverse shear force per length on an edge across x", force),
        "Qy": ("transverse shear force per length on an edge across y", force),
        "κx": (f"curvature along x; {top}", units.CURVATURE),
        "κy": (f"curvature along y; {top}", units.CURVATURE),
        "κxy": ("twist, twice the tensor's; positive where it shears the top as +γxy", None),
        "dT": ("change of temperature from where the part is free of stress", None),
        "dC": ("change of moisture from where the part is free of stress", None),
    }


_OTHERS: dict[str, tuple[str, Quantity | None]] = {
    "RF": (
        "reserve factor: what the growing loads may be multiplied by until the first ply fails; "
        "1 is failure",
        None,
    ),
    "MS": ("margin of safety: reserve factor less one", None),
    "Ex": ("modulus of the laminate along x, by its membrane stiffness", units.STRESS),
    "Ey": ("modulus of the laminate along y, by its membrane stiffness", units.STRESS),
    "Gxy": ("shear modulus of the laminate in its plane", units.STRESS),
    "νxy": ("contraction along y by lengthening along x", None),
    "νyx": ("contraction along x by lengthening along y", None),
}

_BLOCKS = {
    "A": "stiffness of the laminate in its plane, forces per length by strains",
    "B": "coupling, forces by curvatures and moments by strains; zero when symmetric",
    "D": "bending stiffness, moments per length by curvatures",
}

_GREEK = {"ν": "nu", "α": "alpha", "β": "beta", "ρ": "rho"}

_PHRASES: dict[str, tuple[str, Quantity | None]] = {
    "τ max": ("largest shear stress in the plane, half of σI less σII", units.STRESS),
    "γ max": ("largest engineering shear strain in the plane, εI less εII", units.STRAIN),
    "σ von Mises": ("equivalent stress of plane stress, never negative", units.STRESS),
}

_HEIGHT = "height from the reference surface, positive towards the laying side"

_ALL = {**_strains_and_stresses(), **_laminate(), **_OTHERS}

_CUT = re.compile(r"[\s,;()\[\]·:=/|]+")


def _line(symbol: str, what: str, quantity: Quantity | None) -> str:
    return f"{symbol}: {what}, in {quantity.unit}" if quantity is not None else f"{symbol}: {what}"


def _said(token: str) -> str | None:
    plain = token.translate(_PLAIN)
    if plain in _ALL:
        return _line(token, *_ALL[plain])
    if re.fullmatch("[ABD][126]{2}", plain):
        return f"{token}: {_BLOCKS[plain[0]]}"
    field = plain
    for letter, name in _GREEK.items():
        field = field.replace(letter, name)
    if field in FIELD_NAMES and len(field) > 1:
        return f"{token}: {FIELD_NAMES[field]}"
    return None


def meaning(words: str) -> str:
    """What the symbols in some words are, one line each; empty where there is none.

    Parameters
    ----------
    words : str
        As shown, such as ``"σ₁ [MPa]"`` or ``"stress τ12"``.
    """
    # Subscripts of rich text are figures like any other.
    plain = re.sub(r"<[^>]*>", "", words)
    if plain.startswith("z ["):
        # Elsewhere z is a direction of the part.
        return _line("z", _HEIGHT, units.LENGTH)
    phrases = [_line(p, *what) for p, what in _PHRASES.items() if p in plain]
    found = [*phrases, *(_said(token) for token in _CUT.split(plain) if token)]
    return "\n".join(dict.fromkeys(line for line in found if line))
