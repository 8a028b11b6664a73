"""What a winding plan lays along the meridian: curves, the section, a table. No Qt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.vessel_shape import End
from tartan.exchange.tables import Cell, Table
from tartan.pages.part import rung_plies, wound_words
from tartan.project.analysis.winding import AlongMeridian, along_meridian
from tartan.project.document.model import Project
from tartan.project.wording import units

Array = NDArray[np.float64]

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
        f"{arc} from the tangent line."
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
