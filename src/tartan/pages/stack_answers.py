"""Answers of the Stacks station, each remembered while what it came from stays. No Qt.

A stack's answers depend on its plies, the materials in force, a load case and a set of criteria;
all of them are frozen records, so equal questions have one answer.
"""

from __future__ import annotations

from collections.abc import Generator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.errors import TartanError
from tartan.core.laminate import Laminate
from tartan.core.laminate.loadcase import Answer, LoadCase, answer, parts
from tartan.core.laminate.response import Load
from tartan.core.strength.critical import CriticalLoad, critical_by_sets
from tartan.core.strength.envelope import Envelope, envelope_steps
from tartan.core.strength.laminate_reserves import Beside, Governing, Reserves
from tartan.core.strength.under import reserves_under
from tartan.core.working import Working
from tartan.core.working_sandwich import sandwich_working
from tartan.core.working_strength import reserve_working, shear_reserve_working
from tartan.pages.shown import Column
from tartan.project.document.model import CriteriaSet
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

Array = NDArray[np.float64]


@lru_cache(maxsize=64)
def answer_of(laminate: Laminate, loads: LoadCase) -> Answer:
    """Response of a laminate to a load case, remembered."""
    return answer(laminate, loads)


@lru_cache(maxsize=64)
def reserves_of(laminate: Laminate, loads: LoadCase, criteria: CriteriaSet) -> Reserves:
    """Reserve factors of every ply and level, remembered."""
    return reserves_under(laminate, loads, criteria.sets, answer_of(laminate, loads))


@lru_cache(maxsize=64)
def critical_of(
    laminate: Laminate, criteria: CriteriaSet, fixed: LoadCase | None
) -> tuple[CriticalLoad, ...]:
    """Twelve critical loads, remembered; `fixed` brings temperature and moisture."""
    held = fixed.residual if fixed is not None else Load()
    return tuple(critical_by_sets(laminate, criteria.sets, held))


_envelopes: dict[tuple[object, ...], Envelope] = {}


def envelope_of(
    laminate: Laminate, criteria: CriteriaSet, components: tuple[str, str], fixed: LoadCase
) -> Generator[float, None, Envelope]:
    """Envelope in two components in pieces, remembered."""
    held = fixed.residual
    key = (laminate, criteria, components, held.dT, held.dT_gradient, held.dC)
    if key not in _envelopes:
        found = yield from envelope_steps(laminate, criteria.sets, components, held)
        if len(_envelopes) > 60:
            _envelopes.clear()
        _envelopes[key] = found
    return _envelopes[key]


@dataclass(frozen=True)
class Worst:
    """What governs a stack over its load cases."""

    found: Governing
    loads: LoadCase


def worst_of(
    laminate: Laminate, load_cases: Sequence[LoadCase], criteria: CriteriaSet
) -> Worst | None:
    """Governing reserve factor over load cases; None when there are none."""
    each = [Worst(reserves_of(laminate, s, criteria).governing(), s) for s in load_cases]
    return min(each, key=lambda w: w.found.reserve, default=None)


@dataclass(frozen=True)
class ColumnKind:
    """A column that can be switched on."""

    key: str
    title: str
    quantity: Quantity
    group: str


COLUMN_KINDS: tuple[ColumnKind, ...] = (
    *(
        ColumnKind(f"strain_12.{i}", f"strain {s}", units.STRAIN, "ply axes")
        for i, s in enumerate(("ε₁", "ε₂", "γ₁₂"))
    ),
    *(
        ColumnKind(f"stress_12.{i}", f"stress {s}", units.STRESS, "ply axes")
        for i, s in enumerate(("σ₁", "σ₂", "τ₁₂"))
    ),
    *(
        ColumnKind(f"strain_xy.{i}", f"strain {s}", units.STRAIN, "laminate axes")
        for i, s in enumerate(("εx", "εy", "γxy"))
    ),
    *(
        ColumnKind(f"stress_xy.{i}", f"stress {s}", units.STRESS, "laminate axes")
        for i, s in enumerate(("σx", "σy", "τxy"))
    ),
    *(
        ColumnKind(f"shear.{i}", f"shear {s}", units.STRESS, "between plies")
        for i, s in enumerate(("τ₁₃", "τ₂₃"))
    ),
)
"""Columns of strains and stresses; those of reserve factors follow the criteria."""

DEFAULT_COLUMNS = ("strain_12.0", "stress_12.0", "stress_12.1", "reserve")


def criterion_columns(criteria: CriteriaSet) -> list[tuple[str, str]]:
    """Keys and titles of the reserve factor columns: the worst, then each criterion."""
    keys = dict.fromkeys(k for _, rules in criteria.rules for k in rules)
    return [("reserve", "worst"), *((f"reserve.{k}", criterion(k).title) for k in keys)]


def column_names(criteria: CriteriaSet) -> list[tuple[str, str]]:
    """Keys and full titles of all columns, strains and stresses first."""
    found = [(k.key, f"{k.title}, {k.group}") for k in COLUMN_KINDS]
    return found + [(key, f"reserve factor, {t}") for key, t in criterion_columns(criteria)]


@dataclass(frozen=True, eq=False)
class Question:
    """A laminate under a load case, judged by criteria, and the least reserve factor asked for."""

    laminate: Laminate
    loads: LoadCase
    criteria: CriteriaSet
    need: float


def columns(asked: Question, keys: Sequence[str], before: Laminate | None) -> list[Column]:
    """Columns that are switched on, in the order of the list.

    Parameters
    ----------
    asked : Question
        The laminate and its load.
    keys : sequence of str
        Columns switched on.
    before : Laminate, optional
        The baseline's; it is compared where it has as many plies.
    """
    comparable = before is not None and before.count == asked.laminate.count
    made = []
    for kind in COLUMN_KINDS:
        if kind.key in keys:
            values = _profile(asked.laminate, asked.loads, kind.key) / kind.quantity.scale
            then = None
            if comparable and before is not None:
                then = _profile(before, asked.loads, kind.key) / kind.quantity.scale
            made.append(Column(kind.title, kind.quantity.unit, values, before=then, key=kind.key))
    for key, title in criterion_columns(asked.criteria):
        if key in keys:
            made.append(_bars(asked, key, title, before if comparable else None))
    return made


def _profile(laminate: Laminate, loads: LoadCase, key: str) -> Array:
    found = answer_of(laminate, loads)
    name, index = key.split(".")
    if name == "shear":
        values = found.shear if found.held_shear is None else found.shear + found.held_shear
    elif name == "strain_xy":
        strain = np.concatenate([found.total.eps0, found.total.kappa])
        values = strain[:3] + found.total.z[..., None] * strain[3:]
    else:
        values = getattr(found.total, name)
    # Rounding leaves traces where a component is zero; they would be drawn as large as the rest.
    size = np.abs(values).max(initial=0.0)
    if name == "shear":
        # Held against all stresses: without a transverse force there is nothing but traces.
        size = max(size, np.abs(found.total.stress_12).max(initial=0.0))
    trace = 1e-9 * float(size)
    profile: Array = np.where(np.abs(values) < trace, 0.0, values)[..., int(index)]
    return profile


def _bars(asked: Question, key: str, title: str, before: Laminate | None) -> Column:
    values = _least(asked, asked.laminate, key)
    then = None if before is None else _least(asked, before, key)
    words = "worst level" if key == "reserve" else title
    return Column("reserve factor", words, values, asked.need, then, key)


def _least(asked: Question, laminate: Laminate, key: str) -> Array:
    found = reserves_of(laminate, asked.loads, asked.criteria)
    if key == "reserve":
        least: Array = found.reserve[0].min(axis=1)
    else:
        least = found.of_rule(key.partition(".")[2])[0].min(axis=1)
    return least


def try_answers(
    asked: Question, keys: Sequence[str], before: Laminate | None
) -> tuple[list[Column], TartanError | None]:
    """Columns, or those that need no strength and the reason why the others are missing."""
    try:
        return columns(asked, keys, before), None
    except TartanError as error:
        plain = [k for k in keys if not k.startswith(("reserve", "shear"))]
        try:
            return columns(asked, plain, before), error
        except TartanError as other:
            return [], other


def reserve_of_ply(asked: Question, ply: int, key: str) -> Working:
    """Working of the least reserve factor of a ply, by one criterion or the worst."""
    found = reserves_of(asked.laminate, asked.loads, asked.criteria)
    values = found.reserve if key == "reserve" else found.of_rule(key.partition(".")[2])
    level = int(values[0, ply].argmin())
    rule = found.checks[int(found.check[0, ply, level])].rule
    name = rule.key if key == "reserve" else key.partition(".")[2]
    judged = next(c.rule for c in found.checks if c.rule.key == name)
    if judged.stress == "transverse":
        return shear_reserve_working(
            asked.laminate,
            asked.loads.shearing,
            name,
            ply,
            level,
            asked.loads.held_shearing,
        )
    applied, held = parts(asked.laminate, asked.loads)
    if judged.stress == "sandwich":
        return sandwich_working(
            asked.laminate, applied, name, ply, level, held, Beside.of(asked.loads)
        )
    return reserve_working(asked.laminate, applied, name, ply, level, held)
