"""Long work as values: a frozen request, progress, and a frozen response.

A job is a generator that yields `Progress` and returns its response; it runs in the worker
process, or at once where there is none (command line, tests).
"""

from __future__ import annotations

import time
from collections.abc import Generator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.margins import Margins, assess, hot_spots
from tartan.core.shell.solve import Reuse, Solution, solution_steps
from tartan.project import results
from tartan.project.shellinputs import PartInputs, case_forces, shell_model

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Progress:
    """What is being done, and the share of the whole that is behind."""

    doing: str
    share: float


@dataclass(frozen=True)
class SolveRequest:
    """Solve a part and assess its margins."""

    number: int
    inputs: PartInputs


@dataclass(frozen=True, eq=False)
class PartAnswer:
    """Solution and margins of a part.

    Attributes
    ----------
    inputs : PartInputs
        What it answers.
    solution : Solution
        Displacements and section strains by case.
    margins : Margins
        Governing reserve factor of every element.
    spots : tuple of int
        Worst elements, one a neighbourhood, worst first.
    resolved : bool
        Whether the equations were solved, or only the margins derived anew.
    seconds : float
        Time it took.
    """

    inputs: PartInputs
    solution: Solution
    margins: Margins
    spots: tuple[int, ...]
    resolved: bool
    seconds: float


@dataclass
class Memory:
    """What the worker keeps between jobs."""

    reuse: Reuse = field(default_factory=Reuse)
    inputs: PartInputs | None = None
    solution: Solution | None = None
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
    model = shell_model(inputs)
    elastic = inputs.elastic()
    solution = memory.solution if memory.inputs == elastic else None
    if solution is None and memory.on_disk:
        yield Progress("looking for an earlier answer", 0.02)
        solution = results.fetch(inputs)
        if solution is not None:
            memory.inputs, memory.solution = elastic, solution
    resolved = solution is None
    if solution is None:
        forces = np.array([case_forces(model.mesh, model.laminate, c) for c in inputs.cases])
        steps = solution_steps(model, forces, memory.reuse)
        while True:
            try:
                doing, share = next(steps)
            except StopIteration as end:
                solution = end.value
                break
            yield Progress(doing, 0.75 * share)
        memory.inputs, memory.solution = elastic, solution
        if memory.on_disk and solution is not None:
            results.keep(inputs, solution)
    assert solution is not None
    yield Progress("assessing margins", 0.75)
    margins = assess(model.laminate, solution.strains, inputs.criteria.sets)
    spots = tuple(hot_spots(model.mesh, margins))
    return PartAnswer(inputs, solution, margins, spots, resolved, time.perf_counter() - started)


def solve_now(inputs: PartInputs) -> PartAnswer:
    """Run the job to its end in this process."""
    job = run_solve(SolveRequest(0, inputs), Memory())
    while True:
        try:
            next(job)
        except StopIteration as end:
            answer: PartAnswer = end.value
            return answer
