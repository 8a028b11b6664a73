"""Rows of the loads of the chosen case, and of the factors of a chosen combination."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QComboBox, QPushButton, QWidget

from tartan.core.errors import TartanError
from tartan.desktop.cases.form import CaseForm
from tartan.desktop.part.form import ALL, region_of
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    UnitLabel,
    button,
    choice,
    label,
    row,
    set_options,
    switch,
)
from tartan.project.analysis.caseloads import map_table
from tartan.project.analysis.inputs import layout_of, part_inputs
from tartan.project.document.partmodel import (
    POINT,
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
)
from tartan.project.edits import case_edits
from tartan.project.wording import units

NEW = ("pressure", "pressure table", "force per length", "force or moment", "own weight",
       "acceleration", "temperature", "movement")  # fmt: skip
"""Loads that can be added."""


HELD_TIP = "Held: it stays as it is while reserve factors and buckling scale the rest"

SIDES: dict[str, Side] = {"front": "front", "back": "back", "laying side": "laying"}
"""Sides of the surface as the choice shows them."""


class LoadRows(CaseForm):
    """Rows of loads by their sort."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._held: dict[int, QPushButton] = {}

    def rows(self, block: Block) -> None:
        """Build the rows of the chosen case, or the factors of the chosen combination."""
        if self.combination is not None:
            self._factors(block)
            return
        case = self.case
        for i, load in enumerate(case.loads if case else ()):
            build = {"pressure": self._pressure, "pressure table": self._table,
                     "edge force": self._edge_force, "force": self._force,
                     "acceleration": self._acceleration, "movement": self._movement,
                     "temperature": self._temperature}[load.kind]  # fmt: skip
            build(block, i)

    def make_up(self) -> object:
        """What the rows are made of."""
        case, both = self.case, self.combination
        if both is not None:
            return ("combination", both.name, tuple(c.name for c in self.session.project.cases))
        loads = case.loads if case else ()
        sorts = ((x.kind, isinstance(x, Force | Movement) and x.place == POINT) for x in loads)
        return (case.name if case else "", tuple(sorts))

    # Edits

    def put(self, i: int, load: Load | None) -> TartanError | None:
        """Replace a load of the chosen case, or remove it with None."""
        case = self.case
        if case is None:
            return None
        changed = (*case.loads[:i], *(() if load is None else (load,)), *case.loads[i + 1 :])
        return self._put_case(case, replace(case, loads=changed))

    def set_values(self, i: int, **values: object) -> TartanError | None:
        """Change fields of a load."""
        load = self._load(i)
        return None if load is None else self.put(i, replace(load, **values))

    def add(self, sort: str) -> None:
        """Add a load of a sort to the chosen case."""
        if self.case is None:
            self.told.emit("Add or choose a case first; a combination has factors only.")
            return
        tables = self.session.project.tables
        edges = self.edges()
        if sort == "pressure table" and not tables:
            self.told.emit("There is no pressure table yet: read one from CSV or XLSX first.")
            return
        if sort == "force per length" and not edges:
            self.told.emit("This surface has no edges.")
            return
        places = self.places()
        makers: dict[str, Callable[[], Load]] = {
            "pressure": lambda: Pressure(1000.0, side=self._laying_side()),
            "pressure table": lambda: MappedPressure(tables[-1].name, side=self._laying_side()),
            "force per length": lambda: EdgeForce(edges[-1], (1000.0, 0.0, 0.0)),
            "force or moment": lambda: Force(
                places[1] if len(places) > 1 else POINT, (0.0, 0.0, -100.0)
            ),
            "own weight": lambda: Acceleration((0.0, 0.0, -9.81)),
            "acceleration": lambda: Acceleration((0.0, 0.0, -19.62)),
            "temperature": lambda: Temperature(-60.0, side=self._laying_side()),
            "movement": lambda: Movement(self._held_place(), (0.0, 0.0, -1e-3)),
        }
        loads = (*self.case.loads, makers[sort]())
        self._put_case(self.case, replace(self.case, loads=loads))

    def _laying_side(self) -> Side:
        """Side of the surface from which it is laid now: what a new load refers to."""
        part = self.session.project.part
        return "back" if part is not None and WHOLE in part.flipped else "front"

    def _held_place(self) -> str:
        """Place of a support of the chosen case: a movement moves what is held."""
        case = self.case
        held = self.session.project.supports_of(case.supports if case else "")
        return next((s.place for s in held), self.places()[-1])

    def _put_case(self, old: Case, new: Case) -> TartanError | None:
        cases = tuple(new if c == old else c for c in self.session.project.cases)
        return self.edit(f"loads of {old.name}", lambda p: case_edits.put_cases(p, cases))

    def _load(self, i: int) -> Any:
        case = self.case
        return case.loads[i] if case and i < len(case.loads) else None

    # Rows

    def _remove(self, i: int) -> QWidget:
        """Whether the load is held, and its removal."""
        held = switch("held", HELD_TIP, on=bool((load := self._load(i)) and load.held))
        held.setAccessibleName(f"load {i + 1} is held")
        held.clicked.connect(lambda on: self.set_values(i, held=on))
        self._held[i] = held
        return row(held, button("×", lambda: self.put(i, None), "Remove this load"), spacing=2)

    def _side(self, i: int) -> tuple[QComboBox, Callable[[], None]]:
        """Side of the surface that a load refers to."""
        made = choice([*SIDES], lambda text: self.set_values(i, side=SIDES[text]))
        made.setAccessibleName(f"side of load {i + 1}")
        made.setToolTip("Front and back of the surface as it came; turning the laying side "
                        "does not swap them")  # fmt: skip

        def update() -> None:
            load = self._load(i)
            if load is not None and hasattr(load, "side"):
                named = {v: k for k, v in SIDES.items()}
                set_options(made, [*SIDES], named[load.side])
                self._held[i].setChecked(load.held)

        return made, update

    def _one(self, i: int, key: str, quantity: units.Quantity, name: str) -> tuple[QWidget, Any]:
        made = self.field(quantity, lambda v: self.set_values(i, **{key: v or 0.0}), name, wide=66)

        def update() -> None:
            load = self._load(i)
            if load is not None and hasattr(load, key):
                made.put_value(getattr(load, key))

        return made, update

    def _region(self, i: int) -> tuple[QComboBox, Callable[[], None]]:
        made = choice([], lambda text: self.set_values(i, region=region_of(text)))
        made.setAccessibleName(f"region of load {i + 1}")
        made.setMaximumWidth(130)

        def update() -> None:
            load = self._load(i)
            if load is not None and hasattr(load, "region"):
                set_options(made, self.regions(), load.region or ALL)

        return made, update

    def _pressure(self, block: Block, i: int) -> None:
        field, update = self._one(i, "value", units.PRESSURE, "pressure")
        region, update_region = self._region(i)
        name = label("pressure on", "soft")
        name.setToolTip("Positive presses on that side, negative sucks at it")
        side, update_side = self._side(i)
        block.add(row(name, side, region, None, field, UnitLabel(units.PRESSURE), self._remove(i),
                      spacing=4), update)  # fmt: skip
        block.add(row(spacing=0), update_region)
        block.add(row(spacing=0), update_side)

    def _table(self, block: Block, i: int) -> None:
        table = choice([], lambda text: self.set_values(i, table=text))
        table.setAccessibleName(f"table of load {i + 1}")
        region, update_region = self._region(i)
        factor, update_factor = self._one(i, "factor", units.RATIO, "factor of the table")
        words = label("", "soft", wrap=True)
        block.add(row(label("table", "soft"), table, None, self._remove(i), spacing=4))
        side, update_side = self._side(i)
        block.add(row(label("times", "soft"), factor, label("on", "soft"), side, region, None,
                      spacing=4), update_factor)  # fmt: skip

        def update() -> None:
            load = self._load(i)
            if isinstance(load, MappedPressure):
                names = [t.name for t in self.session.project.tables]
                set_options(table, names, load.table)
                words.setText(self._mapping_words(load))
            update_region()
            update_side()

        block.add(words, update)

    def _mapping_words(self, load: MappedPressure) -> str:
        """Resultant before and after mapping, and how much lay outside the table."""
        try:
            inputs = part_inputs(self.session.project)
            found = map_table(layout_of(inputs), load, inputs.tables, "Load")
        except TartanError as error:
            return str(error)
        given, mapped = (float(np.linalg.norm(f)) for f in (found.given, found.force[:3]))
        known = bool(np.isfinite(given))
        before = f"table {units.show(given, units.FORCE)}" if known else "points on a line"
        share = f", {found.outside:.1%} of the area outside it" if found.outside > 5e-4 else ""
        return f"{before} → part {units.show(mapped, units.FORCE)}{share}"

    def _edge_force(self, block: Block, i: int) -> None:
        def read() -> Any:
            return load.force if (load := self._load(i)) else None

        edge = choice([], lambda text: self.set_values(i, edge=text))
        fields, update_fields = self.vector(
            units.LINE_FORCE, "force per length", read, lambda v: self.set_values(i, force=v)
        )

        def update() -> None:
            load = self._load(i)
            if isinstance(load, EdgeForce):
                set_options(edge, self.edges(), load.edge)
                update_fields()

        block.add(row(label("force per length", "soft"), edge, None, self._remove(i), spacing=4),
                  update)  # fmt: skip
        block.add(row(label("x, y, z", "soft"), None, *fields, UnitLabel(units.LINE_FORCE), 22,
                      spacing=4))  # fmt: skip

    def _force(self, block: Block, i: int) -> None:
        place = choice([], lambda text: self.set_values(i, place=text))
        place.setAccessibleName(f"place of load {i + 1}")
        block.add(row(label("total on", "soft"), place, None, self._remove(i), spacing=4))
        updates = []
        lines = [("force", units.FORCE), ("moment", units.MOMENT)]
        if (load := self._load(i)) is not None and load.place == POINT:
            lines.append(("at", units.LENGTH))
        for key, quantity in lines:
            fields, update = self.vector(
                quantity, f"{key} of load {i + 1}",
                lambda k=key: getattr(x, k) if (x := self._load(i)) else None,  # type: ignore[misc]
                lambda v, k=key: self.set_values(i, **{k: v}))  # type: ignore[misc]  # fmt: skip
            updates.append(update)
            block.add(row(label(f"{key} x, y, z", "soft"), None, *fields, UnitLabel(quantity), 22,
                          spacing=4))  # fmt: skip
        if load is not None and load.place == POINT:
            reach, update_reach = self._one(i, "reach", units.LENGTH, "spread within")
            block.add(row(label("spread within", "soft"), None, reach, UnitLabel(units.LENGTH), 22,
                          spacing=4), update_reach)  # fmt: skip

        def update_all() -> None:
            now = self._load(i)
            if isinstance(now, Force):
                set_options(place, self.places(), now.place)
                for each in updates:
                    each()

        block.add(row(spacing=0), update_all)

    def _acceleration(self, block: Block, i: int) -> None:
        fields, update = self.vector(
            units.ACCELERATION, "acceleration", lambda: x.vector if (x := self._load(i)) else None,
            lambda v: self.set_values(i, vector=v))  # fmt: skip
        name = label("mass driven", "soft")
        name.setToolTip("Force is mass times this: 0, 0, −9.81 is own weight with z up")
        block.add(row(name, None, *fields, UnitLabel(units.ACCELERATION), self._remove(i),
                      spacing=4), update)  # fmt: skip

    def _temperature(self, block: Block, i: int) -> None:
        change, update = self._one(i, "dT", units.TEMPERATURE, "temperature change")
        gradient, update_gradient = self._one(i, "gradient", units.GRADIENT, "gradient")
        block.add(
            row(
                label("temperature change", "soft"),
                None,
                change,
                UnitLabel(units.TEMPERATURE),
                self._remove(i),
                spacing=4,
            ),
            update,
        )
        side, update_side = self._side(i)
        block.add(row(label("growing towards the", "soft"), side, None, gradient,
                      UnitLabel(units.GRADIENT), 22, spacing=4), update_gradient)  # fmt: skip
        block.add(row(spacing=0), update_side)

    def _movement(self, block: Block, i: int) -> None:
        place = choice([], lambda text: self.set_values(i, place=text))
        place.setAccessibleName(f"place of load {i + 1}")
        local = switch("local", "Axes along 0°, across it and along the normal")
        local.clicked.connect(lambda on: self.set_values(i, local=on))
        name = label("movement of", "soft")
        name.setToolTip("Of what a support of this case holds; it scales and adds as a load")
        block.add(row(name, place, local, None, self._remove(i), spacing=4))
        load = self._load(i)
        keys = ["move", *(["at"] if load is not None and load.place == POINT else [])]
        updates = []
        for key in keys:
            fields, update = self.vector(
                units.LENGTH, f"{key} of load {i + 1}",
                lambda k=key: getattr(x, k) if (x := self._load(i)) else None,  # type: ignore[misc]
                lambda v, k=key: self.set_values(i, **{k: v}))  # type: ignore[misc]  # fmt: skip
            updates.append(update)
            head = "by x, y, z" if key == "move" else "point x, y, z"
            block.add(row(label(head, "soft"), None, *fields, UnitLabel(units.LENGTH), 22,
                          spacing=4))  # fmt: skip

        def update_all() -> None:
            now = self._load(i)
            if isinstance(now, Movement):
                set_options(place, self.places(), now.place)
                local.setChecked(now.local)
                for each in updates:
                    each()

        block.add(row(spacing=0), update_all)

    # Combinations

    def _factors(self, block: Block) -> None:
        for case in self.session.project.cases:
            self._factor(block, case.name)

    def _factor(self, block: Block, name: str) -> None:
        def commit(value: float | None) -> TartanError | None:
            both = self.combination
            if both is None:
                return None
            factors = {n: f for n, f in both.factors if n != name}
            if value:
                factors[name] = value
            order = [c.name for c in self.session.project.cases]
            new = replace(both, factors=tuple((n, factors[n]) for n in order if n in factors))
            many = tuple(new if c == both else c for c in self.session.project.combinations)
            return self.edit(f"factors of {both.name}",
                             lambda p: case_edits.put_combinations(p, many))  # fmt: skip

        field = self.field(units.RATIO, commit, f"factor of {name}", optional=True)
        field.setPlaceholderText("–")

        def update() -> None:
            both = self.combination
            field.put_value(dict(both.factors).get(name) if both else None)

        def hold(on: bool) -> None:
            both = self.combination
            if both is not None:
                kept = tuple(n for n in both.held if n != name)
                new = replace(both, held=(*kept, name) if on else kept)
                many = tuple(new if c == both else c for c in self.session.project.combinations)
                self.edit(f"held in {both.name}", lambda p: case_edits.put_combinations(p, many))

        held = switch("held", HELD_TIP)
        held.setAccessibleName(f"{name} is held")
        held.clicked.connect(hold)

        def update_held() -> None:
            both = self.combination
            held.setChecked(both is not None and name in both.held)

        block.add(row(field, label(f"× {name}", "soft"), None, held, spacing=6), update)
        block.add(row(spacing=0), update_held)
