"""The contract every failure criterion fulfils, and the algebra most of them share.

A reserve factor λ is the least multiplier ≥ 0 of the applied stress at which the criterion is
just met while a residual stress stays as it is: 0 when the residual alone fails, infinite when
no multiple ever fails. The branch of a criterion with modes is chosen by the sign of the total
stress at that λ.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import CriterionError, MaterialError
from tartan.core.materials import FIELD_NAMES, Material

Array = NDArray[np.float64]
Strengths = Mapping[str, float]


@dataclass(frozen=True, eq=False)
class Outcome:
    """What a criterion says of an array of stress states.

    Attributes
    ----------
    reserve : ndarray, shape (...)
        Reserve factor [1].
    index : ndarray, shape (...)
        Failure index: the criterion's own expression at the applied plus residual stress [1].
    mode : ndarray of int8, shape (...)
        Index into the criterion's `modes`; the mode that limits the reserve factor, or, where
        that is infinite, the mode of the greatest index.
    angle : ndarray, shape (...), optional
        Fracture angle at failure where the criterion knows one [deg]; NaN where it has none.
    """

    reserve: Array
    index: Array
    mode: NDArray[np.int8]
    angle: Array | None = None


class Criterion(Protocol):
    """A failure criterion.

    Attributes
    ----------
    key, title : str
        Name in files and name on screen.
    needs : tuple of str
        Fields of `Material` it cannot do without.
    modes : tuple of str
        Labels of its failure modes, in words.
    stress : {"in-plane", "transverse"}
        Which stresses it reads: 1, 2, 12 in the last axis, or 13, 23.
    source : str
        Where it is published.
    formula : str
        Its index as an expression.
    """

    @property
    def key(self) -> str: ...  # noqa: D102 - described above
    @property
    def title(self) -> str: ...  # noqa: D102
    @property
    def needs(self) -> tuple[str, ...]: ...  # noqa: D102
    @property
    def modes(self) -> tuple[str, ...]: ...  # noqa: D102
    @property
    def stress(self) -> Literal["in-plane", "transverse"]: ...  # noqa: D102
    @property
    def source(self) -> str: ...  # noqa: D102
    @property
    def formula(self) -> str: ...  # noqa: D102

    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate at stress states in the last axis, with a fixed residual part if given."""
        ...


def strengths_of(material: Material, criterion: Criterion) -> Strengths:
    """Strengths and parameters of a material for a criterion.

    Raises
    ------
    MaterialError
        Naming the material and the first field that is missing.
    CriterionError
        When a parameter is out of its range.
    """
    purpose = f"the {criterion.title} criterion"
    found: dict[str, float] = {}
    for name in criterion.needs:
        found[name] = value = _value(material, name, purpose)
        where = f"Material '{material.name}', {name}"
        if not np.isfinite(value):
            raise MaterialError(f"{name} is not a finite number.", where, "Enter a number.")
        parameter = name in ("f12_star", "hashin_alpha", "nu12", "p_nl_t", "p_nl_c")
        if value <= 0 and not parameter:
            what = f"{name} ({FIELD_NAMES[name]}) must be greater than zero, it is {value:g}."
            raise MaterialError(what, where, "Strengths are entered as positive numbers.")
        if name == "f12_star" and abs(value) >= 1:
            what = f"F12* = {value:g} (f12_star) leaves the Tsai–Wu surface open."
            raise CriterionError(what, where, "Keep F12* between -1 and 1; -0.5 is usual.")
        if name in ("hashin_alpha", "p_nl_t", "p_nl_c") and value < 0:
            what = f"{name} = {value:g} is negative."
            raise CriterionError(what, where, "Enter 0 or more.")
    return found


def _value(material: Material, field: str, purpose: str) -> float:
    """A field's value; one that is empty is derived where that is legitimate."""
    if getattr(material, field) is None and derivation(material, field) is not None:
        return derived_value(material, field)
    return material.need(field, purpose)


DERIVED = {"eXt": ("Xt", "E1"), "eXc": ("Xc", "E1"), "eYt": ("Yt", "E2"), "eYc": ("Yc", "E2"),
           "eS12": ("S12", "G12"), "Xt": ("eXt", "E1"), "Xc": ("eXc", "E1"), "Yt": ("eYt", "E2"),
           "Yc": ("eYc", "E2")}  # fmt: skip
"""What an empty strain allowable or strength follows from, on a straight stress-strain line to
failure. In-plane shear bends that line: its strain follows from the strength on the safe side,
its strength from a measured strain would not, so S12 is never derived."""


def derivation(material: Material, field: str) -> str | None:
    """How an empty field is derived, such as "Yt/E2"; None when it is entered or cannot be."""
    if getattr(material, field) is not None or field not in DERIVED:
        return None
    other, modulus = DERIVED[field]
    if getattr(material, other) is None:
        return None
    return f"{other}/{modulus}" if field.startswith("e") else f"{other}·{modulus}"


def derived_value(material: Material, field: str) -> float:
    """Value of a derived field [1 or Pa]."""
    other, modulus = DERIVED[field]
    factor = float(getattr(material, modulus))
    value = float(getattr(material, other))
    return value / factor if field.startswith("e") else value * factor


def quadratic_root(a: Array, b: Array, c: Array) -> Array:
    """Least positive root of ``a λ² + b λ + c`` for c < 0; infinite when there is none.

    For a ≥ 0 it is the only one. Written so that neither sign of b cancels digits.
    """
    inside = b * b - 4 * a * c
    root = np.sqrt(np.maximum(inside, 0.0))
    low = np.where(b > 0, b + root, root - b)
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        value = np.where(b > 0, -2 * c / low, low / (2 * a))
    none = (inside < 0) | ((a <= 0) & (b <= 0))
    return np.where(np.isfinite(value) & ~none, value, np.inf)


def first_reach(a: Array, b: Array, c: Array, interval: tuple[Array, Array]) -> Array:
    """Least λ in a closed interval at which ``a λ² + b λ + c ≥ 0``.

    Parameters
    ----------
    a, b, c : ndarray, shape (...)
        Coefficients.
    interval : tuple of ndarray
        Lower and upper end; empty where the lower exceeds the upper.

    Returns
    -------
    ndarray, shape (...)
        Infinite where it is never reached.
    """
    low, high = interval
    start = np.where(np.isfinite(low), low, 0.0)
    value = a * start * start + b * start + c
    at_start = value >= 0
    # Counted from the interval's lower end, where the expression is known to be negative.
    slope = b + 2 * a * start
    step = quadratic_root(a, slope, np.where(at_start, -1.0, value))
    reached = np.where(at_start, start, start + step)
    return np.where((low <= high) & (reached <= high), reached, np.inf)


def positive_interval(applied: Array, residual: Array) -> tuple[Array, Array]:
    """λ ≥ 0 for which ``residual + λ applied ≥ 0``, as a closed interval (empty: low > high)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        zero = np.where(applied != 0, -residual / applied, 0.0)
    low = np.where(applied > 0, np.maximum(zero, 0.0), 0.0)
    high = np.where(applied < 0, zero, np.inf)
    never = (residual < 0) & (applied <= 0)
    return np.where(never, np.inf, low), np.where(never, -np.inf, high)


def intersect(one: tuple[Array, Array], other: tuple[Array, Array]) -> tuple[Array, Array]:
    """Common part of two intervals."""
    return np.maximum(one[0], other[0]), np.minimum(one[1], other[1])


def linear_limits(applied: Array, residual: Array | None, limits: Array) -> Outcome:
    """Each component against a positive limit for either sign.

    Parameters
    ----------
    applied, residual : ndarray, shape (..., 3)
        Stress or strain, scaled and held fixed.
    limits : ndarray, shape (3, 2)
        Positive limits in tension and compression; both of the last, the shear, are one mode.
    """
    held = np.zeros_like(applied) if residual is None else residual
    reserves, indices = [], []
    for axis, (pull, push) in enumerate(limits):
        both = []
        for sign, limit in ((1.0, pull), (-1.0, push)):
            p, r = sign * applied[..., axis] / limit, sign * held[..., axis] / limit
            with np.errstate(divide="ignore", invalid="ignore"):
                reach = np.where(p > 0, (1 - r) / p, np.inf)
            both.append((np.where(r >= 1, 0.0, reach), p + r))
        if axis == 2:
            reserves.append(np.minimum(both[0][0], both[1][0]))
            indices.append(np.maximum(both[0][1], both[1][1]))
        else:
            reserves += [b[0] for b in both]
            indices += [b[1] for b in both]
    return least_of(reserves, indices)


def least_of(reserves: list[Array], indices: list[Array]) -> Outcome:
    """Join the modes of a criterion: the least reserve factor governs."""
    reserve, index = np.stack(reserves), np.stack(indices)
    by_index = index.argmax(axis=0)
    by_reserve = reserve.argmin(axis=0)
    least = reserve.min(axis=0)
    mode = np.where(np.isfinite(least), by_reserve, by_index)
    return Outcome(least, index.max(axis=0), mode.astype(np.int8))
