"""Undo and redo: the projects that were, with the name of the edit that made each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from tartan.project.document.model import Project
from tartan.project.document.textgate import refuse_odd_text

MOST_STEPS = 500
"""Steps kept; a Project shares what did not change, so a step costs little."""


@dataclass(eq=False)
class History:
    """A list of (label, project), the place in it, and the mark of the last save."""

    steps: list[tuple[str, Project]]
    at: int = 0
    saved: Project | None = field(default=None)

    @classmethod
    def start(cls, project: Project, *, saved: bool = True) -> History:
        """Begin with a project, saved or not."""
        return cls([("opened", project)], 0, project if saved else None)

    @property
    def project(self) -> Project:
        """The project as it stands."""
        return self.steps[self.at][1]

    @property
    def modified(self) -> bool:
        """Whether it differs from what was saved."""
        return self.project != self.saved

    def apply(self, label: str, edit: Callable[[Project], Project]) -> bool:
        """Compute an edit first; keep it only if it succeeded and changed something.

        Parameters
        ----------
        label : str
            Name of the edit, as undo shows it.
        edit : callable
            Project to Project; what it raises passes through and nothing is kept.
        """
        changed = edit(self.project)
        if changed == self.project:
            return False
        refuse_odd_text(changed, self.project)
        del self.steps[self.at + 1 :]
        self.steps.append((label, changed))
        del self.steps[: max(0, len(self.steps) - MOST_STEPS)]
        self.at = len(self.steps) - 1
        return True

    @property
    def undo_label(self) -> str | None:
        """Name of the edit that undo takes back; None when there is none."""
        return self.steps[self.at][0] if self.at else None

    @property
    def redo_label(self) -> str | None:
        """Name of the edit that redo makes again; None when there is none."""
        return self.steps[self.at + 1][0] if self.at + 1 < len(self.steps) else None

    def undo(self) -> bool:
        """Take the last edit back."""
        if not self.at:
            return False
        self.at -= 1
        return True

    def redo(self) -> bool:
        """Make the edit taken back last again."""
        if self.at + 1 >= len(self.steps):
            return False
        self.at += 1
        return True

    def mark_saved(self) -> None:
        """Remember that the project as it stands is on disk."""
        self.saved = self.project
