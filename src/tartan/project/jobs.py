"""Long work as values: a frozen request, progress, and a frozen response.

A job is a generator that yields `Progress` and returns its response; it runs in the worker
process, or at once where there is none (command line, tests).
"""

from __future__ import annotations

import time
from collections.abc import Generator
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import Load as LaminateLoad
from tartan.core.shell import eigen
from tartan.core.shell.margins import Margins, hot_spots
from tartan.core.shell.recovery import assess_zones, combined, section_forces
from tartan.core.shell.solve import (
    Reuse,
    ShellModel,
    Solution,
    geometric_matrix,
    mass_matrix,
    solution_steps,
    stiffness_matrix,
    unknowns_of,
)
from tartan.project import results
from tartan.project.shellinputs import (
    Layout,
    PartInputs,
    case_forces,
    heat_forces,
    heat_of,
    layout_of,
    shell_model,
)

Array = NDArray[np.float64]
Found = TypeVar("Found")

MODES = 6
"""Natural modes worked out."""

FACTORS = 4
"""Buckling factors worked out."""


@dataclass(frozen=True)
class Progress:
    """What is being done, the share of the whole that is behind, and the seconds left if known."""

    doing: str
    share: float
    left: float | None = None


@dataclass(frozen=True)
class SolveRequest:
    """Solve a part and assess its margins."""

    number: int
    inputs: PartInputs


@dataclass(frozen=True, eq=False)
class Shapes:
    """Natural modes, or buckling shapes of a case.

    Attributes
    ----------
    case : str
        The case that buckles; empty for natural modes.
    values : ndarray, shape (q,)
        Frequencies [Hz] or load factors [1].
    shapes : ndarray, shape (q, n, 3)
        Displacements, the largest of each 1.
    complete : bool
        Whether a count of pivots agrees that none was missed.
    """

    case: str
    values: Array
    shapes: Array
    complete: bool


@dataclass(frozen=True, eq=False)
class PartAnswer:
    """Solution and margins of a part.

    Attributes
    ----------
    inputs : PartInputs
        What it answers.
    solution : Solution
        Displacements and section strains of the cases, then of the combinations.
    resting : ndarray, shape (k, m, p, 8) or (0,)
        Share of the strains that a temperature causes; empty where no case has one.
    margins : Margins
        Governing reserve factor of every element.
    spots : tuple of int
        Worst elements, one a neighbourhood, worst first.
    resolved : bool
        Whether the equations were solved, or only the margins derived anew.
    seconds : float
        Time it took.
    buckling : tuple of Shapes
        Of the cases whose buckling was asked for.
    modes : Shapes or None
        Natural modes, when asked for.
    """

    inputs: PartInputs
    solution: Solution
    resting: Array
    margins: Margins
    spots: tuple[int, ...]
    resolved: bool
    seconds: float
    buckling: tuple[Shapes, ...] = ()
    modes: Shapes | None = None

    def layout(self) -> Layout:
        """Mesh, plies and zones it belongs to."""
        return layout_of(self.inputs)

    def heat(self, case: int) -> LaminateLoad | None:
        """Temperature of a case or combination, by its number."""
        return _heat(self.inputs, case)


def factors_of(inputs: PartInputs) -> Array:
    """Factor of every case in every case and combination, shape (k, cases)."""
    names = [c.name for c in inputs.cases]
    rows = [np.eye(len(names))]
    for each in inputs.combinations:
        row = np.zeros((1, len(names)))
        for name, factor in each.factors:
            row[0, names.index(name)] += factor
        rows.append(row)
    return np.concatenate(rows)


def _heat(inputs: PartInputs, case: int) -> LaminateLoad | None:
    parts = [(f, h) for f, c in zip(factors_of(inputs)[case], inputs.cases, strict=True)
             if f and (h := heat_of(c)) is not None]  # fmt: skip
    if not parts:
        return None
    return LaminateLoad(dT=sum(f * h.dT for f, h in parts),
                        dT_gradient=sum(f * h.dT_gradient for f, h in parts))  # fmt: skip


@dataclass
class Memory:
    """What the worker keeps between jobs: the last solution, and what was derived from it."""

    reuse: Reuse = field(default_factory=Reuse)
    inputs: PartInputs | None = None
    solution: Solution | None = None
    shapes: dict[str, Shapes] = field(default_factory=dict)
    on_disk: bool = False


def run_solve(request: SolveRequest, memory: Memory
              ) -> Generator[Progress, None, PartAnswer]:  # fmt: skip
    """Solve, unless the last solution still stands, and assess.

    Parameters
    ----------
    request : SolveRequest
        The job.
    memory : Memory
        Kept between jobs and updated.

    Raises
    ------
    TartanError
        When the model cannot be solved or a strength is missing.
    """
    started = time.perf_counter()
    inputs = request.inputs
    yield Progress("meshing", 0.0)
    layout = layout_of(inputs)
    yield Progress("placing supports", 0.02)
    model = shell_model(inputs)
    asked = len(inputs.buckling) + inputs.modes
    end = 0.75 if not asked else 0.45
    columns, resolved = yield from _solution(inputs, layout, model, memory, end)
    cases = len(inputs.cases)
    factors = factors_of(inputs)
    applied = _columns(columns, slice(0, cases))
    heated = [k for k, c in enumerate(inputs.cases) if heat_of(c) is not None]
    shown, resting = combined(applied, factors), np.zeros(0)
    if heated:
        warm = _columns(columns, slice(cases, None))
        kept = combined(warm, factors[:, heated])
        resting = kept.strains
        shown = replace(shown, displacement=shown.displacement + kept.displacement,
                        strains=shown.strains + kept.strains)  # fmt: skip
    shown = replace(shown, imbalance=columns.imbalance, unknowns=columns.unknowns)
    shapes = yield from _asked(inputs, model, shown, memory, end)
    yield Progress("assessing margins", 0.8)
    margins = _margins(inputs, layout, shown.strains, resting)
    spots = tuple(hot_spots(layout.mesh, margins))
    return PartAnswer(inputs, shown, resting, margins, spots, resolved,
                      time.perf_counter() - started,
                      tuple(s for s in shapes if s.case),
                      next((s for s in shapes if not s.case), None))  # fmt: skip


def _columns(solution: Solution, which: slice) -> Solution:
    return replace(solution, displacement=solution.displacement[which],
                   strains=solution.strains[which], applied=solution.applied[which],
                   reaction=solution.reaction[which], energy=solution.energy[which])  # fmt: skip


def _solution(inputs: PartInputs, layout: Layout, model: ShellModel, memory: Memory, end: float
              ) -> Generator[Progress, None, tuple[Solution, bool]]:  # fmt: skip
    """Columns solved: the cases without their temperatures, then the temperatures alone."""
    elastic = inputs.elastic()
    if memory.inputs == elastic and memory.solution is not None:
        return memory.solution, False
    memory.shapes.clear()
    if memory.on_disk:
        yield Progress("looking for an earlier answer", 0.03)
        found = results.fetch(inputs)
        if found is not None:
            memory.inputs, memory.solution = elastic, found
            return found, False
    yield Progress("placing loads", 0.04)
    forces = [case_forces(layout, c, inputs.tables) for c in inputs.cases]
    forces += [heat_forces(model, h) for c in inputs.cases if (h := heat_of(c)) is not None]
    steps = solution_steps(model, np.array(forces), memory.reuse)
    found = yield from _told(steps, 0.05, end)
    memory.inputs, memory.solution = elastic, found
    if memory.on_disk:
        results.keep(inputs, found)
    return found, True


def _told(steps: Generator[tuple[str, float], None, Found], start: float, end: float
          ) -> Generator[Progress, None, Found]:  # fmt: skip
    """Steps of the core as progress between two shares of the whole."""
    while True:
        try:
            doing, share = next(steps)
        except StopIteration as stop:
            found: Found = stop.value
            return found
        yield Progress(doing, start + (end - start) * share)


def _asked(inputs: PartInputs, model: ShellModel, shown: Solution, memory: Memory, start: float
           ) -> Generator[Progress, None, list[Shapes]]:  # fmt: skip
    """Buckling and modes that were asked for, kept while the solution stands."""
    names = [*inputs.buckling, *([""] if inputs.modes else [])]
    found: list[Shapes] = []
    K: Any = None
    for number, name in enumerate(names):
        key = name and repr(factors_of(inputs)[inputs.case_names.index(name)].tolist())
        if key not in memory.shapes:
            low = start + (0.78 - start) * number / len(names)
            high = start + (0.78 - start) * (number + 1) / len(names)
            yield Progress("assembling", low)
            K = stiffness_matrix(model) if K is None else K
            memory.shapes[key] = yield from _shapes(inputs, model, shown, (name, K), (low, high))
        found.append(replace(memory.shapes[key], case=name))
    return found


def _shapes(inputs: PartInputs, model: ShellModel, shown: Solution, what: tuple[str, Any],
            span: tuple[float, float]) -> Generator[Progress, None, Shapes]:  # fmt: skip
    name, K = what
    if name:
        case = inputs.case_names.index(name)
        forces = section_forces(model, shown.strains[case : case + 1])[0, ..., :6]
        steps = eigen.buckling(K, geometric_matrix(model, forces), FACTORS)
    else:
        steps = eigen.modes(K, mass_matrix(model), MODES)
    found = yield from _told(steps, *span)
    values = found.values if name else found.frequencies
    moved = unknowns_of(model, found.shapes)[..., :3]
    peak = np.linalg.norm(moved, axis=2).max(axis=1)
    moved = moved / np.where(peak > 0, peak, 1.0)[:, None, None]
    return Shapes(name, values, moved, found.complete)


def _margins(inputs: PartInputs, layout: Layout, strains: Array, resting: Array) -> Margins:
    """Least over cases: those without temperature at once, each of the others by itself."""
    sets = inputs.criteria.sets
    heats = [_heat(inputs, k) for k in range(len(strains))]
    plain = [k for k, h in enumerate(heats) if h is None]
    found: Margins | None = None
    if plain:
        found = _of_cases(assess_zones(layout.zones, strains[plain], sets), plain)
    factors = factors_of(inputs)
    for k, heat in enumerate(heats):
        if heat is None:
            continue
        pulled = any(f and any(x.kind != "temperature" for x in c.loads)
                     for f, c in zip(factors[k], inputs.cases, strict=True))  # fmt: skip
        if pulled:
            own = assess_zones(layout.zones, strains[k : k + 1] - resting[k : k + 1], sets,
                               residual=resting[k], temperature=heat)  # fmt: skip
        else:
            # Nothing but a temperature: it is what is scaled.
            own = assess_zones(layout.zones, strains[k : k + 1], sets, scaled=heat)
        found = _lesser(found, _of_cases(own, [k]))
    assert found is not None
    return found


def _of_cases(margins: Margins, cases: list[int]) -> Margins:
    return replace(margins, case=np.array(cases)[margins.case])


def _lesser(one: Margins | None, other: Margins) -> Margins:
    """Margins of whichever is less, element by element."""
    if one is None:
        return other
    keys = tuple(dict.fromkeys((*one.checks, *other.checks)))
    less = other.reserve < one.reserve
    changed: dict[str, Any] = {
        name: np.where(less, getattr(other, name), getattr(one, name))
        for name in ("reserve", "case", "ply", "spot", "point", "mode")
    }
    first, second = (np.array([keys.index(k) for k in m.checks])[m.check] for m in (one, other))
    return replace(one, **changed, check=np.where(less, second, first), checks=keys)


def solve_now(inputs: PartInputs) -> PartAnswer:
    """Run the job to its end in this process."""
    job = run_solve(SolveRequest(0, inputs), Memory())
    while True:
        try:
            next(job)
        except StopIteration as end:
            answer: PartAnswer = end.value
            return answer
