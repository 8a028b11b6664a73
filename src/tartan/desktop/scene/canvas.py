"""The one window of the graphics library, off the screen, in which all views draw their frames.

A window has a graphics context of its own, in which everything that draws is made ready anew: for
every view that would take longer than its frame.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QImage
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkCommonCore import vtkUnsignedCharArray
from vtkmodules.vtkRenderingCore import vtkRenderWindow

LAYERS = 4
"""Layers that views may draw in, one above another."""


class Canvas:
    """A window that never stands on the screen, with what the views draw; one draws at a time.

    Attributes
    ----------
    window : vtkRenderWindow
        As large and as fine as the view that was last fitted.
    """

    def __init__(self) -> None:
        self.window: Any = vtkRenderWindow()
        self.window.SetOffScreenRendering(True)
        self.window.SetNumberOfLayers(LAYERS)
        self._bytes = vtkUnsignedCharArray()

    def take(self, renderer: Any) -> None:
        """Let a view draw here with one of its renderers, which keeps its layer."""
        renderer.DrawOff()
        self.window.AddRenderer(renderer)

    def give_up(self, renderer: Any) -> None:
        """Free what a renderer keeps of the graphics."""
        self.window.RemoveRenderer(renderer)

    def fit(self, size: tuple[int, int], dpi: int, samples: int) -> None:
        """Be as large and as fine as a view, of whom places and lengths are asked next."""
        window = self.window
        window.SetDPI(dpi)
        window.SetMultiSamples(samples)
        if tuple(window.GetSize()) != size:
            window.SetSize(*size)

    def draw(self, renderers: Iterable[Any]) -> QImage:
        """Draw one view's frame, at the size last fitted."""
        window, drawing = self.window, list(renderers)
        for each in drawing:
            each.DrawOn()
        try:
            window.Render()
        finally:
            for each in drawing:
                each.DrawOff()
        wide, high = window.GetSize()
        window.GetRGBACharPixelData(0, 0, wide - 1, high - 1, 0, self._bytes)
        # The library's first row is the lowest.
        pixels: NDArray[np.uint8] = vtk_to_numpy(self._bytes).reshape(high, wide, 4)[::-1]
        kept = pixels.tobytes()
        drawn = QImage(kept, wide, high, 4 * wide, QImage.Format.Format_RGBX8888)
        # Another format, and so a copy: `kept` goes.
        return drawn.convertToFormat(QImage.Format.Format_RGB32)


@cache
def canvas() -> Canvas:
    """Return the program's canvas, made when the first view needs it."""
    return Canvas()
