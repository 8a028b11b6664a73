"""What of a lay-up could be sized, with the values that are usual, and what was chosen of it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from tartan.core.errors import DocumentError
from tartan.core.stack.plies import is_symmetric
from tartan.project.document.model import Project
from tartan.project.document.partmodel import WHOLE, Rung
from tartan.project.document.sizingmodel import SizeAsk, SizeVariable

CORES = (0.5, 0.75, 1.0, 1.25, 1.5)
"""Thicknesses of a core that are proposed, as shares of what it has."""

ANGLES = (-75.0, -60.0, -45.0, -30.0, -15.0, 0.0, 15.0, 30.0, 45.0, 60.0, 75.0, 90.0)

MORE = 4
"""Plies that are proposed beyond those there are."""


def key_of(variable: SizeVariable) -> tuple[object, ...]:
    """What tells a variable from others, whatever its values are."""
    v = variable
    return (v.kind, v.stack, v.rung, v.material, v.angle, v.thickness)


def proposals(project: Project) -> tuple[SizeVariable, ...]:
    """Everything of the lay-up that could be sized, in laying order.

    Wound layers and what lies below them are left out: the layers follow from the winding, and lie
    on what is below. Plies and cores are free to change, rungs and angles wait to be asked for.
    """
    if project.part is None:
        return ()
    found: list[SizeVariable] = []
    cores = {m.name for m in project.materials if m.kind == "core"}
    seen: set[str] = set()
    lay_up = project.part.lay_up
    first = max((i + 1 for i, r in enumerate(lay_up) if r.wound is not None), default=0)
    for number, rung in enumerate(lay_up[first:], start=first):
        if rung.stack:
            if rung.stack not in seen and rung.active:
                found += _of_stack(project, rung.stack, cores)
                seen.add(rung.stack)
            if rung.region != WHOLE:
                found.append(
                    SizeVariable("laid", rung.stack, number, values=(0.0, 1.0), active=False)
                )
        found += _of_rung(rung, number, cores)
    return tuple(found)


def _of_stack(project: Project, name: str, cores: set[str]) -> Iterator[SizeVariable]:
    stack = project.stack(name)
    if stack is None:
        return
    groups: dict[tuple[str, float, float], int] = {}
    for ply in stack.plies:
        key = (ply.material, ply.angle, ply.thickness)
        groups[key] = groups.get(key, 0) + 1
    symmetric = is_symmetric(stack.plies)
    for (material, angle, thickness), count in groups.items():
        same = {"stack": name, "material": material, "angle": angle, "thickness": thickness}
        if material in cores:
            values = tuple(share * thickness for share in CORES)
            yield SizeVariable("core", **same, values=values)  # type: ignore[arg-type]
            continue
        step = 2 if symmetric and count % 2 == 0 else 1
        values = tuple(float(n) for n in range(step, max(2 * count, count + MORE) + 1, step))
        yield SizeVariable("plies", **same, values=values)  # type: ignore[arg-type]


def _of_rung(rung: Rung, number: int, cores: set[str]) -> Iterator[SizeVariable]:
    turns = rung.draped is None and not rung.fibres
    ply = rung.ply
    if ply is None:
        if turns and rung.region != WHOLE:
            yield SizeVariable("angle", rung.stack, number, values=ANGLES, active=False)
        return
    if ply.material in cores:
        values = tuple(share * ply.thickness for share in CORES)
        yield SizeVariable("core", "", number, ply.material, values=values)
        return
    least = 1 if rung.region == WHOLE else 0
    values = tuple(float(n) for n in range(least, MORE + 2))
    yield SizeVariable("plies", "", number, ply.material, values=values)
    if turns:
        yield SizeVariable("angle", "", number, ply.material, values=ANGLES, active=False)


def variables_of(project: Project, ask: SizeAsk) -> tuple[SizeVariable, ...]:
    """Everything that could be sized, as it was asked; what is new as it is proposed."""
    chosen = {key_of(v): v for v in ask.variables}
    return tuple(
        replace(chosen[key_of(v)]) if key_of(v) in chosen else v for v in proposals(project)
    )


def renamed(
    ask: SizeAsk, *, stack: tuple[str, str] | None = None, material: tuple[str, str] | None = None
) -> SizeAsk:
    """What is asked after a stack or a material took another name, the old one first."""

    def new(variable: SizeVariable) -> SizeVariable:
        if stack is not None and variable.stack == stack[0]:
            variable = replace(variable, stack=stack[1])
        if material is not None and variable.material == material[0]:
            variable = replace(variable, material=material[1])
        return variable

    return replace(ask, variables=tuple(map(new, ask.variables)))


def groups_of(variables: tuple[SizeVariable, ...]) -> tuple[tuple[int, ...], ...]:
    """Variables that may change, those of one link together, by their numbers.

    Raises
    ------
    DocumentError
        Where linked ones cannot take the same value.
    """
    found: dict[object, list[int]] = {}
    for number, variable in enumerate(variables):
        if variable.active:
            found.setdefault(variable.link or number, []).append(number)
    for link, numbers in found.items():
        kinds = {(variables[n].kind, variables[n].values) for n in numbers}
        if len(kinds) > 1:
            raise DocumentError(
                f"What is linked as '{link}' is not of one kind with the same values.",
                "Sizing",
                "Give them the same values, or undo the link.",
            )
    return tuple(tuple(x) for x in found.values())
