"""What the blocks of the Cases station share: edits, the chosen case, what there is to choose."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from tartan.core.errors import TartanError, fault_of
from tartan.desktop.session import Session
from tartan.project.analysis.partmesh import base_mesh, places, region_names
from tartan.project.document.model import Project
from tartan.project.document.partmodel import POINT, WHOLE, Case, Combination


class CaseForm(QObject):
    """Builds rows; every edit goes through the session, and its error is told."""

    told = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def edit(self, name: str, change: Callable[[Project], Project]) -> TartanError | None:
        """Apply an edit and tell its error."""
        error = self.session.edit(name, change)
        self.told.emit(fault_of(error))
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

    def region_values(self) -> list[str]:
        """Regions by name, the whole part first."""
        part = self.session.project.part
        try:
            return region_names(part) if part else [WHOLE]
        except TartanError:
            return [WHOLE]
