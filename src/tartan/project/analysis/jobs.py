"""Long work as values: a frozen request, progress, and a frozen response.

A job is a generator that yields `Progress` and returns its response; it runs in the worker
process, or at once where there is none (command line, tests).
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Generator
from dataclasses import dataclass, field, replace
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import Load as LaminateLoad
from tartan.core.shell.margins import Margins, hot_spots
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.model import ShellModel
from tartan.core.shell.recovery import combined
from tartan.core.shell.solve import Reuse, Solution, solve_steps
from tartan.project.analysis import results
from tartan.project.analysis.buckling_and_modes import (
    Kept,
    Progress,
    Shapes,
    State,
    asked_steps,
    told,
)
from tartan.project.analysis.case_margins import margins_of
from tartan.project.analysis.caseloads import Heat, heats_on
from tartan.project.analysis.inputs import Layout, PartInputs, layout_of
from tartan.project.analysis.meshes import MESHES, mesh_key
from tartan.project.analysis.section_forces import outside_strains
from tartan.project.analysis.shellinputs import shell_model
from tartan.project.analysis.superposition import heats_in, problems_of, scheme_of

__all__ = [
    "Kept",
    "Memory",
    "PartAnswer",
    "Progress",
    "Shapes",
    "SolveRequest",
    "run_solve",
    "solve_now",
]

Array = NDArray[np.float64]

SOLUTIONS = 3
"""Solutions remembered: the version at work, and those it is compared with."""


@dataclass(frozen=True)
class SolveRequest:
    """Solve a part and assess its margins.

    Attributes
    ----------
    number : int
        Which its news carry.
    inputs : PartInputs
        Of the part.
    mesh : Mesh or None
        Its mesh as it comes, where that is known, so that it is not made again.
    """

    number: int
    inputs: PartInputs
    mesh: Mesh | None = None


@dataclass(frozen=True, eq=False)
class Solved:
    """What follows from the elastic inputs: it stands whatever strengths and criteria are.

    Attributes
    ----------
    solution : Solution
        Displacements and section strains of the cases, then of the combinations.
    resting : ndarray, shape (k, m, p, 8) or (0,)
        Share of the strains that what is held causes; empty where no case holds anything.
    buckling : tuple of Shapes
        Of the cases whose buckling was asked for.
    modes : tuple of Shapes
        Natural modes that were asked for, each of the part under a case's loads, or unloaded.
    """

    solution: Solution
    resting: Array
    buckling: tuple[Shapes, ...] = ()
    modes: tuple[Shapes, ...] = ()


@dataclass(frozen=True, eq=False)
class Assessment:
    """How the solved part is judged by strengths, criteria and what is left out.

    Attributes
    ----------
    margins : Margins
        Governing reserve factor of every element.
    spots : tuple of int
        Worst elements, one a neighbourhood, worst first.
    """

    margins: Margins
    spots: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class PartAnswer:
    """Solution and assessment of a part; what they hold can be asked of it directly.

    Attributes
    ----------
    inputs : PartInputs
        What it answers.
    solved : Solved
        What follows from the elastic inputs.
    assessment : Assessment
        How that is judged.
    resolved : bool
        Whether the equations were solved, or only the assessment derived anew.
    seconds : float
        Time it took.
    note : str
        What is to be said of how it was come by; empty as a rule.
    """

    inputs: PartInputs
    solved: Solved
    assessment: Assessment
    resolved: bool
    seconds: float
    note: str = ""

    @property
    def solution(self) -> Solution:
        """Displacements and section strains."""
        return self.solved.solution

    @property
    def resting(self) -> Array:
        """Share of the strains that what is held causes."""
        return self.solved.resting

    @property
    def buckling(self) -> tuple[Shapes, ...]:
        """Buckling that was asked for."""
        return self.solved.buckling

    @property
    def modes(self) -> tuple[Shapes, ...]:
        """Natural modes that were asked for."""
        return self.solved.modes

    @property
    def margins(self) -> Margins:
        """Governing reserve factor of every element."""
        return self.assessment.margins

    @property
    def spots(self) -> tuple[int, ...]:
        """Worst elements, worst first."""
        return self.assessment.spots

    def layout(self) -> Layout:
        """Mesh, plies and zones it belongs to."""
        found = _layouts.get(self)
        if found is None:
            # Remembered by the answer: hashing all its inputs takes a while.
            found = _layouts[self] = layout_of(self.inputs)
        return found

    def heat(self, case: int, element: int | None = None) -> LaminateLoad | None:
        """Temperature of a case or combination, as an element's laminate sees it."""
        both = self._heat(case)
        return both.on(self.sign(element)) if both else None

    def heats(self, case: int) -> tuple[LaminateLoad, ...]:
        """The same as every one of the layout's sided zones sees it; empty where there is none."""
        both = self._heat(case)
        return heats_on(self.layout(), both) if both else ()

    def _heat(self, case: int) -> Heat:
        grows, stays = heats_in(self.inputs, case)
        return (grows or Heat()).plus(stays or Heat())

    def sign(self, element: int | None = None) -> float:
        """1 where an element's laying side is the surface's front, −1 where it was turned."""
        return float(self.layout().signs[element or 0])


@dataclass
class Memory:
    """What the worker keeps between jobs: the last solutions, and what was derived from them."""

    reuse: dict[str, Reuse] = field(default_factory=dict)
    kept: OrderedDict[PartInputs, Kept] = field(default_factory=OrderedDict)
    on_disk: bool = False
    factored: PartInputs | None = None
    """Elastic inputs whose factors `reuse` holds."""
    told: str = ""

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


def run_solve(request: SolveRequest, memory: Memory) -> Generator[Progress, None, PartAnswer]:
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
    if request.mesh is not None:
        MESHES.keep(mesh_key(inputs.part), request.mesh)
    layout = layout_of(inputs)
    if not inputs.cases:
        yield Progress("assessing margins", 0.3)
        nothing = _nothing(layout, len(inputs.case_names))
        solved = Solved(_with_outside(inputs, layout, nothing), np.zeros(0))
        assessment = assess(inputs, layout, solved)
        return PartAnswer(inputs, solved, assessment, False, time.perf_counter() - started)
    yield Progress("placing supports", 0.02)
    models = _Models(inputs)
    asked = len(inputs.buckling) + len(inputs.modes)
    end = 0.75 if not asked else 0.45
    columns, resolved = yield from _solution(inputs, layout, models, memory, end)
    kept = memory.kept[inputs.elastic()]
    shown, resting = _superposed(inputs, layout, columns, kept)
    state = State(inputs, layout, shown.strains, resting)
    buckling, modes = yield from asked_steps(state, models, kept, end)
    yield Progress("assessing margins", 0.8)
    solved = Solved(shown, resting, buckling, modes)
    assessment = assess(inputs, layout, solved)
    told, memory.told = memory.told, ""
    seconds = time.perf_counter() - started
    return PartAnswer(inputs, solved, assessment, resolved, seconds, told)


class _Models(dict[str, ShellModel]):
    """Models of a part by their support sets, built when they are needed.

    A part that is only judged anew needs none.
    """

    def __init__(self, inputs: PartInputs) -> None:
        super().__init__()
        self._inputs = inputs

    def __missing__(self, name: str) -> ShellModel:
        made = self[name] = shell_model(self._inputs, name)
        return made


def _superposed(
    inputs: PartInputs, layout: Layout, columns: Solution, kept: Kept
) -> tuple[Solution, Array]:
    """All cases and combinations of the columns, and the share of their strains that is held.

    They are remembered with the solution: what is judged anew is the very same.
    """
    scheme = scheme_of(inputs)
    key = (scheme.growing.tobytes(), scheme.held.tobytes(), inputs.outside)
    if kept.shown is None or kept.shown[0] != key:
        shown, resting = combined(columns, scheme.growing + scheme.held), np.zeros(0)
        if scheme.rests:
            resting = np.tensordot(scheme.held, columns.strains, axes=1)
        kept.shown = (key, _with_outside(inputs, layout, shown), resting)
    return kept.shown[1], kept.shown[2]


def _with_outside(inputs: PartInputs, layout: Layout, shown: Solution) -> Solution:
    if not inputs.outside:
        return shown
    strains = shown.strains.copy()
    for k, each in enumerate(inputs.outside, start=len(inputs.solved_names)):
        strains[k] = outside_strains(layout, each).strains
    return replace(shown, strains=strains)


def assess(inputs: PartInputs, layout: Layout, solved: Solved) -> Assessment:
    """Judge a solved part; no model of it is built.

    Raises
    ------
    TartanError
        When a criterion lacks data.
    """
    margins = margins_of(inputs, layout, solved.solution.strains, solved.resting)
    return Assessment(margins, tuple(hot_spots(layout.mesh, margins)))


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


def _solution(
    inputs: PartInputs, layout: Layout, models: dict[str, ShellModel], memory: Memory, end: float
) -> Generator[Progress, None, tuple[Solution, bool]]:
    """Columns solved: what grows and what is held of every case, set by set of supports."""
    elastic = inputs.elastic()
    if (known := memory.find(elastic)) is not None:
        return known.solution, False
    if memory.on_disk:
        yield Progress("looking for an earlier answer", 0.03)
        try:
            found = results.fetch_checked(inputs, len(layout.mesh.nodes), layout.mesh.count)
        except results.UnfitError as error:
            memory.told = f"A kept result was not taken, {error}: the part was solved anew."
            found = None
        if found is not None:
            memory.keep(elastic, found)
            return found, False
    yield Progress("placing loads", 0.04)
    problems = problems_of(inputs, layout, models, memory.reuse)
    memory.factored = None
    found = yield from told(solve_steps(problems), 0.05, end)
    memory.factored = elastic
    memory.keep(elastic, found)
    if memory.on_disk:
        results.keep(inputs, found)
    return found, True


def solve_now(inputs: PartInputs) -> PartAnswer:
    """Run the job to its end in this process."""
    job = run_solve(SolveRequest(0, inputs), Memory())
    while True:
        try:
            next(job)
        except StopIteration as end:
            answer: PartAnswer = end.value
            return answer
