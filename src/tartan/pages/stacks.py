"""Editing of plies with a selection, and the words beside a stack. No Qt.

Every edit takes plies and selected indices and returns both anew.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from tartan.core.errors import StackError, TartanError
from tartan.core.laminate import Laminate
from tartan.core.laminate.constants import COUPLES, describe_couplings, flexural, membrane
from tartan.core.stack import Ply, Stack
from tartan.core.stack.plies import is_symmetric
from tartan.core.stack.rules import Advice, GoodPractice, review
from tartan.exchange.plies_columns import understand
from tartan.exchange.plies_table import read_plies
from tartan.exchange.tables import as_rows
from tartan.project.analysis.shellinputs import laminate_for
from tartan.project.document.model import Design, Project
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

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
    new = read_plies(as_rows(text), project, like, "Paste")
    at = max(picked, default=len(plies) - 1) + 1
    return Edited((*plies[:at], *new, *plies[at:]), tuple(range(at, at + len(new))))


def paste_words(text: str) -> str:
    """What the columns of a paste without heads were taken for; empty where there is no doubt."""
    rows = as_rows(text)
    try:
        read = understand(rows, "Paste")
    except TartanError:
        # The paste itself says what is wrong.
        return ""
    if read.by_head or len(read.columns) == 1:
        return ""
    noun = "ply" if len(rows) == 1 else "plies"
    return f"{len(rows)} {noun}, understood as {read.words}."


def drop_at(plies: Plies, picked: Picked, before: int) -> Edited:
    """Take the selected plies out and lay them as a block before the ply that was `before`."""
    chosen = sorted(set(picked))
    block = [plies[i] for i in chosen]
    rest = [p for i, p in enumerate(plies) if i not in set(chosen)]
    at = before - sum(1 for i in chosen if i < before)
    return Edited((*rest[:at], *block, *rest[at:]), tuple(range(at, at + len(block))))


def lay_sub(plies: Plies, picked: Picked, stack: Stack) -> Edited:
    """Lay a stack as a sub-laminate above the selection."""
    new = tuple(replace(p, sub=stack.name) for p in stack.plies)
    at = max(picked, default=len(plies) - 1) + 1
    return Edited((*plies[:at], *new, *plies[at:]), tuple(range(at, at + len(new))))


def practice(project: Project) -> GoodPractice:
    """Limits of the rules, with what is known of the project's materials."""
    kinds = {
        kind: frozenset(m.name for m in project.materials if m.kind == kind)
        for kind in ("core", "woven")
    }
    return GoodPractice(cores=kinds["core"], woven=kinds["woven"])


@lru_cache(maxsize=64)
def remarks(plies: Plies, limits: GoodPractice) -> tuple[Advice, ...]:
    """What the rules of good practice say of a stack, remembered."""
    return tuple(review(plies, limits))


def remarks_by_ply(found: Sequence[Advice]) -> dict[int, str]:
    """Remarks in words beside the plies they concern."""
    words: dict[int, list[str]] = {}
    for advice in found:
        for ply in advice.plies:
            words.setdefault(ply, []).append(f"{advice.what} {advice.mend}")
    return {ply: "\n".join(lines) for ply, lines in words.items()}


def facts(project: Project, stack: Stack, laminate: Laminate | None) -> str:
    """Ply count, thickness, mass, cost, symmetry and balance in one line."""
    count = len(stack.plies)
    words = [
        "1 ply" if count == 1 else f"{count} plies",
        units.show(stack.thickness, units.LENGTH),
    ]
    if laminate is not None and all(m.rho is not None for m in laminate.materials):
        words.append(units.show(laminate.areal_mass, units.AREAL_MASS))
        if all(m.price is not None for m in laminate.materials):
            words.append(f"cost {units.number(laminate.areal_cost)} per m²")
    words.append("symmetric" if is_symmetric(stack.plies) else "not symmetric")
    words.append(balance_words(laminate))
    return " · ".join(w for w in words if w)


BALANCED = 1e-9
"""Share of A16 and A26 of A11 and A22 below which a laminate is balanced."""


def balance_words(laminate: Laminate | None) -> str:
    """Whether stretching shears a laminate, by its stiffness, with the figure if it does."""
    if laminate is None:
        return ""
    A = laminate.A
    name, value = max((("A16", A[0, 2]), ("A26", A[1, 2])), key=lambda x: abs(float(x[1])))
    share = abs(float(value)) / float(max(A[0, 0], A[1, 1]))
    if share < BALANCED:
        return "balanced"
    direct = "A11" if A[0, 0] >= A[1, 1] else "A22"
    return f"not balanced, {name} {units.number(100 * share, 2)} % of {direct}"


def mass_of(laminate: Laminate | None) -> float | None:
    """Mass per area where every density is known [kg/m²]."""
    if laminate is None or any(m.rho is None for m in laminate.materials):
        return None
    return laminate.areal_mass


def couplings(laminate: Laminate) -> list[tuple[str, str]]:
    """Couplings in words: what happens, and how large it is against the direct terms."""
    found = describe_couplings(laminate)
    return found or [("No coupling to speak of,", f"all below {COUPLES:.0%} of the direct terms")]


CONSTANTS = (
    ("Ex", "E<sub>x</sub>"),
    ("Ey", "E<sub>y</sub>"),
    ("Gxy", "G<sub>xy</sub>"),
    ("nuxy", "ν<sub>xy</sub>"),
    ("nuyx", "ν<sub>yx</sub>"),
)
"""Engineering constants shown, and how they are written, as rich text."""

FORMS = ("membrane", "flexural", "kept flat")


def constants_of(laminate: Laminate) -> dict[tuple[str, str], float]:
    """Engineering constants in SI by symbol and form."""
    forms = (membrane(laminate), flexural(laminate), membrane(laminate, kept_flat=True))
    return {
        (field, form): float(getattr(found, field))
        for form, found in zip(FORMS, forms, strict=True)
        for field, _ in CONSTANTS
    }


def quantity_of(field: str) -> Quantity:
    """Kind of quantity of an engineering constant."""
    return units.MODULUS if field[0] in "EG" else units.RATIO


def change_words(now: float, then: float | None, quantity: Quantity) -> str:
    """Change against the baseline, such as "+1.2"; empty when there is none to speak of."""
    if then is None or not math.isfinite(now) or not math.isfinite(then):
        return ""
    change = (now - then) / quantity.scale
    if abs(now - then) <= 1e-9 * max(abs(now), abs(then)):
        return ""
    return ("+" if change > 0 else "") + units.number(change, 2)


def laminate_or_error(project: Design, stack: Stack) -> tuple[Laminate | None, TartanError | None]:
    """Laminate of a stack about its middle, or why there is none."""
    try:
        return laminate_for(stack, project.materials_of(stack)), None
    except TartanError as error:
        return None, error
