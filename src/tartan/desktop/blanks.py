"""Every station's page behind its blank: which of the two shows, and what the blank's ways do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QMenu, QScrollArea, QStackedWidget, QWidget

from tartan.core.errors import TartanError
from tartan.core.materials import Material
from tartan.core.stack import Ply
from tartan.core.stack.notation import parse
from tartan.core.stack.notation_written import context_for
from tartan.desktop.ahead import AHEAD, module_of
from tartan.desktop.host import Host
from tartan.desktop.nextstep import NextStep, next_step
from tartan.desktop.scene.loading import LOOK
from tartan.desktop.session import Session
from tartan.desktop.station import StationView
from tartan.desktop.widgets.blank import Blank
from tartan.desktop.widgets.clipboard import clipboard_text
from tartan.exchange.materials_table import materials_of
from tartan.exchange.plies_table import read_plies
from tartan.exchange.tables import as_rows
from tartan.pages import stacks as stack_pages
from tartan.pages.materials import BLANK
from tartan.pages.surface_fields import STARTS
from tartan.project.document.model import Project
from tartan.project.document.samples import SAMPLES
from tartan.project.edits import stack_edits
from tartan.project.wording import units


class Holder(QWidget):
    """A page at the size of its place, or at its least size where that is larger.

    A scrolled area would give a page that wraps its rows the height it likes best.
    """

    def __init__(self, view: QWidget) -> None:
        super().__init__()
        self._view = view
        view.setParent(self)

    def minimumSizeHint(self) -> QSize:
        return self._view.minimumSizeHint()

    def sizeHint(self) -> QSize:
        return self._view.minimumSizeHint()

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.LayoutRequest:
            self.updateGeometry()
        return super().event(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._view.setGeometry(self.rect())


class BlankPage(QStackedWidget):
    """A station's page, and its blank where there is nothing to show on it."""

    made = pyqtSignal(str)

    def __init__(self, window: Host, station: str, make: Callable[[Session], StationView]) -> None:
        super().__init__()
        self.window_, self.station, self._make = window, station, make
        self._view: StationView | None = None
        self.blank = Blank()
        # In a window smaller than a page needs, the page scrolls; the verdict stays in sight.
        self.area = QScrollArea()
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setWidgetResizable(True)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.addWidget(self.area)
        self.addWidget(self.blank)
        self._anyway: Project | None = None
        self.blank.taken.connect(self._take)
        self.blank.typed.connect(self._type)
        self.blank.pasted.connect(lambda: self._take("paste"))

    @property
    def stands(self) -> bool:
        """Whether the page was made."""
        return self._view is not None

    @property
    def view(self) -> StationView:
        """The page itself, made when it is first asked for."""
        if self._view is None:
            self._view = self._make(self.window_.session)
            self.area.setWidget(Holder(self._view))
            self.made.emit(self.station)
        return self._view

    @property
    def step(self) -> NextStep | None:
        """The next step, where the page has nothing to show."""
        session = self.window_.session
        if self._anyway is session.project:
            return None
        return next_step(self.station, session.project, session.answer is not None, session.error)

    def show_right(self) -> bool:
        """Show blank or page, and tell whether it is the page."""
        step = self.step
        if step is None:
            self.setCurrentWidget(self.area)
            return True
        self.blank.put(step)
        self.setCurrentWidget(self.blank)
        return False

    def _refuse(self, error: TartanError | None) -> None:
        self.blank.tell("" if error is None else str(error))

    def _take(self, key: str) -> None:
        window, session = self.window_, self.window_.session
        if not self.stands and not AHEAD.there(module_of(self.station)):
            QTimer.singleShot(LOOK, partial(self._take_later, key))
            return
        if key.startswith("to "):
            session.select(station=key[3:])
        elif key == "sample":
            window.open_sample(next(iter(SAMPLES)))
        elif key == "open":
            window.ask_open()
        elif key == "solve":
            session.solve_again()
        elif key == "library":
            self._offer_library()
        elif self.station == "Materials":
            {"read": window.materials.ask_import, "paste": self._paste_materials}[key]()
            # What could not be read is told on the page of the station, which is not in sight.
            self.blank.tell(self.blank.fault.text() or window.materials.fault.text())
        elif self.station == "Stacks":
            {"empty": window.stacks.add, "paste": self._paste_plies}[key]()
        elif self.station == "Part":
            self._shape(key)

    def _take_later(self, key: str) -> None:
        # Whoever went on to another page meanwhile, or shut the window, no longer wants it.
        if not sip.isdeleted(self) and self.isVisible():
            self._take(key)

    def _offer_library(self) -> None:
        menu = QMenu(self)
        self.window_.materials.fill_library(menu, lambda m: self._add_materials([m]))
        at = self.blank.ways[0] if self.blank.ways else self.blank
        menu.popup(at.mapToGlobal(at.rect().bottomLeft()))

    def _add_materials(self, found: list[Material]) -> TartanError | None:
        error = self.window_.session.edit(
            "add material", lambda p: stack_edits.add_materials(p, found)
        )
        self._refuse(error)
        return error

    def _paste_materials(self) -> None:
        try:
            self._add_materials(materials_of(as_rows(clipboard_text()), "Paste"))
        except TartanError as error:
            self._refuse(error)

    def _paste_plies(self) -> None:
        session, text = self.window_.session, clipboard_text()
        first = session.project.materials[0]
        like = Ply(first.name, 0.0, first.ply_thickness) if first.ply_thickness else None
        try:
            plies = read_plies(as_rows(text), session.project, like, "Paste")
        except TartanError as error:
            self._refuse(error)
            return
        refused = session.edit(
            "paste plies", lambda p: stack_edits.add_stack(p, "stack", plies)[0]
        )
        self._refuse(refused)
        words = stack_pages.paste_words(text)
        if refused is None and words:
            self.window_.stacks.paste_bar.tell(words, session.undo)

    def _shape(self, key: str) -> None:
        surface = self.window_.part.surface
        if key in STARTS:
            surface.begin(key)
            return
        # Reading takes a while: its progress stands on the page itself.
        self._anyway = self.window_.session.project
        self.show_right()
        self.window_.part.open_form("surface")
        self.window_.part.refresh()
        if key == "read":
            surface.file.ask_file()

    def _type(self, text: str) -> None:
        session, name = self.window_.session, text.strip()
        if self.station == "Materials":
            if self._add_materials([replace(BLANK, name=name)]) is None:
                self.window_.materials.card.fields["E1"].setFocus()
            return
        thickness = {m.name: m.ply_thickness for m in session.project.materials}
        try:
            plies = parse(name, context_for((), thickness, units.LENGTH.unit))
        except TartanError as error:
            self._refuse(error)
            return
        self._refuse(session.edit("stack", lambda p: stack_edits.add_stack(p, "stack", plies)[0]))
