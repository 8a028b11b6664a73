"""A changed stack of a zone, carried back to the rungs and stacks that it was laid with."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from difflib import SequenceMatcher

from tartan.core.errors import StackError
from tartan.core.stack import Ply
from tartan.project.analysis.laying import Laid
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Rung
from tartan.project.edits.part_edits import put_lay_up
from tartan.project.edits.stack_edits import put_plies

Item = Ply | list[Ply] | None
"""A ply of a stack, several in its place, or none."""


def change_zone(project: Project, laid: Sequence[Laid], plies: Sequence[Ply]) -> Project:
    """Give a zone other plies by changing what was laid there.

    A ply that a stack brought is changed in that stack, wherever that lies; one that was laid
    by itself is changed in its rung. A new ply is laid with the one below it, or above.

    Parameters
    ----------
    project : Project
        The project.
    laid : sequence of Laid
        The zone's plies as they lie, bottom to top.
    plies : sequence of Ply
        What they are to be, angles from the reference direction.

    Raises
    ------
    StackError
        When the zone would not become that, as where a stack is laid twice in it.
    """
    assert project.part is not None
    for x in laid:
        if project.part.lay_up[x.rung].wound is not None:
            raise StackError(
                "What is wound here is not changed ply by ply.",
                f"Lay-up, rung {x.rung + 1}",
                "Change how it is wound in Part.",
            )
    old = [(x.ply.material, x.ply.angle, x.ply.thickness) for x in laid]
    new = [(p.material, p.angle, p.thickness) for p in plies]
    stacks: dict[str, list[Item]] = {}
    rungs: list[list[Rung]] = [[r] for r in project.part.lay_up]
    for tag, a, b, c, d in SequenceMatcher(a=old, b=new, autojunk=False).get_opcodes():
        if tag == "equal":
            continue
        pairs = min(b - a, d - c)
        for i in range(b - a):
            ply = plies[c + i] if i < pairs else None
            _put(project, laid[a + i], ply, stacks, rungs)
        extra = list(plies[c + pairs : d])
        if extra:
            _add(project, laid, a + pairs, extra, stacks, rungs)
    for name, items in stacks.items():
        flat: list[Ply] = []
        for item in items:
            flat += item if isinstance(item, list) else [item] if item is not None else []
        project = put_plies(project, name, flat)
    changed = put_lay_up(project, [r for group in rungs for r in group])
    here = [r for i in dict.fromkeys(x.rung for x in laid) for r in rungs[i]]
    if _lies(changed, here) != [(m, a % 180.0, t) for m, a, t in new]:
        # A stack that lies here twice changes in both places, and then it is another change.
        raise StackError(
            "a stack lies here more than once and would change in every place.",
            "Lay-up",
            "Lay another stack in one of the places first.",
        )
    return changed


def _lies(project: Project, rungs: Sequence[Rung]) -> list[tuple[str, float, float]]:
    """Material, angle from the reference direction and thickness of what rungs lay."""
    found = []
    for rung in rungs:
        stack = project.stack(rung.stack) if rung.stack else None
        plies = stack.plies if stack is not None else (rung.ply,) if rung.ply is not None else ()
        # A ply and its opposite are one direction.
        found += [(p.material, (p.angle + rung.turn) % 180.0, p.thickness) for p in plies]
    return found


def _items(project: Project, name: str, stacks: dict[str, list[Item]]) -> list[Item]:
    if name not in stacks:
        found = project.stack(name)
        assert found is not None
        stacks[name] = list(found.plies)
    return stacks[name]


def _put(
    project: Project,
    at: Laid,
    ply: Ply | None,
    stacks: dict[str, list[Item]],
    rungs: list[list[Rung]],
) -> None:
    """Replace a ply, or take it out where there is none in its place."""
    assert project.part is not None
    rung = project.part.lay_up[at.rung]
    if ply is not None:
        # Angles of the zone are from the reference direction; a rung may be turned.
        ply = replace(ply, angle=_turned(ply.angle, -rung.turn))
    if not rung.stack:
        rungs[at.rung] = [] if ply is None else [replace(rung, ply=ply)]
        return
    _items(project, rung.stack, stacks)[at.within] = ply


def _add(
    project: Project,
    laid: Sequence[Laid],
    place: int,
    extra: list[Ply],
    stacks: dict[str, list[Item]],
    rungs: list[list[Rung]],
) -> None:
    """Lay further plies with the one below them, or above where there is none."""
    assert project.part is not None
    below = place > 0
    at = laid[place - 1] if below else laid[0]
    rung = project.part.lay_up[at.rung]
    turned = [replace(p, angle=_turned(p.angle, -rung.turn)) for p in extra]
    if not rung.stack:
        more = [replace(rung, ply=p) for p in turned]
        rungs[at.rung] = [*rungs[at.rung], *more] if below else [*more, *rungs[at.rung]]
        return
    items = _items(project, rung.stack, stacks)
    here = items[at.within]
    kept = here if isinstance(here, list) else [here] if here is not None else []
    items[at.within] = [*kept, *turned] if below else [*turned, *kept]


def _turned(angle: float, by: float) -> float:
    """Angle turned, between -90 and 90 degrees where it was turned at all."""
    if by == 0:
        return angle
    found = (angle + by + 90.0) % 180.0 - 90.0
    return 90.0 if found == -90.0 else found
