"""Edits of what is asked of the sizing of a part, and taking what it found."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from tartan.core.bounds import LEAST_LENGTH, MOST_LENGTH
from tartan.core.errors import DocumentError, StackError
from tartan.project.analysis.size_proposals import groups_of, key_of, variables_of
from tartan.project.analysis.sized import made
from tartan.project.document.model import Project
from tartan.project.document.sizingmodel import (
    KINDS,
    SizeAsk,
    SizeFound,
    SizeStep,
    SizeVariable,
)
from tartan.project.edits.part_edits import put_lay_up
from tartan.project.edits.stack_edits import put_plies

MOST_VARIABLES, MOST_VALUES, MOST_PLIES, MOST_SOLVES = 200, 60, 400, 5000

WHERE = "Sizing"


def put_sizing(project: Project, ask: SizeAsk) -> Project:
    """Keep what is asked of the sizing.

    Raises
    ------
    DocumentError, StackError
        What cannot be asked.
    """
    check_ask(ask)
    return replace(project, sizing=ask)


def put_variable(project: Project, variable: SizeVariable) -> Project:
    """Keep what one of the lay-up's variables may be.

    Raises
    ------
    DocumentError, StackError
        Values that cannot be, or no such variable.
    """
    _check_variable(variable)
    known = variables_of(project, project.sizing)
    key = key_of(variable)
    if key not in {key_of(v) for v in known}:
        raise DocumentError(
            "The lay-up has no such plies any more.", WHERE, "Take the lay-up as it is now."
        )
    new = tuple(variable if key_of(v) == key else v for v in known)
    if variable.link and variable.active:
        groups_of(new)
    return put_sizing(project, replace(project.sizing, variables=new))


def take_design(
    project: Project, chosen: Sequence[SizeVariable], step: SizeStep, found: SizeFound | None
) -> Project:
    """Give stacks and lay-up the plies of a design that was found, and keep how.

    Parameters
    ----------
    project : Project
        With the lay-up that was sized.
    chosen : sequence of SizeVariable
        Everything that took a value of its own, in the order of `step`.
    step : SizeStep
        The design.
    found : SizeFound or None
        What to keep of the search.

    Raises
    ------
    DocumentError, StackError
        Where the lay-up is another one by now.
    """
    design = made(project, chosen, step.values, solid=True)
    now = project
    for stack in design.project.stacks:
        before = project.stack(stack.name)
        if before is not None and before.plies != stack.plies:
            now = put_plies(now, stack.name, stack.plies)
    part = design.project.part
    if part is not None and project.part is not None and part.lay_up != project.part.lay_up:
        now = put_lay_up(now, part.lay_up)
    # Rungs have other numbers now; what was said of stacks still is.
    kept = tuple(v for v in now.sizing.variables if v.rung < 0)
    return replace(now, sizing=replace(now.sizing, variables=kept, found=found))


def check_ask(ask: SizeAsk) -> None:
    """Check what is asked of a sizing, as when a project is opened.

    Raises
    ------
    DocumentError, StackError
        On the first that cannot stand.
    """
    if len(ask.variables) > MOST_VARIABLES:
        raise DocumentError(
            f"More than {MOST_VARIABLES} things may change.", WHERE, "Let fewer change."
        )
    for variable in ask.variables:
        _check_variable(variable)
    if ask.least not in ("mass", "cost"):
        raise DocumentError(f"It cannot make '{ask.least}' small.", WHERE, "Use mass or cost.")
    if ask.most_dropped is not None and not 0 <= ask.most_dropped <= MOST_PLIES:
        raise DocumentError(
            "That many plies cannot end at a border.", WHERE, f"Give 0 to {MOST_PLIES}, or none."
        )
    if not 1 <= ask.most_solves <= MOST_SOLVES:
        raise DocumentError(
            f"It cannot solve {ask.most_solves} designs.", WHERE, f"Give 1 to {MOST_SOLVES}."
        )
    if ask.found is not None:
        _check_found(ask.found)


def _check_variable(variable: SizeVariable) -> None:
    where = f"{WHERE}, {variable.stack or f'rung {variable.rung + 1}'}"
    if variable.kind not in KINDS:
        raise DocumentError(f"There is no kind '{variable.kind}'.", where, "Use another.")
    for text in (variable.link, variable.stack, variable.material):
        if len(text) > 200:
            raise DocumentError("A name is too long.", where, "Use up to 200 characters.")
    if not 1 <= len(variable.values) <= MOST_VALUES:
        raise StackError(
            f"It has {len(variable.values)} values.", where, f"Give 1 to {MOST_VALUES} of them."
        )
    if list(variable.values) != sorted(set(variable.values)):
        raise StackError("Its values do not ascend.", where, "Give each once, the least first.")
    own = (variable.angle, variable.thickness)
    if not all(math.isfinite(x) for x in (*variable.values, *own)):
        raise StackError("A value is not a number.", where, "Give numbers.")
    for value in variable.values:
        if not _can_be(variable.kind, value):
            words = {
                "plies": f"whole numbers from 0 to {MOST_PLIES}",
                "laid": "0 and 1",
                "core": "thicknesses greater than zero",
                "angle": "angles from −360 to 360 degrees",
            }[variable.kind]
            raise StackError(f"{value:g} cannot be one of its values.", where, f"Give {words}.")


def _can_be(kind: str, value: float) -> bool:
    if kind == "plies":
        return 0 <= value <= MOST_PLIES and float(value).is_integer()
    if kind == "laid":
        return value in (0.0, 1.0)
    if kind == "core":
        return LEAST_LENGTH <= value <= MOST_LENGTH
    return abs(value) <= 360


def _check_found(found: SizeFound) -> None:
    for variable in found.variables:
        _check_variable(variable)
    if len(found.names) != len(found.variables):
        raise StackError("What was found is not whole.", WHERE, "Size it anew.")
    if found.least not in ("mass", "cost"):
        raise StackError("What was found is not whole.", WHERE, "Size it anew.")
    steps = [found.before, *found.steps, *([found.nearest] if found.nearest else [])]
    for step in steps:
        numbers = [*step.values, step.mass, step.cost or 0.0, step.worst]
        numbers += [x for x in step.figures if x is not None]
        whole = len(step.values) == len(found.variables)
        whole &= len(step.figures) == len(found.requirements)
        if not whole or not all(map(math.isfinite, numbers)):
            raise StackError("What was found is not whole.", WHERE, "Size it anew.")
    for stop in found.stops:
        if not 0 <= stop.variable < len(found.variables) or not math.isfinite(stop.worst):
            raise StackError("What was found is not whole.", WHERE, "Size it anew.")
    for zone in found.zones:
        whole = all(0 <= n < len(found.variables) for n in zone.variables)
        if not whole or not all(map(math.isfinite, (zone.before, zone.after))):
            raise StackError("What was found is not whole.", WHERE, "Size it anew.")
