"""A spot of a solved part checked in three dimensions: what is cut out, and how that compares."""

from __future__ import annotations

from collections.abc import Generator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.laminate.loadcase import answer as laminate_answer
from tartan.core.laminate.stiffness import Laminate
from tartan.core.solid.divided import Piece
from tartan.core.solid.patch import Patch, SolidPatch, as_one, solve
from tartan.project.analysis.force_growth import across_in
from tartan.project.analysis.inputs import Layout
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.solids import Reserve, least_reserve, solid_materials
from tartan.project.findings.spot_cut import WHERE, Cutter
from tartan.project.findings.spot_laminate import spot_loads
from tartan.project.wording import units

Array = NDArray[np.float64]
Index = NDArray[np.int64]

WITHIN_PLY, PEEL, ACROSS_PLY = [0, 1, 3], 2, [4, 5]

FINE = 0.75
"""Thicknesses of the laminate that a solid may be long, as far as four along a side do."""

THICKNESSES = 5.0
"""Distance of the cut by default, in thicknesses of the laminate, and at least `ELEMENTS`."""

ELEMENTS = 3.0

NEARER = (1.0, 0.7, 0.5, 0.35, 0.25)
"""Shares of the usual distance that are tried where something lies within it."""

HALF = 0.5
"""Share of the distance by which its effect is told."""


@dataclass(frozen=True)
class SpotAsk:
    """What is asked.

    Attributes
    ----------
    element, case : int
        From 0.
    distance : float
        From the spot's element to the cut [m]; 0 for the usual.
    per_ply : int
        Solids through every ply.
    parts : int
        Solids along the side of an element: 1, 2 or 4; 0 for as many as its thickness asks for.
    assume : bool
        Whether missing constants are estimated.
    whole : bool
        Whether all of the part that has the spot's plies is made solid, whatever the distance.
    """

    element: int
    case: int
    distance: float = 0.0
    per_ply: int = 1
    parts: int = 0
    assume: bool = False
    whole: bool = False


@dataclass(frozen=True, eq=False)
class SpotQuestion:
    """What is solved, apart from the answer that it was cut from.

    Attributes
    ----------
    ask : SpotAsk
        As it was asked.
    patch, nearer : Patch
        The piece, and the one of half the distance; the latter None where that is too small.
    columns, nearer_columns : ndarray of int
        Quadrilaterals of the spot's element in each.
    shell, held : ndarray, shape (plies, 3, 6)
        Stresses of the shell in ply axes, and what of them stays where the rest is scaled; the
        latter None where nothing does [Pa].
    laminate : Laminate
        At the spot.
    sets : mapping
        Criteria.
    reach : float
        From the middle of the spot's element to the nearest node of the cut [m].
    plies : tuple of int
        Of the lay-up, bottom to top.
    words, assumed : tuple of str
        What is to be said of it; what was assumed.
    """

    ask: SpotAsk
    patch: Patch
    nearer: Patch | None
    columns: Index
    nearer_columns: Index
    shell: Array
    held: Array | None
    laminate: Laminate
    sets: Mapping[str, tuple[str, ...]]
    reach: float
    plies: tuple[int, ...]
    words: tuple[str, ...]
    assumed: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class SpotFound:
    """The spot three ways.

    Attributes
    ----------
    question : SpotQuestion
        What was solved.
    one, plies : ndarray, shape (plies, 3, 6)
        Stresses of one homogenised solid, and of solids ply by ply.
    reserves : tuple of Reserve or None
        Of the shell, of the one solid and of the solids ply by ply.
    nearer : Reserve or None
        Of the solids ply by ply with the cut at half the distance.
    """

    question: SpotQuestion
    one: Array
    plies: Array
    reserves: tuple[Reserve | None, ...]
    nearer: Reserve | None

    @property
    def stresses(self) -> tuple[Array, ...]:
        """Of the three ways."""
        return self.question.shell, self.one, self.plies


def usual_distance(layout: Layout, element: int) -> float:
    """How far away the cut is by default [m]."""
    size = float(np.sqrt(layout.mesh.areas()[element]))
    return max(THICKNESSES * layout.laminate(element).thickness, ELEMENTS * size)


def usual_parts(layout: Layout, element: int) -> int:
    """Solids along the side of an element by default."""
    size = float(np.sqrt(layout.mesh.areas()[element]))
    thick = FINE * layout.laminate(element).thickness
    return next((n for n in (1, 2) if size / n <= thick), 4)


def question_for(
    answer: PartAnswer, sets: Mapping[str, tuple[str, ...]], ask: SpotAsk
) -> SpotQuestion:
    """Cut a spot out of a solved part.

    Raises
    ------
    PartError
        A spot that cannot be cut out so, with what can be done instead.
    MaterialError
        A material without what three dimensions need, where nothing may be assumed.
    """
    layout = answer.layout()
    name = answer.inputs.case_names[ask.case]
    if name not in answer.inputs.solved_names:
        raise PartError(
            f"The forces of '{name}' come from another analysis, without movements to cut by.",
            WHERE,
            "Choose a case that is solved here, or try the forces in a coupon in Stacks.",
        )
    if ask.distance < 0 or not np.isfinite(ask.distance):
        raise PartError("The distance of the cut is none.", WHERE, "Enter a length.")
    thick = layout.laminate(ask.element).thickness
    if 0 < ask.distance < thick:
        raise PartError(
            f"The cut is nearer than the laminate is thick ({units.show(thick, units.LENGTH)}): "
            "what it does would reach the spot.",
            WHERE,
            "Enter a larger distance.",
        )
    if not 1 <= ask.per_ply <= 8 or ask.parts not in (0, 1, 2, 4):
        raise PartError(
            "So many solids cannot be.", WHERE, "Give 1 to 8 a ply, and 1, 2 or 4 a side."
        )
    distance = ask.distance or usual_distance(layout, ask.element)
    parts = ask.parts or (1 if ask.whole else usual_parts(layout, ask.element))
    materials, told = solid_materials(
        tuple(dict.fromkeys(layout.laminate(ask.element).materials)),
        assume=ask.assume,
        mend="let what lacks be assumed",
    )
    cutter = Cutter(answer, ask.element, ask.case, parts, materials)
    nearer, columns = None, np.zeros(0, np.int64)
    if ask.whole:
        patch, piece, words = cutter.whole(ask.per_ply)
    else:
        distance, patch, piece, words = _cut(cutter, distance, free=not ask.distance)
        try:
            nearer, near_piece, _ = cutter.cut(HALF * distance)
            columns = np.flatnonzero(near_piece.element == ask.element)
        except PartError:
            nearer = None
    centre = layout.mesh.centres()[ask.element]
    cut = patch.nodes[patch.cut]
    return SpotQuestion(
        ask,
        patch,
        nearer,
        np.flatnonzero(piece.element == ask.element),
        columns,
        *_shell_stress(answer, ask),
        cutter.laminate(ask.element),
        sets,
        float(np.linalg.norm(cut - centre, axis=1).min()),
        layout.plies(ask.element),
        words,
        told,
    )


def _cut(
    cutter: Cutter, distance: float, *, free: bool
) -> tuple[float, Patch, Piece, tuple[str, ...]]:
    """The piece within a distance; where that is `free` a smaller one if something lies in it."""
    refused: PartError | None = None
    for share in NEARER if free else (1.0,):
        try:
            patch, piece, words = cutter.cut(share * distance)
        except PartError as error:
            refused = refused or error
            continue
        if refused is not None:
            words = (
                *words,
                f"nearer than usual, as {refused.what[0].lower()}{refused.what[1:-1]}",
            )
        return share * distance, patch, piece, words
    assert refused is not None
    raise refused


def solved(question: SpotQuestion) -> Generator[str, None, SpotFound]:
    """Solve what was cut out; tells what it is at.

    Raises
    ------
    PartError, MaterialError, MechanismError
        As `tartan.core.solid.patch.solve`.
    """
    ask, laminate = question.ask, question.laminate
    yield "as one solid"
    one = _at(as_one(question.patch), question.columns)
    yield "as solids ply by ply"
    plies = _at(solve(question.patch, ask.per_ply), question.columns)
    nearer = None
    if question.nearer is not None:
        yield "with the cut at half the distance"
        small = _at(solve(question.nearer, ask.per_ply), question.nearer_columns)
        nearer = least_reserve(laminate, question.sets, small, question.held)
    reserves = tuple(
        least_reserve(laminate, question.sets, s, question.held)
        for s in (question.shell, one, plies)
    )
    return SpotFound(question, one, plies, reserves, nearer)


def _at(found: SolidPatch, columns: Index) -> Array:
    """Mean over the columns of the spot's element."""
    return np.asarray(np.mean([found.column(int(q)) for q in columns], axis=0))


def _shell_stress(answer: PartAnswer, ask: SpotAsk) -> tuple[Array, Array | None]:
    """What the shell says in the element's middle, in ply axes, and what of it stays."""
    layout = answer.layout()
    laminate = layout.laminate(ask.element)
    corners = 4 if ask.element < len(layout.mesh.quads) else 3
    total, held = np.zeros((2, laminate.count, 3, 6))
    for point in range(corners):
        found = laminate_answer(laminate, spot_loads(answer, ask.element, ask.case, point))
        total[..., WITHIN_PLY] += found.total.stress_12 / corners
        total[..., ACROSS_PLY] += found.shear / corners
        if found.residual is not None:
            held[..., WITHIN_PLY] += found.residual / corners
        if found.held_shear is not None:
            total[..., ACROSS_PLY] += found.held_shear / corners
            held[..., ACROSS_PLY] += found.held_shear / corners
    for into, stays in ((total, False), (held, True)):
        across = across_in(answer, ask.case, element=ask.element, held=stays)
        if across is not None:
            into[..., PEEL] = across.stress(laminate, np.zeros(1, np.int64))[0]
    return total, held if held.any() else None
