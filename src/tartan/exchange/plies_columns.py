"""Which columns of a table of plies are what: by their heads, or by what stands in them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from tartan.core.errors import StackError
from tartan.exchange.tables import column_of
from tartan.project.wording import units

ROLES = ("number", "angle", "material", "thickness")
"""What a column of plies can be; the number of a ply is passed over."""

WORDS = {
    "angle": ("angle", "orientation", "theta", "θ", "direction", "fibre angle", "fiber angle"),
    "material": ("material", "mat", "fabric", "type"),
    "thickness": ("thickness", "t", "cpt", "ply thickness", "thk"),
    "number": ("ply", "no", "no.", "nr", "number", "#", "layer", "ply number", "id", "ply no"),
}
"""Heads that are understood, in small letters."""

THICK = 20e-3
"""Plies are thinner than this; what is larger in such a column are degrees [m]."""

_FIGURE = re.compile(r"[-+−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][-+]?\d+)?\s*(.*)")


@dataclass(frozen=True)
class Understood:
    """What the columns of a table were taken for.

    Attributes
    ----------
    columns : tuple of (str, str)
        Role and unit of each; an empty role is passed over.
    first : int
        Row at which the plies begin, from 0.
    by_head : bool
        Whether a head named them.
    """

    columns: tuple[tuple[str, str], ...]
    first: int
    by_head: bool

    @property
    def words(self) -> str:
        """The columns in words, such as "ply number, angle [°], thickness [mm]"."""
        said = []
        for role, unit in self.columns:
            shown = {"angle": unit or "°", "thickness": unit or units.LENGTH.unit}.get(role, "")
            name = {"number": "ply number (passed over)", "": "passed over"}.get(role, role)
            said.append(f"{name} [{shown}]" if shown else name)
        return ", ".join(said)


def understand(rows: Sequence[Sequence[str]], where: str) -> Understood:
    """Say what the columns of a table of plies are.

    Raises
    ------
    StackError
        When there are no rows, no column can be the angle, or several could be.
    """
    if not rows:
        raise StackError("There are no plies.", where, "Give rows of angle, material, thickness.")
    head = _by_head(rows[0], where)
    if head is not None:
        return Understood(head, 1, by_head=True)
    return Understood(_by_content(rows, where), 0, by_head=False)


def _role_of(name: str) -> str:
    return next((role for role, words in WORDS.items() if name.casefold().strip() in words), "")


def _by_head(cells: Sequence[str], where: str) -> tuple[tuple[str, str], ...] | None:
    """Columns by a head; None where the first row is none."""
    found = [(_role_of(name), unit) for name, unit in map(column_of, cells)]
    if not any(role for role, _ in found) or any(_figure(c) is not None for c in cells):
        return None
    roles = [role for role, _ in found if role]
    if "angle" not in roles:
        raise StackError(
            "There is no column 'angle'.",
            f"{where}, row 1",
            "Name the columns angle, material, thickness.",
        )
    twice = next((r for r in roles if roles.count(r) > 1), "")
    if twice:
        raise StackError(
            f"Two columns are called {twice}.", f"{where}, row 1", "Name each column once."
        )
    return tuple(found)


def _figure(cell: str) -> tuple[float, str] | None:
    """Number and unit of a cell, if it is one."""
    found = _FIGURE.fullmatch(cell.strip())
    if not found:
        return None
    number = cell.strip()[: len(cell.strip()) - len(found[1])].strip()
    return float(number.replace("−", "-").replace(",", ".")), found[1]


def _by_content(rows: Sequence[Sequence[str]], where: str) -> tuple[tuple[str, str], ...]:
    width = max(len(row) for row in rows)
    columns = [[row[j].strip() if j < len(row) else "" for row in rows] for j in range(width)]
    roles = [""] * width
    numeric = []
    for j, cells in enumerate(columns):
        filled = [c for c in cells if c]
        if not filled:
            continue
        figures = [_figure(c) for c in filled]
        # One slip among figures is told with its row, not taken for a material.
        if 2 * sum(f is not None for f in figures) > len(filled):
            numeric.append(j)
        elif "material" not in roles:
            roles[j] = "material"
    if len(numeric) > 1 and _counts(columns[numeric[0]]):
        roles[numeric.pop(0)] = "number"
    thick = [j for j in numeric if _may_be_thickness(columns[j])]
    if len(numeric) == 1:
        roles[numeric[0]] = "angle"
    elif len(numeric) == 2 and thick:
        # Of two that might both be, the sequence of the trade has the thickness last.
        roles[thick[-1]] = "thickness"
        roles[next(j for j in numeric if j != thick[-1])] = "angle"
    elif not numeric:
        # Read in the usual order, the first cell that is no angle is told.
        return tuple((role, "") for role in ("angle", "material", "thickness", *roles)[:width])
    else:
        raise StackError(
            f"There are {len(numeric)} columns of figures, and which is the angle cannot be told.",
            where,
            "Put a row of heads above: angle, material, thickness.",
        )
    return tuple((role, "") for role in roles)


def _counts(cells: Sequence[str]) -> bool:
    """Whether a column counts plies: 1, 2, 3 … or backwards."""
    values = [f[0] if (f := _figure(c)) and not f[1] else None for c in cells]
    up = [float(i) for i in range(1, len(cells) + 1)]
    return len(cells) > 1 and values in (up, up[::-1])


def _may_be_thickness(cells: Sequence[str]) -> bool:
    """Whether all figures of a column could be ply thicknesses in the display unit."""
    found = [f for c in cells if (f := _figure(c)) is not None]
    lengths = [v * units.LENGTH.scale for v, unit in found if unit not in ("°", "deg")]
    return bool(found) and len(lengths) == len(found) and all(0 < x <= THICK for x in lengths)
