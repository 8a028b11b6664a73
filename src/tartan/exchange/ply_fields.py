"""Stresses and strains of plies as a table and as fields of a file, when they are asked for."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import DocumentError
from tartan.core.laminate.response import LEVELS
from tartan.exchange.maps.fields import FIELDS, View, values
from tartan.exchange.tables import Cell, Table
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.shellinputs import where_all
from tartan.project.document.model import Project
from tartan.project.findings.verdict import ply_words
from tartan.project.wording import units

Array = NDArray[np.float64]

KEYS = tuple(f.key for f in FIELDS if f.sort == "ply")
TITLES = {f.key: f for f in FIELDS}
STRESSES = ("s1", "s2", "t12", "t13", "t23")
STRAINS = ("e1", "e2", "g12")

MOST_ROWS = 1_000_000
"""Rows that a sheet can take."""


def ply_values(
    answer: PartAnswer, case: int, ply: int, level: int, keys: tuple[str, ...]
) -> Array:
    """Stresses [Pa] and strains of a ply at a level, shape (m, len(keys)); NaN where it is not."""
    name = answer.inputs.case_names[case]
    return np.stack(
        [values(answer, View(key, case=name, ply=ply, level=level)) for key in keys], axis=1
    )


def ply_fields(answer: PartAnswer) -> Iterator[tuple[str, Array]]:
    """Fields of every case, ply and level by name, shape (m, 5) of stresses and (m, 3) of strains.

    In material axes: σ1, σ2, τ12, τ13, τ23 [Pa], and ε1, ε2, γ12. Where a ply does not lie they
    are zero, since general viewers stumble over what is no number.
    """
    plies = range(len(answer.layout().laid))
    for case, name in enumerate(answer.inputs.case_names):
        for ply in plies:
            for level, words in enumerate(LEVELS):
                at = f"{name}: ply {ply + 1} {words}"
                for keys, what in ((STRESSES, "stress [Pa]"), (STRAINS, "strain [1]")):
                    found = ply_values(answer, case, ply, level, keys)
                    yield f"{at} {what}", np.nan_to_num(found)


def ply_table(project: Project, answer: PartAnswer, case: str = "") -> Table:
    """Stresses and strains of all plies of all elements in a case, in the units on show.

    Parameters
    ----------
    project, answer : Project, PartAnswer
        What is told of.
    case : str
        The case; the first where none of that name is solved.

    Raises
    ------
    DocumentError
        When a sheet cannot take so many rows.
    """
    names = answer.inputs.case_names
    number = names.index(case) if case in names else 0
    plies, count = len(answer.layout().laid), answer.layout().mesh.count
    zones = answer.layout().zones
    laid = [np.flatnonzero(np.isin(zones.zone, _with(answer, ply))) for ply in range(plies)]
    total = len(LEVELS) * sum(map(len, laid))
    if total > MOST_ROWS:
        raise DocumentError(
            f"The plies of {count} elements are {total:,} rows, more than a sheet takes.",
            "Ply stresses",
            "Save the fields with their plies as VTU instead.",
        )
    head = ("element", "where", "ply", "level", *(_head(k) for k in KEYS))
    places = where_all(answer.inputs, range(count))
    rows: list[tuple[Cell, ...]] = []
    for ply, here in enumerate(laid):
        words = ply_words(answer, ply)
        for level, at in enumerate(LEVELS):
            found = ply_values(answer, number, ply, level, KEYS)[here]
            found = found / [TITLES[k].quantity.scale for k in KEYS]
            rows += [
                (int(e) + 1, places[e], words, at, *line)
                for e, line in zip(here, found.tolist(), strict=True)
            ]
    return Table(f"ply stresses in {names[number]}", head, tuple(rows))


def _with(answer: PartAnswer, ply: int) -> list[int]:
    """Zones in which a ply of the lay-up lies."""
    return [i for i, plies in enumerate(answer.layout().zones.plies) if ply in plies]


def _head(key: str) -> str:
    field = TITLES[key]
    title = field.title.rpartition(" ")[2]
    return f"{title} [{field.quantity.unit}]" if field.quantity is not units.RATIO else title
