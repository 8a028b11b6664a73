"""A laminate as a tube: its fields, and its answers as words and tables. No Qt."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import cast

import numpy as np

from tartan.core.criteria import Criterion
from tartan.core.errors import MaterialError, StackError, TartanError
from tartan.core.laminate import Laminate
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.laminate.tube import TubeLoad
from tartan.core.strength.progressive import Rule
from tartan.core.vessel.tube import (
    Burst,
    Wall,
    first_burst,
    growth,
    last_burst,
    thick_wall,
    tube_of,
)
from tartan.core.vessel.tube_buckling import TubeBuckling, tube_buckling
from tartan.exchange.tables import Cell, Table
from tartan.pages import stack_answers as answers
from tartan.pages.stack_answers import Question
from tartan.project.document.model import CriteriaSet
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

DIFFERS = 0.05
"""Share of the greatest thin stress from which the thick wall is said to differ."""


@dataclass(frozen=True)
class TubeField:
    """A figure of a tube: its field, how it is shown, and what it is."""

    key: str
    symbol: str
    quantity: Quantity
    what: str


FIELDS = (
    TubeField("radius", "R", units.LENGTH, "Radius of the tube"),
    TubeField("pressure", "p", units.TUBE_PRESSURE, "Pressure, inside positive"),
    TubeField("force", "axial F", units.FORCE, "Axial force, pulling positive"),
    TubeField("torque", "torque T", units.MOMENT, "Torque about the axis, from x towards y"),
    TubeField("length", "length", units.LENGTH, "Between ends that stay round; 0 for a long tube"),
    TubeField(
        "knock_down",
        "knock-down",
        units.RATIO,
        "What is taken of the buckling load of the perfect tube, up to 1",
    ),
)

ENDS = {"closed": True, "open": False}
"""Whether the ends pass the pressure on as axial force."""

RADII = {"mean": "R mean", "inner": "R inner"}
"""Of what the radius is given, and how it is shown."""


def as_tube(loads: LoadCase) -> LoadCase:
    """The load case entered as a tube, unloaded; its components are kept."""
    return replace(loads, tube=TubeLoad(0.1))


def as_flat(loads: LoadCase, laminate: Laminate | None) -> LoadCase:
    """The load case as components, at the forces that the tube's wall is under."""
    if loads.tube is None:
        return loads
    flat = replace(loads, tube=None)
    if laminate is None or not loads.loaded:
        return flat
    try:
        forces = loads.tube.resultants(laminate.thickness)
    except StackError:
        return flat
    x, y, xy = (float(f"{f:.6g}") for f in forces)
    return replace(flat, values=(x, y, xy, 0.0, 0.0, 0.0), ways=("force",) * 6)


@lru_cache(maxsize=64)
def wall_of(laminate: Laminate, loads: LoadCase) -> Wall:
    """Thick wall beside the thin one, remembered."""
    return thick_wall(laminate, loads, answers.answer_of(laminate, loads))


@lru_cache(maxsize=64)
def first_of(laminate: Laminate, loads: LoadCase, criteria: CriteriaSet, sign: float) -> Burst:
    """Pressure at which the first ply fails, remembered."""
    return first_burst(laminate, loads, criteria.sets, sign)


@lru_cache(maxsize=64)
def last_of(laminate: Laminate, loads: LoadCase, key: Hashable, rule: Rule, sign: float) -> Burst:
    """Pressure that is carried last, remembered."""
    # Criteria are frozen records, which their protocol does not say.
    return last_burst(laminate, loads, cast("Criterion", key), rule, sign)


@lru_cache(maxsize=64)
def buckling_of(laminate: Laminate, tube: TubeLoad, *, long: bool) -> TubeBuckling:
    """Buckling of a tube, remembered."""
    return tube_buckling(laminate, tube, "long" if long else "finite")


def about(asked: Question, stack: str) -> str:
    """What a table of a tube is of."""
    tube = tube_of(asked.loads)
    ends = "closed" if tube.closed else "open"
    R, t = tube.mean(asked.laminate.thickness), asked.laminate.thickness
    return (
        f"{stack} as a tube under {asked.loads.name}: {RADII[tube.at]} "
        f"{units.show(tube.radius, units.LENGTH)}, wall {units.show(t, units.LENGTH)}, "
        f"R/t {units.number(R / t, 3)}, ends {ends}"
    )


Row = tuple[Cell, ...]


def facts(asked: Question, limits: Sequence[Row]) -> list[Row]:
    """All that is said of a tube: growth, burst, buckling, then strains and section forces.

    Parameters
    ----------
    asked : Question
        The tube and the criteria in force.
    limits : sequence of tuple
        Burst and buckling, as `limit_rows` gives them.

    Returns
    -------
    list of tuple
        What, value in display units or None, unit, and where or why.

    Raises
    ------
    TartanError
        Where the wall has no room, or a figure makes no sense.
    """
    grows, strained = growth_rows(asked)
    made = [*grows, *limits, *strained]
    core = soft_core_words(asked.laminate)
    return [*made, ("a core", None, "", core)] if core else made


def limit_rows(asked: Question, history: Criterion, rule: Rule) -> list[Row]:
    """Burst and buckling, which take a while.

    Parameters
    ----------
    asked : Question
        The tube and the criteria in force.
    history : Criterion
        By which the last ply fails.
    rule : {"full", "mode"}
        What a failed ply keeps.

    Raises
    ------
    TartanError
        Where a figure makes no sense.
    """
    # What makes no sense is refused before it is searched for long.
    growth_rows(asked)
    return [*burst_rows(asked, history, rule), *buckling_rows(asked)]


def awaited_rows(asked: Question) -> list[Row]:
    """What stands in place of `limit_rows` while they are worked out."""
    tube = tube_of(asked.loads)
    noun = "burst" if tube.pressure >= 0 else "crushed"
    names = [f"{noun}, first ply", f"{noun}, last ply", "buckling p, long"]
    names += ["buckling p, length"] if tube.length else []
    names += ["buckling, load"] if asked.loads.loaded else []
    return [(n, None, "", "being worked out …") for n in names]


def growth_rows(asked: Question) -> tuple[list[Row], list[Row]]:
    """How the tube changes, then its strains and section forces.

    Raises
    ------
    TartanError
        Where the wall has no room, or a figure makes no sense.
    """
    tube = tube_of(asked.loads)
    found = growth(asked.laminate, asked.loads, answers.answer_of(asked.laminate, asked.loads))
    rows = [("growth of radius", found.radius, units.LENGTH)]
    if tube.length:
        rows.append(("growth of length", found.length, units.LENGTH))
    rows.append(("twist per length", found.twist, units.TWIST))
    first = len(rows)
    rows += [
        ("hoop strain εy", found.hoop, units.STRAIN),
        ("axial strain εx", found.axial, units.STRAIN),
    ]
    size = max(abs(found.hoop), abs(found.axial), abs(found.shear))
    traces = {"twist per length": abs(found.shear) <= 1e-12 * size}
    made: list[Row] = [(n, 0.0 if traces.get(n) else v / q.scale, q.unit, "") for n, v, q in rows]
    forces = tube.resultants(asked.laminate.thickness)
    for name, value in zip(("Nx axial", "Ny hoop", "Nxy"), forces, strict=True):
        made.append((name, float(value) / units.LINE_FORCE.scale, units.LINE_FORCE.unit, ""))
    return made[:first], made[first:]


def _pressure(value: float) -> tuple[float, str]:
    return value / units.TUBE_PRESSURE.scale, units.TUBE_PRESSURE.unit


def burst_rows(asked: Question, history: Criterion, rule: Rule) -> list[Row]:
    """Pressure at first and last ply failure; what cannot be said is said to be so.

    Parameters
    ----------
    asked : Question
        The tube and the criteria in force.
    history : Criterion
        By which the last ply fails.
    rule : {"full", "mode"}
        What a failed ply keeps.
    """
    tube = tube_of(asked.loads)
    made: list[Row] = []
    sign = -1.0 if tube.pressure < 0 else 1.0
    frozen = cast("Hashable", history)
    noun = "burst" if sign > 0 else "crushed"
    tries: tuple[tuple[str, Callable[[], Burst]], ...] = (
        ("first ply", lambda: first_of(asked.laminate, _unpressed(asked), asked.criteria, sign)),
        ("last ply", lambda: last_of(asked.laminate, _unpressed(asked), frozen, rule, sign)),
    )
    for which, find in tries:
        name = f"{noun}, {which}"
        try:
            found = find()
        except TartanError as error:
            made.append((name, None, "", str(error)))
            continue
        if not np.isfinite(found.pressure):
            made.append((name, None, "", "no ply fails, whatever the pressure"))
            continue
        angle = asked.laminate.stack.plies[found.ply].angle
        ply = f"ply {found.ply + 1} ({units.number(angle)}°), {found.mode}"
        by = f" by {history.title}" if which == "last ply" else ""
        made.append((name, *_pressure(abs(found.pressure)), ply + by))
    return made


def _unpressed(asked: Question) -> LoadCase:
    """The load case without its own pressure, so that its burst is remembered."""
    tube = tube_of(asked.loads)
    return replace(asked.loads, tube=replace(tube, pressure=0.0, length=0.0, knock_down=1.0))


def buckling_rows(asked: Question) -> list[Row]:
    """Pressure outside at which the long and the finite tube buckle, and the load as it is."""
    tube, laminate = tube_of(asked.loads), asked.laminate
    outside = replace(tube.alone, pressure=-1e3)
    made: list[Row] = []
    tries = [("buckling p, long", replace(outside, length=0.0), True)]
    if tube.length:
        tries.append(("buckling p, length", outside, False))
    for name, each, long in tries:
        found = buckling_of(laminate, each, long=long)
        if np.isfinite(found.factor):
            made.append((name, *_pressure(found.factor * 1e3), found.words))
        else:
            made.append((name, None, "", found.words))
    if asked.loads.loaded:
        found = buckling_of(laminate, tube, long=not tube.length)
        value = found.factor if np.isfinite(found.factor) else None
        made.append(("buckling, load", value, "times" if value else "", found.words))
    return made


def soft_core_words(laminate: Laminate) -> str:
    """What the buckling of a sandwich wall leaves out; empty for others."""
    if not any(m.kind == "core" for m in laminate.materials):
        return ""
    return "Shear of the core is left out of the buckling, which makes it too favourable."


def wall_table(asked: Question, *, thick: bool) -> Table:
    """Stresses of every ply over the radius, one row a ply and level.

    Raises
    ------
    TartanError
        Where a strength, or for the thick wall a constant, is missing.
    """
    laminate, tube = asked.laminate, tube_of(asked.loads)
    found = answers.answer_of(laminate, asked.loads)
    total = found.total
    inner = tube.inner(laminate.thickness)
    radius = inner + (total.z - laminate.z[0])
    mpa = units.STRESS.scale
    columns = [total.stress_xy[..., 1] / mpa, total.stress_xy[..., 0] / mpa]
    head = [f"hoop [{units.STRESS.unit}]", f"axial [{units.STRESS.unit}]"]
    if thick:
        wall = wall_of(laminate, asked.loads)
        columns += [wall.hoop / mpa, wall.axial / mpa, wall.radial / mpa]
        head += [f"{n} [{units.STRESS.unit}]" for n in ("thick hoop", "thick axial", "radial")]
    columns += [total.stress_12[..., i] / mpa for i in range(3)]
    head += [f"{n} [{units.STRESS.unit}]" for n in ("σ1", "σ2", "τ12")]
    columns += [total.strain_12[..., i] / units.STRAIN.scale for i in range(3)]
    head += [f"{n} [{units.STRAIN.unit}]" for n in ("ε1", "ε2", "γ12")]
    try:
        judged = answers.reserves_of(laminate, asked.loads, asked.criteria).reserve[0]
    except MaterialError:
        judged = np.full(radius.shape, np.nan)
    size = float(np.abs(total.stress_12).max(initial=0.0)) / mpa
    rows: list[Row] = []
    for i, ply in enumerate(laminate.stack.plies):
        for s, level in enumerate(("inside", "middle", "outside")):
            reserve = float(judged[i, s])
            rows.append(
                (
                    i + 1,
                    ply.angle,
                    level,
                    float(radius[i, s] / units.LENGTH.scale),
                    None if np.isnan(reserve) else reserve,
                    *(_clean(float(c[i, s]), size) for c in columns),
                )
            )
    names = ("ply", "angle [°]", "level", f"r [{units.LENGTH.unit}]", "RF")
    return Table("tube, plies", (*names, *head), tuple(rows))


def _clean(value: float, size: float) -> float:
    return 0.0 if abs(value) < 1e-12 * size else value


def wall_words(asked: Question) -> str:
    """What the thick wall says that the thin one does not.

    Raises
    ------
    TartanError
        As `thick_wall`.
    """
    wall = wall_of(asked.laminate, asked.loads)
    radial = float(np.abs(wall.radial).max())
    pressed = f"radial stress up to {units.show(radial, units.STRESS, digits=3)}"
    if not asked.loads.loaded and not wall.hoop.any():
        return "The tube is under nothing yet."
    share = wall.difference
    if share < DIFFERS:
        return (
            f"Thin-wall theory does here: the thick wall differs by {share:.1%} "
            f"of the greatest stress; {pressed}."
        )
    names = (("hoop", wall.hoop, wall.thin_hoop), ("axial", wall.axial, wall.thin_axial))
    gaps = [(float(np.abs(t - u).max()), n, t, u) for n, t, u in names]
    _, name, thick, thin = max(gaps, key=lambda g: g[0])
    at = np.unravel_index(int(np.abs(thick - thin).argmax()), thick.shape)
    level = ("inside", "middle", "outside")[at[1]]
    return (
        f"The wall is thick here: {name} stress in ply {at[0] + 1}, {level}, is "
        f"{units.show(float(thick[at]), units.STRESS, digits=4)} where thin-wall theory says "
        f"{units.show(float(thin[at]), units.STRESS, digits=4)}, {share:.0%} of the greatest "
        f"stress apart; {pressed}."
    )
