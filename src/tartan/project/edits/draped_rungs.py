"""What a draped rung of the ladder has to be, and how it is begun."""

from __future__ import annotations

from dataclasses import replace

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH, beyond
from tartan.core.errors import DocumentError, StackError
from tartan.project.analysis.draping import start_in
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Draped, Rung


def check_draped(rung: Rung, where: str) -> None:
    """Check a draped rung; whether its net reaches everywhere is seen when it is laid.

    Raises
    ------
    DocumentError, StackError
        Naming what is wrong.
    """
    draped = rung.draped
    assert draped is not None
    if rung.wound is not None:
        raise DocumentError("A ply is wound or draped.", where, "Choose one of them.")
    points = (draped.start, *draped.starts, *draped.line, *(x for cut in draped.cuts for x in cut))
    if any(beyond(x, MOST_LENGTH) for point in points[1:] for x in point):
        raise StackError(
            "A point of a line, a cut or a start is no place.",
            where,
            "Enter x, y and z of points on the part.",
        )
    if any(len(line) < 2 for line in (*draped.cuts, *((draped.line,) if draped.line else ()))):
        raise StackError("A line or a cut has no length.", where, "Give it two points or more.")
    if any(beyond(x, MOST_LENGTH) for x in draped.start):
        raise StackError(
            "The start of the draping is no place.", where, "Enter x, y and z of a point on it."
        )
    if not (draped.cell == 0 or LEAST_LENGTH <= draped.cell <= MOST_LENGTH):
        raise StackError(
            f"Cells of {draped.cell:g} m are none.",
            where,
            "Enter their side, or 0 for as long as elements are.",
        )


def begin_draping(project: Project, rungs: tuple[int, ...], *, on: bool) -> tuple[Rung, ...]:
    """Rungs of the lay-up with some draped from the middle of their region, or as projected.

    Raises
    ------
    PartError
        When a region does not exist.
    """
    part = project.part
    if part is None:
        return ()
    made = list(part.lay_up)
    for number in rungs:
        rung = made[number]
        if not on:
            made[number] = replace(rung, draped=None)
        elif rung.draped is None and rung.wound is None:
            whole = meshed(part)
            own = whole.elements(rung.region, f"Lay-up, rung {number + 1}")
            made[number] = replace(rung, draped=Draped(start_in(whole.mesh, own)))
    return tuple(made)
