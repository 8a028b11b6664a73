"""What a winding plan lays along the meridian: curves, the section, a table. No Qt."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.shell.vessel_shape import End, Vessel
from tartan.core.vessel.netting import netting_stress
from tartan.core.vessel.path import hoop_path, pattern_of, tow_path
from tartan.core.vessel.plan import Hoop
from tartan.core.vessel.winding import Helical
from tartan.exchange.tables import Cell, Table
from tartan.pages.part import rung_plies, wound_words
from tartan.project.analysis.winding import (
    AlongMeridian,
    along_meridian,
    layer_of,
    mandrel_of,
    vessel_of,
)
from tartan.project.document.model import Project
from tartan.project.wording import units
from tartan.project.wording.units import counted

Array = NDArray[np.float64]

LEAST_FRICTION = 1e-4
"""Friction from which a layer is said to be off the geodesic."""

CHARTS = ("winding angle", "thickness of a layer", "thickness of the whole", "section")
"""What can be drawn along the meridian."""


@dataclass(frozen=True, eq=False)
class Curve:
    """A line of a chart in display units; x and y have shape (q,); `short` names it in the key."""

    words: str
    x: Array
    y: Array
    soft: bool = False
    short: str = ""


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
        return [Curve("whole", x, whole_of(found) / units.LENGTH.scale)] if found.layers else []
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
        if chart != "winding angle" and on.filler is not None and on.filler.any():
            resin = on.filler / units.LENGTH.scale
            made.append(Curve(f"{rung_title(project, number)} resin", x, resin, True, "resin"))
    return made


def whole_of(found: AlongMeridian) -> Array:
    """Thickness of all layers and of the resin beside them, shape (q,) [m]."""
    total = np.zeros(found.arc.shape)
    for _, on in found.layers:
        total += on.thickness if on.filler is None else on.thickness + on.filler
    return total


def _section(project: Project, found: AlongMeridian, scale: float) -> list[Curve]:
    mm = units.LENGTH.scale
    made = [Curve("mandrel", found.z / mm, found.radius / mm, soft=True)]
    height = np.zeros(found.arc.shape)
    for number, on in found.layers:
        height = height + scale * on.thickness
        z = found.z + height * found.normal[:, 1]
        r = found.radius + height * found.normal[:, 0]
        laid = np.where(on.thickness > 0, 1.0, np.nan)
        short = str(number + 1)
        made.append(Curve(rung_title(project, number), z / mm * laid, r / mm * laid, short=short))
        if on.filler is None or not on.filler.any():
            continue
        height = height + scale * on.filler
        z = found.z + height * found.normal[:, 1]
        r = found.radius + height * found.normal[:, 0]
        filled = np.where(on.filler > 0, 1.0, np.nan)
        words = f"{rung_title(project, number)} resin"
        made.append(Curve(words, z / mm * filled, r / mm * filled, True, "resin"))
    return made


def facts(project: Project, found: AlongMeridian) -> str:
    """The peak of the whole, and what it is of, in words."""
    if not any(project.part and project.part.lay_up[n].wound for n, _ in found.layers):
        return "Nothing is wound yet: '+ wound' lays a layer."
    total = whole_of(found)
    at = int(total.argmax())
    middle = units.show(float(total[0]), units.LENGTH)
    most, radius, arc = (
        units.show(float(x[at]), units.LENGTH) for x in (total, found.radius, found.arc)
    )
    return (
        f"{middle} at mid-length; thickest {most}, {arc} from the tangent line at r = {radius}."
        f"{_laid_words(project, found)}{_held(project, found)}"
    )


def _laid_words(project: Project, found: AlongMeridian) -> str:
    """Mass, length and time of all that is wound, in words."""
    table = layer_table(project, found)
    columns = dict(zip(table.head, zip(*table.rows, strict=True), strict=True))
    band, time = (sum(float(v or 0.0) for v in columns[k]) for k in ("band [m]", "time [min]"))
    mass, fibre, resin = (columns[f"{k} [kg]"] for k in ("mass", "fibre", "resin"))
    said = f" {units.number(band, 3)} m of band, {units.number(time, 3)} min"
    if None not in mass:
        said += f", {units.number(sum(map(float, mass)), 3)} kg"
    if None not in (*mass, *fibre):
        fibres = sum(map(float, fibre))
        rest = sum(map(float, mass)) - fibres
        said += f" (fibre {units.number(fibres, 3)} kg, matrix {units.number(rest, 3)} kg)"
    if any(resin):
        said += f" and {units.number(sum(float(v or 0.0) for v in resin), 2)} kg of resin"
    return f"{said}."


def zones_words(project: Project) -> str:
    """How alike rings have to be to share a section."""
    alike = 0.0 if project.part is None else project.part.alike
    return (
        f"Rings are one zone where angles agree within {alike:g}° and thicknesses within "
        f"{alike:g} %"
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
        total = total + on.thickness + (0.0 if on.filler is None else on.filler)
        name = rung_title(project, number)
        if project.part is not None and project.part.lay_up[number].wound is not None:
            head.append(f"{name} α [°]")
            columns.append(np.degrees(on.angle))
        head.append(f"{name} t [{unit}]")
        columns.append(on.thickness / mm)
        if on.filler is not None:
            head.append(f"{name} resin [{unit}]")
            columns.append(on.filler / mm)
    head.append(f"whole t [{unit}]")
    columns.append(total / mm)
    rows: tuple[tuple[Cell, ...], ...] = tuple(
        tuple(float(v) for v in row) for row in np.stack(columns, axis=1)
    )
    about = f"{project.name}, version {project.version}: winding along the {end} meridian"
    return Table("winding", tuple(head), rows, about)


def layer_table(project: Project, found: AlongMeridian) -> Table:
    """Every wound layer: angle and thickness at mid-length, peak, mass, length, time, resin.

    The mass is parted into fibre and matrix where the material's share of fibres is known. The
    band is that of all tows side by side; its length is what has to be wound.
    """
    mm, unit = units.LENGTH.scale, units.LENGTH.unit
    head = (
        "layer",
        "α [°]",
        f"t [{unit}]",
        f"peak t [{unit}]",
        "mass [kg]",
        "fibre [kg]",
        "matrix [kg]",
        "band [m]",
        "tow [m]",
        "time [min]",
        "resin [kg]",
        "friction",
    )
    densities = {m.name: m.rho for m in project.materials}
    shares = {m.name: m.fibre_share for m in project.materials}
    rows: list[tuple[Cell, ...]] = []
    for number, on in found.layers:
        rung = project.part.lay_up[number] if project.part else None
        if rung is None or rung.wound is None or rung.ply is None:
            continue
        density = densities.get(rung.ply.material)
        # A band is as thick as one ply.
        band = on.volume / (rung.wound.bandwidth * rung.ply.thickness)
        resin = densities.get(rung.wound.filler)
        mass = None if density is None else on.volume * density
        fibre, matrix = _parted(mass, shares.get(rung.ply.material))
        rows.append(
            (
                rung_title(project, number),
                float(np.degrees(on.angle[0])),
                float(on.thickness[0] / mm),
                float(on.thickness.max() / mm),
                mass,
                fibre,
                matrix,
                band,
                band * rung.wound.tows,
                band / rung.wound.speed / 60,
                None if not on.filler_volume or resin is None else on.filler_volume * resin,
                on.friction or None,
            )
        )
    return Table("wound layers", head, tuple(rows), f"{project.name}: wound layers")


def _parted(mass: float | None, share: float | None) -> tuple[float | None, float | None]:
    """Mass of fibre and of matrix [kg]; None where mass or share is not known."""
    if mass is None or share is None:
        return None, None
    return mass * share, mass * (1 - share)


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
        (float(on.angle[0]), float(on.thickness[0])) for w, on in wound if w and w.sort != "hoop"
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


MOST_CIRCUITS = 2000
"""Circuits of a path that are drawn."""


def wound_titles(project: Project) -> dict[str, int]:
    """Numbers of the wound rungs that are laid, by their titles."""
    rungs = project.part.lay_up if project.part else ()
    wound = (n for n, r in enumerate(rungs) if r.wound is not None and r.active)
    return {rung_title(project, n): n for n in wound}


def path_of(project: Project, number: int, circuits: int) -> tuple[Array, str]:
    """Path of a rung's band on the bare vessel, shape (q, 3) [m], and its pattern in words.

    Raises
    ------
    PartError
        Where the surface is no vessel, or the rung cannot be wound.
    """
    assert project.part is not None
    shape = vessel_of(project.part.surface, "Winding")
    rung = project.part.lay_up[number]
    mandrel, layer = mandrel_of(shape), layer_of(rung, shape)
    if isinstance(layer, Hoop):
        assert rung.wound is not None
        points = hoop_path(mandrel, layer, rung.wound.bandwidth)
        return points, f"{counted(layer.passes, 'pass', 'passes')} of hoops."
    assert isinstance(layer, Helical)
    pattern = pattern_of(mandrel, layer)
    dwell = units.number(math.degrees(pattern.dwell) / 2, 3)
    words = (
        f"{pattern.circuits} circuits of {units.show(pattern.length, units.LENGTH)} cover it, in "
        f"{pattern.turns} turns, where each stays {dwell}° at each opening."
    )
    return tow_path(mandrel, layer, circuits), words
