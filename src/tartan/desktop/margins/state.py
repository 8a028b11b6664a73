"""What the Margins station shows: maps over elements, hot spots, and the section at a spot. No Qt.

Everything is derived from the stored section strains when asked.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import (
    free_stress,
    shear_from_section,
    stress_from_section,
)
from tartan.core.shell.mesh import Mesh
from tartan.core.strength.govern import Check, checks_of, reserves
from tartan.desktop import theme
from tartan.desktop.widgets.section import Column
from tartan.exchange.maps import colours
from tartan.project import units
from tartan.project.jobs import PartAnswer
from tartan.project.model import Project
from tartan.project.partmodel import ReserveRequirement
from tartan.project.shellinputs import where_words
from tartan.project.verdict import ply_words

Array = NDArray[np.float64]

SHOWN = ("reserve factor", "stress σ₁", "stress σ₂", "stress τ₁₂", "displacement")
"""Maps to choose from; the stresses are those of the chosen ply, case and spot."""

SHORT = {"fibre tension": "F+", "fibre compression": "F−", "matrix tension": "M+",
         "matrix compression": "M−", "in-plane shear": "S", "core shear along 1": "CS",
         "core shear along 2": "CS", "yield": "Y",
         "interlaminar shear": "IL", "IFF A": "A", "IFF B": "B", "IFF C": "C"}  # fmt: skip
"""Failure modes where space is short."""


@dataclass(frozen=True, eq=False)
class Map:
    """Colours of all elements with what a legend needs.

    Attributes
    ----------
    rgb : ndarray of uint8, shape (m, 3)
        One colour an element.
    title, unit : str
        What is shown.
    ticks : tuple of (float, str)
        Share of the legend from its foot, and text.
    ramp : ndarray of uint8, shape (n, 3)
        Colours of the legend from its foot.
    need : float or None
        Share at which the requirement stands.
    note : str
        A line below the map.
    """

    rgb: NDArray[np.uint8]
    title: str
    unit: str
    ticks: tuple[tuple[float, str], ...]
    ramp: NDArray[np.uint8]
    need: float | None
    note: str


def required(project: Project) -> float:
    """Least reserve factor asked for; 1 when nothing is."""
    asked = [r.value for r in project.requirements if isinstance(r, ReserveRequirement)]
    return max(asked, default=1.0)


def reserve_map(project: Project, answer: PartAnswer) -> Map:
    """Governing reserve factor of every element."""
    need = required(project)
    reserve = answer.margins.reserve
    rgb = colours.reserve_map(reserve, need)
    span = np.linspace(-1, 1, 128)
    ramp = colours.reserve_map(need * colours.RESERVE_SPAN**span, need)
    ticks = tuple((float((t + 1) / 2), units.factor(need * colours.RESERVE_SPAN**t))
                  for t in (-1.0, -0.5, 0.5, 1.0))  # fmt: skip
    areas = mesh_of(answer).areas()
    failing = float(areas[reserve < need].sum() / areas.sum())
    note = f"{failing:.1%} of the area is below {need:.2f}" if failing else "the whole area holds"
    return Map(rgb, "reserve factor", "worst of plies, spots, cases", ticks, ramp, 0.5, note)


def mesh_of(answer: PartAnswer) -> Mesh:
    """Mesh that an answer belongs to."""
    return answer.layout().mesh


def ply_stress(answer: PartAnswer, case: int, ply: int, spot: int) -> Array:
    """Stress of a ply of the lay-up in ply axes, mean of sampling points, shape (m, 3) [Pa].

    Elements without the ply have NaN.
    """
    layout, heat = answer.layout(), answer.heat(case)
    found = np.full((layout.mesh.count, 3), np.nan)
    for number, (laminate, plies) in enumerate(
            zip(layout.zones.laminates, layout.zones.plies, strict=True)):  # fmt: skip
        if ply not in plies:
            continue
        here = layout.zones.zone == number
        strains = answer.solution.strains[case, here].mean(axis=1)
        stress = stress_from_section(laminate, strains)
        if heat is not None:
            stress = stress - free_stress(laminate, heat)
        found[here] = stress[:, plies.index(ply), spot]
    return found


def stress_map(answer: PartAnswer, component: int, case: int, ply: int, spot: int) -> Map:
    """A stress of one ply in ply axes; elements without the ply stay bare."""
    stress = ply_stress(answer, case, ply, spot)[:, component] / units.STRESS.scale
    bare = np.isnan(stress)
    stress = np.where(bare, 0.0, stress)
    largest = float(np.abs(stress).max()) or 1.0
    name = ("σ₁", "σ₂", "τ₁₂")[component]
    ramp = colours.signed_map(np.linspace(-1, 1, 128))
    ticks = tuple(((t + 1) / 2, units.number(t * largest, 3)) for t in (-1.0, -0.5, 0.0, 0.5, 1.0))
    inside = stress[~bare] if (~bare).any() else np.zeros(1)
    low, high = (units.number(float(v)) for v in (inside.min(), inside.max()))
    note = f"from {low} to {high} {units.STRESS.unit}"
    rgb = colours.signed_map(stress / largest)
    rgb[bare] = colours.bare(dark=theme.face().dark)
    return Map(rgb, f"stress {name}", units.STRESS.unit, ticks, ramp, None, note)


def displacement_map(answer: PartAnswer, case: int) -> Map:
    """Size of the displacement at element centres."""
    corners = mesh_of(answer).corner_table
    size = np.linalg.norm(answer.solution.displacement[case, :, :3], axis=1)[corners].mean(axis=1)
    size = size / units.LENGTH.scale
    largest = float(size.max()) or 1.0
    ticks = tuple((t, units.number(t * largest, 3)) for t in (0.0, 0.25, 0.5, 0.75, 1.0))
    ramp = colours.size_map(np.linspace(0, 1, 128))
    note = f"largest {units.number(largest)} {units.LENGTH.unit}"
    return Map(
        colours.size_map(size / largest),
        "displacement",
        units.LENGTH.unit,
        ticks,
        ramp,
        None,
        note,
    )


def shapes_of(answer: PartAnswer) -> list[tuple[str, Array]]:
    """Natural modes and buckling shapes, by what the chooser calls them, shape (n, 3) each."""
    found: list[tuple[str, Array]] = []
    if answer.modes is not None:
        found += [
            (f"mode {i} · {units.number(float(v))} Hz", s)
            for i, (v, s) in enumerate(
                zip(answer.modes.values, answer.modes.shapes, strict=True), 1
            )
        ]
    for each in answer.buckling:
        found += [(f"buckling {i} · {units.factor(float(v))} × {each.case}", s) for i, (v, s)
                  in enumerate(zip(each.values, each.shapes, strict=True), 1)]  # fmt: skip
    return found


def shape_map(answer: PartAnswer, name: str, shape: Array) -> Map:
    """Size of a mode's displacement; its scale is free, the largest is 1."""
    size = np.linalg.norm(shape, axis=1)[mesh_of(answer).corner_table].mean(axis=1)
    ticks = tuple((t, units.number(t, 3)) for t in (0.0, 0.5, 1.0))
    ramp = colours.size_map(np.linspace(0, 1, 128))
    note = "its size is free; the largest is 1"
    title = name.split(" · ", maxsplit=1)[0]
    return Map(colours.size_map(size), title, "share", ticks, ramp, None, note)


def magnification(answer: PartAnswer, case: int) -> float:
    """Round factor that makes the largest displacement about 6 % of the part's size."""
    mesh = mesh_of(answer)
    largest = float(np.abs(answer.solution.displacement[case, :, :3]).max())
    if largest <= 0:
        return 1.0
    wanted = 0.06 * float(np.linalg.norm(np.ptp(mesh.nodes, axis=0))) / largest
    power = 10.0 ** np.floor(np.log10(wanted))
    return float(max(s for s in (1.0, 2.0, 5.0) if s * power <= wanted) * power)


def spot_rows(answer: PartAnswer) -> list[list[str]]:
    """Hot spots as rows: reserve factor, where, case, ply, mode."""
    m = answer.margins
    rows = []
    for e in answer.spots:
        mode = m.mode_label(e)
        ply = ply_words(answer, int(m.ply[e])).removeprefix("ply ").replace(" (", "  ")[:-1]
        rows.append([units.factor(float(m.reserve[e])), where_words(answer.inputs, e),
                     answer.inputs.case_names[int(m.case[e])], ply,
                     SHORT.get(mode, mode)])  # fmt: skip
    return rows


@dataclass(frozen=True, eq=False)
class Section:
    """Columns at one sampling point of an element, and reserve factors a ply."""

    columns: tuple[Column, ...]
    reserve: Array
    words: str


def section_at(project: Project, answer: PartAnswer, element: int, case: int) -> Section:
    """Stresses and reserve factors through the thickness at an element's governing point."""
    laminate, heat = answer.layout().laminate(element), answer.heat(case)
    point = int(answer.margins.point[element])
    strains = answer.solution.strains[case, element, point]
    stress = stress_from_section(laminate, strains)
    if heat is not None:
        stress = stress - free_stress(laminate, heat)
    z = np.stack([laminate.z[:-1], (laminate.z[:-1] + laminate.z[1:]) / 2, laminate.z[1:]], axis=1)
    strain_xy = strains[:3] + z[..., None] * strains[3:6]
    along = np.einsum("nij,nsj->nsi", laminate.T, strain_xy)[..., 0]
    shear = shear_from_section(laminate, strains)
    checks = checks_of(laminate, answer.inputs.criteria.sets)
    reserve = _reserves(answer, element, case, (stress, shear), checks)
    mpa = units.STRESS
    columns = (
        Column("strain ε₁", units.STRAIN.unit, along / units.STRAIN.scale),
        Column("stress σ₁", mpa.unit, stress[..., 0] / mpa.scale),
        Column("stress σ₂", mpa.unit, stress[..., 1] / mpa.scale),
        Column("stress τ₁₂", mpa.unit, stress[..., 2] / mpa.scale),
        Column("shear τ₁₃", mpa.unit, shear[..., 0] / mpa.scale),
        Column("reserve factor", "worst spot", reserve, required(project)),
    )
    zone = int(answer.layout().zones.zone[element]) + 1
    where = where_words(answer.inputs, element)
    words = f"{where} · zone {zone} · element {element + 1} · {answer.inputs.case_names[case]}"
    return Section(columns, reserve, words)


def _reserves(answer: PartAnswer, element: int, case: int, stress: tuple[Array, Array],
              checks: Sequence[Check]) -> Array:  # fmt: skip
    """Least reserve factor of every ply at an element; what a temperature causes stays."""
    laminate, heat = answer.layout().laminate(element), answer.heat(case)
    whole, shear = stress
    if heat is None:
        return np.asarray(reserves(checks, whole[None], shear[None]).reserve[0].min(axis=1))
    point = int(answer.margins.point[element])
    kept = answer.resting[case, element, point]
    scaled = answer.solution.strains[case, element, point] - kept
    if np.abs(scaled).max() <= 1e-12 * np.abs(kept).max():
        return np.asarray(reserves(checks, whole[None], shear[None]).reserve[0].min(axis=1))
    applied = stress_from_section(laminate, scaled)
    found = reserves(checks, applied[None], shear_from_section(laminate, scaled)[None],
                     whole - applied)  # fmt: skip
    return np.asarray(found.reserve[0].min(axis=1))
