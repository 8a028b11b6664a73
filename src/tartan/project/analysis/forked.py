"""Solving for a command: a forked process solves while this one loads what judges.

Loading the compiler takes a third of the time that the sample is solved in, and a command begins
with nothing loaded. What the fork has in common with this process need not be sent.
"""

from __future__ import annotations

import multiprocessing
import os
import sys
import time
from contextlib import suppress
from importlib import import_module
from multiprocessing.connection import Connection

from tartan.core.errors import TartanError
from tartan.project.analysis.inputs import PartInputs, layout_of
from tartan.project.analysis.jobs import (
    Memory,
    PartAnswer,
    Solved,
    assess,
    last_of,
    nothing_solved,
    solve_now,
    solved_steps,
)

_JUDGING = ("tartan.project.analysis.warmed", "tartan.project.findings.verdict")
"""Loaded meanwhile."""


def solve_forked(inputs: PartInputs) -> PartAnswer:
    """Solve a part and judge it, as `solve_now`, on two cores where there are two.

    Once compiled loops have run in this process it is not forked: their threads would stay behind.

    Raises
    ------
    TartanError
        As `run_solve`.
    """
    if _alone():
        return solve_now(inputs)
    started = time.perf_counter()
    context = multiprocessing.get_context("fork")
    ours, theirs = context.Pipe(duplex=False)
    process = context.Process(target=_solve, args=(theirs, inputs), daemon=True)
    process.start()
    # With one writer left its end is seen, however it comes.
    theirs.close()
    layout = layout_of(inputs)
    for name in _JUDGING:
        import_module(name)
    with suppress(TartanError):
        # A part at rest is judged by the same loops, which are loaded for it. What a criterion
        # lacks is said of the real one.
        assess(inputs, layout, nothing_solved(inputs, layout))
    try:
        found = ours.recv()
    except (EOFError, OSError):
        return solve_now(inputs)
    finally:
        process.join()
        ours.close()
    if isinstance(found, TartanError):
        raise found
    solved, resolved = found
    assessment = assess(inputs, layout, solved)
    return PartAnswer(inputs, solved, assessment, resolved, time.perf_counter() - started)


def _alone() -> bool:
    """Whether there is one core, or compiled loops have run."""
    return "numba" in sys.modules or (os.cpu_count() or 1) < 2


def _solve(theirs: Connection, inputs: PartInputs) -> None:
    """Solve in the forked process and send what comes of it."""
    found: tuple[Solved, bool] | TartanError
    try:
        found = last_of(solved_steps(inputs, layout_of(inputs), Memory()))
    except TartanError as error:
        found = error
    except Exception:  # noqa: BLE001 - who hears nothing solves itself, and says what is wrong
        return
    theirs.send(found)
