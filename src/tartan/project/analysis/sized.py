"""Designs that sizing tries: the lay-up with other numbers of plies, cores, angles, or rungs.

A design is made solid, of whole plies as they would be cut, or merged: every place of a ply is one
ply, thicker or thinner, down to a sliver where it is away. Merged ones can be derived by
everything that may change; solid ones say what holds.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError
from tartan.core.stack import Ply, Stack
from tartan.core.stack.plies import is_symmetric
from tartan.project.analysis.gradients import Variable
from tartan.project.analysis.inputs import Layout
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Part, Rung
from tartan.project.document.sizingmodel import SizeVariable

Array = NDArray[np.float64]

SLIVER = 0.02
"""What is left of a ply that is away in a merged design, as a share of it."""

WHERE = "Sizing"


def part_of(project: Project) -> Part:
    """The part.

    Raises
    ------
    DocumentError
        Where there is none, or nothing is laid on it.
    """
    if project.part is None or not project.part.lay_up:
        raise DocumentError(
            "There is no part with plies to size.", WHERE, "Lay plies on a part first."
        )
    return project.part


def _stack_of(project: Project, variable: SizeVariable) -> Stack:
    stack = project.stack(variable.stack)
    if stack is None:
        raise DocumentError(
            f"There is no stack '{variable.stack}'.", WHERE, "Take the lay-up as it is now."
        )
    return stack


def places(project: Project, variable: SizeVariable) -> tuple[int, ...]:
    """Plies of its stack that a variable means, from 0.

    Raises
    ------
    DocumentError
        Where there are none.
    """
    found = tuple(
        i
        for i, p in enumerate(_stack_of(project, variable).plies)
        if (p.material, p.angle, p.thickness)
        == (variable.material, variable.angle, variable.thickness)
    )
    if not found:
        raise DocumentError(
            f"Stack '{variable.stack}' has no such plies any more.",
            WHERE,
            "Take the lay-up as it is now.",
        )
    return found


def rung_of(project: Project, variable: SizeVariable) -> Rung:
    """The rung that a variable means.

    Raises
    ------
    DocumentError
        Where there is none, or it is another one now.
    """
    rungs = part_of(project).lay_up
    if not 0 <= variable.rung < len(rungs):
        raise DocumentError(
            f"There is no rung {variable.rung + 1}.", WHERE, "Take the lay-up as it is now."
        )
    rung = rungs[variable.rung]
    ply = rung.ply
    same = rung.stack == variable.stack if ply is None else ply.material == variable.material
    if not same:
        raise DocumentError(
            f"Rung {variable.rung + 1} is another one now.", WHERE, "Take the lay-up as it is now."
        )
    return rung


def spread(count: int, where: Sequence[int], *, symmetric: bool) -> tuple[int, ...]:
    """How many plies lie at each of a direction's places, as evenly as can be.

    What is left over goes outside first; a symmetric stack stays so.

    Raises
    ------
    DocumentError
        An odd number where a symmetric stack has no middle for it.
    """
    k = len(where)
    found = [0] * k
    if not symmetric:
        outside = [i for pair in zip(range(k), range(k - 1, -1, -1), strict=True) for i in pair]
        order = list(dict.fromkeys(outside))
        for i in range(count):
            found[order[i % k]] += 1
        return tuple(found)
    middle = k % 2
    own = 0
    if middle:
        own = count // k
        own += (count - own) % 2
    elif count % 2:
        raise DocumentError(
            f"{count} plies cannot lie symmetrically.", WHERE, "Give even numbers only."
        )
    half, pairs = (count - own) // 2, k // 2
    if pairs == 0:
        return (count,)
    for i in range(half):
        found[i % pairs] += 1
        found[k - 1 - i % pairs] += 1
    if middle:
        found[k // 2] = own
    return tuple(found)


def now_of(project: Project, variable: SizeVariable) -> float:
    """Value of a variable in the design as it is.

    Raises
    ------
    DocumentError
        Where what it means is gone.
    """
    if variable.rung < 0:
        where = places(project, variable)
        plies = _stack_of(project, variable).plies
        if variable.kind == "plies":
            return float(len(where))
        return plies[where[0]].thickness if variable.kind == "core" else plies[where[0]].angle
    rung = rung_of(project, variable)
    if variable.kind == "laid":
        return float(rung.active)
    if variable.kind == "plies":
        return float(rung.active)
    if variable.kind == "core":
        assert rung.ply is not None
        return rung.ply.thickness
    return rung.turn if rung.ply is None else rung.ply.angle


@dataclass(frozen=True)
class Made:
    """A design, and of which rungs and plies of the one before its own are.

    Attributes
    ----------
    project : Project
        With the design's stacks and lay-up.
    rungs : tuple of int
        For every rung the one it comes from.
    plies : dict
        For every stack the places that its plies come from.
    scales : dict
        Rungs of the one before that are laid in part, and the part.
    """

    project: Project
    rungs: tuple[int, ...]
    plies: dict[str, tuple[int, ...]]
    scales: dict[int, float]


def made(
    project: Project, variables: Sequence[SizeVariable], values: Sequence[float], *, solid: bool
) -> Made:
    """The design with other values.

    Parameters
    ----------
    project : Project
        The design that variables were read from.
    variables : sequence of SizeVariable
        What changes.
    values : sequence of float
        Their values; numbers of plies need not be whole in a merged design.
    solid : bool
        Whether it is made of whole plies.

    Raises
    ------
    DocumentError
        Where what a variable means is gone, or a number of plies cannot be laid.
    """
    part = part_of(project)
    by_stack: dict[str, list[tuple[SizeVariable, float]]] = {}
    by_rung: dict[int, list[tuple[SizeVariable, float]]] = {}
    for variable, value in zip(variables, values, strict=True):
        if variable.rung < 0:
            by_stack.setdefault(variable.stack, []).append((variable, value))
        else:
            rung_of(project, variable)
            by_rung.setdefault(variable.rung, []).append((variable, value))
    stacks, origins = [], {}
    for stack in project.stacks:
        plies, origin = _plies(project, stack, by_stack.get(stack.name, ()), solid=solid)
        stacks.append(stack.with_plies(plies))
        origins[stack.name] = origin
    rungs: list[Rung] = []
    sources: list[int] = []
    for number, rung in enumerate(part.lay_up):
        mine = by_rung.get(number, ())
        new, beside = _rungs(rung, number, mine, {s.name: s for s in stacks}, solid=solid)
        for extra in beside:
            stacks.append(extra)
            origins[extra.name] = origins[rung.stack]
        rungs += new
        sources += [number] * len(new)
    changed = replace(project, stacks=tuple(stacks), part=replace(part, lay_up=tuple(rungs)))
    scales = {
        v.rung: max(value, SLIVER)
        for v, value in zip(variables, values, strict=True)
        if v.kind == "laid" and not solid
    }
    return Made(changed, tuple(sources), origins, scales)


def _plies(
    project: Project,
    stack: Stack,
    changes: Iterable[tuple[SizeVariable, float]],
    *,
    solid: bool,
) -> tuple[list[Ply], tuple[int, ...]]:
    """Plies of a stack after changes, and where each comes from."""
    plies = list(stack.plies)
    times = [1.0] * len(plies)
    for variable, value in changes:
        where = places(project, variable)
        if variable.kind == "plies":
            each: Sequence[float] = [value / len(where)] * len(where)
            if float(value).is_integer():
                each = spread(int(value), where, symmetric=is_symmetric(stack.plies))
            for i, count in zip(where, each, strict=True):
                times[i] = count
        for i in where:
            # The memory of a sub-laminate would say what is no longer so.
            if variable.kind == "core":
                plies[i] = replace(plies[i], thickness=value, sub="")
            elif variable.kind == "angle":
                plies[i] = replace(plies[i], angle=value, sub="")
    if solid:
        origin = [i for i, n in enumerate(times) for _ in range(round(n))]
        return [plies[i] for i in origin], tuple(origin)
    merged = [
        p if n == 1 else replace(p, thickness=p.thickness * max(n, SLIVER))
        for p, n in zip(plies, times, strict=True)
    ]
    return merged, tuple(range(len(plies)))


def _rungs(
    rung: Rung,
    number: int,
    changes: Iterable[tuple[SizeVariable, float]],
    stacks: dict[str, Stack],
    *,
    solid: bool,
) -> tuple[list[Rung], list[Stack]]:
    """What a rung becomes, and a stack of its own where it needs one."""
    times, beside = 1.0, []
    counted = False
    for variable, value in changes:
        if variable.kind in ("plies", "laid"):
            times, counted = value, True
        elif variable.kind == "core":
            assert rung.ply is not None
            rung = replace(rung, ply=replace(rung.ply, thickness=value))
        elif rung.ply is not None:
            rung = replace(rung, ply=replace(rung.ply, angle=value))
        else:
            rung = replace(rung, turn=value)
    if not counted:
        return [rung], []
    if solid:
        count = round(times)
        return [replace(rung, active=count > 0)] * max(count, 1), []
    scale = max(times, SLIVER)
    rung = replace(rung, active=True)
    if rung.ply is not None:
        return [replace(rung, ply=_thicker(rung.ply, scale))], []
    if scale != 1:
        own = stacks[rung.stack]
        name = f"{rung.stack} · rung {number + 1}"
        beside = [Stack(name, tuple(_thicker(p, scale) for p in own.plies))]
        rung = replace(rung, stack=name)
    return [rung], beside


def _thicker(ply: Ply, scale: float) -> Ply:
    return replace(ply, thickness=ply.thickness * scale)


def is_whole(variables: Sequence[SizeVariable], values: Sequence[float], project: Project) -> bool:
    """Whether every ply that may change is there at least once: then a solid design is derived."""
    for variable, value in zip(variables, values, strict=True):
        if variable.kind == "laid" and value < 1:
            return False
        if variable.kind == "plies":
            k = 1 if variable.rung >= 0 else len(places(project, variable))
            if value < k:
                return False
    return True


def effect(
    project: Project,
    design: Made,
    layout: Layout,
    group: Sequence[SizeVariable],
) -> Variable:
    """What one unit of a group of linked variables changes in every ply laid.

    Parameters
    ----------
    project : Project
        That the variables were read from.
    design : Made
        The design that was laid.
    layout : Layout
        Its plies.
    group : sequence of SizeVariable
        Variables that take the same value.
    """
    thickness, angle = np.zeros((2, len(layout.laid)))
    lay_up = part_of(design.project).lay_up
    copies: dict[tuple[int, int], int] = {}
    for laid in layout.laid:
        key = _source(design, lay_up, laid.rung, laid.within)
        copies[key] = copies.get(key, 0) + 1
    for variable in group:
        where = () if variable.rung >= 0 else places(project, variable)
        for n, laid in enumerate(layout.laid):
            rung, ply = _source(design, lay_up, laid.rung, laid.within)
            own = part_of(project).lay_up[rung]
            scale = design.scales.get(rung, 1.0)
            if variable.rung >= 0:
                meant, share = rung == variable.rung, 1.0
            else:
                meant, share = own.stack == variable.stack and ply in where, 1 / max(len(where), 1)
            if not meant:
                continue
            if variable.kind == "angle":
                angle[n] += 1.0
            elif variable.kind == "core":
                thickness[n] += scale
            elif variable.kind == "laid":
                thickness[n] += laid.ply.thickness / scale
            else:
                unit = variable.thickness if own.ply is None else own.ply.thickness
                thickness[n] += scale * share * unit / copies[rung, ply]
    return Variable(thickness, angle)


def _source(design: Made, lay_up: Sequence[Rung], rung: int, within: int) -> tuple[int, int]:
    """Rung and ply of the design before that a laid ply comes from."""
    name = lay_up[rung].stack
    return design.rungs[rung], design.plies[name][within] if name else 0
