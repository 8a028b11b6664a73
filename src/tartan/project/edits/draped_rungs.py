"""What a draped rung of the ladder has to be, and how it is begun."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH, beyond
from tartan.core.errors import DocumentError, StackError
from tartan.core.stack.plies import normal_angle
from tartan.project.analysis.draping import start_in
from tartan.project.analysis.own_fibres import own_turn
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Draped, Rung, Vector


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
    if rung.fibres:
        raise DocumentError(
            "A draped ply counts from the part's 0°, it has none of its own.",
            where,
            "Let it follow the part's 0°, or lay it as projected.",
        )
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


def _by_the_part(whole: Meshed, rung: Rung, start: Vector) -> Rung:
    """A rung whose angles count from the part's 0°, alike at a start to what they were there."""
    if not rung.fibres:
        return rung
    element = int(np.linalg.norm(whole.mesh.centres() - np.array(start), axis=1).argmin())
    turn = float(own_turn(whole, rung.fibres, np.array([element]))[0])
    if rung.ply is None:
        return replace(rung, fibres="", turn=normal_angle(rung.turn + turn))
    ply = replace(rung.ply, angle=normal_angle(rung.ply.angle + turn))
    return replace(rung, fibres="", ply=ply)


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
            start = start_in(whole.mesh, own)
            made[number] = replace(_by_the_part(whole, rung, start), draped=Draped(start))
    return tuple(made)
