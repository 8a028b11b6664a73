"""Loads of cases as rows: a row carries a load for each kind of column that is filled."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import cast

import numpy as np

from tartan.core.errors import DocumentError
from tartan.exchange.cases.columns import (
    ALL,
    AXES,
    VECTORS,
    bare,
    cell_at,
    columns,
    figure,
    quantity_of,
)
from tartan.exchange.tables import Cell, Table, exact
from tartan.project.document.loadmodel import (
    WHOLE,
    Acceleration,
    Case,
    EdgeForce,
    Force,
    Load,
    MappedPressure,
    Movement,
    Pressure,
    Side,
    Temperature,
    Vector,
)
from tartan.project.document.model import Project
from tartan.project.document.partmodel import POINT
from tartan.project.edits import case_edits
from tartan.project.wording import units


def cases_table(cases: Sequence[Case]) -> Table:
    """Cases with a row a load; columns in which nothing stands are left out."""
    rows: list[dict[str, Cell]] = []
    for case in cases:
        first: dict[str, Cell] = {"case": case.name, "supports": case.supports}
        rows += [first | _cells(load) for load in case.loads] or [first]
    used = [
        h
        for h in columns()
        if h == "case" or any(row.get(bare(h)) not in (None, "") for row in rows)
    ]
    body = tuple(tuple(row.get(bare(h)) for h in used) for row in rows)
    return Table("Cases", tuple(used), body)


_PLUS = " + "
"""Between further places of a load."""


def _three(name: str, vector: Vector) -> dict[str, Cell]:
    """Cells of three columns."""
    quantity = VECTORS[name][0]
    return {f"{name} {a}": exact(v, quantity) for a, v in zip(AXES, vector, strict=True)}


def _cells(load: Load) -> dict[str, Cell]:
    """Cells of one load by column."""
    cells: dict[str, Cell] = {}
    if load.held != isinstance(load, Temperature):
        cells["held"] = "yes" if load.held else "no"
    if isinstance(load, Pressure | MappedPressure | Temperature):
        cells["side"] = load.side
    if isinstance(load, Pressure | MappedPressure):
        cells["on"] = load.region or ALL
    if also := getattr(load, "also", ()):
        cells["also"] = _PLUS.join(also)
    return cells | (
        _placed(load) if isinstance(load, Force | Movement | EdgeForce) else _spread(load)
    )


def _spread(load: Pressure | MappedPressure | Acceleration | Temperature) -> dict[str, Cell]:
    """Cells of a load on a region or the whole part."""
    if isinstance(load, Pressure):
        return {"pressure": exact(load.value, units.PRESSURE)}
    if isinstance(load, MappedPressure):
        return {"table": load.table, "times": exact(load.factor, units.RATIO)}
    if isinstance(load, Acceleration):
        return _three("acceleration", load.vector)
    grows = {"gradient": exact(load.gradient, units.GRADIENT)} if load.gradient else {}
    return {"temperature": exact(load.dT, units.TEMPERATURE), **grows}


def _placed(load: Force | Movement | EdgeForce) -> dict[str, Cell]:
    """Cells of a load at a place."""
    if isinstance(load, EdgeForce):
        return {"on": load.edge, **_three("per length", load.force)}
    cells: dict[str, Cell] = {"on": load.place}
    if any(load.at):
        cells |= _three("at", load.at)
    if isinstance(load, Movement):
        return cells | {"local": "yes" if load.local else ""} | _three("move", load.move)
    if load.reach:
        cells["spread"] = exact(load.reach, units.LENGTH)
    # One that is nothing yet is still a force.
    if any(load.force) or not any(load.moment):
        cells |= _three("force", load.force)
    return cells | _three("moment", load.moment) if any(load.moment) else cells


def take_case(
    cells: Sequence[str],
    named: Sequence[tuple[str, str]],
    project: Project,
    cases: list[Case],
    where: str,
) -> None:
    """Add the loads of a row to its case; a row without a name goes on with the case above."""
    texts: dict[str, str] = {}
    figures: dict[str, float] = {}
    wide = max(len(named), len(cells))
    for j, (name, unit) in enumerate([*named, *[("", "")] * (wide - len(named))]):
        text = cell_at(cells, j)
        if not text:
            continue
        if not name:
            raise DocumentError(
                f"'{text}' stands in a column without a head.", where, "Name the column."
            )
        quantity = quantity_of(name)
        if quantity is None:
            texts[name] = text
        else:
            figures[name] = figure(text, unit, quantity, f"{where}, {name}")
    case = texts.pop("case", "") or (cases[-1].name if cases else "")
    if not case:
        raise DocumentError("The case has no name.", where, "Name it in the first column.")
    loads = _loads(_Row(texts, figures, where))
    for load in loads:
        case_edits.check_load(project, load, where)
    supports = texts.get("supports", "")
    if supports and all(x.name != supports for x in project.support_sets):
        raise DocumentError(
            f"There is no support set '{supports}'.", where, "Add it in Cases, or leave it empty."
        )
    old = next((i for i, c in enumerate(cases) if c.name == case), None)
    if old is None:
        cases.append(Case(case, loads, supports))
    else:
        before = cases[old]
        cases[old] = replace(
            before, loads=(*before.loads, *loads), supports=supports or before.supports
        )


@dataclass(frozen=True)
class _Row:
    """Filled cells of a row by column, figures in SI."""

    texts: dict[str, str]
    figures: dict[str, float]
    where: str

    def yes(self, key: str, *, usual: bool) -> bool:
        """Whether a cell says yes."""
        text = self.texts.get(key, "").casefold()
        if text in ("", "yes", "no", "true", "false", "1", "0"):
            return usual if not text else text in ("yes", "true", "1")
        raise DocumentError(
            f"'{text}' is neither yes nor no.", f"{self.where}, {key}", "Type yes or no."
        )

    def three(self, name: str) -> Vector:
        """Figures of three columns."""
        x, y, z = (self.figures.get(f"{name} {a}", 0.0) for a in AXES)
        return (x, y, z)

    def filled(self, *names: str) -> bool:
        """Whether any column of these is filled, of three or of one."""
        return any(key in self.figures for n in names for key in (n, *(f"{n} {a}" for a in AXES)))

    @property
    def side(self) -> Side:
        """Side of the surface, the front where none is named."""
        side = self.texts.get("side", "front")
        if side not in ("front", "back", "laying"):
            raise DocumentError(
                f"There is no side '{side}'.",
                f"{self.where}, side",
                "Type front, back or laying.",
            )
        return cast("Side", side)

    @property
    def region(self) -> str:
        """Region, the whole part where none is named."""
        on = self.texts.get("on", "")
        return WHOLE if on.casefold() in ("", "all", ALL) else on

    def place(self, what: str) -> str:
        """Place of what needs one."""
        found = self.texts.get("on", "") or (POINT if self.filled("at") else "")
        if not found:
            raise DocumentError(
                f"A {what} needs a place.",
                f"{self.where}, on",
                "Name an edge, a region or a point, or give x, y and z.",
            )
        return found

    @property
    def also(self) -> tuple[str, ...]:
        """Further places."""
        return tuple(x.strip() for x in self.texts.get("also", "").split(_PLUS) if x.strip())

    @property
    def held(self) -> bool:
        """Whether loads that grow as a rule are held."""
        return self.yes("held", usual=False)


def _movement(row: _Row) -> Load:
    local = row.yes("local", usual=False)
    return Movement(
        row.place("movement"), row.three("move"), row.three("at"), local, row.held, also=row.also
    )


def _force(row: _Row) -> Load:
    place, reach = row.place("force"), row.figures.get("spread", 0.0)
    force, moment, at = (row.three(x) for x in ("force", "moment", "at"))
    return Force(place, force, moment, at, reach, row.held, also=row.also)


def _temperature(row: _Row) -> Load:
    dT, growth = (row.figures.get(k, 0.0) for k in ("temperature", "gradient"))
    return Temperature(dT, growth, row.side, row.yes("held", usual=True))


def _table(row: _Row) -> Load:
    times = row.figures.get("times", 1.0)
    return MappedPressure(row.texts["table"], times, row.region, row.side, row.held, also=row.also)


_KINDS: tuple[tuple[Callable[[_Row], bool], Callable[[_Row], Load]], ...] = (
    (lambda row: "table" in row.texts, _table),
    (
        lambda row: row.filled("pressure"),
        lambda row: Pressure(
            row.figures["pressure"], row.region, row.side, row.held, also=row.also
        ),
    ),
    (
        lambda row: row.filled("per length"),
        lambda row: EdgeForce(
            row.place("force"), row.three("per length"), row.held, also=row.also
        ),
    ),
    (lambda row: row.filled("force", "moment"), _force),
    (
        lambda row: row.filled("acceleration"),
        lambda row: Acceleration(row.three("acceleration"), row.held),
    ),
    (lambda row: row.filled("temperature", "gradient"), _temperature),
    (lambda row: row.filled("move"), _movement),
)
"""Which columns make a load, and how."""


def _loads(row: _Row) -> tuple[Load, ...]:
    """Loads of a row: one for each kind of column that is filled."""
    found = [make(row) for stands, make in _KINDS if stands(row)]
    # A spreadsheet fills what does not act with zeros; a line of one load is kept as it stands.
    acting = [x for x in found if _acts(x)]
    return tuple(acting or found[:1])


def _acts(load: Load) -> bool:
    figures: dict[str, tuple[str, ...]] = {
        "pressure": ("value",),
        "pressure table": ("factor",),
        "edge force": ("force",),
        "force": ("force", "moment"),
        "acceleration": ("vector",),
        "temperature": ("dT", "gradient"),
        "movement": ("move",),
    }
    return any(np.any(getattr(load, name)) for name in figures[load.kind])
