"""The Part station: lay-up, surface, regions and directions at the left, the surface at the right.

Under the surface stand what is to be settled before solving, and the probe with its pins.
"""

from __future__ import annotations

from contextlib import suppress
from functools import partial
from itertools import pairwise
from typing import TYPE_CHECKING, Any, cast

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QVBoxLayout, QWidget

from tartan.core.errors import TartanError, fault_of
from tartan.desktop import theme
from tartan.desktop.part.directions import DirectionsForm
from tartan.desktop.part.form import PartForm, winds
from tartan.desktop.part.layoutform import LayoutForm
from tartan.desktop.part.layup import LayUpForm
from tartan.desktop.part.probe import ProbeCard
from tartan.desktop.part.regions import RegionsForm
from tartan.desktop.part.sizing import SizingForm
from tartan.desktop.part.surface import SurfaceForm
from tartan.desktop.part.winding import WindingForm
from tartan.desktop.scene import loading
from tartan.desktop.scene.overlays import Overlays
from tartan.desktop.scene.pane import ScenePane
from tartan.desktop.session import Session
from tartan.desktop.station import SceneStation
from tartan.desktop.widgets.controls import label, row, switch
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.latepanes import Late, LatePanes
from tartan.desktop.widgets.readylist import Line, ReadyList
from tartan.desktop.widgets.split import Pane, Split
from tartan.pages import part as state
from tartan.pages import part_ready
from tartan.project.analysis.inputs import PartInputs, layout_soon, part_inputs
from tartan.project.analysis.meshes import MeshPending
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.partmodel import ReadSurface
from tartan.project.wording import units

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene

OVERLAYS = {
    "zones": "Areas of one stacking sequence in a colour each",
    "fibres": "Fibres of the chosen or pointed ply",
    "draped net": "Warp and weft of the chosen draped rung, and where its yarns shear",
    "0° direction": "Strokes along the plies' zero",
    "laying side": "A stair that widens towards the side plies are added",
    "supports, loads": "Of the chosen case",
    "ties": "Lines from what follows to what leads, where components are tied",
    "quality": "Elements that are long, skewed or warped are darker",
    "mesh": "Element edges",
}
OFF = ("fibres", "supports, loads", "quality")

NARROW, WIDE = 316, 460
"""Least width of the forms, and of that of the sizing [pixels]."""


class PartView(SceneStation):
    """Composes the station; edits are the forms', drawing is the overlays'."""

    lay_up = Late[LayUpForm]("lay-up")
    surface = Late[SurfaceForm]("surface")
    regions = Late[RegionsForm]("regions")
    directions = Late[DirectionsForm]("0°, side")
    winding = Late[WindingForm]("winding")
    layout_file = Late[LayoutForm]("ply layout")
    sizing = Late[SizingForm]("sizing")

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fault = label("", "fault", wrap=True)
        self.panes = LatePanes(
            {
                "lay-up": lambda: LayUpForm(session),
                "surface": lambda: SurfaceForm(session),
                "regions": lambda: RegionsForm(session),
                "0°, side": lambda: DirectionsForm(session),
                "winding": lambda: WindingForm(session),
                "ply layout": lambda: LayoutForm(session),
                "sizing": lambda: SizingForm(session),
            }
        )
        self.panes.made.connect(self._join)
        self.switches = {name: switch(name, on=name == "lay-up") for name in self.panes.names}
        self.holder = self.pane = ScenePane(OVERLAYS, self.draw, session, off=OFF)
        self.overlays = Overlays(session, self.pane)
        self.ready = ReadyList()
        self.probe = ProbeCard("Probe")
        self.pins = (ProbeCard("Pin A"), ProbeCard("Pin B"))
        self._wired: PartScene | None = None
        self._told_of: object = None
        self._shape: dict[str, float] | None = None
        self._swing = QTimer(self)
        self._swing.setInterval(60)
        self._swing.timeout.connect(self._swing_on)
        self._motion: tuple[Any, int] | None = None
        self._build()

    def _build(self) -> None:
        group = QButtonGroup(self)
        for name, tab in self.switches.items():
            group.addButton(tab)
            tab.toggled.connect(lambda on, n=name: self.open_form(n) if on else None)
        self.panes.show_pane("lay-up")
        left = self.left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(wrapped(*self.switches.values(), None, spacing=4))
        column.addWidget(self.fault)
        column.addWidget(self.panes, 1)
        right = QWidget()
        over = QVBoxLayout(right)
        over.setContentsMargins(0, 0, 0, 0)
        over.setSpacing(6)
        over.addWidget(self.pane, 1)
        foot = row(self.ready, *self.pins, self.probe, spacing=8)
        foot.layout().setStretch(0, 1)  # type: ignore[union-attr]
        foot.setFixedHeight(self.probe.height())
        over.addWidget(foot)
        for pin in self.pins:
            pin.hide()
            pin.setToolTip("Click to take it away")
            pin.closed.connect(lambda p=pin: self._unpin(p))
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 12, 8, 8)
        self.split = Split("part", Pane(left, NARROW, NARROW), Pane(right, share=1))
        box.addWidget(self.split)
        self.pane.tools.large_turned.connect(left.setHidden)

    def _join(self, name: str) -> None:
        """Hear a form that was made just now."""
        form = cast("PartForm", self.panes.pane(name))
        form.told.connect(self._tell)
        if isinstance(form, LayUpForm):
            form.playback.played.connect(lambda _: self.draw())
            form.pointed.connect(self._point_rung)
            form.drape.changed.connect(self._draw_net)
        elif isinstance(form, WindingForm):
            form.path.changed.connect(self._draw_path)
        elif isinstance(form, RegionsForm):
            form.mode_changed.connect(lambda _: self._set_mode())

    @property
    def form(self) -> str:
        """The form that is open."""
        return next(n for n, s in self.switches.items() if s.isChecked())

    def open_form(self, name: str) -> None:
        """Show a form."""
        form = cast("PartForm", self.panes.show_pane(name))
        self.switches[name].setChecked(True)
        # What stops each thing from being less wants a line of its own.
        self.left.setMinimumWidth(WIDE if name == "sizing" else NARROW)
        self.split.settle()
        if name == "0°, side":
            for overlay in ("0° direction", "laying side"):
                self.pane.overlays[overlay].setChecked(True)
        form.refresh()
        self._set_mode()
        self.draw()

    def reveal(self, widget: QWidget) -> None:
        """Open the form that holds a widget."""
        name = self.panes.holding(widget)
        if name:
            self.open_form(name)

    def _tell(self, fault: str) -> None:
        self._told_of = self.session.project
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    # Acting on the part

    def _wire(self, scene: PartScene) -> None:
        """Hear the view once it is made."""
        if self._wired is scene:
            return
        self._wired = scene
        scene.pointing = True
        scene.element_pointed.connect(self._point)
        scene.element_picked.connect(self._pick)
        scene.elements_swept.connect(self._sweep)
        scene.handle_moved.connect(self._drag_handle)
        self._set_mode()

    def _set_mode(self) -> None:
        if self._wired is not None:
            self.pane.tools.end_measure()
            sweeping = self.form == "regions" and self.regions.mode in ("brush", "box")
            self._wired.mode = self.regions.mode if sweeping else "look"

    def _pick(self, element: int) -> None:
        self.session.select(element=element)
        if self.form == "regions":
            self.regions.pick(element)
        elif self.form == "lay-up" and self.lay_up.drape.takes_clicks:
            self.lay_up.drape.pick(element)
        elif self.form == "surface" and self.surface.faces.takes_clicks:
            self.surface.faces.pick(element)
        elif self.form == "0°, side" and self.directions.by_click.isChecked():
            self.directions.flip_at(element)
        else:
            self._pin(element)

    def _sweep(self, elements: NDArray[np.int64], out: bool) -> None:
        self.regions.sweep(elements, out=out)

    def _inputs(self) -> PartInputs | None:
        try:
            inputs = part_inputs(self.session.project)
            layout_soon(inputs)
        except TartanError:
            return None
        return inputs

    def _point(self, element: int) -> None:
        self._put_card(self.probe, element if element >= 0 else None)
        if self.form == "lay-up" and self.lay_up.drape.moving:
            self.lay_up.drape.point(element)

    def _put_card(self, card: ProbeCard, element: int | None) -> None:
        answer, inputs = self.session.answer, self._inputs()
        reserve = ""
        if element is not None and answer is not None and self.session.fresh:
            reserve = units.factor(float(answer.margins.reserve[element]))
        card.put(self.session.project, inputs, element, reserve)

    def _pin(self, element: int) -> None:
        """Pin what is under the pointer; a third takes the place of the older one."""
        free = next((p for p in self.pins if p.element is None), None)
        if free is None:
            first, second = self.pins
            self._put_card(first, second.element)
            free = second
        self._put_card(free, element)
        free.show()

    def _unpin(self, pin: ProbeCard) -> None:
        pin.put(self.session.project, None, None)
        pin.hide()

    def _point_rung(self, rung: int) -> None:
        self.overlays.pointed = None if rung < 0 else rung
        if self.pane.on("fibres"):
            self.draw()

    def _drag_handle(self, name: str, value: float, settled: bool) -> None:
        """While a knob is dragged its field shows the value; letting go makes it one edit."""
        if settled:
            error = self.surface.change_figures(**{name: value})
            if error is None:
                return
        self._tell(f"{name.replace('_', ' ')} {units.show(value, units.LENGTH)}")

    # Readiness

    def _fill_ready(self) -> None:
        try:
            items = part_ready.readiness(self.session.project)
        except MeshPending as pending:
            self.ready.put([], pending.what, role="soft")
            return
        lines = [
            Line(
                i.words,
                partial(self.show_item, i),
                i.mend if i.step else "",
                partial(self._mend, i) if i.step else None,
            )
            for i in items
        ]
        inputs = self._inputs()
        zones = len(layout_soon(inputs).zones.laminates) if inputs else 0
        well = part_ready.ready_words(self.session.project, zones) if not items else ""
        self.ready.put(lines, well)

    def _mend(self, item: part_ready.Item) -> None:
        if item.step is not None:
            error = self.session.edit(item.mend, item.step)
            self._tell(fault_of(error))

    def show_item(self, item: part_ready.Item) -> None:
        """Show where a matter lies; a loose component swings."""
        if item.station != "Part" and item.motion is None:
            self.session.select(station=item.station)
            return
        scene = self.pane.view()
        scene.outline("matter", item.elements[:3000].tolist(), "#c8501e", 3.0)
        if item.motion is not None:
            self._motion = (item.motion, 0)
            self._swing.start()
        scene.redraw()

    def _swing_on(self) -> None:
        """One frame of a loose component's motion; two swings, then it rests."""
        scene = self.pane.scene
        mesh = None if scene is None else scene.mesh
        if (
            self._motion is None
            or scene is None
            or mesh is None
            or self._motion[0].shapes.shape[1] != len(mesh.nodes)
        ):
            # The part has changed meanwhile.
            self._motion = None
            self._swing.stop()
            return
        motion, frame = self._motion
        done = frame >= 48
        size = 0.08 * float(np.linalg.norm(np.ptp(mesh.nodes, axis=0)))
        share = 0.0 if done else np.sin(2 * np.pi * frame / 24)
        scene.deform(None if done else share * size * motion.shapes[0])
        scene.redraw()
        self._motion = None if done else (motion, frame + 1)
        if done:
            self._swing.stop()

    # Showing

    def refresh(self) -> None:
        """Show the project and the selection as they stand."""
        if self.session.project is not self._told_of:
            self._tell("")
        there = winds(self.session.project.part)
        self.switches["winding"].setVisible(there)
        if self.form == "winding" and not there:
            self.open_form("surface")
        cast("PartForm", self.panes.pane(self.form)).refresh()
        self._fill_ready()
        for card in (self.probe, *self.pins):
            mesh_count = 0
            if self.session.project.part is not None and card.element is not None:
                with suppress(TartanError):
                    mesh_count = meshed(self.session.project.part).mesh.count
            known = (
                card.element if card.element is not None and card.element < mesh_count else None
            )
            self._put_card(card, known)
            if known is None and card is not self.probe:
                card.hide()
        self.draw()

    def draw(self) -> None:
        """Draw the surface and its overlays, once the station has been visited."""
        part = self.session.project.part
        if not self.isVisible() or not loading.ready(self.draw):
            return
        if part is None:
            if self.pane.scene is not None:
                self.pane.scene.put_nothing()
            return
        scene = self.pane.view()
        self._wire(scene)
        self.overlays.draw(scene, self.lay_up.playback.step, self.form)
        shaping = self.form == "surface" and not isinstance(part.surface, ReadSurface)
        scene.handles.put(state.handles(part.surface) if shaping else ())
        self._put_path(scene)
        self._put_net(scene)
        self.pane.note.setText(self.overlays.words)
        scene.redraw()

    def _draw_path(self) -> None:
        """Draw the path of a band anew, and nothing else."""
        if self.pane.scene is not None and self.isVisible():
            self._put_path(self.pane.scene)
            self.pane.scene.redraw()

    def _draw_net(self) -> None:
        """Draw the net of a draped ply anew, and nothing else."""
        if self.pane.scene is not None and self.isVisible() and self.form == "lay-up":
            self._put_net(self.pane.scene)
            self.pane.note.setText(self.overlays.words)
            self.pane.scene.redraw()

    def _put_net(self, scene: PartScene) -> None:
        shown = self.lay_up.drape.shown() if self.form == "lay-up" else None
        drape = self.lay_up.drape
        self.overlays.draped(
            scene, shown if self.lay_up.playback.step is None else None, drape.mapped
        )
        drawn = drape.lines.points if self.form == "lay-up" else []
        scene.knobs("drawn", np.array(drawn).reshape(-1, 3))
        scene.strokes(
            "drawn line",
            np.array(list(pairwise(drawn))).reshape(-1, 2, 3),
            theme.face().accent,
            2.4,
        )

    def _put_path(self, scene: PartScene) -> None:
        path = self.winding.path.segments if self.form == "winding" else np.zeros((0, 2, 3))
        # A trace outwards, clear of the flat elements.
        middle = path.mean(axis=(0, 1)) if len(path) else 0.0
        scene.strokes("path", middle + 1.004 * (path - middle), theme.face().accent, 1.6)

    def showEvent(self, event: object) -> None:
        self.draw()

    def close_view(self) -> None:
        """End timers and threads, and free the graphics, before the window goes."""
        self._swing.stop()
        for form in self.panes.standing():
            cast("PartForm", form).close_down()
        super().close_view()

    def make_one(self) -> bool:
        return self.panes.make_one()
