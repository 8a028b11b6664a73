"""The map on the part: legend, shape, what is left out, labels and pinned readings."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Mesh
from tartan.desktop import theme
from tartan.desktop.margins.rangeform import RangeForm
from tartan.desktop.scene import glyphs
from tartan.desktop.scene.overlays import faded
from tartan.desktop.scene.pictures import Pictures
from tartan.desktop.scene.tools import SceneTools
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import QuantityField, button, label, row, switch
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.legend import Legend
from tartan.exchange.maps.fields import BY_KEY, View
from tartan.exchange.maps.limits import Limits
from tartan.exchange.maps.mapped import OF_DATA, Map
from tartan.project.wording import units

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene

Array = NDArray[np.float64]

FRAME = 40
"""Milliseconds between frames of an animation."""

PERIOD = 1.6
"""Seconds of one swing."""

ON_AT_FIRST = ("deformed", "mesh")
SWITCHES = {
    "deformed": "Draw the magnified displacement",
    "swing": "Let the displacement swing",
    "outline": "Draw the rim of the undeformed shape",
    "mesh": "Draw the edges of the elements; where they are small they fade",
    "only what fails": "Colour only what is below the required reserve factor",
    "labels": "Name ply and mode that govern at the hot spots, over any map",
}


@dataclass(frozen=True, eq=False)
class Shown:
    """All that is drawn.

    Attributes
    ----------
    map : Map
        Colours and legend.
    motion : ndarray, shape (n, 3)
        Displacement, not magnified [m].
    scale : float
        Usual magnification.
    words : str
        What moves.
    element : int
        The one picked.
    reading : str
        Its value in words.
    view : View or None
        What is looked at; None for a mode, whose reading cannot be pinned.
    readings : tuple of (int, str)
        Elements with the readings pinned there, of the answer that is shown.
    left_out : ndarray of bool, shape (m,)
        Elements that do not count.
    labels : tuple of (int, str)
        Elements with words of their own.
    need : str
        The requirement in words, for the legend.
    fresh : bool
        Whether it belongs to the project as it stands.
    """

    map: Map
    motion: Array
    scale: float
    words: str
    element: int
    reading: str
    view: View | None
    readings: tuple[tuple[int, str], ...]
    left_out: NDArray[np.bool_]
    labels: tuple[tuple[int, str], ...]
    need: str
    fresh: bool


class Stage(QWidget):
    """Draws what it is given; tells what is picked or swept."""

    element_picked = pyqtSignal(int)
    elements_swept = pyqtSignal(object, bool)
    asked_anew = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.scene: PartScene | None = None
        pictures = Pictures(lambda: self.pictured, lambda: self.scene, self._show_phase)
        self.tools = SceneTools(session, lambda: self.scene, pictures)
        self.tools.told.connect(self.say)
        self.tools.take_keys(self)
        self.tools.changed.connect(self.again)
        self.shown: Shown | None = None
        self.legend = Legend()
        self.legend.clicked.connect(self.ask_range)
        self.limits: dict[str, Limits] = {}
        self.switches = {
            name: switch(name, tip, on=name in ("deformed", "mesh"))
            for name, tip in SWITCHES.items()
        }
        self.scale = QuantityField(units.RATIO, self._put_scale, optional=True)
        self.scale.setAccessibleName("Magnification")
        self.scale.setFixedWidth(54)
        self.scale.setToolTip("Magnification of the displacement; empty is a fitting one")
        self._scale: float | None = None
        self.note = label("", "soft")
        self.words = label("", "soft")
        self.readings: dict[int, View] = {}
        self._phase = 0.0
        self._swing = QTimer(self)
        self._swing.setInterval(FRAME)
        self._swing.timeout.connect(self._frame)
        self._place = QHBoxLayout()
        self._build()

    def _build(self) -> None:
        self._place.setContentsMargins(0, 0, 0, 0)
        self._place.addWidget(self.legend)
        for name, each in self.switches.items():
            each.toggled.connect(self._swung if name == "swing" else lambda _: self.again())
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        # A longer note must not push the map aside: that would draw it anew.
        self.note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        below = row(self.note, self.words, spacing=8)
        below.layout().setStretch(0, 1)  # type: ignore[union-attr]
        self.pictured = QWidget()
        inside = QVBoxLayout(self.pictured)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        inside.addLayout(self._place, 1)
        inside.addWidget(below)
        box.addWidget(self.pictured, 1)
        box.addWidget(self.tools.bar)
        self.unpin = button("unpin all", self.unpin_all, "Take the readings away")
        self.unpin.hide()
        foot = wrapped(
            self.switches["deformed"],
            label("×", "soft"),
            self.scale,
            self.switches["swing"],
            self.switches["outline"],
            self.switches["mesh"],
            None,
            button("pin", self.pin_reading, "Keep this reading beside the part"),
            self.unpin,
            *self.tools.switches,
            spacing=4,
        )
        box.addWidget(foot)
        self.of_answer: tuple[QWidget, ...] = (self.legend, below, foot)

    def on(self, name: str) -> bool:
        """Whether a switch is on."""
        return self.switches[name].isChecked()

    def again(self) -> None:
        """Have everything drawn anew by whoever knows what."""
        self.asked_anew.emit()

    def _put_scale(self, value: float | None) -> TartanError | None:
        if value is not None and not 0 <= value <= 1e6:
            return TartanError(
                "The magnification must lie between 0 and 1 000 000.",
                "Map",
                "Leave it empty for a fitting one.",
            )
        self._scale = value
        self.again()
        return None

    # Range

    def ask_range(self) -> None:
        """Open the form of the range of the field that is shown."""
        view = None if self.shown is None else self.shown.view
        if view is None or BY_KEY[view.field].sort == "category":
            self.say("Names and mode shapes have no range of colours.")
            return
        form = RangeForm(self, view.field, self.limits_of(view))
        form.changed.connect(lambda limits, key=view.field: self._put_range(key, limits))
        self.range_form = form
        form.open_at(self.legend.mapToGlobal(self.legend.rect().topRight()))

    def limits_of(self, view: View) -> Limits:
        """Range of the colours of what is looked at."""
        return self.limits.get(view.field, OF_DATA)

    def _put_range(self, field: str, limits: Limits) -> None:
        self.limits[field] = limits
        self.again()

    # Readings

    def pin_reading(self) -> None:
        """Keep the value at the picked element beside the part."""
        if self.shown is not None and self.shown.view is not None:
            self.readings[self.shown.element] = self.shown.view
            self.again()

    def unpin_all(self) -> None:
        """Take the pinned readings away."""
        self.readings.clear()
        self.again()

    # Drawing

    def forget(self) -> None:
        """Take whatever was drawn of an answer away."""
        self.shown, self.readings = None, {}
        self._swing.stop()
        self.switches["swing"].setChecked(False)
        if self.scene is None:
            return
        for name in ("undeformed", "left out", "picked"):
            self.scene.clear(name)
        self.scene.callouts.clear()
        if self.scene.mesh is not None:
            self.scene.deform(None)

    def bare(self, mesh: Mesh | None) -> None:
        """Draw the part alone, of which there is no answer, or nothing."""
        scene = self.view()
        if self.shown is None and mesh is not None and scene.mesh is mesh:
            # It is what is drawn.
            return
        self.forget()
        if mesh is None:
            scene.put_nothing()
        else:
            scene.put_mesh(mesh)
            scene.paint(None)
            scene.redraw()

    def view(self) -> PartScene:
        """Return the view, made now if it was not."""
        if self.scene is None:
            from tartan.desktop.scene.scene import PartScene

            self.scene = PartScene()
            self.scene.element_picked.connect(self.element_picked)
            self.scene.elements_swept.connect(self.elements_swept)
            self.scene.measured.connect(self.say)
            self._place.addWidget(self.scene, 1)
        return self.scene

    def put(self, shown: Shown) -> None:
        """Draw; the mesh has been put before."""
        scene, face = self.view(), theme.face()
        assert scene.mesh is not None
        self.shown = shown
        self.legend.put(shown.map, shown.need, stale=not shown.fresh)
        factor = shown.scale if self._scale is None else self._scale
        moving = self.on("deformed")
        if not self._swing.isActive():
            scene.deform(shown.motion * factor if moving else None)
        self.words.setText(f"× {units.number(factor)}, {shown.words}" if moving else "undeformed")
        scene.paint(self._colours(shown))
        scene.show_edges(self.on("mesh"))
        rim = (
            glyphs.rim_strokes(scene.mesh)
            if self.on("outline") and moving
            else np.zeros((0, 2, 3))
        )
        scene.strokes("undeformed", rim, face.soft, 1.4)
        self.unpin.setVisible(bool(self.readings))
        out = np.flatnonzero(shown.left_out)
        scene.strokes("left out", self._hatch(scene, out), face.soft, 1.2)
        seen = bool(scene.in_sight[shown.element])
        scene.outline("picked", [shown.element] if seen else [], face.ink, 4.0)
        self._write(scene, shown)
        self.note.setText(
            shown.map.note if shown.fresh else f"stale, of the project before: {shown.map.note}"
        )
        scene.redraw()

    def paint(self, made: Map) -> None:
        """Show another map on the shape as it is, in a frame at once."""
        scene, shown = self.scene, self.shown
        if scene is None or shown is None:
            return
        self.shown = replace(shown, map=made)
        self.legend.put(made, shown.need, stale=not shown.fresh)
        scene.paint(self._colours(self.shown))
        scene.callouts.put(())
        self.note.setText(made.note)
        scene.redraw_now()

    def _colours(self, shown: Shown) -> NDArray[np.uint8]:
        rgb = shown.map.rgb if shown.fresh else faded(shown.map.rgb)
        if shown.left_out.any():
            rgb = rgb.copy()
            rgb[shown.left_out] = faded(rgb[shown.left_out])
        return rgb

    @staticmethod
    def _hatch(scene: PartScene, elements: NDArray[np.int64]) -> Array:
        """A stroke across each element, along a diagonal."""
        if len(elements) == 0:
            return np.zeros((0, 2, 3))
        assert scene.mesh is not None
        p = scene.points_of_many(elements)
        lift = 0.001 * glyphs.part_size(scene.mesh) * scene.mesh.normals()[elements][:, None]
        return np.asarray(p[:, [0, 2]] + lift)

    def _write(self, scene: PartScene, shown: Shown) -> None:
        """Words in the margin: pinned readings, hot spots, or the place that is looked at."""
        pinned = dict(shown.readings) if shown.fresh else {}
        lines = {**dict(shown.labels), **pinned}
        if shown.fresh and not shown.labels:
            lines.setdefault(shown.element, shown.reading)
        scene.call_out(tuple(lines.items()))

    def _swung(self, on: bool) -> None:
        if on:
            self._phase = 0.0
            self._swing.start()
        else:
            self._swing.stop()
        self.again()

    def say(self, words: str) -> None:
        """Say what tools tell; nothing brings the map's own words back."""
        shown = self.shown
        self.note.setText(words or (shown.map.note if shown is not None else ""))

    def _frame(self) -> None:
        if self.isVisible() and not self.tools.pictures.filming:
            self._phase += FRAME / 1000 / PERIOD
            self._show_phase(math.sin(2 * math.pi * self._phase))

    def _show_phase(self, share: float | None) -> None:
        """Show the shape at a share of its swing; None is the shape as it stands."""
        scene, shown = self.scene, self.shown
        if scene is None or shown is None:
            return
        if share is None:
            self.again()
            return
        factor = shown.scale if self._scale is None else self._scale
        scene.deform(shown.motion * factor * share)
        for name in ("picked", "left out"):
            scene.clear(name)
        scene.callouts.put(())
        scene.redraw()

    def close_view(self) -> None:
        """Free the graphics before the window goes."""
        self._swing.stop()
        if self.scene is not None:
            self.scene.close_view()
            self.scene = None
