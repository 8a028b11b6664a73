"""Fields of what sizing may change: whether it may, what it may be, and with what it is linked."""

from __future__ import annotations

import math
import re
from dataclasses import replace
from itertools import pairwise

from tartan.core.errors import StackError, TartanError
from tartan.exchange.tables import Table as DataTable
from tartan.pages.fields import Flag, Line, Parsed, Said, Table, Text, Unit
from tartan.pages.shown import Look
from tartan.project.document.model import Project
from tartan.project.document.sizingmodel import SizeFound, SizeStep, SizeVariable
from tartan.project.edits.sizing_edits import MOST_VALUES
from tartan.project.findings.size_words import met, variable_words
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

QUANTITIES: dict[str, Quantity] = {
    "plies": units.RATIO,
    "core": units.LENGTH,
    "laid": units.RATIO,
    "angle": units.ANGLE,
}

STEPS = {"plies": 1.0, "angle": 15.0}
"""Steps of a range in which none is given, in SI."""

TIPS = {
    "plies": "How many plies there may be, such as 1 to 6, or 2, 4, 8",
    "core": "Thicknesses that can be bought, such as 6, 8, 12",
    "laid": "It may be left out",
    "angle": "Angles it may lie at, such as −45 to 45 by 15",
}


def values_text(variable: SizeVariable) -> str:
    """Values as they are shown and typed, in the display unit."""
    scale = QUANTITIES[variable.kind].scale
    shown = [v / scale for v in variable.values]
    step = STEPS.get(variable.kind, 0.0) / scale
    gaps = {round(b - a, 9) for a, b in pairwise(shown)}
    first, last = (units.number(x).replace("−", "-") for x in (shown[0], shown[-1]))
    if len(shown) > 3 and len(gaps) == 1:
        gap = gaps.pop()
        same = step and abs(gap - step) < 1e-9
        return f"{first} to {last}" + ("" if same else f" by {units.number(gap)}")
    return ", ".join(units.number(x).replace("−", "-") for x in shown)


def values_of(kind: str, text: str) -> tuple[float, ...]:
    """Values from words: ``1 to 6``, ``-45 to 45 by 15``, or a list.

    Raises
    ------
    StackError
        What is no value, or too many of them.
    """
    quantity = QUANTITIES[kind]
    plain = text.replace("−", "-").replace("°", " ").strip()
    span = re.fullmatch(r"(.+?)\s+to\s+(.+?)(?:\s+by\s+(.+))?", plain)
    if span is None:
        words = [w for w in re.split(r"[,;\s]+", plain) if w]
        return tuple(sorted({_value(w, quantity) for w in words}))
    low, high = (_value(w, quantity) for w in span.groups()[:2])
    step = _value(span.group(3), quantity) if span.group(3) else STEPS.get(kind, 0.0)
    if not step > 0 or high < low:
        raise StackError(
            f"'{text}' never comes to its end.", "Sizing", "Write it as 6 to 12 by 2, least first."
        )
    count = math.floor((high - low) / step * (1 + 1e-9) + 1e-9) + 1
    if count > MOST_VALUES:
        raise StackError(
            f"'{text}' has {count} values.", "Sizing", f"Give at most {MOST_VALUES} of them."
        )
    return tuple(round(low + k * step, 12) for k in range(count))


def _value(word: str, quantity: Quantity) -> float:
    try:
        return units.parse(word.strip(), quantity)
    except TartanError as error:
        raise StackError(
            f"'{word.strip()}' is no value.", "Sizing", "Give values such as 1 to 6, or 2, 4, 8."
        ) from error


def variable_fields(project: Project, variable: SizeVariable) -> Table:
    """Fields of a variable: a mark with its words, then its values and its link."""
    kind = variable.kind
    words = variable_words(project, variable)
    on = Flag("active", words, f"{words} may change", TIPS[kind])
    link = Text("link", f"link of {words}", wide=40)
    if kind == "laid":
        return (Line((on, None)),)
    values = Parsed(
        "values",
        lambda text: values_of(kind, text),
        lambda values: values_text(replace(variable, values=values)),
        f"values of {words}",
        TIPS[kind],
        wide=118,
    )
    unit: tuple[object, ...] = () if kind == "plies" else (Unit(QUANTITIES[kind]),)
    linked = Said("linked as", "What has the same word here takes the same value")
    return (
        Line((on, None)),
        Line((20, values, *unit, None, linked, link)),  # type: ignore[arg-type]
    )


def changes_looks(table: DataTable) -> list[list[Look | None]]:
    """How the table of changes is shown: what changed in the accent, long words as tips."""
    return [
        [
            Look(str(what), tip=str(what)),
            None,
            Look(str(after), "accent" if after != before else "ink"),
            Look(str(why), tip=str(why)),
        ]
        for what, before, after, why in table.rows
    ]


def needs_looks(found: SizeFound, chosen: SizeStep, table: DataTable) -> list[list[Look | None]]:
    """How the table of requirements is shown: what is missed in the ink of what fails."""
    count = len(found.requirements)
    states: list[tuple[bool, bool]] = [(True, True)] * (len(table.rows) - count)
    states += [
        (met(r, old), met(r, new))
        for r, old, new in zip(
            found.requirements, found.before.figures, chosen.figures, strict=True
        )
    ]
    return [
        [
            Look(str(words), tip=str(words)),
            *(
                Look(str(cell), "ink" if well else "fails")
                for cell, well in zip(cells, state, strict=True)
            ),
        ]
        for (words, *cells), state in zip(table.rows, states, strict=False)
    ]
