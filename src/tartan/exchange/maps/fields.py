"""Values of every element: whatever a map can show, or a file of fields can hold.

All but the envelopes are linear in the eight section strains, so one small operator per zone
serves a whole part.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.across import across_at
from tartan.core.laminate.response import (
    Load,
    free_resultants,
    free_stress,
    level_heights,
    shears_at,
)
from tartan.core.laminate.stiffness import Laminate
from tartan.project.analysis.force_growth import across_in, growth_in
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.findings.chosen_margins import EVERYTHING, Ask, margins_for, remembered
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

Array = NDArray[np.float64]
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


TRACE = 1e-9
"""Share of the largest of its kind below which a figure is rounding, and zero."""


def _size(answer: PartAnswer, case: int, key: str, at: tuple[int, int]) -> float:
    """Largest figure in a case of what a field is to be held against.

    Stresses between plies are held against those in the plies, curvatures by the thickness
    against strains: alone, what is only rounding would be drawn as large as anything.
    """

    def make() -> float:
        if key in _PLY_KEYS:
            kind = ("e1", "e2", "g12") if key[0] in "eg" else ("s1", "s2", "t12", "t13", "t23")
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


def _zones(answer: PartAnswer) -> Iterator[tuple[Laminate, tuple[int, ...], NDArray[np.int64]]]:
    """Zones laid from one side, with their elements; those that have some."""
    zones = answer.layout().sided
    for number, (laminate, plies) in enumerate(zip(zones.laminates, zones.plies, strict=True)):
        here = np.flatnonzero(zones.zone == number)
        if len(here):
            yield laminate, plies, here


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
        strains = mean_strains(answer, case)
        found = np.zeros_like(strains)
        heats, signs = _heats(answer, case), answer.layout().signs
        for laminate, _, here in _zones(answer):
            found[here, :6] = strains[here, :6] @ laminate.ABD.T
            found[here, 6:] = strains[here, 6:] @ laminate.shear.T
            heat = heats[float(signs[here[0]])]
            if heat is not None:
                found[here, :6] -= free_resultants(laminate, heat)
        return found

    return remembered(answer, ("section forces", case), make)


def _heats(answer: PartAnswer, case: int) -> dict[float, Load | None]:
    """Temperature of a case by the side that elements are laid on: looked up once, not by zone."""
    signs = answer.layout().signs
    return {float(signs[e]): answer.heat(case, int(e)) for e in {signs.argmin(), signs.argmax()}}


def ply_operator(laminate: Laminate, place: int, level: int, key: str) -> Array:
    """What a field of a ply is per section strain, shape (8,)."""
    if key in ("s1", "s2", "t12"):
        row = laminate.Q[place, ("s1", "s2", "t12").index(key)] @ laminate.T[place]
    else:
        row = laminate.T[place, ("e1", "e2", "g12").index(key)]
    return np.concatenate([row, level_heights(laminate)[place, level] * row, np.zeros(2)])


def _of_ply(answer: PartAnswer, case: int, ply: int, level: int, key: str) -> Array:
    if key == "s3":
        return _across(answer, case, ply, level)
    if key in ("t13", "t23"):
        return _sheared(answer, case, ply, level)[:, ("t13", "t23").index(key)]
    strains = mean_strains(answer, case)
    found = np.full(len(strains), np.nan)
    heats, signs = _heats(answer, case), answer.layout().signs
    for laminate, plies, here in _zones(answer):
        if ply not in plies:
            continue
        place = plies.index(ply)
        found[here] = strains[here] @ ply_operator(laminate, place, level, key)
        heat = heats[float(signs[here[0]])]
        if heat is not None and key in ("s1", "s2", "t12"):
            found[here] -= free_stress(laminate, heat)[
                place, level, ("s1", "s2", "t12").index(key)
            ]
    return found


def _sheared(answer: PartAnswer, case: int, ply: int, level: int) -> Array:
    """τ13 and τ23 of a ply at a level, shape (m, 2); NaN where it does not lie."""
    strains = mean_strains(answer, case)
    growth = remembered(answer, ("growth", case), lambda: growth_in(answer, case))
    acting = np.concatenate([strains[:, 6:], growth], axis=1)
    found = np.full((len(strains), 2), np.nan)
    # Draped parts have as many zones as elements: all of them are worked out at once.
    there = [(x, plies.index(ply), here) for x, plies, here in _zones(answer) if ply in plies]
    if there:
        every = shears_at([x for x, _, _ in there], [p for _, p, _ in there], level)
        for operator, (_, _, here) in zip(every, there, strict=True):
            found[here] = acting[here] @ operator.T
    return found


def _across(answer: PartAnswer, case: int, ply: int, level: int) -> Array:
    """Stress across the plies; NaN where forces come from another analysis."""
    found = np.full(answer.layout().mesh.count, np.nan)
    across = remembered(answer, ("across", case), lambda: across_in(answer, case))
    if across is None:
        return found
    acting = across.acting
    there = [(x, plies.index(ply), here) for x, plies, here in _zones(answer) if ply in plies]
    rows = across_at([x for x, _, _ in there], [p for _, p, _ in there], level)
    for row, (_, _, here) in zip(rows, there, strict=True):
        found[here] = acting[here] @ row - across.faces[here, 0]
    return found
