"""The Versions station: cards, two linked views or their difference, and what changed."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate.response import LEVELS
from tartan.desktop import theme
from tartan.desktop.scene import loading
from tartan.desktop.scene.overlays import faded
from tartan.desktop.session import Session
from tartan.desktop.station import StationView
from tartan.desktop.widgets.cards import CardList
from tartan.desktop.widgets.controls import (
    Field,
    button,
    choice,
    column,
    label,
    row,
    set_options,
    switch,
)
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.legend import Legend
from tartan.desktop.widgets.split import Pane, Split
from tartan.desktop.widgets.tabs import Tabs
from tartan.exchange.maps.fields import BY_KEY, BY_TITLE, FIELDS, View, values
from tartan.exchange.maps.mapped import difference_map, make_map, required
from tartan.exchange.tables import Table
from tartan.pages import versions as state
from tartan.pages.shown import Look
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.document.model import Project
from tartan.project.edits import versions
from tartan.project.findings.verdict import ply_words

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene

WAYS = ("side by side", "difference")
TITLES = tuple(f.title for f in FIELDS)


class VersionsView(StationView):
    """Versions are cloned, renamed, switched and compared; every step is undone like any other."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.chosen = session.project.version
        self.cards = CardList("Versions")
        self.name = Field(self._rename)
        self.told = label("", "fault", wrap=True)
        self.ways = Tabs(WAYS)
        self.shown = choice(TITLES, lambda _: self.draw())
        self.case = choice([], lambda _: self.draw())
        self.legend = Legend()
        self.captions = (label("", "head"), label("", "head"))
        self._scenes: list[PartScene] = []
        self.mesh = switch("mesh", "Draw the edges of the elements", on=True)
        self.changes = DataTable("what differs", filtered=False)
        self.lines = DataTable("requirement by requirement", filtered=False)
        self.note = label("", "soft")
        self.differs = label("", "soft")
        self.as_asked = label("", "soft")
        self.buttons: dict[str, QWidget] = {}
        self._found: list[state.Line] = []
        self._build()

    @property
    def scenes(self) -> Sequence[PartScene]:
        return self._scenes

    @property
    def scene(self) -> PartScene | None:
        """The view of the version at work, once it was shown."""
        return self.scenes[1] if self.scenes else None

    def _build(self) -> None:
        self.name.setAccessibleName("Name of the version")
        self.shown.setAccessibleName("show in both")
        self.case.setAccessibleName("case in both")
        self.shown.setMaxVisibleItems(44)
        self.case.setMinimumWidth(130)
        for text, act, tip in (
            ("clone", self._clone, "Keep this version and go on in a copy of it"),
            ("work on it", self._switch, "Make the chosen version the one at work"),
            ("make it the baseline", self._baseline, "Compare everything with the chosen version"),
            ("delete", self._delete, "Delete the chosen version"),
        ):
            self.buttons[text] = button(text, act, tip)
        self.cards.chosen.connect(self._choose)
        left = column(
            label("Versions", "head"),
            self.cards,
            row(label("name", "soft"), self.name),
            row(self.buttons["clone"], self.buttons["work on it"], None, spacing=2),
            row(self.buttons["make it the baseline"], self.buttons["delete"], None, spacing=2),
            self.told,
            spacing=5,
        )
        left.layout().setStretch(1, 1)  # type: ignore[union-attr]
        self.ways.turned.connect(lambda _: self.draw())
        self.mesh.toggled.connect(lambda _: self.draw())
        self.stack = QStackedWidget()
        self._place = QHBoxLayout()
        self._place.setContentsMargins(0, 0, 0, 0)
        self._place.addWidget(self.legend)
        holder = QWidget()
        holder.setLayout(self._place)
        choosers = wrapped(
            self.ways,
            None,
            label("show", "soft"),
            self.shown,
            label("in", "soft"),
            self.case,
            self.mesh,
            spacing=5,
        )
        upper = column(choosers, holder, self.note, spacing=4)
        upper.layout().setStretch(1, 1)  # type: ignore[union-attr]
        what = column(
            row(label("What differs", "head"), self.differs, None), self.changes, spacing=3
        )
        which = column(
            row(label("Requirement by requirement", "head"), self.as_asked, None),
            self.lines,
            spacing=3,
        )
        which.setMinimumWidth(240)
        which.setMaximumWidth(468)
        lower = QWidget()
        across = QHBoxLayout(lower)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(14)
        across.addWidget(what, 3)
        across.addWidget(which, 4)
        self.changes.row_opened.connect(self._go)
        self.lines.row_opened.connect(self._follow)
        right = Split(
            "versions below", Pane(upper, share=1), Pane(lower, 232, 120), upright=True, gap=8
        )
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 10, 12, 8)
        box.addWidget(Split("versions", Pane(left, 232, 200), Pane(right, share=1)))

    # Acting

    def _edit(self, name: str, change: Callable[[Project], Project]) -> TartanError | None:
        error = self.session.edit(name, change)
        self.told.setText("" if error is None else str(error))
        return error

    def _choose(self, name: str) -> None:
        self.chosen = name
        self.refresh()

    def _clone(self) -> None:
        before = self.session.project.version
        if self.chosen != before:
            self._switch()
        if self._edit("clone version", versions.clone_version) is None:
            self.chosen = self.session.project.version
            self.refresh()

    def _switch(self) -> None:
        self._edit(f"work on {self.chosen}", lambda p: versions.switch_version(p, self.chosen))

    def _baseline(self) -> None:
        name = "" if self.session.project.against == self.chosen else self.chosen
        words = f"compare with {name}" if name else "compare with nothing"
        self._edit(words, lambda p: versions.compare_with(p, name))

    def _delete(self) -> None:
        name = self.chosen
        if self._edit(f"delete {name}", lambda p: versions.delete_version(p, name)) is None:
            self.chosen = self.session.project.version
            self.refresh()

    def _rename(self, text: str) -> TartanError | None:
        old = self.chosen
        error = self._edit("rename version", lambda p: versions.rename_version(p, text, old))
        if error is None:
            self.chosen = text.strip()
            self.refresh()
        return error

    def _go(self, line: int) -> None:
        """Go to the station of a difference."""
        self.session.select(station=str(self.changes.table.rows[line][0]))

    def _follow(self, line: int) -> None:
        """Go to the spot of a requirement."""
        status = self._found[line].status if line < len(self._found) else None
        answer = self.session.answer
        if status is not None and status.address is not None and answer is not None:
            at = status.address
            self.session.select(
                station="Margins",
                element=at.element,
                spot_ply=at.ply,
                case=answer.inputs.case_names[at.case],
            )

    # Showing

    @property
    def other(self) -> str:
        """Version that the one at work is compared with: the chosen one, or the baseline."""
        project = self.session.project
        names = versions.version_names(project)
        if self.chosen in names and self.chosen != project.version:
            return self.chosen
        if project.against in names and project.against != project.version:
            return project.against
        return next((n for n in names if n != project.version), "")

    def refresh(self) -> None:
        """Show versions, their answers and the selection as they stand."""
        session, project = self.session, self.session.project
        if self.chosen not in versions.version_names(project):
            self.chosen = project.version
        session.compare(self.other)
        self.cards.put(state.cards(session), self.chosen)
        self.name.put(self.chosen)
        self.buttons["work on it"].setEnabled(self.chosen != project.version)
        self.buttons["delete"].setEnabled(self.chosen != project.version)
        text = "no baseline" if project.against == self.chosen else "make it the baseline"
        self.buttons["make it the baseline"].setText(text)  # type: ignore[attr-defined]
        answer = session.answer
        if answer is not None:
            names = list(answer.inputs.case_names)
            kept = self.case.currentText() or session.selection.case
            set_options(self.case, names, kept if kept in names else names[0])
        self._fill(answer)
        self.draw()

    def _fill(self, answer: PartAnswer | None) -> None:
        project, other = self.session.project, self.other
        found = state.changes(project, other)
        rows = tuple((d.station, d.what, d.words) for d in found)
        self.changes.put(
            Table("what differs", ("station", "what", "change"), rows), None, (70, 120, 0)
        )
        count = f"{len(found)} from {other} to {project.version}" if found else "nothing differs"
        self.differs.setText(count if other else "clone this version, then change the copy")
        then = self.session.answer_of(other) if other else None
        self.as_asked.setText(f"both as {project.version} asks" if other else "")
        self._found = state.lines(project, answer, then)
        looks: list[list[Look | None]] = []
        for x in self._found:
            ink = "soft" if x.better is None else "holds" if x.better else "fails"
            met = "ink" if x.met else "fails"
            fresh = self.session.fresh
            looks.append(
                [
                    None,
                    Look(x.then, "soft"),
                    Look(x.now, met if fresh else "stale"),
                    Look(x.change, ink if fresh else "stale"),
                ]
            )
        self.lines.put(state.table_of(self._found, other, project.version), looks, (0, 78, 78, 82))

    def draw(self) -> None:
        """Draw both versions, or their difference."""
        if not self.isVisible() or not loading.ready(self.draw):
            return
        self._make_scenes()
        first, second = self.scenes
        for scene in self.scenes:
            scene.show_edges(self.mesh.isChecked())
        project, other = self.session.project, self.other
        now, then = self.session.answer, self.session.answer_of(other) if other else None
        difference = self.ways.at == 1
        first.parentWidget().setVisible(not difference and bool(other))  # type: ignore[union-attr]
        view = self._view()
        self.note.setText(self._of_words(view, now))
        if difference:
            self._draw_difference(second, view, now, then)
            return
        reach = max((_reach(a, view) for a in (now, then) if a is not None), default=0.0)
        names = (other, project.version)
        for scene, name, answer, caption in zip(
            self.scenes, names, (then, now), self.captions, strict=True
        ):
            if name:
                self._draw_one(scene, view, answer, reach)
                caption.setText(self._caption(name, answer))

    def _caption(self, name: str, answer: PartAnswer | None) -> str:
        project = self.session.project
        words = f"{name}, at work" if name == project.version else name
        words += ", baseline" if name == project.against else ""
        if answer is None:
            refusal = self.session.refusal_of(name)
            words += f": {refusal.what}" if refusal else ": being solved …"
        elif name == project.version and not self.session.fresh:
            words += ": stale, being solved …"
        return words

    @staticmethod
    def _of_words(view: View, answer: PartAnswer | None) -> str:
        """Which ply a stress or strain is of: the one picked in Margins."""
        if answer is None or BY_KEY[view.field].sort != "ply":
            return ""
        ply = min(view.ply, len(answer.layout().laid) - 1)
        return f"of {ply_words(answer, ply)} at the {LEVELS[view.level]}, as picked in Margins"

    def _view(self) -> View:
        field = BY_TITLE[self.shown.currentText() or TITLES[0]]
        s = self.session.selection
        return View(field.key, case=self.case.currentText(), ply=s.spot_ply or 0)

    def _draw_one(
        self, scene: PartScene, view: View, answer: PartAnswer | None, reach: float
    ) -> None:
        if answer is None:
            scene.put_nothing()
            return
        scene.put_mesh(answer.layout().mesh)
        made = make_map(self.session.project, answer, view, dark=theme.face().dark, reach=reach)
        mine = answer is self.session.answer
        stale = mine and not self.session.fresh
        scene.paint(faded(made.rgb) if stale else made.rgb)
        self.legend.put(made, f"needs {required(self.session.project):.2f}", stale=stale)
        scene.redraw()

    def _draw_difference(
        self, scene: PartScene, view: View, now: PartAnswer | None, then: PartAnswer | None
    ) -> None:
        other, project = self.other, self.session.project
        field = BY_TITLE[self.shown.currentText() or TITLES[0]]
        self.captions[1].setText(f"{project.version} less {other}" if other else "")
        if now is None:
            scene.put_nothing()
            return
        scene.put_mesh(now.layout().mesh)
        if then is None or field.sort == "category":
            scene.paint(None)
            self.legend.put(None, "", stale=False)
            self.note.setText(
                "Names have no difference: choose a figure."
                if then is not None
                else "The other version has no answer yet."
            )
        else:
            made = difference_map(project, now, then, view, dark=theme.face().dark)
            scene.paint(made.rgb if self.session.fresh else faded(made.rgb))
            self.legend.put(made, "", stale=not self.session.fresh)
            self.note.setText(made.note)
        scene.redraw()

    def _make_scenes(self) -> None:
        if self.scenes:
            return
        for caption in self.captions:
            from tartan.desktop.scene.scene import PartScene

            scene = PartScene()
            holder = column(caption, scene, spacing=2)
            holder.layout().setStretch(1, 1)  # type: ignore[union-attr]
            self._place.addWidget(holder, 1)
            self._scenes.append(scene)
        first, second = self.scenes
        first.view.camera_moved.connect(lambda: second.look_like(first))
        second.view.camera_moved.connect(lambda: first.look_like(second))

    def close_view(self) -> None:
        """Free the graphics before the window goes."""
        for scene in self.scenes:
            scene.close_view()
        self._scenes.clear()

    def showEvent(self, event: object) -> None:
        self.draw()


def _reach(answer: PartAnswer, view: View) -> float:
    """Largest size of a field's values; 0 for what has a scale of its own."""
    if view.field in ("ply", "mode", "case", "criterion", "reserve", "margin", "index"):
        return 0.0
    return float(np.nanmax(np.abs(values(answer, view)), initial=0.0))
