"""The part in three dimensions: surface, deformed shape, strokes and a picked element."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QObject, QPoint, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.shell.mesh import Mesh
from tartan.desktop import theme
from tartan.desktop.scene.callouts import Callouts
from tartan.desktop.scene.frameview import FrameView
from tartan.desktop.scene.gestures import Handles, Sweep
from tartan.desktop.scene.marks import Marks
from tartan.desktop.scene.measuring import Measure
from tartan.desktop.scene.sight import Sight
from tartan.desktop.scene.smoothing import samples
from tartan.desktop.scene.viewpoint import USUAL

Array = NDArray[np.float64]


_CLICKS = (QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease)

FAINT = (2.5, 9.0)
"""Pixels a side of an element at which its edges are gone, and from which they are clear."""


class PartScene(Marks, Sight, QWidget):
    """A view of the part; tells the element that was clicked."""

    element_picked = pyqtSignal(int)
    element_pointed = pyqtSignal(int)
    elements_swept = pyqtSignal(object, bool)
    handle_moved = pyqtSignal(str, float, bool)
    measured = pyqtSignal(str)
    clicked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        # A breath between Qt's painting and the frame keeps the event loop's gaps short.
        self._soon.setInterval(30)
        self._soon.timeout.connect(self._draw_frame)
        self.view = FrameView(self, samples())
        self.view.setAccessibleName("Part in three dimensions")
        self.view.about_to_draw.connect(self._fade_edges)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.view)
        self.mesh: Mesh | None = None
        self._surface: Any = None
        self._actor: Any = None
        self._extras: dict[str, list[Any]] = {}
        self._edges, self._side = True, 0.0
        self._forget_sight()
        self._press = QPoint()
        self.mode = "look"
        self.sweep = Sweep(self)
        self.handles = Handles(self)
        self.callouts = Callouts(self)
        self.measure = Measure(self)
        self._pointed = QTimer(self)
        self._pointed.setSingleShot(True)
        self._pointed.setInterval(40)
        self._pointed.timeout.connect(self._tell_pointed)
        self._pointer = QPoint()
        self.pointing = False
        self._moved = False
        self.view.installEventFilter(self)
        self.view.camera_moved.connect(self._fade_edges)
        self.view.enable_parallel_projection()
        self.wear()

    def sizeHint(self) -> QSize:
        return QSize(640, 460)

    def wear(self) -> None:
        """Take on the window's appearance."""
        face = theme.face()
        self.view.stale = True
        self.view.set_background(face.paper)
        # Words in the margin are written anew in the ink of the appearance.
        self.callouts.clear()
        self.view.add_axes(
            line_width=2,
            color=face.soft,
            x_color=face.accent,
            y_color=face.holds,
            z_color=face.soft,
            viewport=(0, 0, 0.13, 0.2),
        )
        if self._actor is not None:
            self._actor.prop.edge_color = _edge_colour()

    def put_mesh(self, mesh: Mesh) -> None:
        """Show a surface; the camera moves only when the part is another."""
        if mesh is self.mesh:
            return
        new_part = self.mesh is None or not np.allclose(
            _box(self.mesh), _box(mesh), rtol=0.02, atol=1e-9
        )
        self.mesh = mesh
        faces = [np.insert(b.nodes, 0, b.corners, axis=1).ravel() for b in mesh.blocks]
        self._surface = pv.PolyData(mesh.nodes.copy(), faces=np.concatenate(faces))
        self._surface.cell_data["rgb"] = np.zeros((mesh.count, 3), np.uint8)
        self._side = float(np.sqrt(np.median(mesh.areas())))
        if self._actor is not None:
            self.view.remove_actor(self._actor, render=False)
        self._actor = self.view.add_mesh(
            self._surface,
            scalars="rgb",
            rgb=True,
            show_edges=True,
            edge_color=_edge_colour(),
            line_width=1,
            ambient=0.62,
            diffuse=0.42,
            specular=0.0,
            render=False,
            reset_camera=False,
            copy_mesh=False,
        )
        # The face laid first is the darker one, wherever it is seen.
        under = self._actor.prop.copy()
        under.ambient, under.diffuse = 0.46, 0.34
        self._actor.SetBackfaceProperty(under)
        self._forget_sight()
        # Corners that were measured are of the mesh before.
        self.measure.nodes = []
        self._show_what_is_seen()
        self.callouts.clear()
        self.view.samples = samples(mesh)
        self.paint(None)
        for name in list(self._extras):
            self.clear(name)
        if new_part:
            self.frame_part()

    def put_nothing(self) -> None:
        """Show no part."""
        if self._actor is not None:
            self.view.remove_actor(self._actor, render=False)
        self._actor = self._surface = self.mesh = None
        self._forget_sight()
        for name in list(self._extras):
            self.clear(name)
        self.handles.put(())
        self.callouts.clear()
        self.redraw()

    def frame_part(self, side: tuple[float, float, float] = USUAL) -> None:
        """Look at the whole part from the usual side, or another, as large as the view allows."""
        if self.mesh is None or not self.view.height():
            return
        way = np.array(side)
        way /= np.linalg.norm(way)
        up = (0.0, 0.0, 1.0) if abs(way[2]) < 0.99 else (0.0, 1.0, 0.0)
        right = np.cross(up, way)
        right /= np.linalg.norm(right)
        axes = np.stack([right, np.cross(way, right)])
        flat = self.mesh.nodes @ axes.T
        low, high = flat.min(axis=0), flat.max(axis=0)
        # In depth too the part's own middle: the view turns about it.
        deep = self.mesh.nodes @ way
        middle = (low + high) / 2 @ axes + (deep.min() + deep.max()) / 2 * way
        size = float(np.linalg.norm(np.ptp(self.mesh.nodes, axis=0)))
        # Words in the margins take their room; at least a third stays for the part.
        before, behind = self.callouts.room()
        free = max(self.view.width() - before - behind, self.view.width() / 3)
        wide, tall = high - low
        # Room is left above for arrows, which stand off the surface.
        scale = 0.5 * max((tall + 0.16 * size) * 1.04, wide * 1.1 * self.view.height() / free)
        pixel = 2 * scale / self.view.height()
        middle = middle + (behind - before) / 2 * pixel * right
        self.view.stale = True
        self.view.camera_position = [middle + 3 * size * way, middle, up]
        self.view.camera.parallel_scale = scale
        self.view.renderer.ResetCameraClippingRange()
        self._moved = side != USUAL

    def call_out(self, lines: Sequence[tuple[int, str]]) -> None:
        """Show words in the margins for some elements; the part makes room unless it was moved."""
        before = self.callouts.room()
        self.callouts.put(lines)
        if not self._moved and self.callouts.room() != before:
            self.frame_part()

    def look_like(self, other: PartScene) -> None:
        """Look from where another view looks."""
        mine, theirs = self.view.camera, other.view.camera
        mine.position, mine.focal_point, mine.up = (theirs.position, theirs.focal_point, theirs.up)
        mine.parallel_scale = theirs.parallel_scale
        self.view.renderer.ResetCameraClippingRange()
        self._moved = True
        self.redraw()

    def paint(self, rgb: NDArray[np.uint8] | None) -> None:
        """Colour the elements, shape (m, 3); None is plain stone."""
        if self._surface is None:
            return
        if rgb is None:
            c = QColor("#e3dccd" if not theme.face().dark else "#57534a")
            rgb = np.tile(
                np.array([c.red(), c.green(), c.blue()], np.uint8), (self._surface.n_cells, 1)
            )
        if len(rgb) != self._surface.n_cells:
            return
        self.view.stale = True
        self._surface.cell_data["rgb"][:] = rgb
        self._surface.GetCellData().GetArray("rgb").Modified()
        self._surface.Modified()
        self._recolour()

    def deform(self, displacement: Array | None) -> None:
        """Move the nodes by (n, 3) [m], already magnified; None is the undeformed shape."""
        if self._surface is None or self.mesh is None:
            return
        if displacement is not None and displacement.shape != self.mesh.nodes.shape:
            # What belongs to another mesh is not drawn on this one, whoever asks for it.
            displacement = None
        self.view.stale = True
        points = self.mesh.nodes if displacement is None else self.mesh.nodes + displacement
        self._surface.points[:] = points
        self._surface.GetPoints().Modified()
        self._surface.Modified()
        if self._shown is not None:
            self._shown.Modified()
        self._locator = None

    def redraw(self) -> None:
        """Have the frame drawn soon, apart from Qt's painting; several calls make one frame."""
        self.view.stale = True
        self._soon.start()

    def redraw_now(self) -> None:
        """Have the frame drawn as soon as Qt paints."""
        self._soon.stop()
        self.view.update()

    def _fade_edges(self) -> None:
        """Draw the edges of elements thinner the smaller they are on the screen."""
        if self._actor is None or self.mesh is None or not self.view.height():
            return
        pixels = self._side * self.view.height() / (2 * self.view.camera.parallel_scale)
        clear = float(np.clip((pixels - FAINT[0]) / (FAINT[1] - FAINT[0]), 0.0, 1.0))
        self._actor.prop.show_edges = self._edges and clear > 0
        self._actor.prop.edge_opacity = clear
        back = self._actor.GetBackfaceProperty()
        back.SetEdgeVisibility(self._edges and clear > 0)
        back.SetEdgeOpacity(clear)

    def _draw_frame(self) -> None:
        # Drawing happens in the view's own paint event; a second, direct call would draw twice. If
        # Qt painted in the meantime it is done.
        if self.view.stale:
            self.view.update()

    def show_edges(self, on: bool) -> None:
        """Draw element edges or not; where they would cover the part they fade."""
        self._edges = on
        self._fade_edges()

    def place_of(self, element: int) -> QPoint:
        """Where an element's centre lies on the view, in its pixels."""
        assert self.mesh is not None
        return self._to_view(self.points_of(element).mean(axis=0))

    def _to_view(self, place: Array) -> QPoint:
        """Pixel of the view at which a place in space is seen."""
        renderer = self.view.renderer
        renderer.SetWorldPoint(*place, 1.0)
        renderer.WorldToDisplay()
        x, y, _ = renderer.GetDisplayPoint()
        ratio = self.view.devicePixelRatioF()
        return QPoint(round(x / ratio), round(self.view.height() - y / ratio))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize and not self._moved:
            self.frame_part()
        if isinstance(event, QMouseEvent) and self._handled(event):
            return True
        if (
            isinstance(event, QMouseEvent)
            and event.button() == Qt.MouseButton.LeftButton
            and event.type() in _CLICKS
        ):
            place = event.position().toPoint()
            if event.type() == QEvent.Type.MouseButtonPress:
                self._press, self._moved = place, True
            elif (place - self._press).manhattanLength() < 4:
                self._clicked(place)
        return False

    def _clicked(self, place: QPoint) -> None:
        """Measure from a point, or pick the element there."""
        if self.mode == "measure":
            if self.measure.take(place):
                self.measured.emit(self.measure.words)
            return
        self.clicked.emit(place)
        element = self.element_at(place)
        if element is not None:
            self.element_picked.emit(element)

    def _handled(self, event: QMouseEvent) -> bool:
        """Whether a handle or a sweep took the event; a bare move only points."""
        if self.handles.take(event) or (self.mode in ("brush", "box") and self.sweep.take(event)):
            return True
        bare = event.buttons() == Qt.MouseButton.NoButton
        if event.type() == QEvent.Type.MouseMove and bare and self.pointing:
            self._pointer = event.position().toPoint()
            if not self._pointed.isActive():
                self._pointed.start()
        return False

    def _tell_pointed(self) -> None:
        element = self.element_at(self._pointer)
        self.element_pointed.emit(-1 if element is None else element)

    def on_screen(self, points: Array) -> Array:
        """Pixels of the view at which points are seen, shape (q, 2)."""
        renderer = self.view.renderer
        matrix = renderer.GetActiveCamera().GetCompositeProjectionTransformMatrix(
            self.view.width() / max(self.view.height(), 1), -1, 1
        )
        M = np.array([[matrix.GetElement(i, j) for j in range(4)] for i in range(4)])
        clip = np.column_stack([points, np.ones(len(points))]) @ M.T
        flat = clip[:, :2] / clip[:, 3:]
        size = np.array([self.view.width(), self.view.height()])
        return np.asarray((flat * [1, -1] + 1) / 2 * size)

    def facing(self) -> NDArray[np.bool_]:
        """Elements in sight that turn either side to the viewer."""
        assert self.mesh is not None
        way = np.array(self.view.camera.direction)
        return np.asarray((np.abs(self.mesh.normals() @ way) > 0.05) & self.in_sight)

    def close_view(self) -> None:
        """Free the graphics context before the window goes."""
        self._soon.stop()
        self._pointed.stop()
        self.view.removeEventFilter(self)
        self.view.close()


def _edge_colour() -> str:
    return "#ffffff" if not theme.face().dark else "#2c2d2b"


def _box(mesh: Mesh) -> Array:
    return np.concatenate([mesh.nodes.min(axis=0), mesh.nodes.max(axis=0)])
