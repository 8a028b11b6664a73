"""Tools of every 3-D view: where to look from, what to show, measuring, and pictures."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import asdict
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QMenu, QPushButton, QSlider, QWidget

from tartan.core.errors import TartanError
from tartan.core.shell.directions import components
from tartan.desktop.preferences import preferences
from tartan.desktop.scene.pictures import Pictures
from tartan.desktop.scene.viewpoint import VIEWS, Cut, Viewpoint
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import button, choice, label, switch
from tartan.project.analysis.partmesh import meshed

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene

Index = NDArray[np.intp]

AXES = ("x", "y", "z")

MOST_KEPT = 24
"""Views that are kept of a project."""


MOST_COMPONENTS = 60
"""Components that are listed by number."""


def places_in(session: Session, scene: PartScene | None) -> Mapping[str, Index]:
    """Regions and components of the part by name, where they are of the mesh that is shown."""
    part, mesh = session.project.part, None if scene is None else scene.mesh
    if part is None or mesh is None:
        return {}
    try:
        whole = meshed(part)
    except TartanError:
        return {}
    if whole.mesh.count != mesh.count:
        return {}
    found = dict(whole.regions)
    label = components(mesh)
    count = int(label.max(initial=0)) + 1
    if 1 < count <= MOST_COMPONENTS:
        found |= {f"component {i + 1}": np.flatnonzero(label == i) for i in range(count)}
    return found


def _menu_button(text: str, tip: str, fill: Callable[[QMenu], object]) -> QPushButton:
    made = QPushButton(text)
    made.setToolTip(tip)
    made.setStyleSheet("QPushButton::menu-indicator { width: 0; }")
    menu = QMenu(made)

    def anew() -> None:
        menu.clear()
        fill(menu)

    menu.aboutToShow.connect(anew)
    made.setMenu(menu)
    return made


class CutBar(QWidget):
    """Where the part is cut: an axis, a place along it, and the side that stays."""

    moved = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.axis = choice([f"across {a}" for a in AXES], lambda _: self._tell())
        self.axis.setAccessibleName("Cut across")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 200)
        self.slider.setValue(100)
        self.slider.setAccessibleName("Place of the cut")
        self.slider.valueChanged.connect(lambda _: self._tell())
        self.other = switch("other side", "Show what lies on the other side of the cut")
        self.other.toggled.connect(lambda _: self._tell())
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(label("cut", "soft"))
        box.addWidget(self.axis)
        box.addWidget(self.slider, 1)
        box.addWidget(self.other)
        box.addWidget(button("×", self.end, "Show the whole part again"))
        self.hide()

    def begin(self, axis: int) -> None:
        """Cut in the middle, across an axis."""
        self.axis.setCurrentIndex(axis)
        self.show()
        self._tell()

    def end(self) -> None:
        """Cut no longer."""
        self.hide()
        self.moved.emit(None)

    @property
    def cut(self) -> Cut | None:
        """The cut as it stands."""
        if self.isHidden():
            return None
        return Cut(self.axis.currentIndex(), self.slider.value() / 200, self.other.isChecked())

    def _tell(self) -> None:
        if not self.isHidden():
            self.moved.emit(self.cut)


class SceneTools(QObject):
    """Menus and switches for one 3-D view.

    Parameters
    ----------
    session : Session
        Whose part it is.
    scene : callable
        The view; None before it was made.
    pictures : Pictures
        Copies and saves what is shown.
    """

    told = pyqtSignal(str)
    governing_asked = pyqtSignal()
    large_turned = pyqtSignal(bool)
    changed = pyqtSignal()

    def __init__(
        self, session: Session, scene: Callable[[], PartScene | None], pictures: Pictures
    ) -> None:
        super().__init__()
        self._session, self._scene, self.pictures = session, scene, pictures
        pictures.told.connect(self.told.emit)
        self.hidden: set[str] = set()
        self._before = "look"
        self.view_button = _menu_button("view ▾", "Where to look from", self._fill_views)
        self.show_button = _menu_button("show ▾", "What of the part is shown", self._fill_shown)
        self.picture_button = _menu_button(
            "picture ▾", "Copy or save what is shown", pictures.fill
        )
        self.measure = switch("measure", "Distance of two points, radius of three")
        self.measure.toggled.connect(self._turn_measure)
        self.large = switch("large", "Fold the panels away   F11")
        self.large.toggled.connect(self.large_turned.emit)
        self.bar = CutBar()
        self.bar.moved.connect(self._cut)
        self.menus = (self.view_button, self.show_button)
        self.switches = (self.picture_button, self.measure, self.large)

    def take_keys(self, host: QWidget) -> None:
        """Let keys act where the view or what stands round it has the keyboard."""
        for keys, act in (("Home", self.frame), ("Esc", self.escape)):
            shortcut = QShortcut(QKeySequence(keys), host)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(act)

    def take_keyboard(self) -> None:
        """Give the view the keyboard, so that its keys act."""
        if (scene := self._scene()) is not None:
            scene.view.setFocus()

    def escape(self) -> None:
        """End what is going on: a film, measuring, then the large map."""
        if self.pictures.filming:
            self.pictures.cancel()
        elif self.measure.isChecked():
            self.measure.setChecked(False)
        else:
            self.large.setChecked(False)

    # Where from

    def _fill_views(self, menu: QMenu) -> None:
        menu.addAction("whole part\tHome", self.frame)
        for name in VIEWS:
            if name != "usual":
                menu.addAction(name, partial(self.look, name))
        menu.addSeparator()
        menu.addAction("to what governs\tCtrl+G", self.governing_asked.emit)
        menu.addSeparator()
        for name in self.kept():
            menu.addAction(name, partial(self.look_as_kept, name))
        menu.addAction("keep this view …", self.ask_keep)
        if self.kept():
            gone = menu.addMenu("forget a view")
            assert gone is not None
            for name in self.kept():
                gone.addAction(name, partial(self.forget_view, name))

    def frame(self) -> None:
        """Look at the whole part from the usual side."""
        self.look("usual")

    def look(self, name: str) -> None:
        """Look from a standard side."""
        if (scene := self._scene()) is not None:
            scene.frame_part(VIEWS[name])
            scene.redraw()

    def kept(self) -> dict[str, Viewpoint]:
        """Views that were kept, by name; what cannot be read is none."""
        try:
            found = json.loads(str(preferences().value(self._key, "{}")))
            return {str(n): _viewpoint(v) for n, v in list(found.items())[:MOST_KEPT]}
        except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
            return {}

    @property
    def _key(self) -> str:
        # Names of projects may hold what separates the groups of the settings.
        return f"views/{self._session.project.name.encode().hex()[:120]}"

    def ask_keep(self) -> None:
        """Ask for a name and keep the view under it."""
        words, given = QInputDialog.getText(None, "Keep this view", "Name of the view")
        if given and words.strip():
            self.keep(words.strip()[:60])

    def keep(self, name: str) -> None:
        """Keep the view as it stands under a name."""
        if (scene := self._scene()) is not None:
            self._put_kept(self.kept() | {name: scene.viewpoint})

    def forget_view(self, name: str) -> None:
        """Keep a view no longer."""
        self._put_kept({n: v for n, v in self.kept().items() if n != name})

    def _put_kept(self, views: Mapping[str, Viewpoint]) -> None:
        preferences().setValue(self._key, json.dumps({n: asdict(v) for n, v in views.items()}))

    def look_as_kept(self, name: str) -> None:
        """Look from where a kept view was."""
        scene, point = self._scene(), self.kept().get(name)
        if scene is not None and point is not None:
            scene.look_from(point)
            scene.redraw()

    # What

    def places(self) -> Mapping[str, Index]:
        """Regions and components that can be hidden, with their elements."""
        return places_in(self._session, self._scene())

    def _fill_shown(self, menu: QMenu) -> None:
        places, scene = self.places(), self._scene()
        if scene is None or scene.hidden is None:
            # Another mesh is shown whole.
            self.hidden = set()
        menu.addAction("all of it", self.show_all)
        if places:
            only, out = menu.addMenu("only"), menu.addMenu("hidden")
            assert only is not None
            assert out is not None
            for name in places:
                only.addAction(name, partial(self.show_only, name))
                action = out.addAction(name)
                assert action is not None
                action.setCheckable(True)
                action.setChecked(name in self.hidden)
                action.toggled.connect(partial(self.hide_place, name))
        menu.addSeparator()
        for axis, name in enumerate(AXES):
            menu.addAction(f"cut across {name}", partial(self.bar.begin, axis))
        through = menu.addAction("look through")
        assert through is not None
        through.setCheckable(True)
        through.setChecked(scene is not None and scene.through)
        through.toggled.connect(self.look_through)

    def show_all(self) -> None:
        """Show the whole part again."""
        self.hidden = set()
        self.bar.end()
        self.look_through(False)
        self._hide()

    def show_only(self, name: str) -> None:
        """Show one region or component and nothing else."""
        self.hidden = set()
        scene, elements = self._scene(), self.places().get(name)
        if scene is not None and scene.mesh is not None and elements is not None:
            hidden = np.ones(scene.mesh.count, bool)
            hidden[elements[elements < len(hidden)]] = False
            scene.hide_elements(None if hidden.all() else hidden)
            self._redraw(scene)

    def hide_place(self, name: str, on: bool = True) -> None:
        """Hide a region or component, or show it again."""
        self.hidden = self.hidden | {name} if on else self.hidden - {name}
        self._hide()

    def _hide(self) -> None:
        scene, places = self._scene(), self.places()
        if scene is None or scene.mesh is None:
            return
        hidden = np.zeros(scene.mesh.count, bool)
        for name in self.hidden & set(places):
            hidden[places[name][places[name] < len(hidden)]] = True
        if hidden.all():
            self.told.emit("Nothing would be left to show; show another region first.")
            return
        scene.hide_elements(hidden)
        self._redraw(scene)

    def look_through(self, on: bool) -> None:
        """Let what lies behind shine through."""
        if (scene := self._scene()) is not None:
            scene.look_through(on)
            scene.redraw()

    def _cut(self, cut: Cut | None) -> None:
        if (scene := self._scene()) is not None:
            scene.cut_at(cut)
            self._redraw(scene)

    def _redraw(self, scene: PartScene) -> None:
        """Draw a frame, and let whoever marks elements know that others are in sight."""
        scene.redraw()
        self.changed.emit()

    # Measuring

    def _turn_measure(self, on: bool) -> None:
        scene = self._scene()
        if scene is None:
            return
        if on:
            self._before = scene.mode
            scene.mode = "measure"
            scene.measure.begin()
        else:
            scene.mode = self._before
            scene.measure.end()
        self.told.emit(scene.measure.words if on else "")

    def end_measure(self) -> None:
        """Measure no longer, as Esc asks."""
        self.measure.setChecked(False)


def _viewpoint(found: Mapping[str, object]) -> Viewpoint:
    """A kept view as it was written; whatever is no figure is refused."""

    def three(key: str) -> tuple[float, float, float]:
        x, y, z = (float(v) for v in found[key])  # type: ignore[attr-defined]
        if not np.isfinite([x, y, z]).all():
            raise ValueError(key)
        return x, y, z

    scale = float(found["scale"])  # type: ignore[arg-type]
    if not 0 < scale < 1e9:
        raise ValueError("scale")
    return Viewpoint(three("position"), three("focus"), three("up"), scale)
