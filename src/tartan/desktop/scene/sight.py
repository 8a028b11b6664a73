"""What of the part is seen, and from where: elements hidden, cuts, see-through, standard views."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyvista as pv
from numpy.typing import NDArray
from PyQt6.QtCore import QPoint
from vtkmodules.vtkCommonDataModel import vtkPlane, vtkStaticCellLocator
from vtkmodules.vtkRenderingCore import vtkCellPicker

from tartan.core.shell.mesh import Mesh
from tartan.desktop import theme
from tartan.desktop.scene.viewpoint import Cut, Viewpoint

Array = NDArray[np.float64]
Mask = NDArray[np.bool_]

CLEAR = 0.28
"""Opacity of a part that is looked through."""

VEIL = 0.16
"""Opacity of what covers a spot that is looked at."""


class Sight:
    """What a view of the part shows of it."""

    view: Any
    mesh: Mesh | None
    _surface: Any
    _actor: Any

    cut: Cut | None = None
    through = False
    _veil: Any = None

    def _forget_sight(self) -> None:
        """Begin with all elements of another mesh; a cut and looking through go on."""
        self._lift_veil()
        self.hidden: Mask | None = None
        self.veiled: Mask | None = None
        self._shown: Any = None
        self._ids: NDArray[np.intp] | None = None
        self._locator: Any = None

    # What is shown

    def hide_elements(self, hidden: Mask | None, veiled: Mask | None = None) -> None:
        """Hide elements, shape (m,); None shows all of them.

        Those of the hidden ones that are `veiled` are drawn as a veil: seen, not in the way of a
        look or a click.
        """
        if self.mesh is None or (hidden is not None and len(hidden) != self.mesh.count):
            return
        self.hidden = hidden if hidden is not None and hidden.any() else None
        self.veiled = None if self.hidden is None or veiled is None else veiled & self.hidden
        self._show_what_is_seen()

    def cut_at(self, cut: Cut | None) -> None:
        """Show only what lies on one side of a plane; None shows both."""
        self.cut = cut
        self._show_what_is_seen()

    def look_through(self, on: bool) -> None:
        """Let what lies behind shine through."""
        self.through = on
        self._show_what_is_seen()

    def _show_what_is_seen(self) -> None:
        """Give the graphics the elements that are shown, with points shared with all of them."""
        if self._actor is None or self.mesh is None:
            return
        self._locator = None
        mapper = self._actor.mapper
        if self.hidden is None:
            self._shown, self._ids = None, None
            mapper.SetInputData(self._surface)
        else:
            self._ids = np.flatnonzero(~self.hidden)
            self._shown = self._part_of(~self.hidden)
            self._shown.cell_data["rgb"] = self._surface.cell_data["rgb"][self._ids]
            mapper.SetInputData(self._shown)
        self._lift_veil()
        if self.veiled is not None and self.veiled.any():
            self._veil = self.view.add_mesh(
                self._part_of(self.veiled),
                color=theme.face().soft,
                opacity=VEIL,
                pickable=False,
                render=False,
                reset_camera=False,
                copy_mesh=False,
            )
        mappers = [mapper] if self._veil is None else [mapper, self._veil.mapper]
        for each in mappers:
            each.RemoveAllClippingPlanes()
        if self.cut is not None:
            low, high = self.mesh.nodes.min(axis=0), self.mesh.nodes.max(axis=0)
            axis, plane = self.cut.axis, vtkPlane()
            origin, normal = (low + high) / 2, np.zeros(3)
            origin[axis] = low[axis] + self.cut.share * (high[axis] - low[axis])
            normal[axis] = 1.0 if self.cut.upper else -1.0
            plane.SetOrigin(*origin)
            plane.SetNormal(*normal)
            for each in mappers:
                each.AddClippingPlane(plane)
        self._actor.prop.opacity = CLEAR if self.through else 1.0
        back = self._actor.GetBackfaceProperty()
        back.SetOpacity(CLEAR if self.through else 1.0)

    def _part_of(self, mask: Mask) -> Any:
        """Some of the elements, on the points of all."""
        assert self.mesh is not None
        faces = [
            np.insert(b.nodes[inside], 0, b.corners, axis=1).ravel()
            for b, inside in zip(self.mesh.blocks, self._by_block(mask), strict=True)
        ]
        made = pv.PolyData(self.mesh.nodes.copy(), faces=np.concatenate(faces))
        made.SetPoints(self._surface.GetPoints())
        return made

    def _lift_veil(self) -> None:
        if self._veil is not None:
            self.view.remove_actor(self._veil, render=False)
            self._veil = None

    def _by_block(self, mask: Mask) -> list[Mask]:
        assert self.mesh is not None
        ends = np.cumsum([len(b.nodes) for b in self.mesh.blocks])
        return list(np.split(mask, ends[:-1]))

    def _recolour(self) -> None:
        """Bring the colours of what is shown up to date with those of all elements."""
        if self._shown is not None:
            self._shown.cell_data["rgb"][:] = self._surface.cell_data["rgb"][self._ids]
            self._shown.GetCellData().GetArray("rgb").Modified()
            self._shown.Modified()

    @property
    def in_sight(self) -> Mask:
        """Elements that are neither hidden nor cut away, shape (m,)."""
        assert self.mesh is not None
        seen = np.ones(self.mesh.count, bool) if self.hidden is None else ~self.hidden
        if self.cut is not None:
            at = self.mesh.centres()[:, self.cut.axis]
            low, high = (
                self.mesh.nodes[:, self.cut.axis].min(),
                self.mesh.nodes[:, self.cut.axis].max(),
            )
            stands = low + self.cut.share * (high - low)
            seen &= (at >= stands) if self.cut.upper else (at <= stands)
        return seen

    # What is under the pointer

    def pick_at(self, place: QPoint) -> tuple[int, Array] | None:
        """Element under a pixel of the view and the point of it that is hit [m]."""
        if self._actor is None:
            return None
        picker = vtkCellPicker()
        picker.SetTolerance(0.0005)
        picker.PickFromListOn()
        picker.AddPickList(self._actor)
        if self._locator is None:
            # Without it every look would try every element.
            self._locator = vtkStaticCellLocator()
            self._locator.SetDataSet(self._surface if self._shown is None else self._shown)
            self._locator.BuildLocator()
        picker.AddLocator(self._locator)
        ratio = self.view.devicePixelRatioF()
        x, y = place.x() * ratio, (self.view.height() - place.y()) * ratio
        picker.Pick(x, y, 0, self.view.renderer)
        cell = picker.GetCellId()
        if cell < 0:
            return None
        element = cell if self._ids is None else self._ids[cell]
        return int(element), np.array(picker.GetPickPosition())

    def element_at(self, place: QPoint) -> int | None:
        """Element under a pixel of the view."""
        found = self.pick_at(place)
        return None if found is None else found[0]

    # From where

    @property
    def viewpoint(self) -> Viewpoint:
        """Where the camera stands now."""
        camera = self.view.camera
        return Viewpoint(
            tuple(camera.position),
            tuple(camera.focal_point),
            tuple(camera.up),
            float(camera.parallel_scale),
        )

    def look_from(self, point: Viewpoint) -> None:
        """Look from a place that was kept."""
        camera = self.view.camera
        camera.position, camera.focal_point, camera.up = point.position, point.focus, point.up
        camera.parallel_scale = point.scale
        self.view.renderer.ResetCameraClippingRange()

    def turn_to(self, element: int) -> Mask | None:
        """Turn the part so that an element is seen; elements that cover it from both sides.

        The camera stays where it is when the element is in sight, and goes to the side of it
        from which less covers it when not. Returns what still covers it, shape (m,), or None.
        """
        assert self.mesh is not None
        centre = self.mesh.centres()[element]
        way = -np.array(self.view.camera.direction)
        normal = self.mesh.normals()[element]
        if abs(way @ normal) > 0.25 and not self._covering(element, way).any():
            return None
        lean = 0.35 * (way - (way @ normal) * normal)
        sides = [s * normal + lean for s in ((1.0, -1.0) if way @ normal >= 0 else (-1.0, 1.0))]
        covers = [self._covering(element, side / np.linalg.norm(side)) for side in sides]
        best = min((0, 1), key=lambda k: int(covers[k].sum()))
        side = sides[best] / np.linalg.norm(sides[best])
        camera = self.view.camera
        size = 3 * float(np.linalg.norm(np.ptp(self.mesh.nodes, axis=0)))
        focus = np.array(camera.focal_point)
        up = np.array([0.0, 0.0, 1.0]) if abs(side[2]) < 0.95 else np.array([0.0, 1.0, 0.0])
        # The element comes into the view when it would lie beside it.
        focus = focus + side * ((centre - focus) @ side)
        camera.focal_point, camera.position, camera.up = focus, focus + size * side, up
        self.view.renderer.ResetCameraClippingRange()
        return covers[best] if covers[best].any() else None

    def _covering(self, element: int, way: Array) -> Mask:
        """Elements in sight that lie between an element and the viewer, shape (m,)."""
        assert self.mesh is not None
        mesh = self.mesh
        centre, size = mesh.centres()[element], np.sqrt(mesh.areas())
        off = mesh.centres() - centre
        ahead = off @ way
        beside = np.linalg.norm(off - ahead[:, None] * way, axis=1)
        near = beside < 0.5 * (size + 2 * size[element])
        return np.asarray(near & (ahead > 1.5 * size[element]) & self.in_sight)
