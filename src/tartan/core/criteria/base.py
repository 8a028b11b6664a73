"""The contract every failure criterion fulfils, and the algebra most of them share.

A reserve factor λ is the least multiplier ≥ 0 of the applied stress at which the criterion is
just met while a residual stress stays as it is: 0 when the residual alone fails, infinite when
no multiple ever fails. The branch of a criterion with modes is chosen by the sign of the total
stress at that λ.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import wraps
from typing import Any, Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import CriterionError, MaterialError
from tartan.core.materials import FIELD_NAMES, Material

Array = NDArray[np.float64]
Strengths = Mapping[str, Any]


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
        Index into the criterion's `modes` of the one that limits the reserve factor; `NEVER`
        where that is infinite.
    angle : ndarray, shape (...), optional
        Fracture angle at failure where the criterion knows one [deg]; NaN where it has none.
    """

    reserve: Array
    index: Array
    mode: NDArray[np.int8]
    angle: Array | None = None


@dataclass(frozen=True)
class Fibre:
    """How the fibre of a ply is judged once its matrix has failed.

    Attributes
    ----------
    by : {"stress", "strain"}
        The stress along 1 against Xt and Xc, or the mechanical strain along 1 against eXt, eXc.
    matrix : tuple of str
        Modes of the criterion in which the matrix fails and the fibre stays.
    """

    by: Literal["stress", "strain"]
    matrix: tuple[str, ...]

    @property
    def needs(self) -> tuple[str, str]:
        """Fields of the limits in tension and compression."""
        return ("Xt", "Xc") if self.by == "stress" else ("eXt", "eXc")

    def evaluate(
        self,
        limits: tuple[float, float],
        applied: Array,
        residual: Array | None,
        moduli: tuple[float, float],
    ) -> tuple[Array, Array]:
        """Reserve factors in tension and in compression.

        Parameters
        ----------
        limits : tuple of float
            Of `needs`, positive [Pa or 1].
        applied, residual : ndarray, shape (..., 3)
            Stress scaled and held fixed, 1, 2, 12 [Pa].
        moduli : tuple of float
            E1 [Pa] and nu12 [1] of the ply as it is.
        """

        def along(stress: Array) -> Array:
            if self.by == "stress":
                return stress[..., 0]
            return np.asarray((stress[..., 0] - moduli[1] * stress[..., 1]) / moduli[0])

        s = along(applied)
        r = np.zeros_like(s) if residual is None else along(residual)
        found = []
        for sign, limit in zip((1.0, -1.0), limits, strict=True):
            with np.errstate(divide="ignore", invalid="ignore"):
                reach = np.where(sign * s > 0, (limit - sign * r) / (sign * s), np.inf)
            found.append(np.where(sign * r >= limit, 0.0, reach))
        return found[0], found[1]


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
    stress : {"in-plane", "transverse", "sandwich"}
        Which stresses it reads: 1, 2, 12 in the last axis; 13, 23; or what `sandwich` gathers
        of the plies round a core.
    source : str
        Where it is published.
    formula : str
        Its index as an expression.
    fibre : Fibre or None
        What is left to check of a ply whose matrix has failed; None where the criterion does not
        tell fibre from matrix, so that a ply fails as a whole.
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
    def stress(self) -> Literal["in-plane", "transverse", "sandwich"]: ...  # noqa: D102
    @property
    def source(self) -> str: ...  # noqa: D102
    @property
    def formula(self) -> str: ...  # noqa: D102
    @property
    def fibre(self) -> Fibre | None: ...  # noqa: D102

    def evaluate(
        self, strengths: Strengths, applied: Array, residual: Array | None = None
    ) -> Outcome:
        """Evaluate at stress states, shape (..., c) [Pa]; a residual of that shape is held."""
        ...


FARTHEST = 1e60
"""Stress beyond which, or below whose inverse, squares are worked out at unit size [Pa]."""

NEVER = -1
"""Mode of a state that never fails: it has none."""


def mode_name(modes: tuple[str, ...], mode: int) -> str:
    """Label of a mode; "none" of a state that never fails."""
    return "none" if mode == NEVER else modes[mode]


def guarded(evaluate: Callable[..., Outcome]) -> Callable[..., Outcome]:
    """Give a criterion's `evaluate` sound ends.

    What is not a number has no reserve factor: NaN in, NaN out. Stresses so great or so small
    that their squares leave the range of numbers are worked out at unit size. A state that never
    fails has no mode.
    """

    @wraps(evaluate)
    def run(
        self: Any, strengths: Strengths, applied: Array, residual: Array | None = None
    ) -> Outcome:
        applied = np.asarray(applied, float)
        # Two passes without copies tell whether any state is out of the ordinary.
        peak = max(float(applied.max(initial=0.0)), -float(applied.min(initial=0.0)))
        ordinary = peak < FARTHEST and (residual is None or bool(np.isfinite(residual).all()))
        with np.errstate(over="ignore", invalid="ignore", divide="ignore", under="ignore"):
            outcome = evaluate(self, strengths, applied, residual)
            finite = np.isfinite(outcome.reserve)
            if not ordinary or _vanishing(applied, np.asarray(outcome.reserve), finite):
                outcome = _extreme(self, evaluate, strengths, (applied, residual, outcome))
                finite = np.isfinite(outcome.reserve)
        if bool(finite.all()):
            return outcome
        mode = np.where(finite, outcome.mode, NEVER).astype(np.int8)
        return Outcome(outcome.reserve, outcome.index, mode, outcome.angle)

    return run


def _vanishing(applied: Array, reserve: Array, finite: NDArray[np.bool_]) -> bool:
    """Whether some stress is so small that its square is lost."""
    if bool((reserve[finite] > FARTHEST).any()):
        return True
    idle = np.abs(applied[~finite])
    return bool(((idle > 0) & (idle < 1 / FARTHEST)).any())


def _extreme(
    rule: Any,
    evaluate: Callable[..., Outcome],
    strengths: Strengths,
    state: tuple[Array, Array | None, Outcome],
) -> Outcome:
    """Outcome with very great and very small stresses worked out at unit size, and NaN kept."""
    applied, residual, plain = state
    size = np.abs(applied).max(axis=-1, initial=0.0)
    far = (size > FARTHEST) | ((size > 0) & (size < 1 / FARTHEST)) | (plain.reserve > FARTHEST)
    unit = np.where(far & np.isfinite(size) & (size > 0), size, 1.0)
    outcome = evaluate(rule, strengths, applied / unit[..., None], residual)
    # An index past all numbers is past one.
    index = np.where(np.isnan(plain.index) & far, np.inf, plain.index)
    lost = np.isnan(size)
    if residual is not None:
        lost = lost | np.isnan(residual).any(axis=-1)
    reserve = np.where(lost, np.nan, outcome.reserve / unit)
    return replace(outcome, reserve=reserve, index=np.where(lost, np.nan, index))


def strengths_of(material: Material, criterion: Criterion) -> Strengths:
    """Strengths and parameters of a material for a criterion.

    Raises
    ------
    MaterialError
        Naming the material and the first field that is missing.
    CriterionError
        When a parameter is out of its range.
    """
    return _strengths(material, criterion, criterion.needs)


def _strengths(material: Material, criterion: Criterion, needs: Sequence[str]) -> Strengths:
    purpose = f"the {criterion.title} criterion"
    found: dict[str, float] = {}
    for name in needs:
        found[name] = value = _value(material, name, purpose)
        where = f"Material '{material.name}', {name}"
        if not np.isfinite(value):
            what = f"{name} is not a finite number."
            raise MaterialError(what, where, "Enter a number.").of(material.name)
        parameter = name in ("f12_star", "hashin_alpha", "nu12", "p_nl_t", "p_nl_c")
        if value <= 0 and not parameter:
            what = f"{name} ({FIELD_NAMES[name]}) must be greater than zero, it is {value:g}."
            mend = "Strengths are entered as positive numbers."
            raise MaterialError(what, where, mend).of(material.name)
        if name == "f12_star" and abs(value) >= 1:
            what = f"F12* = {value:g} (f12_star) leaves the Tsai–Wu surface open."
            raise CriterionError(what, where, "Keep F12* between -1 and 1; -0.5 is usual.")
        if name in ("hashin_alpha", "p_nl_t", "p_nl_c") and value < 0:
            what = f"{name} = {value:g} is negative."
            raise CriterionError(what, where, "Enter 0 or more.")
    return found


def lacking(material: Material, criterion: Criterion) -> tuple[str, ...]:
    """Fields that a criterion needs and a material has not, nor anything they follow from."""
    return tuple(
        f
        for f in criterion.needs
        if getattr(material, f) is None and derivation(material, f) is None
    )


def unjudged_modes(material: Material, criterion: Criterion) -> tuple[str, ...]:
    """Modes that a criterion cannot judge for want of data, where it can judge the others.

    Empty where nothing is lacking; all modes where the criterion cannot go on without.
    """
    missing = lacking(material, criterion)
    of_one: Mapping[str, tuple[str, ...]] = getattr(criterion, "needed_by", {})
    if any(f not in of_one for f in missing):
        return criterion.modes
    return tuple(dict.fromkeys(mode for f in missing for mode in of_one[f]))


def data_of(material: Material, criterion: Criterion) -> Strengths | None:
    """Strengths for a criterion, without those of modes that go unjudged; None if it cannot go on.

    Raises
    ------
    MaterialError, CriterionError
        As `strengths_of`, of the data that are there.
    """
    left_out = lacking(material, criterion)
    if not left_out:
        return strengths_of(material, criterion)
    if len(unjudged_modes(material, criterion)) == len(criterion.modes):
        return None
    return _strengths(material, criterion, [f for f in criterion.needs if f not in left_out])


def _value(material: Material, field: str, purpose: str) -> float:
    """A field's value; one that is empty is derived where that is legitimate."""
    if getattr(material, field) is None and derivation(material, field) is not None:
        return derived_value(material, field)
    return material.need(field, purpose)


DERIVED = {
    "eXt": ("Xt", "E1"),
    "eXc": ("Xc", "E1"),
    "eYt": ("Yt", "E2"),
    "eYc": ("Yc", "E2"),
    "eS12": ("S12", "G12"),
    "Xt": ("eXt", "E1"),
    "Xc": ("eXc", "E1"),
    "Yt": ("eYt", "E2"),
    "Yc": ("eYc", "E2"),
}
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

    Arrays of one shape go in and one of it comes out.

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
    """λ ≥ 0 for which ``residual + λ applied ≥ 0``, as closed intervals (empty: low > high).

    Arrays of one shape go in and two of it come out.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        zero = np.where(applied != 0, -residual / applied, 0.0)
    low = np.where(applied > 0, np.maximum(zero, 0.0), 0.0)
    high = np.where(applied < 0, zero, np.inf)
    never = (residual < 0) & (applied <= 0)
    return np.where(never, np.inf, low), np.where(never, -np.inf, high)


def intersect(one: tuple[Array, Array], other: tuple[Array, Array]) -> tuple[Array, Array]:
    """Common part of two intervals; all four bounds have one shape."""
    return np.maximum(one[0], other[0]), np.minimum(one[1], other[1])


def least_of(reserves: list[Array], indices: list[Array]) -> Outcome:
    """Join the modes of a criterion, arrays of one shape: the least reserve factor governs."""
    reserve, index = np.stack(reserves), np.stack(indices)
    by_index = index.argmax(axis=0)
    by_reserve = reserve.argmin(axis=0)
    least = reserve.min(axis=0)
    mode = np.where(np.isfinite(least), by_reserve, by_index)
    return Outcome(least, index.max(axis=0), mode.astype(np.int8))
