"""A ply layout as a page: what a file holds and would change, in words and tables. No Qt."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from tartan.core.errors import TartanError
from tartan.exchange.plies.form import PlyLayout, points_of
from tartan.exchange.plies.read import STAY, Placement, placement_of, read_layout
from tartan.exchange.plies.take import Taken, take_layout, unknown_materials
from tartan.exchange.tables import Table
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Vector
from tartan.project.wording import units
from tartan.project.wording.units import counted

NEAR = 1e-6
"""Distance that is none, as digits of a typed place come to [m]."""


@dataclass(frozen=True, eq=False)
class Reading:
    """A layout on its way into the project.

    Attributes
    ----------
    path : Path
        Its file.
    layout : PlyLayout
        What that holds.
    names : mapping of str to str
        Materials of the project that were chosen for those it does not have.
    to : tuple of tuple of float
        Where its three anchors come to [m]; empty where it lies as it is.
    far : float or None
        How far off the surface it may lie [m]; None for what is usual.
    """

    path: Path
    layout: PlyLayout
    names: dict[str, str] = field(default_factory=dict)
    to: tuple[Vector, ...] = ()
    far: float | None = None

    @property
    def anchors(self) -> tuple[Vector, ...]:
        """Its own three places [m]; empty where it has none."""
        found = points_of(self.layout.anchors, self.layout.metres)
        return (
            tuple((float(x), float(y), float(z)) for x, y, z in found) if len(found) == 3 else ()
        )

    def called(self, theirs: str, ours: str) -> Reading:
        """The same with a material of the project for one of the layout."""
        return replace(self, names=self.names | {theirs: ours})

    def placed(self, number: int, at: Vector) -> Reading:
        """The same with another place for one of its anchors."""
        to = list(self.to or self.anchors)
        to[number] = at
        return replace(self, to=tuple(to))

    def placement(self) -> Placement:
        """How it is moved.

        Raises
        ------
        PartError
            Where its places and those given span other triangles.
        """
        if not self.to or self.to == self.anchors:
            return STAY
        return placement_of(np.array(self.anchors), np.array(self.to))


def read(path: Path) -> Reading:
    """Read a file.

    Raises
    ------
    DocumentError
        As `read_layout`.
    """
    return Reading(path, read_layout(path))


def unknown(project: Project, reading: Reading) -> list[tuple[str, str]]:
    """Materials that are asked for, each with what it is used by first."""
    return list(unknown_materials(reading.layout, project).items())


def takes(project: Project, reading: Reading) -> Taken:
    """The project with the layout taken over.

    Raises
    ------
    TartanError
        As `take_layout`.
    """
    return take_layout(project, reading.layout, reading.names, reading.placement(), reading.far)


def step(reading: Reading) -> Callable[[Project], Project]:
    """The edit that takes a layout over."""
    return lambda project: takes(project, reading).project


def head(reading: Reading) -> str:
    """What a file holds, in a line."""
    layout = reading.layout
    name = f"“{layout.name}”, " if layout.name else ""
    plies = counted(len(layout.plies), "ply", "plies")
    materials = counted(len(layout.materials), "material")
    return f"{reading.path.name}: {name}{plies}, {materials}, lengths in {layout.units.length}."


def words(taken: Taken | TartanError | None) -> str:
    """What taking it would do, or why it cannot be taken."""
    if taken is None:
        return ""
    if isinstance(taken, TartanError):
        return str(taken)
    off = f"up to {units.show(taken.off, units.LENGTH)} off" if taken.off > NEAR else "on"
    changes = counted(len(taken.changes), "change") if taken.changes else "No change"
    return f"{changes}; it lies {off} the surface."


def changes_table(taken: Taken | None) -> Table:
    """The list of changes."""
    rows = () if taken is None else tuple((c.kind, c.what, c.words) for c in taken.changes)
    return Table("changes", ("change", "ply", "what"), rows, "ply layout: changes")
