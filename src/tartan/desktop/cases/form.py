"""What the blocks of the Cases station share: edits, the chosen case, and vector fields."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tartan.core.errors import TartanError
from tartan.desktop.part.form import ALL, region_options
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Update
from tartan.desktop.widgets.controls import QuantityField
from tartan.project.analysis.partmesh import base_mesh, places
from tartan.project.document.model import Project
from tartan.project.document.partmodel import POINT, Case, Combination
from tartan.project.wording import units

Read = Callable[[], Sequence[float] | None]


class CaseForm(QObject):
    """Builds rows; every edit goes through the session, and its error is told."""

    told = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def edit(self, name: str, change: Callable[[Project], Project]) -> TartanError | None:
        """Apply an edit and tell its error."""
        error = self.session.edit(name, change)
        self.told.emit(str(error) if error else "")
        return error

    @property
    def case(self) -> Case | None:
        """The chosen case."""
        name = self.session.selection.case
        return next((c for c in self.session.project.cases if c.name == name), None)

    @property
    def combination(self) -> Combination | None:
        """The chosen combination."""
        name = self.session.selection.case
        return next((c for c in self.session.project.combinations if c.name == name), None)

    def places(self) -> list[str]:
        """Places where supports and loads can stand."""
        part = self.session.project.part
        try:
            return [POINT, *places(part)] if part else [POINT]
        except TartanError:
            return [POINT]

    def edges(self) -> list[str]:
        """Named edges."""
        part = self.session.project.part
        try:
            return [*base_mesh(part.surface, part.mesh_size, part.finer).edges] if part else []
        except TartanError:
            return []

    def regions(self) -> list[str]:
        """Regions as a choice shows them."""
        part = self.session.project.part
        try:
            return region_options(part) if part else [ALL]
        except TartanError:
            return [ALL]

    def field(self, quantity: units.Quantity, commit: Callable[[float | None], TartanError | None],
              name: str, *, wide: int = 62, optional: bool = False) -> QuantityField:  # fmt: skip
        """A number with its unit."""
        made = QuantityField(quantity, commit, optional=optional)
        made.setFixedWidth(wide)
        made.setAccessibleName(name)
        made.refused.connect(self.told)
        return made

    def vector(self, quantity: units.Quantity, name: str, read: Read,
               write: Callable[[tuple[float, float, float]], Any]
               ) -> tuple[list[QuantityField], Update]:  # fmt: skip
        """Three fields for x, y, z, and what brings them up to date."""
        fields: list[QuantityField] = []

        def commit(axis: int, value: float | None) -> TartanError | None:
            now = read()
            if now is None:
                return None
            vector = list(now)
            vector[axis] = value or 0.0
            error: TartanError | None = write((vector[0], vector[1], vector[2]))
            return error

        for axis in range(3):
            made = self.field(quantity, lambda v, a=axis: commit(a, v),  # type: ignore[misc]
                              f"{name} {'xyz'[axis]}", wide=58)  # fmt: skip
            made.setToolTip("xyz"[axis])
            fields.append(made)

        def update() -> None:
            now = read()
            if now is not None:
                for made, value in zip(fields, now, strict=True):
                    made.put_value(value)

        return fields, update
