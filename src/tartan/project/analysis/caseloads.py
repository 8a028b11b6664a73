"""Loads of a case as nodal forces, temperatures and movements."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError, TartanError
from tartan.core.laminate.response import Load as LaminateLoad
from tartan.core.shell import loads, pressure_map
from tartan.core.shell.constraints import Held
from tartan.core.shell.inertia import mass_moments
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.model import ShellModel
from tartan.core.shell.recovery import thermal_forces
from tartan.project.analysis.beside import Beside
from tartan.project.analysis.inputs import Layout, PartInputs
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.shellinputs import local_axes
from tartan.project.document.loadmodel import places_of
from tartan.project.document.partmodel import (
    Acceleration,
    Case,
    EdgeForce,
    Force,
    Load,
    MappedPressure,
    Movement,
    Pressure,
    PressureTable,
    Side,
    Temperature,
)

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Heat:
    """A temperature field: its change [K], and its growth towards front and laying side [K/m]."""

    dT: float = 0.0
    front: float = 0.0
    laying: float = 0.0

    def times(self, factor: float) -> Heat:
        """Return it scaled."""
        return Heat(factor * self.dT, factor * self.front, factor * self.laying)

    def plus(self, other: Heat) -> Heat:
        """Return both together."""
        return Heat(self.dT + other.dT, self.front + other.front, self.laying + other.laying)

    def on(self, sign: float) -> LaminateLoad:
        """As a laminate sees it whose laying side is the front, or with −1 the back."""
        return LaminateLoad(dT=self.dT, dT_gradient=sign * self.front + self.laying)

    def __bool__(self) -> bool:
        return bool(self.dT or self.front or self.laying)


def heat_of(case: Case, *, held: bool | None = None) -> Heat | None:
    """All temperatures of a case together, or those that are held or grow; None without any."""
    total = Heat()
    for x in case.loads:
        if isinstance(x, Temperature) and held in (None, x.held):
            along = {
                "front": (x.gradient, 0.0),
                "back": (-x.gradient, 0.0),
                "laying": (0.0, x.gradient),
            }[x.side]
            total = total.plus(Heat(x.dT, *along))
    return total or None


def heats_on(layout: Layout, heat: Heat) -> tuple[LaminateLoad, ...]:
    """A temperature field as each of the layout's sided zones sees it."""
    return tuple(heat.on(float(s)) for s in layout.sides)


def heat_forces(layout: Layout, model: ShellModel, heat: Heat) -> Array:
    """Nodal forces of a temperature, shape (n, 6)."""
    return thermal_forces(model, heat.dT, layout.signs * heat.front + heat.laying)


def moved_nodes(whole: Meshed, moves: Iterable[Movement], where: str) -> list[Held]:
    """Movements as moved nodes.

    Raises
    ------
    PartError
        When a place does not exist.
    """
    found = []
    for one in moves:
        unknowns = tuple(i for i, v in enumerate(one.move) if v)
        if not unknowns:
            continue
        nodes = whole.nodes_of(one, where)
        axes = local_axes(whole, nodes, where) if one.local else None
        found.append(Held(nodes, unknowns, tuple(one.move[i] for i in unknowns), axes))
    return found


def movement(layout: Layout, model: ShellModel, case: Case) -> Array:
    """Prescribed part of all unknowns of a case, shape (6n,) [m, rad].

    Raises
    ------
    PartError
        When its supports do not hold what it moves.
    """
    moves = [x for x in case.loads if isinstance(x, Movement)]
    if not moves or model.constraints is None:
        return np.zeros(6 * len(layout.mesh.nodes))
    where = f"Case '{case.name}', movement"
    try:
        return model.constraints.moved(moved_nodes(layout.whole, moves, where))
    except PartError as error:
        raise PartError(error.what, where, error.mend) from error


def case_forces(layout: Layout, case: Case, tables: tuple[PressureTable, ...] = ()) -> Array:
    """Nodal forces of a case but for temperature and movement, shape (n, 6) [N, N·m].

    Raises
    ------
    MaterialError
        When an acceleration meets a material without density.
    PartError
        A load on a place that is not there, or a pressure table that misses the part.
    """
    mesh, whole = layout.mesh, layout.whole
    total = np.zeros((len(mesh.nodes), 6))
    for load in case.loads:
        where = f"Case '{case.name}', {load.kind}"
        if isinstance(load, Pressure | MappedPressure):
            total += loads.pressure(mesh, -pressing(layout, load, tables, where))
        elif isinstance(load, EdgeForce):
            for edge in places_of(load):
                if edge not in mesh.edges:
                    raise PartError(f"There is no edge '{edge}'.", where, "Choose another.")
                total += loads.edge_force(mesh, mesh.edges[edge], np.array(load.force))
        elif isinstance(load, Force):
            nodes = whole.nodes_of(load, where)
            total += loads.spread(mesh, nodes, np.array(load.force), np.array(load.moment))
        elif isinstance(load, Acceleration):
            each = np.array([mass_moments(x) for x in layout.zones.laminates])
            total += loads.acceleration(mesh, each[layout.zones.zone], np.array(load.vector))
    return total


def facing(layout: Layout, side: Side) -> Array:
    """1 where a side is the laying side, −1 where it is the other, shape (m,)."""
    if side == "laying":
        return np.ones(layout.mesh.count)
    return layout.signs if side == "front" else -layout.signs


def pressing(
    layout: Layout, load: Pressure | MappedPressure, tables: tuple[PressureTable, ...], where: str
) -> Array:
    """Pressure against the laying direction at the sampling points, shape (m, 4) [Pa].

    Raises
    ------
    PartError
        A region or table that is not there.
    """
    return _on_side(layout, load, tables, where) * facing(layout, load.side)[:, None]


def _on_side(
    layout: Layout, load: Pressure | MappedPressure, tables: tuple[PressureTable, ...], where: str
) -> Array:
    """Pressure on the side it was entered on at the sampling points, shape (m, 4) [Pa]."""
    values = (
        load.value if isinstance(load, Pressure) else map_table(layout, load, tables, where).values
    )
    return np.asarray(values * covered(layout.whole, load, where))


def on_faces(layout: Layout, case: Case, tables: tuple[PressureTable, ...]) -> Array:
    """Pressure on the lower and the upper face, shape (m, 2) [Pa]; up is the laying side.

    Raises
    ------
    PartError
        A region or table that is not there.
    """
    found = np.zeros((layout.mesh.count, 2))
    for load in case.loads:
        if isinstance(load, Pressure | MappedPressure):
            where = f"Case '{case.name}', {load.kind}"
            up = facing(layout, load.side) > 0
            found[np.arange(len(up)), up.astype(int)] += _on_side(
                layout, load, tables, where
            ).mean(axis=1)
    return found


def covered(whole: Meshed, load: Pressure | MappedPressure, where: str) -> Array:
    """One on the regions of a pressure, else zero, at the sampling points, shape (m, 4)."""
    inside = np.zeros((whole.mesh.count, 4))
    inside[whole.elements_of(load, where)] = 1.0
    return inside


def _map(mesh: Mesh, rows: tuple[tuple[float, ...], ...]) -> pressure_map.Mapped:
    table = np.array(rows)
    return pressure_map.map_pressure(mesh, table[:, :3], table[:, 3])


_mapped = Beside(_map, "The pressure table is being laid on the part.", most=32)


def map_soon(layout: Layout, some: tuple[Load, ...], tables: tuple[PressureTable, ...]) -> None:
    """Have the tables of loads mapped, for whoever can do without for a moment.

    Raises
    ------
    MeshPending
        When one is being mapped, in a window.
    PartError
        When one misses the part.
    """
    for rows in _mapped_by(some, tables):
        _mapped.soon(layout.mesh, rows)


def map_ahead(inputs: PartInputs) -> None:
    """Begin to map tables that a window will ask for; nothing where there is no mesh yet."""
    with suppress(TartanError):
        mesh = meshed(inputs.part).mesh
        for case in inputs.cases:
            for rows in _mapped_by(case.loads, inputs.tables):
                _mapped.ahead(mesh, rows)


def _mapped_by(
    some: tuple[Load, ...], tables: tuple[PressureTable, ...]
) -> list[tuple[tuple[float, ...], ...]]:
    """Rows of the tables that loads map."""
    named = {x.table for x in some if isinstance(x, MappedPressure)}
    return [t.rows for t in tables if t.name in named]


def map_table(
    layout: Layout, load: MappedPressure, tables: tuple[PressureTable, ...], where: str
) -> pressure_map.Mapped:
    """Pressure of a table on the sampling points, with its factor; positive presses on its side.

    Raises
    ------
    PartError
        When the table does not exist or misses the part.
    """
    table = next((t for t in tables if t.name == load.table), None)
    if table is None:
        raise PartError(f"There is no pressure table '{load.table}'.", where, "Read one in Cases.")
    sides = np.asarray(facing(layout, load.side), float).tobytes()
    return _times(layout.mesh, table.rows, load.factor, sides)


@lru_cache(maxsize=32)
def _times(
    mesh: Mesh, rows: tuple[tuple[float, ...], ...], factor: float, sides: bytes
) -> pressure_map.Mapped:
    """A table on the sampling points times a factor, on the sides that are told as bytes."""
    found, side = _mapped(mesh, rows), np.frombuffer(sides)
    values = factor * found.values
    values.setflags(write=False)
    force = loads.resultant(mesh, loads.pressure(mesh, -values * side[:, None]))
    return replace(found, values=values, force=force, given=-factor * float(side[0]) * found.given)
