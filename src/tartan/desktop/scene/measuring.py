"""Measuring on the part: two points give a distance, a third the circle through all three."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint

from tartan.core.shell.mesh import Mesh
from tartan.project.wording import units

Array = NDArray[np.float64]

FIRST = "Click a corner of an element; distances are those of the undeformed part. Esc ends."
SECOND = "Click a second point for the distance."


class Stage(Protocol):
    """What measuring needs of the view."""

    mesh: Mesh | None
    view: Any

    def pick_at(self, place: QPoint) -> tuple[int, Array] | None:
        """Element under a pixel and the point that is hit."""

    def points_of(self, element: int) -> Array:
        """Corners of an element as it is shown."""

    def shown_nodes(self, nodes: Sequence[int]) -> Array:
        """Places of nodes as they are shown."""

    def strokes(self, name: str, segments: Array, colour: str, width: float = 2.0) -> None:
        """Draw line segments."""

    def knobs(self, name: str, places: Array) -> None:
        """Draw knobs."""

    def clear(self, name: str) -> None:
        """Take away what was drawn under a name."""

    def redraw(self) -> None:
        """Have a frame drawn soon."""


class Measure:
    """The corners that were clicked, and what lies between them in words.

    A magnified displacement would measure as if it were the part's own: what is clicked is
    found on the shape that is shown, and measured on the undeformed one.
    """

    def __init__(self, scene: Stage) -> None:
        self._scene = scene
        self.nodes: list[int] = []
        self.words = FIRST

    def begin(self) -> None:
        """Forget the points of before."""
        self.nodes, self.words = [], FIRST
        self._draw()

    def take(self, place: QPoint) -> bool:
        """Take the point under a pixel; a fourth begins anew. Says whether there was one."""
        found = self._scene.pick_at(place)
        mesh = self._scene.mesh
        if found is None or mesh is None:
            return False
        corners = self._scene.points_of(found[0])
        nearest = int(np.linalg.norm(corners - found[1], axis=1).argmin())
        node = int(mesh.corner_table[found[0], nearest])
        self.nodes = [*self.nodes, node] if len(self.nodes) < 3 else [node]
        self.words = measured([mesh.nodes[n] for n in self.nodes])
        self._draw()
        return True

    def _draw(self) -> None:
        scene = self._scene
        points = scene.shown_nodes(self.nodes)
        scene.knobs("measured points", points)
        between: Array = (
            np.stack([points[:-1], points[1:]], axis=1) if len(points) > 1 else np.zeros((0, 2, 3))
        )
        scene.strokes("measured", between, "#7c4d8b", 2.5)
        scene.redraw()

    def end(self) -> None:
        """Take points and strokes away."""
        self.nodes = []
        for name in ("measured points", "measured"):
            self._scene.clear(name)
        self._scene.redraw()


def measured(points: list[Array]) -> str:
    """What points say: a place, a distance, or the radius and angle of three.

    Parameters
    ----------
    points : list of ndarray, shape (3,)
        One to three of them [m].
    """
    if len(points) < 2:
        return f"at {_triple(points[0])}. {SECOND}" if points else FIRST
    a, b = points[0], points[1]
    if len(points) == 2:
        distance = units.show(float(np.linalg.norm(b - a)), units.LENGTH)
        return f"distance {distance}, along x, y, z {_triple(b - a)}. A third gives the radius."
    radius, angle = circle(a, b, points[2])
    bend = f"radius {units.show(radius, units.LENGTH)}" if np.isfinite(radius) else "on a line"
    return f"{bend}, angle at the second point {units.number(angle)}°"


def circle(a: Array, b: Array, c: Array) -> tuple[float, float]:
    """Radius of the circle through three points [m], endless on a line; angle at b [°]."""
    first, second = a - b, c - b
    sides = [float(np.linalg.norm(x)) for x in (first, second, a - c)]
    twice_area = float(np.linalg.norm(np.cross(first, second)))
    if twice_area <= 1e-9 * sides[0] * sides[1] or not sides[0] * sides[1]:
        radius = float("inf")
    else:
        radius = sides[0] * sides[1] * sides[2] / (2 * twice_area)
    angle = float(np.degrees(np.arctan2(twice_area, first @ second)))
    return radius, angle


def _triple(vector: Array) -> str:
    figures = ", ".join(units.show(float(v), units.LENGTH, unit=False) for v in vector)
    return f"({figures}) {units.LENGTH.unit}"
