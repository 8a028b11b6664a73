"""Lines of words in the margin of the 3-D view, each with a thread to an element."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor2D, vtkPolyDataMapper2D, vtkTextActor

from tartan.desktop import theme
from tartan.desktop.scene.marks import font_file, rgb
from tartan.exchange.maps.callouts import Lines, margin_lines, two_margins

Array = NDArray[np.float64]

SIZE = 13
"""Height of the words [px at scale 1]."""


class Seen(Protocol):
    """What callouts need of a view of the part."""

    view: Any
    mesh: Any

    def points_of(self, element: int) -> Array: ...

    def on_screen(self, points: Array) -> Array: ...


class Callouts:
    """Words and threads; they are placed anew with every frame, so they follow the camera."""

    def __init__(self, scene: Seen) -> None:
        self._scene = scene
        self.lines: tuple[tuple[int, str], ...] = ()
        self.placed: Lines | None = None
        self._words: list[Any] = []
        self._threads = vtkActor2D()
        self._poly = vtkPolyData()
        mapper = vtkPolyDataMapper2D()
        mapper.SetInputData(self._poly)
        self._threads.SetMapper(mapper)
        self._shown = False
        scene.view.renderer.AddObserver("StartEvent", self._place)

    def put(self, lines: Sequence[tuple[int, str]]) -> None:
        """Show words for some elements, in place of those before."""
        lines = tuple(lines)
        if lines == self.lines:
            return
        self.clear()
        self.lines = lines
        if not lines:
            return
        face, view = theme.face(), self._scene.view
        for _, text in lines:
            word = vtkTextActor()
            word.SetInput(f" {text} ")
            prop = word.GetTextProperty()
            prop.SetFontFamily(4)
            prop.SetFontFile(font_file())
            # The graphics take the size at one pixel a point, and the screen's scale themselves.
            prop.SetFontSize(round(SIZE * theme.scale()))
            prop.SetColor(*rgb(face.ink))
            prop.SetBackgroundColor(*rgb(face.paper))
            prop.SetBackgroundOpacity(0.75)
            prop.SetVerticalJustificationToCentered()
            view.add_actor(word, render=False, reset_camera=False, pickable=False)
            self._words.append(word)
        self._threads.GetProperty().SetColor(*rgb(face.ink))
        self._threads.GetProperty().SetLineWidth(1.2 * self._ratio)
        view.add_actor(self._threads, render=False, reset_camera=False, pickable=False)
        self._shown = True

    @property
    def _ratio(self) -> float:
        return float(self._scene.view.devicePixelRatioF())

    def clear(self) -> None:
        """Take all words and threads away."""
        view = self._scene.view
        for word in self._words:
            view.remove_actor(word, render=False)
        if self._shown:
            view.remove_actor(self._threads, render=False)
        self._words, self.lines, self._shown, self.placed = [], (), False, None

    def _place(self, *_: object) -> None:
        """Put words and threads where they belong for the camera as it is."""
        scene = self._scene
        if not self._words or scene.mesh is None:
            return
        last = scene.mesh.count - 1
        places = np.array([scene.points_of(min(e, last)).mean(axis=0) for e, _ in self.lines])
        ratio, view = self._ratio, scene.view
        anchors = scene.on_screen(places) * ratio
        wide, high = view.width() * ratio, view.height() * ratio
        anchors[:, 1] = high - anchors[:, 1]
        widths = [self._width(word) for word in self._words]
        found = self.placed = margin_lines(anchors, (wide, high), max(widths), self._line)
        points, cells = vtkPoints(), vtkCellArray()
        for k, word in enumerate(self._words):
            x, y = found.ends[k]
            word.SetPosition(x if found.right[k] else x - widths[k], y)
            for place in (anchors[k], (x, y)):
                points.InsertNextPoint(place[0], place[1], 0.0)
            cells.InsertNextCell(2)
            cells.InsertCellPoint(2 * k)
            cells.InsertCellPoint(2 * k + 1)
        self._poly.SetPoints(points)
        self._poly.SetLines(cells)
        self._poly.Modified()

    def room(self) -> tuple[float, float]:
        """Pixels that the words take of the view at the left and at the right."""
        if not self._words:
            return 0.0, 0.0
        wide = max(self._width(word) for word in self._words) / self._ratio
        height = self._scene.view.height()
        both = two_margins(len(self._words), height, self._line / self._ratio)
        return (wide + 12 if both else 0.0), wide + 12

    @property
    def _line(self) -> float:
        return 1.75 * SIZE * theme.scale() * self._ratio

    def _width(self, word: Any) -> float:
        size = [0.0, 0.0]
        word.GetSize(self._scene.view.renderer, size)
        return float(size[0])
