"""Long work as values: a frozen request, progress, and a frozen response.

A job is a generator that yields `Progress` and returns its response; it runs in the worker
process, or at once where there is none (command line, tests).
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Generator
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import Load as LaminateLoad
from tartan.core.shell import eigen
from tartan.core.shell.margins import Margins, hot_spots
from tartan.core.shell.recovery import combined, section_forces
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
from tartan.project.envelope import factors_of, heat_in, margins_of
from tartan.project.outside import outside_strains
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

SOLUTIONS = 3
"""Solutions remembered: the version at work, and those it is compared with."""

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
        found = _layouts.get(self)
        if found is None:
            # Remembered by the answer: hashing all its inputs takes a while.
            found = _layouts[self] = layout_of(self.inputs)
        return found

    def heat(self, case: int) -> LaminateLoad | None:
        """Temperature of a case or combination, by its number."""
        return heat_in(self.inputs, case)


@dataclass
class Kept:
    """A solution with its buckling shapes and natural modes."""

    solution: Solution
    shapes: dict[str, Shapes] = field(default_factory=dict)


@dataclass
class Memory:
    """What the worker keeps between jobs: the last solutions, and what was derived from them."""

    reuse: Reuse = field(default_factory=Reuse)
    kept: OrderedDict[PartInputs, Kept] = field(default_factory=OrderedDict)
    on_disk: bool = False

    def keep(self, elastic: PartInputs, solution: Solution) -> None:
        """Remember a solution in place of the one used longest ago."""
        self.kept[elastic] = Kept(solution)
        while len(self.kept) > SOLUTIONS:
            self.kept.popitem(last=False)

    def find(self, elastic: PartInputs) -> Kept | None:
        """Solution of equal inputs, if it is still there."""
        found = self.kept.get(elastic)
        if found is not None:
            self.kept.move_to_end(elastic)
        return found


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
    if not inputs.cases:
        yield Progress("assessing margins", 0.3)
        return _assessed(inputs, layout, _nothing(layout, len(inputs.case_names)), started)
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
    answer = _assessed(inputs, layout, shown, started, resting)
    return replace(answer, resolved=resolved, buckling=tuple(s for s in shapes if s.case),
                   modes=next((s for s in shapes if not s.case), None))  # fmt: skip


def _assessed(inputs: PartInputs, layout: Layout, shown: Solution, started: float,
              resting: Array | None = None) -> PartAnswer:  # fmt: skip
    """Answer with the margins of all that was solved or read."""
    if inputs.outside:
        strains = shown.strains.copy()
        for k, each in enumerate(inputs.outside, start=len(inputs.solved_names)):
            strains[k] = outside_strains(layout, each).strains
        shown = replace(shown, strains=strains)
    kept = np.zeros(0) if resting is None else resting
    margins = margins_of(inputs, layout, shown.strains, kept)
    spots = tuple(hot_spots(layout.mesh, margins))
    return PartAnswer(inputs, shown, kept, margins, spots, False, time.perf_counter() - started)


def _nothing(layout: Layout, count: int) -> Solution:
    """Solution of no case of our own, with room for what is read."""
    mesh = layout.mesh
    return Solution(
        np.zeros((count, len(mesh.nodes), 6)),
        np.zeros((count, mesh.count, 4, 8)),
        np.zeros((count, 6)),
        np.zeros((count, 6)),
        np.zeros(count),
        0.0,
        0,
    )


_layouts: WeakKeyDictionary[PartAnswer, Layout] = WeakKeyDictionary()


def _columns(solution: Solution, which: slice) -> Solution:
    return replace(solution, displacement=solution.displacement[which],
                   strains=solution.strains[which], applied=solution.applied[which],
                   reaction=solution.reaction[which], energy=solution.energy[which])  # fmt: skip


def _solution(inputs: PartInputs, layout: Layout, model: ShellModel, memory: Memory, end: float
              ) -> Generator[Progress, None, tuple[Solution, bool]]:  # fmt: skip
    """Columns solved: the cases without their temperatures, then the temperatures alone."""
    elastic = inputs.elastic()
    if (known := memory.find(elastic)) is not None:
        return known.solution, False
    if memory.on_disk:
        yield Progress("looking for an earlier answer", 0.03)
        found = results.fetch(inputs)
        if found is not None:
            memory.keep(elastic, found)
            return found, False
    yield Progress("placing loads", 0.04)
    forces = [case_forces(layout, c, inputs.tables) for c in inputs.cases]
    forces += [heat_forces(model, h) for c in inputs.cases if (h := heat_of(c)) is not None]
    steps = solution_steps(model, np.array(forces), memory.reuse)
    found = yield from _told(steps, 0.05, end)
    memory.keep(elastic, found)
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
    shapes = memory.kept[inputs.elastic()].shapes
    K: Any = None
    for number, name in enumerate(names):
        key = name and repr(factors_of(inputs)[inputs.case_names.index(name)].tolist())
        if key not in shapes:
            low = start + (0.78 - start) * number / len(names)
            high = start + (0.78 - start) * (number + 1) / len(names)
            yield Progress("assembling", low)
            K = stiffness_matrix(model) if K is None else K
            shapes[key] = yield from _shapes(inputs, model, shown, (name, K), (low, high))
        found.append(replace(shapes[key], case=name))
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


def solve_now(inputs: PartInputs) -> PartAnswer:
    """Run the job to its end in this process."""
    job = run_solve(SolveRequest(0, inputs), Memory())
    while True:
        try:
            next(job)
        except StopIteration as end:
            answer: PartAnswer = end.value
            return answer
