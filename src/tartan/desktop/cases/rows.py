"""Rows of the Cases station: supports, loads and requirements, each edited in place.

A block of rows is rebuilt only when its make-up changes; otherwise its fields are brought up to
date, so that the keyboard stays where it is.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import EDGES
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.desktop.session import Session
from tartan.desktop.widgets.small import (
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    set_options,
)
from tartan.project import edits, units
from tartan.project.model import (
    PLACES,
    Case,
    DisplacementRequirement,
    EdgeForce,
    Load,
    Pressure,
    Project,
    Requirement,
    ReserveRequirement,
    Support,
)

Update = Callable[[], None]
Tell = Callable[[str], None]


class Block(QWidget):
    """Rows below each other."""

    def __init__(self) -> None:
        super().__init__()
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(4)
        self._made_of: Hashable = None
        self._updates: list[Update] = []

    def put(self, made_of: Hashable, build: Callable[[Block], None]) -> None:
        """Rebuild if the make-up differs, then bring all fields up to date."""
        if made_of != self._made_of:
            while (item := self._box.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            self._updates.clear()
            self._made_of = made_of
            build(self)
        for update in self._updates:
            update()

    def add(self, widget: QWidget, update: Update | None = None) -> None:
        """Add a row and what brings it up to date."""
        self._box.addWidget(widget)
        if update is not None:
            self._updates.append(update)


class CaseRows:
    """Builds the rows; every edit goes through the session."""

    def __init__(self, session: Session, tell: Tell) -> None:
        self.session = session
        self._tell = tell

    def edit(self, label_: str, change: Callable[[Project], Project]) -> TartanError | None:
        """Apply an edit and show its error in the station."""
        error = self.session.edit(label_, change)
        self._tell(str(error) if error else "")
        return error

    @property
    def case(self) -> Case | None:
        """The chosen case."""
        name = self.session.selection.case
        return next((c for c in self.session.project.cases if c.name == name), None)

    # Supports

    def supports(self, block: Block) -> None:
        """One row a support."""
        for i in range(len(self.session.project.supports)):
            self._support(block, i)

    def _support(self, block: Block, i: int) -> None:
        def put(**values: str) -> None:
            supports = list(self.session.project.supports)
            supports[i] = replace(supports[i], **values)
            self.edit("support", lambda p: edits.put_supports(p, supports))

        def remove() -> None:
            supports = self.session.project.supports
            left = supports[:i] + supports[i + 1 :]
            self.edit("remove support", lambda p: edits.put_supports(p, left))

        place = choice(PLACES, lambda text: put(place=text))
        kind = choice(list(SUPPORT_KINDS), lambda text: put(kind=text))
        place.setAccessibleName(f"place of support {i + 1}")
        kind.setAccessibleName(f"kind of support {i + 1}")
        place.setFixedWidth(158)
        kind.setFixedWidth(152)

        def update() -> None:
            support = self.session.project.supports[i]
            set_options(place, PLACES, support.place)
            set_options(kind, list(SUPPORT_KINDS), support.kind)

        block.add(
            row(place, kind, None, button("×", remove, "Remove this support"), spacing=5), update
        )

    def add_support(self) -> None:
        """Add a support at the first edge that has none of its kind."""
        supports = self.session.project.supports
        taken = {s.place for s in supports}
        place = next((p for p in PLACES if p not in taken), PLACES[0])
        new = (*supports, Support(place, "pinned"))
        self.edit("add support", lambda p: edits.put_supports(p, new))

    # Loads of the chosen case

    def loads(self, block: Block) -> None:
        """One row a load of the chosen case."""
        case = self.case
        for i, load in enumerate(case.loads if case else ()):
            if isinstance(load, Pressure):
                self._pressure(block, i)
            elif isinstance(load, EdgeForce):
                self._edge_force(block, i)
            else:
                self._acceleration(block, i)

    def put_load(self, i: int, load: Load | None) -> TartanError | None:
        """Replace a load of the chosen case, or remove it with None."""
        case = self.case
        if case is None:
            return None
        changed = (*case.loads[:i], *(() if load is None else (load,)), *case.loads[i + 1 :])
        return self._put_case(case, replace(case, loads=changed))

    def add_load(self, load: Load) -> None:
        """Add a load to the chosen case."""
        if self.case is not None:
            self._put_case(self.case, replace(self.case, loads=(*self.case.loads, load)))

    def _put_case(self, old: Case, new: Case) -> TartanError | None:
        cases = tuple(new if c == old else c for c in self.session.project.cases)
        return self.edit(f"loads of {old.name}", lambda p: edits.put_cases(p, cases))

    def _load(self, i: int) -> Load | None:
        case = self.case
        return case.loads[i] if case and i < len(case.loads) else None

    def _remove(self, i: int) -> QWidget:
        return button("×", lambda: self.put_load(i, None), "Remove this load")

    def _pressure(self, block: Block, i: int) -> None:
        field = QuantityField(units.PRESSURE, lambda v: self.put_load(i, Pressure(v or 0.0)))
        field.setFixedWidth(76)
        field.setAccessibleName("pressure")
        field.refused.connect(self._tell)

        def update() -> None:
            load = self._load(i)
            if isinstance(load, Pressure):
                field.put_value(load.value)

        name = label("pressure on the laying side", "soft")
        name.setToolTip("Positive presses on the laying side, negative sucks at it")
        block.add(
            row(name, None, field, UnitLabel(units.PRESSURE), self._remove(i), spacing=5), update
        )

    def _vector(self, i: int, quantity: units.Quantity, read: Callable[[Any], Sequence[float]],
                write: Callable[[Any, tuple[float, float, float]], Load]
                ) -> tuple[list[QuantityField], Update]:  # fmt: skip
        fields: list[QuantityField] = []

        def commit(axis: int, value: float | None) -> TartanError | None:
            load = self._load(i)
            if load is None:
                return None
            vector = list(read(load))
            vector[axis] = value or 0.0
            return self.put_load(i, write(load, (vector[0], vector[1], vector[2])))

        for axis in range(3):
            field = QuantityField(quantity, lambda v, a=axis: commit(a, v))  # type: ignore[misc]
            field.setFixedWidth(58)
            field.setToolTip("xyz"[axis])
            field.setAccessibleName(f"{quantity.name} {'xyz'[axis]}")
            field.refused.connect(self._tell)
            fields.append(field)

        def update() -> None:
            load = self._load(i)
            if load is not None:
                for field, value in zip(fields, read(load), strict=True):
                    field.put_value(value)

        return fields, update

    def _edge_force(self, block: Block, i: int) -> None:
        def put_edge(text: str) -> None:
            load = self._load(i)
            if isinstance(load, EdgeForce):
                self.put_load(i, replace(load, edge=text))

        edge = choice(EDGES, put_edge)
        fields, update_fields = self._vector(
            i, units.LINE_FORCE, lambda load: load.force, lambda load, v: replace(load, force=v)
        )

        def update() -> None:
            load = self._load(i)
            if isinstance(load, EdgeForce):
                set_options(edge, EDGES, load.edge)
                update_fields()

        block.add(
            row(label("force per length", "soft"), edge, None, self._remove(i), spacing=5), update
        )
        block.add(
            row(
                label("x, y, z", "soft"), None, *fields, UnitLabel(units.LINE_FORCE), 22, spacing=4
            )
        )

    def _acceleration(self, block: Block, i: int) -> None:
        fields, update = self._vector(
            i,
            units.ACCELERATION,
            lambda load: load.vector,
            lambda load, v: replace(load, vector=v),
        )
        name = label("mass driven", "soft")
        name.setToolTip("Force is mass times this: 0, 0, −9.81 is own weight with z up")
        block.add(
            row(name, None, *fields, UnitLabel(units.ACCELERATION), self._remove(i), spacing=4),
            update,
        )

    # Requirements

    def requirements(self, block: Block) -> None:
        """One row a requirement."""
        for i, requirement in enumerate(self.session.project.requirements):
            self._requirement(block, i, requirement)

    def _requirement(self, block: Block, i: int, sort: Requirement) -> None:
        def put(**values: object) -> TartanError | None:
            asked = list(self.session.project.requirements)
            asked[i] = replace(asked[i], **values)  # type: ignore[arg-type]
            return self.edit("requirement", lambda p: edits.put_requirements(p, asked))

        def remove() -> None:
            asked = self.session.project.requirements
            left = asked[:i] + asked[i + 1 :]
            self.edit("remove requirement", lambda p: edits.put_requirements(p, left))

        quantity = units.RATIO if isinstance(sort, ReserveRequirement) else units.LENGTH
        field = QuantityField(quantity, lambda v: put(value=v or 0.0))
        field.setFixedWidth(66)
        field.setAccessibleName(f"limit of {sort.kind}")
        field.refused.connect(self._tell)
        case = choice([], lambda text: put(case=text))
        head = "reserve factor ≥" if isinstance(sort, ReserveRequirement) else "displacement ≤"

        def update() -> None:
            requirement = self.session.project.requirements[i]
            field.put_value(requirement.value)
            if isinstance(requirement, DisplacementRequirement):
                names = [c.name for c in self.session.project.cases]
                set_options(case, names, requirement.case)

        parts: list[QWidget | int | None] = [label(head, "soft"), field]
        if isinstance(sort, DisplacementRequirement):
            parts += [UnitLabel(units.LENGTH), label("in", "soft"), case]
        else:
            case.hide()
        block.add(
            row(*parts, None, button("×", remove, "Remove this requirement"), spacing=5), update
        )

    def add_requirement(self, requirement: Requirement) -> None:
        """Add a requirement."""
        asked = (*self.session.project.requirements, requirement)
        self.edit("add requirement", lambda p: edits.put_requirements(p, asked))
