"""Several places of a part in one chart: a result through the thickness, or ply by ply."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import TartanError
from tartan.exchange.tables import Table
from tartan.pages import margins
from tartan.pages.margins import Picked
from tartan.project.analysis.inputs import where_words
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.document.model import Project
from tartan.project.wording import units

Array = NDArray[np.float64]

MOST = 6
"""Places kept at a time; more curves are not told apart."""


@dataclass(frozen=True)
class KeptSpot:
    """A place that is kept: where it is on the part, so that it outlives a mesh, and its case.

    Attributes
    ----------
    centre : tuple of float
        Middle of its element [m].
    case : str
        Name of the case.
    """

    centre: tuple[float, float, float]
    case: str


@dataclass(frozen=True, eq=False)
class SpotCurve:
    """A result at a place.

    Attributes
    ----------
    words : str
        Where it is, and the case.
    plies : ndarray of int, shape (q,)
        Number in the lay-up, from 1, of the ply each value belongs to.
    places : ndarray of int, shape (q,)
        Place in the element's stack, from 1, bottom to top.
    heights : ndarray, shape (q,)
        Above the bottom of the laminate, in the unit of lengths.
    even : ndarray, shape (q,)
        The same with every ply one high, so that plies beside a thick core are seen.
    values : ndarray, shape (q,)
        In the unit of the result.
    """

    words: str
    plies: NDArray[np.int64]
    places: NDArray[np.int64]
    heights: Array
    even: Array
    values: Array


@dataclass(frozen=True, eq=False)
class Compared:
    """What a chart of several places shows; `missing` says which cannot be, and why."""

    title: str
    unit: str
    curves: tuple[SpotCurve, ...]
    missing: tuple[str, ...]


def keep(answer: PartAnswer, at: Picked) -> KeptSpot:
    """Keep a picked place."""
    x, y, z = answer.layout().mesh.centres()[at.element]
    return KeptSpot((float(x), float(y), float(z)), answer.inputs.case_names[at.case])


def compare(project: Project, answer: PartAnswer, spots: Sequence[KeptSpot], key: str) -> Compared:
    """A result at several places, each read at the element nearest to where it was kept."""
    title, unit, curves, missing = "", "", [], []
    centres = answer.layout().mesh.centres()
    for number, spot in enumerate(spots, start=1):
        if spot.case not in answer.inputs.case_names:
            missing.append(f"place {number}: there is no case '{spot.case}' any more")
            continue
        element = int(np.linalg.norm(centres - spot.centre, axis=1).argmin())
        case = answer.inputs.case_names.index(spot.case)
        try:
            found = margins.section_at(project, answer, element, case, (key,))
        except TartanError as error:
            missing.append(f"place {number}: {error}")
            continue
        if not found.columns:
            missing.append(f"place {number}: no ply has this result")
            continue
        column = found.columns[0]
        title, unit = column.title, column.unit
        words = f"{number} · {where_words(answer.inputs, element)} · {spot.case}"
        curves.append(_curve(words, answer, element, column.values))
    return Compared(title, unit, tuple(curves), tuple(missing))


def _curve(words: str, answer: PartAnswer, element: int, values: Array) -> SpotCurve:
    layout = answer.layout()
    numbers = layout.plies(element)
    thickness = np.array([p.thickness for p in layout.local_plies(element)])
    thickness = thickness / units.LENGTH.scale
    bottom = np.concatenate([[0.0], np.cumsum(thickness)[:-1]])
    # Profiles have three levels a ply, reserve factors one value, which stands at its middle.
    levels = np.array([0.0, 0.5, 1.0]) if values.ndim == 2 else np.array([0.5])
    heights = (bottom[:, None] + thickness[:, None] * levels).ravel()
    repeat = len(levels)
    return SpotCurve(
        words,
        np.repeat(np.array(numbers, np.int64) + 1, repeat),
        np.repeat(np.arange(1, len(numbers) + 1), repeat),
        heights,
        (np.arange(len(numbers))[:, None] + levels).ravel(),
        np.asarray(values, float).ravel(),
    )


def as_table(found: Compared) -> Table:
    """All curves as rows, to be taken to a spreadsheet."""
    rows = tuple(
        (c.words, int(c.plies[i]), float(c.heights[i]), float(c.values[i]))
        for c in found.curves
        for i in range(len(c.values))
    )
    unit = f" [{found.unit}]" if found.unit else ""
    head = ("place", "ply", f"height [{units.LENGTH.unit}]", f"{found.title}{unit}")
    return Table("places compared", head, rows)
