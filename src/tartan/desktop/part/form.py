"""What the forms of the Part station share: edits of the part, choices of regions, vectors."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QWidget

from tartan.core.errors import DocumentError, TartanError, fault_of
from tartan.core.shell.vessel_shape import Vessel
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import label
from tartan.project.analysis.partmesh import region_names
from tartan.project.document.model import Project
from tartan.project.document.partmodel import WHOLE, Part
from tartan.project.edits import part_edits

ALL = "whole part"
"""The whole part in a choice of regions."""


class PartForm(QWidget):
    """A form on the part; every edit goes through the session."""

    told = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def refresh(self) -> None:
        """Show the project and the selection as they stand."""

    def close_down(self) -> None:
        """End what is under way, before the window goes."""

    @property
    def part(self) -> Part | None:
        """The part as it stands."""
        return self.session.project.part

    def edit(self, name: str, change: Callable[[Project], Project]) -> TartanError | None:
        """Apply an edit and tell its error."""
        error = self.session.edit(name, change)
        self.told.emit(fault_of(error))
        return error

    def change(self, name: str, **values: object) -> TartanError | None:
        """Change fields of the part."""
        return self.edit(name, lambda p: part_edits.change_part(p, **values))

    def change_surface(self, name: str, **values: object) -> TartanError | None:
        """Change what the mesh depends on; what the part loses is told."""
        lost: list[str] = []

        def change(project: Project) -> Project:
            if project.part is None:
                raise DocumentError("There is no part yet.", "Part", "Choose a surface first.")
            part = replace(project.part, **values)  # type: ignore[arg-type]
            changed, gone = part_edits.put_surface(project, part)
            lost.extend(gone)
            return changed

        error = self.session.edit(name, change)
        words = f"The new surface no longer has: {', '.join(lost)}. Ctrl+Z brings it back."
        self.told.emit(fault_of(error) if error else words if lost else "")
        return error


def winds(part: Part | None) -> bool:
    """Whether a part is a vessel to wind."""
    return part is not None and isinstance(part.surface, Vessel)


def region_options(part: Part) -> list[str]:
    """Faces and regions of a part as a choice shows them, the whole part first.

    Raises
    ------
    TartanError
        When the surface cannot be meshed.
    """
    names = region_names(part)
    return [ALL if n == WHOLE else n for n in names]


def region_of(text: str) -> str:
    """Region from the text of a choice."""
    return WHOLE if text == ALL else text


def grid(rows: list[tuple[str, QWidget]]) -> QWidget:
    """Names at the left, widgets at the right."""
    holder = QWidget()
    box = QGridLayout(holder)
    box.setContentsMargins(0, 0, 0, 0)
    box.setVerticalSpacing(5)
    for line, (text, widget) in enumerate(rows):
        name = label(text, "soft")
        box.addWidget(name, line, 0)
        box.addWidget(widget, line, 1)
    box.setColumnStretch(1, 1)
    return holder
