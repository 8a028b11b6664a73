"""The view that a part is drawn in: when a frame is drawn anew, and when the last one stands.

Frames are drawn off the screen and painted as pictures. Were the view one of OpenGL's own, Qt
would put the whole window together by that, whatever is painted in it: without a graphics
processor a blinking cursor takes longer than a frame.
"""

from __future__ import annotations

import math
from typing import Any

import pyvista as pv
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import (
    QCloseEvent,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QSinglePointEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget
from vtkmodules.vtkInteractionStyle import vtkInteractorStyleTrackballCamera
from vtkmodules.vtkRenderingCore import vtkRenderer
from vtkmodules.vtkRenderingOpenGL2 import vtkGenericOpenGLRenderWindow
from vtkmodules.vtkRenderingUI import vtkGenericRenderWindowInteractor

from tartan.desktop.scene.canvas import canvas

NOTCH = 120
"""Eighths of a degree that a wheel turns for a step."""

_BUTTONS = {
    Qt.MouseButton.LeftButton: "LeftButton",
    Qt.MouseButton.MiddleButton: "MiddleButton",
    Qt.MouseButton.RightButton: "RightButton",
}

_OF_PLOTTER = frozenset(
    {
        "add_actor",
        "add_mesh",
        "camera",
        "enable_parallel_projection",
        "remove_actor",
        "set_background",
    }
)


class _Drawing(pv.BasePlotter):  # type: ignore[misc]
    """What draws; it has no window of its own: to make one takes longer than a frame."""


def _hand_on(renderer: Any) -> Any:
    """Return what moves a renderer's camera as it is told of a mouse."""
    hand, style = vtkGenericRenderWindowInteractor(), vtkInteractorStyleTrackballCamera()
    # It asks a window for its size, and which renderer is below the pointer: never drawn in.
    window = vtkGenericOpenGLRenderWindow()
    window.AddRenderer(vtkRenderer())
    hand.SetRenderWindow(window)
    hand.SetInteractorStyle(style)
    style.SetDefaultRenderer(renderer)
    # The camera is moved by events; frames are drawn as Qt paints.
    hand.EnableRenderOff()
    return hand


class FrameView(QWidget):
    """A view that draws one frame a change and paints it; the mouse moves its camera.

    What draws is asked of it by its own names: `add_mesh`, `camera`, `renderer` and so on.

    Parameters
    ----------
    parent : QWidget or None
        What it lies in.
    samples : int
        Samples a pixel.

    Attributes
    ----------
    stale : bool
        Whether the last frame shows something else than what is to be seen; whoever changes what
        is drawn sets it, or asks for an update.
    """

    camera_moved = pyqtSignal()
    about_to_draw = pyqtSignal()
    """A frame is drawn anew: what depends on the view's size and camera can still be set."""

    def __init__(self, parent: QWidget | None, samples: int) -> None:
        super().__init__(parent)
        self.stale = True
        self.samples = samples
        self._frame = QImage()
        self._turned = 0
        self._plotter: Any = _Drawing()
        self._open = True
        canvas().take(self._plotter.renderer)
        self._hand = _hand_on(self._plotter.renderer)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.WheelFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    def __getattr__(self, name: str) -> Any:
        if name in _OF_PLOTTER:
            return getattr(self._plotter, name)
        raise AttributeError(name)

    @property
    def renderer(self) -> Any:
        """What draws the part; places and lengths that are asked of it are those of this view."""
        self._fit()
        return self._plotter.renderer

    def add_axes(self, **look: Any) -> None:
        """Show the axes in a corner, in place of those before.

        Parameters
        ----------
        **look
            As the plotter has them.
        """
        renderer = self._plotter.renderer
        renderer.add_axes(**look)
        corner = renderer.axes_widget
        corner.SetInteractor(self._hand)
        corner.SetEnabled(True)
        corner.SetInteractive(False)
        corner.GetRenderer().DrawOff()

    def _renderers(self) -> list[Any]:
        """What draws the part, and the axes in their corner."""
        corner = self._plotter.renderer.axes_widget
        return [self._plotter.renderer, *([corner.GetRenderer()] if corner else [])]

    @property
    def camera_position(self) -> Any:
        """Where the camera stands, what it looks at, and what is up."""
        return self._plotter.camera_position

    @camera_position.setter
    def camera_position(self, place: Any) -> None:
        self._plotter.camera_position = place

    # Frames

    def update(self, *given: Any) -> None:
        self.stale = True
        super().update(*given)

    def frame(self) -> QImage:
        """What the view shows, drawn now where it is stale; in pixels of the screen."""
        if self.stale:
            self.draw()
        return self._frame.copy()

    def draw(self) -> None:
        """Draw a frame, whether the last is stale or not; of a closed view the last stands."""
        if not self._open:
            return
        self._fit()
        self.about_to_draw.emit()
        # Whoever was told may have asked another view for a length.
        self._fit()
        self._frame = canvas().draw(self._renderers())
        self._frame.setDevicePixelRatio(self.devicePixelRatioF())
        self.stale = False

    def _fit(self) -> None:
        """Let frames be as large as the view, to the last part of a pixel."""
        if not self._open:
            return
        ratio = self.devicePixelRatioF()
        wide, high = (max(1, math.ceil(x * ratio)) for x in (self.width(), self.height()))
        # Words are as large as the window's own.
        canvas().fit((wide, high), round(72 * ratio), self.samples)
        if tuple(self._hand.GetSize()) != (wide, high):
            self._hand.UpdateSize(wide, high)
            self.stale = True

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self._fit()
        if self.stale:
            self.draw()
        painter = QPainter(self)
        painter.drawImage(0, 0, self._frame)
        painter.end()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if self._open:
            self._open = False
            renderer = self._plotter.renderer
            self._plotter.close()
            canvas().give_up(renderer)
            # What is still on its way to it reaches nothing.
            self.setEnabled(False)
        super().closeEvent(event)

    # The hand on the camera

    def _tell(self, event: QSinglePointEvent) -> None:
        """Say where the pointer is, in pixels of the frame from below, and which keys are held."""
        self._fit()
        ratio, place, held = self.devicePixelRatioF(), event.position(), event.modifiers()
        self._hand.SetEventInformation(
            round(place.x() * ratio),
            round((self.height() - place.y() - 1) * ratio),
            bool(held & Qt.KeyboardModifier.ControlModifier),
            bool(held & Qt.KeyboardModifier.ShiftModifier),
            chr(0),
            0,
            None,
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() in _BUTTONS:
            self._tell(event)
            self._hand.InvokeEvent(f"{_BUTTONS[event.button()]}PressEvent")

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._tell(event)
            self._hand.InvokeEvent("MouseMoveEvent")
            if event.buttons() != Qt.MouseButton.NoButton:
                self._moved()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() in _BUTTONS:
            self._tell(event)
            self._hand.InvokeEvent(f"{_BUTTONS[event.button()]}ReleaseEvent")
            self._moved()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        self._turned += event.angleDelta().y()
        if abs(self._turned) >= NOTCH:
            way = "Forward" if self._turned > 0 else "Backward"
            self._turned = 0
            self._tell(event)
            self._hand.InvokeEvent(f"MouseWheel{way}Event")
            self._moved()

    def _moved(self) -> None:
        self.update()
        self.camera_moved.emit()
