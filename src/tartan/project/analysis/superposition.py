"""Which columns are solved, and how cases and combinations are made of them.

Of every case what is held and what grows is solved apart, on the supports of its set; cases and
combinations are sums of these columns. Where nothing grows, all of it does: a factor on nothing
would say nothing.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import LoadError, Topic, concerning
from tartan.core.shell.model import ShellModel
from tartan.core.shell.solve import Problem, Reuse
from tartan.project.analysis.caseloads import Heat, case_forces, heat_forces, heat_of, movement
from tartan.project.analysis.inputs import Layout, PartInputs
from tartan.project.document.partmodel import Case

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Column:
    """The held or the growing loads of a case, by its number."""

    case: int
    held: bool


@dataclass(frozen=True, eq=False)
class Scheme:
    """How everything assessed is made of the columns.

    Attributes
    ----------
    columns : tuple of Column
        In the order in which they are solved: support set by support set.
    growing, held : ndarray, shape (k, columns)
        Factors of the columns in the growing and the held part of every case, combination and
        outside forces.
    all_grows : tuple of bool
        Cases in which nothing was left to grow, so that what was held grows too.
    """

    columns: tuple[Column, ...]
    growing: Array
    held: Array
    all_grows: tuple[bool, ...]

    @cached_property
    def rests(self) -> bool:
        """Whether anything is held in any case."""
        return bool(self.held.any())


def part_of(case: Case, *, held: bool) -> Case:
    """Return the case with its held loads alone, or the growing ones."""
    return replace(case, loads=tuple(x for x in case.loads if x.held == held))


def sets_used(inputs: PartInputs) -> list[str]:
    """Support sets that cases stand on, in the order in which they are solved."""
    return list(dict.fromkeys(c.supports for c in inputs.cases))


@lru_cache(maxsize=16)
def scheme_of(inputs: PartInputs) -> Scheme:
    """Columns of a part's cases, and what is made of them.

    Raises
    ------
    PartError
        When a combination adds cases that stand on different supports.
    """
    columns = [
        Column(i, held)
        for name in sets_used(inputs)
        for i, case in enumerate(inputs.cases)
        if case.supports == name
        for held in (False, True)
        if any(x.held == held for x in case.loads) or (not held and not case.loads)
    ]
    number = {c: n for n, c in enumerate(columns)}
    cases = {c.name: i for i, c in enumerate(inputs.cases)}
    rows: list[tuple[list[tuple[str, float]], tuple[str, ...]]]
    rows = [([(c.name, 1.0)], ()) for c in inputs.cases]
    rows += [(list(c.factors), c.held) for c in inputs.combinations]
    count = len(inputs.case_names)
    growing, held = np.zeros((2, count, len(columns)))
    all_grows = [False] * count
    for k, (factors, whole) in enumerate(rows):
        _same_supports(inputs, k, factors)
        for name, factor in factors:
            for stays in (False, True):
                at = number.get(Column(cases[name], stays))
                if at is not None:
                    (held if stays or name in whole else growing)[k, at] += factor
        if not growing[k].any() and held[k].any():
            growing[k], held[k], all_grows[k] = held[k], 0.0, True
    return Scheme(tuple(columns), growing, held, tuple(all_grows))


def _same_supports(inputs: PartInputs, k: int, factors: list[tuple[str, float]]) -> None:
    sets = {c.name: c.supports for c in inputs.cases}
    used = dict.fromkeys(sets[name] for name, factor in factors if factor)
    if len(used) > 1:
        names = " and ".join(f"'{n}'" if n else "the part's own" for n in used)
        raise LoadError(
            f"It adds cases that stand on different supports: {names}.",
            f"Case '{inputs.case_names[k]}'",
            "Combine cases of one set of supports.",
        )


def heats_in(inputs: PartInputs, case: int) -> tuple[Heat | None, Heat | None]:
    """Temperature that grows and temperature that is held in a case, by its number."""
    scheme = scheme_of(inputs)
    found = []
    for row in (scheme.growing[case], scheme.held[case]):
        total = Heat()
        for factor, column in zip(row, scheme.columns, strict=True):
            heat = heat_of(inputs.cases[column.case], held=column.held) if factor else None
            total = total if heat is None else total.plus(heat.times(float(factor)))
        found.append(total or None)
    return found[0], found[1]


def problems_of(
    inputs: PartInputs, layout: Layout, models: dict[str, ShellModel], reuse: dict[str, Reuse]
) -> list[Problem]:
    """Loads and movements of all columns, one problem a support set.

    Raises
    ------
    TartanError
        Loads that cannot be.
    """
    scheme = scheme_of(inputs)
    found = []
    for name in sets_used(inputs):
        model = models[name]
        forces, moves = [], []
        for column in scheme.columns:
            case = part_of(inputs.cases[column.case], held=column.held)
            if case.supports != name:
                continue
            with concerning(Topic.LOADS, case.name):
                total = case_forces(layout, case, inputs.tables)
                heat = heat_of(case)
                forces.append(total if heat is None else total + heat_forces(layout, model, heat))
                moves.append(movement(layout, model, case))
        given = None if model.constraints is None else np.array(moves)
        found.append(Problem(model, np.array(forces), given, reuse.setdefault(name, Reuse())))
    return found
