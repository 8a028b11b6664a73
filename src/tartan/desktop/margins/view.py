"""The Margins station: the map, lists beside it, what drives the worst, and the picked spot."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.desktop import theme
from tartan.desktop.margins.choosers import Choosers
from tartan.desktop.margins.drivers import DriversPicture
from tartan.desktop.margins.lists import Board, ByCase, HotSpots
from tartan.desktop.margins.sidepanes import PAGES, SidePanes
from tartan.desktop.margins.spotpanel import SpotPanel
from tartan.desktop.margins.stage import Shown, Stage
from tartan.desktop.scene import loading
from tartan.desktop.scene.smoothing import LARGE
from tartan.desktop.session import Session
from tartan.desktop.station import SceneStation
from tartan.desktop.widgets.controls import column, label, row
from tartan.desktop.widgets.latepanes import Late
from tartan.desktop.widgets.split import Pane, Split
from tartan.desktop.widgets.tabs import Tabs
from tartan.exchange.maps.fields import BY_KEY, View, values
from tartan.exchange.maps.mapped import Map, make_map, required, shape_map, shapes_of
from tartan.pages import margins as state
from tartan.pages.margins import Picked
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.partmesh import meshed
from tartan.project.findings.chosen_margins import excluded, hot_list, margins_for
from tartan.project.wording import units

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.margins.forms import CriteriaForm, LeftOutForm
    from tartan.desktop.scene.scene import PartScene

WIDE, NARROW = 404, 300

FOLLOW = 120
"""Milliseconds of quiet after a step on a large part before the rest is brought up to date."""


class MarginsView(SceneStation):
    """Draws answers; a pick in the map, a list or the section is shared as the selection."""

    hot: Late[HotSpots] = Late("hot spots")
    by_case: Late[ByCase] = Late("by case")
    board: Late[Board] = Late("requirements")
    criteria: Late[CriteriaForm] = Late("criteria")
    left_out: Late[LeftOutForm] = Late("left out")

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.choosers = Choosers()
        self.holder = self.stage = Stage(session)
        self.panes = SidePanes(session)
        self.tabs = Tabs(PAGES)
        self.driven = label("", "soft")
        self.drivers = DriversPicture()
        self.spot = SpotPanel(session)
        self.empty = label("", "soft", wrap=True)
        self._box: object = None
        self._follow_up = QTimer(self)
        self._follow_up.setSingleShot(True)
        self._to_show: int | None = None
        self._build()
        self._connect()

    @property
    def scene(self) -> PartScene | None:
        """The 3-D view, once it was shown."""
        return self.stage.scene

    def _build(self) -> None:
        beside = (self.stage.switches["only what fails"], self.stage.switches["labels"])
        self.choosers.beside(*beside, *self.stage.tools.menus)
        left = column(self.choosers, self.stage, spacing=4)
        left.layout().setStretch(1, 1)  # type: ignore[union-attr]
        self.drive = column(
            row(label("What drives it", "head"), self.driven, None), self.drivers, spacing=3
        )
        self.right = column(self.tabs, self.panes, self.drive, spacing=5)
        self.right.layout().setStretch(1, 1)  # type: ignore[union-attr]
        self.right.setMinimumWidth(NARROW)
        self.upper = QWidget()
        across = QHBoxLayout(self.upper)
        across.setContentsMargins(0, 0, 0, 0)
        across.addWidget(
            Split("margins", Pane(left, share=1), Pane(self.right, WIDE, NARROW, part=0.4), gap=12)
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 8, 10, 8)
        box.setSpacing(6)
        box.addWidget(self.empty)
        box.addWidget(self.upper, 1)
        box.addWidget(self.spot)

    def _connect(self) -> None:
        session = self.session
        self._follow_up.timeout.connect(lambda: self._select_ply(self.choosers.ply.currentIndex()))
        self.tabs.turned.connect(self._turn)
        self.choosers.changed.connect(self.refresh)
        self.choosers.ply_chosen.connect(self._pick_ply)
        self.choosers.case_chosen.connect(self._pick_case)
        self.stage.element_picked.connect(self.pick)
        self.stage.elements_swept.connect(
            lambda elements, out: self.left_out.sweep(elements.tolist(), out=out)
        )
        self.stage.asked_anew.connect(self.draw)
        self.stage.tools.large_turned.connect(lambda _: self.refresh())
        self.panes.element_chosen.connect(self.pick)
        self.panes.element_chosen.connect(self.bring)
        self.panes.place_chosen.connect(
            lambda element, case: session.select(element=element, spot_ply=None, case=case)
        )
        self.panes.place_chosen.connect(lambda element, _: self.bring(element))
        self.panes.line_chosen.connect(self._follow)
        self.panes.brush_turned.connect(self._turn_brush)
        self.spot.ply_chosen.connect(self._pick_ply)

    # Acting

    def _turn(self, page: int) -> None:
        self.panes.turn(page)
        self.drive.setVisible(page < 3)
        self.refresh()

    def reveal(self, widget: QWidget) -> None:
        """Turn to the list or form that holds a widget."""
        name = self.panes.holding(widget)
        if name:
            self.tabs.turn(PAGES.index(name))

    def _turn_brush(self, on: bool) -> None:
        self.stage.view().mode = "brush" if on else "look"

    def pick(self, element: int) -> None:
        """Look at an element's governing place over what is chosen."""
        answer = self.session.answer
        if answer is not None:
            margins = margins_for(answer, self.choosers.ask)
            self.session.select(
                element=element,
                spot_ply=int(margins.ply[element]),
                case=answer.inputs.case_names[int(margins.case[element])],
            )

    def _pick_ply(self, ply: int) -> None:
        answer = self.session.answer
        if answer is not None and state.mesh_of(answer).count > LARGE and self.scene is not None:
            # On a large part the map comes first; what stands round it follows in a pause.
            self.choosers.ply.setCurrentIndex(ply)
            at = replace(self.picked(answer), ply=ply)
            self.stage.paint(
                make_map(
                    self.session.project,
                    answer,
                    self.choosers.view(answer, at),
                    dark=theme.face().dark,
                    limits=self.stage.limits_of(self.choosers.view(answer, at)),
                )
            )
            self._follow_up.start(FOLLOW)
        elif answer is not None:
            self._select_ply(ply)

    def _select_ply(self, ply: int) -> None:
        answer = self.session.answer
        if answer is not None:
            at = self.picked(answer)
            self.session.select(
                element=at.element, spot_ply=ply, case=answer.inputs.case_names[at.case]
            )

    def _pick_case(self, name: str) -> None:
        answer = self.session.answer
        if answer is not None:
            at = self.picked(answer)
            self.session.select(element=at.element, spot_ply=at.ply, case=name)

    def _follow(self, line: int) -> None:
        """Go to the place of a requirement."""
        answer, statuses = self.session.answer, self.session.statuses
        if answer is None or line >= len(statuses) or statuses[line].address is None:
            return
        at = statuses[line].address
        assert at is not None
        self.session.select(
            element=at.element, spot_ply=at.ply, case=answer.inputs.case_names[at.case]
        )
        self.choosers.show_field("reserve factor" if at.ply is not None else "displacement")
        self.bring(at.element)

    def bring(self, element: int) -> None:
        """Bring an element into sight: turned to, and what covers it made transparent."""
        self._to_show = element
        self.draw()

    def _bring_now(self, scene: PartScene) -> None:
        element, self._to_show = self._to_show, None
        if element is None or scene.mesh is None or element >= scene.mesh.count:
            return
        covers = scene.turn_to(element)
        if covers is not None:
            hidden = covers if scene.hidden is None else covers | scene.hidden
            hidden[element] = False
            scene.hide_elements(hidden, veiled=covers)
            count = units.counted(int(covers.sum()), "element")
            self.stage.say(
                f"{count} that cover the spot are transparent; show, all of it, ends it."
            )
        scene.redraw()

    # Showing

    def picked(self, answer: PartAnswer) -> Picked:
        """Place that is looked at: the governing one until the user picks another."""
        s = self.session.selection
        return state.picked(
            self.session.project, answer, self.choosers.ask, s.element, s.spot_ply, s.case
        )

    def refresh(self) -> None:
        """Show answer and selection as they stand."""
        answer = self.session.answer
        self.empty.setVisible(answer is None)
        # Until there is an answer nothing of one before may stand beside the part.
        large = self.stage.tools.large.isChecked()
        for each in (self.right, self.choosers, self.spot, *self.stage.of_answer):
            each.setVisible(answer is not None and not (large and each in (self.right, self.spot)))
        if answer is None:
            self.spot.stop()
            self.draw()
            error = self.session.error
            self.empty.setText(str(error) if error else "The first answer is on its way.")
            return
        # The margins over a choice may name other criteria than those on offer: told once.
        self.choosers.settle(answer, by_case=self.panes.name == "by case")
        at = self.picked(answer)
        self.choosers.put(answer, at)
        at = self.picked(answer)
        busy = self.choosers.judging.busy
        self.panes.fill(answer, self.choosers.ask, at.element, judging=busy)
        self._drive(answer, at)
        self.spot.put(answer, at)
        self.draw()
        if self.choosers.judging.busy:
            self.stage.say("Judging over what was chosen …")

    def _drive(self, answer: PartAnswer, at: Picked) -> None:
        margins = margins_for(answer, self.choosers.ask)
        if at.ply not in answer.layout().plies(at.element):
            self.driven.setText("that ply does not lie here")
            self.drivers.put((), faded=False)
            return
        try:
            words, lines = state.driver_lines(self.session.project, answer, at, margins)
        except TartanError as error:
            words, lines = str(error), []
        self.driven.setText(words)
        self.drivers.put(lines, faded=not self.session.fresh)

    def draw(self) -> None:
        """Draw the map, once the station has been visited."""
        answer, part = self.session.answer, self.session.project.part
        if not self.isVisible() or not loading.ready(self.draw):
            return
        if answer is None:
            # Until the first answer the bare part is shown.
            try:
                mesh = None if part is None else meshed(part).mesh
            except TartanError:
                mesh = None
            self.stage.bare(mesh)
            return
        scene = self.stage.view()
        scene.put_mesh(state.mesh_of(answer))
        self.stage.put(self._shown(answer))
        self._bring_now(scene)

    def _shown(self, answer: PartAnswer) -> Shown:
        project, fresh = self.session.project, self.session.fresh
        at = self.picked(answer)
        view = self.choosers.view(answer, at)
        out = excluded(answer, project.left_out).mask
        need = f"needs {required(project):.2f}"
        shapes = shapes_of(answer)
        if (number := self.choosers.shape) is not None and number < len(shapes):
            name, shape = shapes[number]
            size = 0.06 * float(np.linalg.norm(np.ptp(state.mesh_of(answer).nodes, axis=0)))
            made = shape_map(answer, name, shape)
            return Shown(
                made,
                shape,
                size,
                name,
                at.element,
                name.split(" · ")[0],
                None,
                self._readings(answer),
                np.zeros_like(out),
                (),
                need,
                fresh,
            )
        made = make_map(
            project,
            answer,
            view,
            dark=theme.face().dark,
            failing=self.stage.on("only what fails"),
            limits=self.stage.limits_of(view),
        )
        if view.field == "margin":
            need = f"needs {required(project) - 1:.2f}"
        labels: tuple[tuple[int, str], ...] = ()
        if self.stage.on("labels"):
            spots = hot_list(answer, view.ask, project.left_out, self.hot.group.currentText())
            labels = tuple((e, self._label(answer, view, made, e)) for e in spots)
        return Shown(
            made,
            answer.solution.displacement[at.case, :, :3],
            state.magnification(answer, at.case),
            answer.inputs.case_names[at.case],
            at.element,
            self._reading(answer, view, made, at.element),
            view,
            self._readings(answer),
            out,
            labels,
            need,
            fresh,
        )

    def _readings(self, answer: PartAnswer) -> tuple[tuple[int, str], ...]:
        """Pinned readings, taken anew of this answer; those of another mesh are let go."""
        mesh, pinned = state.mesh_of(answer), self.stage.readings
        box = (mesh.count, *mesh.nodes.min(axis=0).round(9), *mesh.nodes.max(axis=0).round(9))
        if box != self._box:
            self._box = box
            pinned.clear()
        plies, found = len(answer.layout().laid), []
        for element, view in pinned.items():
            if view.ply >= plies:
                continue
            made = make_map(self.session.project, answer, view)
            words = self._reading(answer, view, made, element)
            of_ply = f" · ply {view.ply + 1}" if BY_KEY[view.field].sort == "ply" else ""
            found.append((element, words + of_ply))
        return tuple(found)

    def _label(self, answer: PartAnswer, view: View, made: Map, element: int) -> str:
        """Reading at a hot spot, with the ply and mode that govern there whatever is shown."""
        words = self._reading(answer, view, made, element)
        margins = margins_for(answer, view.ask)
        if BY_KEY[view.field].sort == "envelope" or view.field == "mode":
            return words
        mode = margins.mode_label(element)
        if view.field == "ply":
            return f"{words} · {mode}"
        return f"{words} · ply {int(margins.ply[element]) + 1} {mode}"

    @staticmethod
    def _reading(answer: PartAnswer, view: View, made: Map, element: int) -> str:
        """Value of the shown field at an element, in words."""
        field = BY_KEY[view.field]
        if field.sort == "category":
            label_ = -1 if made.label is None else int(made.label[element])
            return made.names[label_][0] if label_ >= 0 else "–"
        value = float(values(answer, view)[element])
        if not np.isfinite(value):
            return "∞" if np.isinf(value) else "–"
        if field.sort != "envelope":
            return f"{field.title.rpartition(' ')[2]} {units.show(value, field.quantity)}"
        margins = margins_for(answer, view.ask)
        mode = margins.mode_label(element)
        number = units.factor(value) if value >= 0 else f"−{units.factor(-value)}"
        return f"{number} · ply {int(margins.ply[element]) + 1} {mode}"

    def close_view(self) -> None:
        """Free the graphics before the window goes."""
        self._follow_up.stop()
        self.choosers.judging.stop()
        self.spot.stop()
        super().close_view()

    def make_one(self) -> bool:
        return self.panes.make_one() or self.spot.panes.make_one()

    def showEvent(self, event: object) -> None:
        self.draw()
