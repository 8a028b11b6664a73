"""Values of every element: whatever a map can show, or a file of fields can hold.

All but the envelopes are linear in the eight section strains, so one small operator per zone
serves a whole part.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.across import across_at
from tartan.core.laminate.one_ply import free_stresses_at, shears_at, strains_at, stresses_at
from tartan.core.laminate.response import free_resultants_of
from tartan.core.laminate.stiffness import Laminate, shears_of
from tartan.project.analysis.force_growth import across_in, growth_in
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.findings.chosen_margins import EVERYTHING, Ask, margins_for, remembered
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Sort = Literal["envelope", "category", "motion", "section", "ply"]


@dataclass(frozen=True)
class Field:
    """A quantity that every element has.

    Attributes
    ----------
    key : str
        Its name in files, and for whoever asks.
    title : str
        Its name in words and symbols.
    sort : {"envelope", "category", "motion", "section", "ply"}
        What it depends on: a choice of plies and cases; that, but as a name; a case; a case; or
        a case, a ply and a level.
    quantity : Quantity
        Its kind.
    signed : bool
        Whether zero lies in the middle of its colours.
    """

    key: str
    title: str
    sort: Sort
    quantity: Quantity = units.RATIO
    signed: bool = True


_SECTION = (
    *(
        Field(k, f"section strain {t}", "section", units.STRAIN)
        for k, t in (("ex", "εx"), ("ey", "εy"), ("gxy", "γxy"))
    ),
    *(
        Field(k, f"curvature {t}", "section", units.CURVATURE)
        for k, t in (("kx", "κx"), ("ky", "κy"), ("kxy", "κxy"))
    ),
    *(
        Field(k, f"section strain {t}", "section", units.STRAIN)
        for k, t in (("gxz", "γxz"), ("gyz", "γyz"))
    ),
)
_FORCES = (
    *(Field(k, f"section force {k}", "section", units.LINE_FORCE) for k in ("Nx", "Ny", "Nxy")),
    *(Field(k, f"section moment {k}", "section", units.LINE_MOMENT) for k in ("Mx", "My", "Mxy")),
    *(Field(k, f"transverse force {k}", "section", units.LINE_FORCE) for k in ("Qx", "Qy")),
)
_PLY = (
    *(
        Field(k, f"ply stress {t}", "ply", units.STRESS)
        for k, t in (("s1", "σ₁"), ("s2", "σ₂"), ("t12", "τ₁₂"))
    ),
    *(
        Field(k, f"ply strain {t}", "ply", units.STRAIN)
        for k, t in (("e1", "ε₁"), ("e2", "ε₂"), ("g12", "γ₁₂"))
    ),
    *(
        Field(k, f"interlaminar shear {t}", "ply", units.STRESS)
        for k, t in (("t13", "τ₁₃"), ("t23", "τ₂₃"))
    ),
    Field("s3", "stress across plies σ₃", "ply", units.STRESS),
)

FIELDS: tuple[Field, ...] = (
    Field("reserve", "reserve factor", "envelope"),
    Field("margin", "margin of safety", "envelope"),
    Field("index", "failure index", "envelope"),
    Field("ply", "governing ply", "category"),
    Field("mode", "governing mode", "category"),
    Field("case", "governing case", "category"),
    Field("criterion", "governing criterion", "category"),
    Field("u", "displacement", "motion", units.LENGTH, signed=False),
    Field("un", "displacement along the normal", "motion", units.LENGTH),
    Field("ux", "displacement along x", "motion", units.LENGTH),
    Field("uy", "displacement along y", "motion", units.LENGTH),
    Field("uz", "displacement along z", "motion", units.LENGTH),
    *_PLY,
    *_SECTION,
    *_FORCES,
)
"""All that can be shown, in the order of the chooser."""

_STRAINS, _STRESSES, _SHEARS = ("e1", "e2", "g12"), ("s1", "s2", "t12"), ("t13", "t23")
_PLY_KEYS = frozenset(f.key for f in _PLY)
BY_KEY = {f.key: f for f in FIELDS}
BY_TITLE = {f.title: f for f in FIELDS}


@dataclass(frozen=True)
class View:
    """What is looked at.

    Attributes
    ----------
    field : str
        Key of the field.
    ask : Ask
        What an envelope is taken over.
    case : str
        Case of all other fields.
    ply, level : int
        Ply of the lay-up and level of a ply's field, from 0.
    """

    field: str = "reserve"
    ask: Ask = EVERYTHING
    case: str = ""
    ply: int = 0
    level: int = 2


def reads_growth(key: str) -> bool:
    """Whether a field is made of slopes of section forces, which take a while the first time."""
    return next((make for make, keys in _BY_PLY if key in keys), None) in (_sheared, _across)


def values(answer: PartAnswer, view: View) -> Array:
    """Values of a field that is no name, shape (m,), in SI; NaN where there are none.

    Strains and stresses are means of an element's sampling points.
    """
    field = BY_KEY[view.field]
    if field.sort == "envelope":
        return _envelope(answer, field.key, view.ask)
    names = answer.inputs.case_names
    case = names.index(view.case) if view.case in names else 0
    if field.sort == "motion":
        return _motion(answer, case, field.key)
    if field.sort == "section":
        found = _section(answer, case, field)
    else:
        found = _of_ply(answer, case, view.ply, view.level, field.key)
    size = _size(answer, case, field.key, (view.ply, view.level))
    return np.where(np.abs(found) < TRACE * size, 0.0, found)


PLIES = 4
"""Plies at a level of which fields are remembered: of a large part each takes some megabytes."""

PIECE = 8192
"""Elements that are worked out at once, each with an operator of its own."""

TRACE = 1e-9
"""Share of the largest of its kind below which a figure is rounding, and zero."""


def _size(answer: PartAnswer, case: int, key: str, at: tuple[int, int]) -> float:
    """Largest figure in a case of what a field is to be held against.

    Stresses between plies are held against those in the plies, curvatures by the thickness
    against strains: alone, what is only rounding would be drawn as large as anything.
    """

    def make() -> float:
        if key in _PLY_KEYS:
            kind = _STRAINS if key[0] in "eg" else (*_STRESSES, *_SHEARS)
            return max(_largest(_of_ply(answer, case, *at, k)) for k in kind)
        thick = max(x.thickness for x in answer.layout().zones.laminates)
        forces = key[0] in "NMQ"
        found = section_forces(answer, case) if forces else mean_strains(answer, case)
        own = _largest(found[:, 3:6])
        flat = max(_largest(found[:, :3]), _largest(found[:, 6:]))
        if key[0] == "M":
            return max(own, flat * thick)
        return (
            max(own, flat / thick)
            if key[0] == "k"
            else max(flat, own / thick if forces else own * thick)
        )

    group = key[0] if key not in _PLY_KEYS else ("strain" if key[0] in "eg" else "stress", at)
    return remembered(answer, ("size", case, group), make)


def _largest(values: Array) -> float:
    return float(np.nanmax(np.abs(values), initial=0.0))


def _envelope(answer: PartAnswer, key: str, ask: Ask) -> Array:
    margins = margins_for(answer, ask)
    if key == "index":
        return margins.index
    reserve = np.where(margins.judged, margins.reserve, np.nan)
    return reserve - 1 if key == "margin" else reserve


def mean_strains(answer: PartAnswer, case: int) -> Array:
    """Section strains of a case, mean of an element's sampling points, shape (m, 8)."""

    def make() -> Array:
        return answer.layout().mesh.point_mean(answer.solution.strains[case])

    return remembered(answer, ("mean strains", case), make)


def _motion(answer: PartAnswer, case: int, key: str) -> Array:
    mesh = answer.layout().mesh
    u = answer.solution.displacement[case, :, :3]
    if case >= len(answer.inputs.solved_names):
        return np.full(mesh.count, np.nan)
    if key == "u":
        return np.asarray(np.linalg.norm(u, axis=1)[mesh.corner_table].mean(axis=1))
    mean = u[mesh.corner_table].mean(axis=1)
    if key == "un":
        return np.asarray((mean * mesh.normals()).sum(axis=1))
    return np.asarray(mean[:, "xyz".index(key[1])])


@dataclass(frozen=True, eq=False)
class _Lying:
    """A ply of the lay-up where it lies.

    Attributes
    ----------
    laminates, places : list
        Zones that have it, laid from one side, and its place in each.
    numbers : list of int
        Their numbers among all.
    elements, which : ndarray of int, shape (q,)
        Elements that have it, and which of these zones each is in.
    """

    laminates: list[Laminate]
    places: list[int]
    numbers: list[int]
    elements: Index
    which: Index


def _lying(answer: PartAnswer, ply: int) -> _Lying:
    zones = answer.layout().sided
    numbers = [k for k, plies in enumerate(zones.plies) if ply in plies]
    local = np.full(len(zones.laminates), -1)
    local[numbers] = np.arange(len(numbers))
    which = local[zones.zone]
    elements = np.flatnonzero(which >= 0)
    return _Lying(
        [zones.laminates[k] for k in numbers],
        [zones.plies[k].index(ply) for k in numbers],
        numbers,
        elements,
        which[elements],
    )


def _applied(operators: Array, which: Index, acting: Array) -> Array:
    """What operators of zones, shape (k, i, j), make of what acts in elements, shape (q, j)."""
    if len(operators) == 1:
        return np.asarray(acting @ operators[0].T)
    found = np.empty((len(acting), operators.shape[1]))
    for first in range(0, len(acting), PIECE):
        some = slice(first, first + PIECE)
        np.einsum("mij,mj->mi", operators[which[some]], acting[some], out=found[some])
    return found


def _section(answer: PartAnswer, case: int, field: Field) -> Array:
    strains = mean_strains(answer, case)
    if field in _SECTION:
        return np.asarray(strains[:, _SECTION.index(field)])
    return section_forces(answer, case)[:, _FORCES.index(field)]


def section_forces(answer: PartAnswer, case: int) -> Array:
    """N, M and Q of a case in every element, shape (m, 8) [N/m, N, N/m].

    A temperature is taken off: the forces are those that the section carries.
    """

    def make() -> Array:
        strains, zones = mean_strains(answer, case), answer.layout().sided
        ABD = np.array([x.ABD for x in zones.laminates])
        found = np.empty_like(strains)
        found[:, :6] = _applied(ABD, zones.zone, strains[:, :6])
        found[:, 6:] = _applied(shears_of(zones.laminates), zones.zone, strains[:, 6:])
        heats = answer.heats(case)
        if heats:
            found[:, :6] -= free_resultants_of(zones.laminates, heats)[zones.zone]
        return found

    return remembered(answer, ("section forces", case), make)


def _of_ply(answer: PartAnswer, case: int, ply: int, level: int, key: str) -> Array:
    """A field of a ply; every reading on a map asks for all of it, so that it is remembered."""
    make, keys = next((m, k) for m, k in _BY_PLY if key in k)
    name = f"ply by {make.__name__}"
    found = remembered(
        answer, (name, case, ply, level), lambda: make(answer, case, ply, level), most=PLIES
    )
    return found[:, keys.index(key)]


def _in_plane(answer: PartAnswer, case: int, ply: int, level: int) -> Array:
    """Strains and stresses in the axes of a ply, shape (m, 6); NaN where it does not lie."""
    strains, at = mean_strains(answer, case), _lying(answer, ply)
    found = np.full((len(strains), 6), np.nan)
    given = at.laminates, at.places, level
    operators = np.concatenate([strains_at(*given), stresses_at(*given)], axis=1)
    own = _applied(operators, at.which, strains[at.elements])
    heats = answer.heats(case)
    if heats:
        own[:, 3:] -= free_stresses_at(*given, [heats[k] for k in at.numbers])[at.which]
    found[at.elements] = own
    return found


def _sheared(answer: PartAnswer, case: int, ply: int, level: int) -> Array:
    """τ13 and τ23 of a ply at a level, shape (m, 2); NaN where it does not lie."""
    strains = mean_strains(answer, case)
    growth = remembered(answer, ("growth", case), lambda: growth_in(answer, case))
    acting = np.concatenate([strains[:, 6:], growth], axis=1)
    found = np.full((len(strains), 2), np.nan)
    at = _lying(answer, ply)
    operators = shears_at(at.laminates, at.places, level)
    found[at.elements] = _applied(operators, at.which, acting[at.elements])
    return found


def _across(answer: PartAnswer, case: int, ply: int, level: int) -> Array:
    """Stress across the plies, shape (m, 1); NaN where forces come from another analysis."""
    found = np.full((answer.layout().mesh.count, 1), np.nan)
    across = remembered(answer, ("across", case), lambda: across_in(answer, case))
    if across is None:
        return found
    at = _lying(answer, ply)
    rows = across_at(at.laminates, at.places, level)
    own = _applied(rows[:, None], at.which, across.acting[at.elements])
    found[at.elements] = own - across.faces[at.elements, :1]
    return found


_BY_PLY = (
    (_in_plane, (*_STRAINS, *_STRESSES)),
    (_sheared, _SHEARS),
    (_across, ("s3",)),
)
"""What works out fields of a ply, and which."""
