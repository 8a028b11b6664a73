"""Marks on the part: strokes, knobs and short words, each under a name."""

from __future__ import annotations

from collections.abc import Sequence
from importlib.resources import files
from typing import Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from PyQt6.QtGui import QColor
from vtkmodules.vtkRenderingCore import vtkBillboardTextActor3D

from tartan.core.shell.mesh import Mesh
from tartan.desktop import theme

Array = NDArray[np.float64]


class Marks:
    """What a view of the part can be marked with; marks of a name replace those before."""

    view: Any
    mesh: Mesh | None
    _surface: Any
    _extras: dict[str, list[Any]]

    def points_of_many(self, elements: NDArray[np.int64]) -> Array:
        """Corners of elements on the shape as it is shown, shape (q, 4, 3) [m]."""
        assert self.mesh is not None
        return np.asarray(self._surface.points)[self.mesh.corner_table[elements]]

    def shown_nodes(self, nodes: Sequence[int]) -> Array:
        """Places of nodes on the shape as it is shown, shape (k, 3) [m]."""
        if self._surface is None or not nodes:
            return np.zeros((0, 3))
        return np.asarray(self._surface.points)[list(nodes)]

    def points_of(self, element: int) -> Array:
        """Corners of an element on the shape as it is shown, shape (4, 3) [m]."""
        points: Array = self.points_of_many(np.array([element]))[0]
        return points

    def strokes(self, name: str, segments: Array, colour: str, width: float = 2.0) -> None:
        """Draw line segments, shape (n, 2, 3), in place of those of the same name."""
        self.clear(name)
        if len(segments) == 0:
            return
        lines = np.column_stack(
            [np.full(len(segments), 2), np.arange(2 * len(segments)).reshape(-1, 2)]
        )
        poly = pv.PolyData(segments.reshape(-1, 3), lines=lines)
        actor = self.view.add_mesh(
            poly,
            color=colour,
            line_width=width,
            lighting=False,
            render=False,
            reset_camera=False,
            pickable=False,
        )
        self._extras[name] = [actor]

    def knobs(self, name: str, places: Array) -> None:
        """Round knobs that can be taken hold of."""
        self.clear(name)
        if len(places):
            actor = self.view.add_mesh(
                pv.PolyData(places),
                color=theme.face().accent,
                point_size=15,
                pickable=False,
                render_points_as_spheres=True,
                render=False,
                reset_camera=False,
            )
            self._extras[name] = [actor]

    def words(self, name: str, places: Array, texts: list[str], colour: str) -> None:
        """Write short words at places, facing the viewer."""
        self.clear(name)
        for place, text in zip(places, texts, strict=True):
            actor = vtkBillboardTextActor3D()
            actor.SetInput(text)
            actor.SetPosition(*place)
            actor.SetDisplayOffset(6, 4)
            prop = actor.GetTextProperty()
            prop.SetFontFamily(4)
            prop.SetFontFile(font_file())
            prop.SetFontSize(13)
            prop.SetColor(*rgb(colour))
            self.view.add_actor(actor, render=False, reset_camera=False, pickable=False)
            self._extras.setdefault(name, []).append(actor)

    def outline(self, name: str, elements: list[int], colour: str, width: float = 4.0) -> None:
        """Draw round elements on the shape as it is shown."""
        if self.mesh is None:
            return
        points = self.points_of_many(np.asarray(elements, np.int64))
        lift = 0.002 * float(np.linalg.norm(np.ptp(self.mesh.nodes, axis=0)))
        points = points + lift * self.mesh.normals()[elements][:, None]
        sides = np.stack([points, np.roll(points, -1, axis=1)], axis=2).reshape(-1, 2, 3)
        self.strokes(name, sides, colour, width)

    def clear(self, name: str) -> None:
        """Remove strokes or words of a name."""
        self.view.stale = True
        for actor in self._extras.pop(name, []):
            self.view.remove_actor(actor, render=False)


def font_file() -> str:
    """Path of the bundled semibold face."""
    return str(files("tartan") / "assets" / "Inter-SemiBold.otf")


def rgb(colour: str) -> tuple[float, float, float]:
    """Colour in shares of one."""
    c = QColor(colour)
    return c.redF(), c.greenF(), c.blueF()
