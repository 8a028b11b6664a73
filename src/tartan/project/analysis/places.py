"""A place of a solved part at which a reserve factor is derived."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.margins import Within
from tartan.core.shell.sensitivity.place import Place
from tartan.core.strength.laminate_reserves import Beside
from tartan.project.analysis.core_pressure import beside_of
from tartan.project.analysis.force_growth import growth_at, shears_plies
from tartan.project.analysis.gradients import ReserveAt
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.superposition import heats_in, scheme_of

Array = NDArray[np.float64]


def place_of(answer: PartAnswer, asked: ReserveAt) -> Place:
    """The place of a reserve factor, with what stresses it."""
    layout, inputs = answer.layout(), answer.inputs
    zone = int(layout.zones.zone[asked.element])
    grows, stays = heats_in(inputs, asked.case)
    held = bool(scheme_of(inputs).held[asked.case].any())
    strains = answer.solution.strains[asked.case, asked.element, asked.point]
    resting = answer.resting[asked.case, asked.element, asked.point] if held else None
    sign = answer.sign(asked.element)
    outside = beside_of(inputs, layout)
    beside = None
    if outside is not None:
        e = asked.element
        beside = Beside(
            outside.press[asked.case, e], outside.held[asked.case, e], outside.curved[e]
        )
    within = Within(
        (layout.zones.plies[zone].index(asked.ply),), (asked.level,), (asked.criterion,)
    )
    growth: tuple[Array | None, Array | None] = (None, None)
    if shears_plies(inputs, within):
        growth = growth_at(answer, asked.element, asked.case)
    return Place(
        layout.zones.laminates[zone],
        within,
        inputs.criteria.sets,
        strains if resting is None else strains - resting,
        resting,
        None if stays is None else stays.on(sign),
        None if grows is None else grows.on(sign),
        beside,
        *growth,
    )
