"""Rows of the section picture from a project's stacks. No Qt widgets."""

from __future__ import annotations

from collections.abc import Sequence

from tartan.core.stack import Ply, Stack
from tartan.pages.shown import Row
from tartan.project.document.model import Design
from tartan.project.wording import units


def rows_of(project: Design, plies: Sequence[Ply], numbers: Sequence[int] = ()) -> tuple[Row, ...]:
    """One row a ply, first-laid first; `numbers`, from 0, where they count in a whole lay-up."""
    kinds = {m.name: m.kind for m in project.materials}
    return tuple(
        Row(
            p.angle,
            p.thickness,
            p.material,
            kinds.get(p.material, "ply"),
            numbers[i] + 1 if numbers else 0,
        )
        for i, p in enumerate(plies)
    )


def stack_words(stack: Stack) -> str:
    """Ply count and thickness in words."""
    count = len(stack.plies)
    if not count:
        return "no plies yet"
    noun = "ply" if count == 1 else "plies"
    return f"{count} {noun} · {units.show(stack.thickness, units.LENGTH)}"
