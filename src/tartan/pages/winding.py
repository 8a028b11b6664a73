"""What a winding plan lays along the meridian: curves, the section, a table. No Qt."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.vessel_shape import End, Vessel
from tartan.core.vessel.netting import netting_stress
from tartan.exchange.tables import Cell, Table
from tartan.pages.part import rung_plies, wound_words
from tartan.project.analysis.winding import AlongMeridian, along_meridian
from tartan.project.document.model import Project
from tartan.project.wording import units

Array = NDArray[np.float64]

LEAST_FRICTION = 1e-4
"""Friction from which a layer is said to be off the geodesic."""

CHARTS = ("winding angle", "thickness of a layer", "thickness of the whole", "section")
"""What can be drawn along the meridian."""


@dataclass(frozen=True, eq=False)
class Curve:
    """A line of a chart in display units; x and y have shape (q,)."""

    words: str
    x: Array
    y: Array
    soft: bool = False


def meridian_of_project(project: Project, end: End) -> AlongMeridian:
    """The plan along an end's meridian.

    Raises
    ------
    PartError
        Where there is no vessel, or a rung cannot be wound.
    """
    assert project.part is not None
    return along_meridian(project.part, {s.name: s for s in project.stacks}, end)


def rung_title(project: Project, number: int) -> str:
    """A rung in a few words, by its number, such as "3 ±19.5°"."""
    assert project.part is not None
    rung = project.part.lay_up[number]
    if rung.wound is not None:
        return f"{number + 1} {wound_words(rung, rung_plies(project, rung))}"
    return f"{number + 1} {rung.stack or (rung.ply.material if rung.ply else '')}"


def curves(project: Project, found: AlongMeridian, chart: str, scale: float) -> list[Curve]:
    """Lines of a chart.

    Parameters
    ----------
    project : Project
        Whose part.
    found : AlongMeridian
        The plan along a meridian.
    chart : str
        Of `CHARTS`.
    scale : float
        By how much thicknesses are drawn larger in the section.
    """
    if chart == "section":
        return _section(project, found, scale)
    x = found.arc / units.LENGTH.scale
    if chart == "thickness of the whole":
        total = np.sum([on.thickness for _, on in found.layers], axis=0) / units.LENGTH.scale
        return [Curve("whole", x, total)] if found.layers else []
    made: list[Curve] = []
    same: set[bytes] = set()
    for number, on in found.layers:
        rung = project.part.lay_up[number] if project.part else None
        if rung is None or rung.wound is None:
            continue
        if chart == "winding angle":
            if rung.wound.sort == "hoop":
                continue
            values = np.where(on.thickness > 0, np.degrees(on.angle), np.nan)
        else:
            values = on.thickness / units.LENGTH.scale
        key = np.round(values, 9).tobytes()
        if key not in same:
            same.add(key)
            made.append(Curve(rung_title(project, number), x, values))
    return made


def _section(project: Project, found: AlongMeridian, scale: float) -> list[Curve]:
    mm = units.LENGTH.scale
    made = [Curve("mandrel", found.z / mm, found.radius / mm, soft=True)]
    height = np.zeros(found.arc.shape)
    for number, on in found.layers:
        height = height + scale * on.thickness
        z = found.z + height * found.normal[:, 1]
        r = found.radius + height * found.normal[:, 0]
        laid = np.where(on.thickness > 0, 1.0, np.nan)
        made.append(Curve(rung_title(project, number), z / mm * laid, r / mm * laid))
    return made


def facts(project: Project, found: AlongMeridian) -> str:
    """The peak of the whole, and what it is of, in words."""
    if not any(project.part and project.part.lay_up[n].wound for n, _ in found.layers):
        return "Nothing is wound yet: '+ wound' lays a layer."
    total = np.sum([on.thickness for _, on in found.layers], axis=0)
    at = int(total.argmax())
    middle = units.show(float(total[0]), units.LENGTH)
    most, radius, arc = (
        units.show(float(x[at]), units.LENGTH) for x in (total, found.radius, found.arc)
    )
    return (
        f"{middle} at mid-length; thickest {most} at a radius of {radius}, "
        f"{arc} from the tangent line.{_held(project, found)}"
    )


def _held(project: Project, found: AlongMeridian) -> str:
    """Which layers friction has to hold, in words; empty where all are geodesics."""
    off = [(on.friction, n) for n, on in found.layers if on.friction > LEAST_FRICTION]
    if not off:
        return ""
    most, number = max(off)
    return (
        f" Layer {rung_title(project, number)} is off the geodesic: it stays where the friction "
        f"is {units.number(most, 2)} or more."
    )


def table(project: Project, found: AlongMeridian, end: End) -> Table:
    """Angle and thickness of every layer along the meridian, one row a point."""
    mm, unit = units.LENGTH.scale, units.LENGTH.unit
    head = [f"arc [{unit}]", f"r [{unit}]", f"z [{unit}]"]
    columns: list[Array] = [found.arc / mm, found.radius / mm, found.z / mm]
    total = np.zeros(found.arc.shape)
    for number, on in found.layers:
        total = total + on.thickness
        name = rung_title(project, number)
        if project.part is not None and project.part.lay_up[number].wound is not None:
            head.append(f"{name} α [°]")
            columns.append(np.degrees(on.angle))
        head.append(f"{name} t [{unit}]")
        columns.append(on.thickness / mm)
    head.append(f"whole t [{unit}]")
    columns.append(total / mm)
    rows: tuple[tuple[Cell, ...], ...] = tuple(
        tuple(float(v) for v in row) for row in np.stack(columns, axis=1)
    )
    about = f"{project.name}, version {project.version}: winding along the {end} meridian"
    return Table("winding", tuple(head), rows, about)


def layer_table(project: Project, found: AlongMeridian) -> Table:
    """Every wound layer: angle and thickness at mid-length, peak, mass, length of band.

    The band is that of all tows side by side; its length is what has to be wound.
    """
    mm, unit = units.LENGTH.scale, units.LENGTH.unit
    head = (
        "layer",
        "α [°]",
        f"t [{unit}]",
        f"peak t [{unit}]",
        "mass [kg]",
        "band [m]",
        "friction",
    )
    densities = {m.name: m.rho for m in project.materials}
    rows: list[tuple[Cell, ...]] = []
    for number, on in found.layers:
        rung = project.part.lay_up[number] if project.part else None
        if rung is None or rung.wound is None or rung.ply is None:
            continue
        density = densities.get(rung.ply.material)
        # A band is as thick as one ply.
        band = on.volume / (rung.wound.bandwidth * rung.ply.thickness)
        rows.append(
            (
                rung_title(project, number),
                float(np.degrees(on.angle[0])),
                float(on.thickness[0] / mm),
                float(on.thickness.max() / mm),
                None if density is None else on.volume * density,
                band,
                on.friction or None,
            )
        )
    return Table("wound layers", head, tuple(rows), f"{project.name}: wound layers")


def netting_words(project: Project, found: AlongMeridian, pressure: float) -> str:
    """What the fibres alone carry of a pressure, and the hoops that would balance it.

    Raises
    ------
    PartError
        Where no helical layer pulls along the vessel.
    """
    part = project.part
    assert part is not None
    assert isinstance(part.surface, Vessel)
    wound = [(part.lay_up[n].wound, on) for n, on in found.layers]
    helical = [
        (float(on.angle[0]), float(on.thickness[0]))
        for w, on in wound
        if w and w.sort == "helical"
    ]
    hoop = sum(float(on.thickness[0]) for w, on in wound if w and w.sort == "hoop")
    carried = netting_stress(part.surface.radius, pressure, helical, hoop)
    total = sum(t for _, t in helical)
    alpha = math.acos(math.sqrt(sum(t * math.cos(a) ** 2 for a, t in helical) / total))
    balanced = 3 * math.cos(alpha) ** 2 - 1
    said = f"By netting: helical layers {units.show(carried.helical, units.STRESS, digits=4)}"
    if hoop:
        said += (
            f", hoops {units.show(carried.hoop, units.STRESS, digits=4)}, "
            f"ratio {units.number(carried.ratio, 3)}"
        )
    return (
        f"{said}. Hoop to helical thickness is {units.number(hoop / total, 3)}; pulled alike at "
        f"{units.number(max(balanced, 0.0), 3)}."
    )
