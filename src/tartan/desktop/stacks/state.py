"""Editing of plies with a selection, and the words beside a stack. No Qt.

Every edit takes plies and selected indices and returns both anew.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from tartan.core.errors import StackError, TartanError
from tartan.core.laminate import Laminate
from tartan.core.laminate.constants import COUPLES, describe_couplings, flexural, membrane
from tartan.core.stack import Ply, Stack
from tartan.core.stack.plies import is_balanced, is_symmetric
from tartan.project import units
from tartan.project.model import Project
from tartan.project.shellinputs import laminate_for

Plies = tuple[Ply, ...]
Picked = tuple[int, ...]


@dataclass(frozen=True)
class Edited:
    """Plies after an edit, and what is selected then."""

    plies: Plies
    picked: Picked


def insert_like(project: Project, plies: Plies, picked: Picked) -> Edited:
    """Add a ply above the topmost selected one, like it; the last ply if none is selected.

    Raises
    ------
    StackError
        When there is no ply to copy and no material to start with.
    """
    at = max(picked, default=len(plies) - 1)
    if plies:
        new = plies[at]
    else:
        first = next(iter(project.materials), None)
        if first is None:
            raise StackError("There is no material to lay.", "Stacks", "Add one in Materials.")
        new = Ply(first.name, 0.0, first.ply_thickness or 0.125e-3)
    return Edited((*plies[: at + 1], new, *plies[at + 1 :]), (at + 1,))


def delete(plies: Plies, picked: Picked) -> Edited:
    """Remove the selected plies; the one below stays selected."""
    gone = set(picked)
    left = tuple(p for i, p in enumerate(plies) if i not in gone)
    at = max(0, min(picked, default=0) - 1)
    return Edited(left, (at,) if left else ())


def move(plies: Plies, picked: Picked, step: int) -> Edited:
    """Shift the selected plies one place up (+1) or down (-1), as a block."""
    chosen = sorted(picked)
    if not chosen or not chosen[0] + step >= 0 or chosen[-1] + step >= len(plies):
        return Edited(plies, picked)
    order = list(plies)
    for i in chosen if step < 0 else reversed(chosen):
        order[i], order[i + step] = order[i + step], order[i]
    return Edited(tuple(order), tuple(i + step for i in chosen))


def change(plies: Plies, picked: Picked, **values: float | str) -> Edited:
    """Give the selected plies another angle, material or thickness."""
    chosen = set(picked)
    changed = tuple(
        replace(p, **values) if i in chosen else p  # type: ignore[arg-type]
        for i, p in enumerate(plies)
    )
    return Edited(changed, picked)


def paste(project: Project, plies: Plies, picked: Picked, text: str) -> Edited:
    """Insert plies copied from here or a spreadsheet above the selection.

    Rows of angle, or of angle, material and thickness [mm], by tabs, semicolons or new lines.

    Raises
    ------
    StackError
        Naming row and column that cannot be read.
    """
    like = plies[max(picked, default=-1)] if plies else None
    new: list[Ply] = []
    for number, line in enumerate((t for t in text.splitlines() if t.strip()), start=1):
        cells = [c.strip() for c in re.split(r"[\t;]", line)]
        if number == 1 and cells[0].lower().startswith("angle"):
            continue
        new.append(_read_row(project, cells, like, number))
    if not new:
        raise StackError("There are no plies in the clipboard.", "Paste",
                         "Copy rows of angle, material, thickness in mm.")  # fmt: skip
    at = max(picked, default=len(plies) - 1) + 1
    return Edited((*plies[:at], *new, *plies[at:]), tuple(range(at, at + len(new))))


def _read_row(project: Project, cells: list[str], like: Ply | None, number: int) -> Ply:
    try:
        angle = units.parse(cells[0], units.ANGLE)
        name = cells[1] if len(cells) > 1 and cells[1] else (like.material if like else "")
        material = project.material(name)
        if material is None:
            raise StackError(f"there is no material '{name}'.", f"Paste, row {number}, column 2",
                             "Use a material of this project.")  # fmt: skip
        if len(cells) > 2 and cells[2]:
            thickness = units.parse(cells[2], units.LENGTH)
        else:
            thickness = material.ply_thickness or (like.thickness if like else 0.0)
    except units.UnitError as error:
        raise StackError(error.what, f"Paste, row {number}", error.mend) from error
    return Ply(name, angle, thickness)


def as_table(plies: Sequence[Ply]) -> str:
    """Plies as a table that pastes into a spreadsheet, first-laid first."""
    rows = ["angle [°]\tmaterial\tthickness [mm]"]
    rows += [f"{p.angle:g}\t{p.material}\t{p.thickness * 1e3:.10g}" for p in plies]
    return "\n".join(rows)


def facts(stack: Stack, laminate: Laminate | None) -> str:
    """Ply count, thickness, mass, symmetry and balance in one line."""
    count = len(stack.plies)
    words = ["1 ply" if count == 1 else f"{count} plies",
             units.show(stack.thickness, units.LENGTH)]  # fmt: skip
    if laminate is not None and all(m.rho is not None for m in laminate.materials):
        words.append(units.show(laminate.areal_mass, units.AREAL_MASS))
    words.append("symmetric" if is_symmetric(stack.plies) else "not symmetric")
    words.append("balanced" if is_balanced(stack.plies) else "not balanced")
    return " · ".join(words)


def couplings(laminate: Laminate) -> list[tuple[str, str]]:
    """Couplings in words: what happens, and how large it is against the direct terms."""
    found = describe_couplings(laminate)
    return found or [("No coupling to speak of,", f"all below {COUPLES:.0%} of the direct terms")]


CONSTANTS = (("Ex", "E<sub>x</sub>"), ("Ey", "E<sub>y</sub>"), ("Gxy", "G<sub>xy</sub>"),
             ("nuxy", "ν<sub>xy</sub>"), ("nuyx", "ν<sub>yx</sub>"))  # fmt: skip
"""Engineering constants shown, and how they are written, as rich text."""


def constants_table(laminate: Laminate) -> list[list[str]]:
    """Rows of symbol, unit, membrane, flexural, and membrane kept flat, as text."""
    forms = (membrane(laminate), flexural(laminate), membrane(laminate, kept_flat=True))
    rows = []
    for field, symbol in CONSTANTS:
        modulus = field[0] in "EG"
        values = [getattr(f, field) / (1e9 if modulus else 1.0) for f in forms]
        rows.append([symbol, "GPa" if modulus else "", *(units.number(v) for v in values)])
    return rows


def laminate_or_error(
    project: Project, stack: Stack
) -> tuple[Laminate | None, TartanError | None]:
    """Laminate of a stack about its middle, or why there is none."""
    try:
        return laminate_for(stack, project.materials_of(stack)), None
    except TartanError as error:
        return None, error
