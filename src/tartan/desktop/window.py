"""The window: head line, route, bench and verdict, and the commands they share."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QCloseEvent, QGuiApplication, QResizeEvent
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tartan.core.errors import TartanError
from tartan.desktop import theme
from tartan.desktop.autosave import RecoveryBar
from tartan.desktop.commands import keys_of, make_commands
from tartan.desktop.faultbar import FaultBar, RefusedBar
from tartan.desktop.files import FileWindow
from tartan.desktop.finder import Entry, Finder
from tartan.desktop.finder_entries import things
from tartan.desktop.keysheet import KeySheet
from tartan.desktop.manual import Manual
from tartan.desktop.palette import page_actions
from tartan.desktop.placement import FULL, LEAST, LOW, place
from tartan.desktop.preferences import preferences
from tartan.desktop.ranges import Ranges
from tartan.desktop.route import NARROW as ROUTE_NARROW
from tartan.desktop.route import WIDTH as ROUTE_WIDTH
from tartan.desktop.route import Route
from tartan.desktop.scene.tools import SceneTools
from tartan.desktop.session import Session
from tartan.desktop.stations import PagesByName, Stations
from tartan.desktop.verdictbar import VerdictBar
from tartan.desktop.widgets.controls import Field, UnitLabel, Words, choice, label
from tartan.desktop.widgets.weave import Weave
from tartan.pages.keys import ALSO
from tartan.pages.stations import Freshness, leads_to, lines
from tartan.project.document.model import Project, changed_fields
from tartan.project.document.samples import SAMPLES
from tartan.project.edits import stack_edits, versions
from tartan.project.wording import units


class MainWindow(PagesByName, FileWindow):
    """Head line on top, route at the left, bench in the middle, verdict along the bottom."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setMinimumSize(*LEAST)
        self._low = False
        self._shown: tuple[object, ...] = ()
        self.route = Route()
        self.verdict = VerdictBar()
        self.bench = QStackedWidget()
        self.stations = Stations(self, self.bench)
        self.stations.made.connect(self._join)
        self.stations.later.connect(self._show_page)
        self.pages = self.stations.pages
        self.faults = FaultBar()
        self.refused = RefusedBar()
        self.recovery = RecoveryBar(self.bring_back)
        self.commands = make_commands(self, self)
        self.key_sheet: KeySheet | None = None
        self.manual: Manual | None = None
        self.finder = Finder(self.entries, self.stations.make_one)
        self.ranges = Ranges(self, session)
        self.head = QWidget()
        self.name = Field(self._rename)
        self.version = Field(self._rename_version)
        self.version.setAccessibleName("Version")
        self.version.setFixedWidth(56)
        self.baseline = QPushButton()
        self.undo_button = QPushButton("undo")
        self.redo_button = QPushButton("redo")
        self._build()
        self._connect()
        self.wear()
        # Once all is in its place.
        theme.dress(self)
        self.route.setFocus()
        place(self)
        hints = QGuiApplication.styleHints()
        if hints is not None:
            hints.colorSchemeChanged.connect(self._follow_desktop)

    # Building

    def _join(self, station: str) -> None:
        """Connect a page that was made just now with what the window has for it."""
        if station == "Report":
            self.report.made.connect(self._show_route)
            self.report.maker.stepped.connect(lambda _: self._show_route())
        if station == "Stacks":
            self.ranges.asked.connect(self.stacks.ask_sweep)
        if station == "Margins" and self._low:
            self._fold_spot()
        tools = self.pages[station].view.tools
        if tools is not None:
            tools.governing_asked.connect(self.follow_verdict)
            tools.large_turned.connect(lambda _: self._fold_route())

    def _connect(self) -> None:
        session = self.session
        self.route.chosen.connect(lambda name: session.select(station=name))
        self.verdict.followed.connect(self.follow_verdict)
        self.verdict.cancel_asked.connect(session.cancel)
        session.project_changed.connect(self._on_project)
        session.selection_changed.connect(self._on_selection)
        session.answer_changed.connect(self._on_answer)
        session.progress_changed.connect(self._show_verdict)
        session.edit_refused.connect(self.refused.tell)

    def _build_head(self) -> QWidget:
        head = self.head
        head.setObjectName("head")
        head.setFixedHeight(42)
        line = QHBoxLayout(head)
        line.setContentsMargins(14, 0, 14, 0)
        line.setSpacing(8)
        self.name.setFont(theme.strong(10.5))
        self.name.setAccessibleName("Project name")
        self.name.setMinimumWidth(90)
        self.name.setMaximumWidth(236)
        self.name.setStyleSheet(
            "QLineEdit:!focus:!hover { border-color: transparent; background: transparent; }"
        )
        self.file = label("", "soft")
        menu_button = QPushButton("project ▾")
        menu = QMenu(menu_button)
        for name in ("new project", "open …", "save", "save as …"):
            menu.addAction(self.commands[name])
        menu.addSeparator()
        for name in SAMPLES:
            menu.addAction(self.commands[f"open sample: {name}"])
        menu_button.setMenu(menu)
        menu_button.setStyleSheet("QPushButton::menu-indicator { width: 0; }")
        self.units = choice(units.SYSTEMS, self.use_units)
        self.units.setAccessibleName("Units")
        self.units.setCurrentText(units.system())
        self.units.setToolTip("Units of the whole window; data stay as they are")
        for button, act in (
            (self.undo_button, self.session.undo),
            (self.redo_button, self.session.redo),
        ):
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(lambda _=False, a=act: a())
        self.baseline.clicked.connect(self._offer_baseline)
        left: list[QWidget] = [
            Weave(),
            self.name,
            menu_button,
            self.file,
            label("version", "soft"),
            self.version,
            self.baseline,
        ]
        for part in left:
            line.addWidget(part, 4 if part is self.name else 0)
        line.addStretch(1)
        right: list[QWidget] = [self.finder, self.units, self.undo_button, self.redo_button]
        for part in right:
            line.addWidget(part)
            line.addSpacing(6)
        return head

    def _build(self) -> None:
        middle = QWidget()
        across = QHBoxLayout(middle)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self.route)
        across.addWidget(self.bench, 1)
        whole = QWidget()
        down = QVBoxLayout(whole)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        down.addWidget(self._build_head())
        down.addWidget(self.recovery)
        down.addWidget(self.clash)
        down.addWidget(middle, 1)
        down.addWidget(self.refused)
        down.addWidget(self.faults)
        down.addWidget(self.verdict)
        self.setCentralWidget(whole)

    # Commands

    def open_finder(self) -> None:
        """Open the palette."""
        self.finder.begin()

    def _rename(self, text: str) -> TartanError | None:
        return self.session.edit("rename project", lambda p: stack_edits.rename_project(p, text))

    def _rename_version(self, text: str) -> TartanError | None:
        return self.session.edit("rename version", lambda p: versions.rename_version(p, text))

    def turn_large(self) -> None:
        """Give the 3-D view of this page all the window, or give the panels their room back."""
        tools = self._tools
        if tools is not None:
            tools.large.toggle()
            tools.take_keyboard()

    @property
    def _tools(self) -> SceneTools | None:
        page = self.pages[self.session.selection.station]
        return page.view.tools if page.stands else None

    def _fold_route(self) -> None:
        tools = self._tools
        self.route.setHidden(tools is not None and tools.large.isChecked())

    def use_units(self, name: str) -> None:
        """Show all figures in another system of units and remember it."""
        units.use_system(name)
        self.units.setCurrentText(name)
        preferences().setValue("units", name)
        UnitLabel.show_all()
        Words.tell_all()
        self.refresh()

    def scale_text(self, step: int) -> None:
        """Make text a step larger or smaller, or as usual, and remember it."""
        at = min(range(len(theme.SCALES)), key=lambda i: abs(theme.SCALES[i] - theme.scale()))
        new = theme.SCALES[max(0, min(len(theme.SCALES) - 1, at + step))] if step else 1.0
        application = QApplication.instance()
        if isinstance(application, QApplication):
            theme.scale_text(application, new)
            preferences().setValue("text", new)
            self.refresh()

    def pin_baseline(self) -> None:
        """Compare everything with the design as it stands."""
        self.session.edit("pin the baseline", versions.pin_baseline)

    def unpin_baseline(self) -> None:
        """Compare with nothing."""
        self.session.edit("unpin the baseline", versions.unpin_baseline)

    def make_report(self) -> None:
        """Go to the report and make it."""
        self.session.select(station="Report")
        self.report.make()

    def _offer_baseline(self) -> None:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        project = self.session.project
        menu.addAction(f"pin version {project.version} as the baseline", self.pin_baseline)
        for name in versions.version_names(project):
            if name not in (project.version, project.against):
                menu.addAction(
                    f"compare with {name}",
                    lambda n=name: self.session.edit(
                        f"compare with {n}", lambda p: versions.compare_with(p, n)
                    ),
                )
        if project.against:
            menu.addAction("compare with nothing", self.unpin_baseline)
        menu.addAction("all versions", lambda: self.session.select(station="Versions"))
        menu.popup(self.baseline.mapToGlobal(self.baseline.rect().bottomLeft()))

    def entries(self) -> list[Entry]:
        """Everything the palette can find on the pages that stand."""
        found = [
            Entry(n, f"command {keys_of(a)}".strip(), a.trigger, ALSO.get(n, ""))
            for n, a in self.commands.items()
            if n != "find"
        ]
        found += things(self.session, lambda: self.part.open_form("regions"))
        return found + page_actions(self.session, self.stations.views())

    def show_manual(self) -> None:
        """Open the manual at the page that is shown."""
        if self.manual is None:
            self.manual = Manual(self)
        self.manual.open_at(self.session.selection.station)

    def show_keys(self) -> None:
        """Show all keys on one sheet."""
        if self.key_sheet is None:
            self.key_sheet = KeySheet(self, self.commands)
        self.key_sheet.show()
        self.key_sheet.raise_()

    def follow_verdict(self) -> None:
        """Go to the spot, or to where something stands in the way."""
        verdict, answer = self.session.verdict, self.session.answer
        self.session.select(**leads_to(verdict, answer))
        if verdict.address is not None:
            self.margins.bring(verdict.address.element)

    # Showing

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """In a narrow window route and cards give way to the bench."""
        super().resizeEvent(event)
        self.route.setFixedWidth(ROUTE_NARROW if self.width() < FULL else ROUTE_WIDTH)
        low = self.height() < LOW
        if low and not self._low:
            # In a low window the map needs the place; the switch brings the section back.
            self._fold_spot()
        self._low = low

    def _fold_spot(self) -> None:
        if self.stations.stands("Margins"):
            self.margins.spot.open.setChecked(False)

    def refresh(self) -> None:
        """Show everything as it stands."""
        self._show_head()
        self._on_answer()

    def file_changed(self) -> None:
        self._show_head()

    def _show_head(self) -> None:
        history = self.session.history
        self.name.put(history.project.name)
        self.version.put(history.project.version)
        against = history.project.against
        own = against == history.project.version
        words = "is the baseline" if own else f"against {against}" if against else "no baseline"
        self.baseline.setText(f"{words} ▾")
        where = self.session.path.name if self.session.path else self.origin
        if history.modified:
            where = f"{where} · changed" if self.session.path else "not saved yet"
        self.file.setText(where)
        self.setWindowTitle(f"{history.project.name} · Tartan")
        for button, text, keys in (
            (self.undo_button, history.undo_label, "Ctrl+Z"),
            (self.redo_button, history.redo_label, "Ctrl+Y, Ctrl+Shift+Z"),
        ):
            button.setEnabled(text is not None)
            button.setToolTip(f"{text or 'nothing to take back or repeat'}   {keys}")

    def _on_selection(self, old: object, new: object) -> None:
        self._show_page()
        self._show_route()

    def _on_project(self, before: Project, after: Project) -> None:
        """Show what depends on the change."""
        page = self.pages[self.session.selection.station]
        self.refused.hide()
        self._show_head()
        self._show_verdict()
        self._show_route()
        seen = not page.stands or not changed_fields(before, after) <= page.view.unseen
        if seen or self._state != self._shown or self.bench.currentWidget() is not page:
            self._show_page()

    def _on_answer(self) -> None:
        self._show_verdict()
        self._show_route()
        self._show_page()

    def _show_page(self) -> None:
        """Bring the chosen station to the front, or its next step where it is empty."""
        page = self.pages[self.session.selection.station]
        if page.show_right() and self.stations.may_make(page.station):
            # Out of sight still where it is another page: it is drawn once, when it is shown.
            page.view.refresh()
        self.bench.setCurrentWidget(page)
        self._shown = self._state
        self._fold_route()

    @property
    def _state(self) -> tuple[object, ...]:
        s = self.session
        return s.history, s.answer, s.fresh, s.error, s.selection

    def _show_verdict(self) -> None:
        self.verdict.put(self.session.verdict, self.session.under_way)

    def _show_route(self) -> None:
        session, statuses = self.session, self.session.statuses
        met, unloaded = sum(status.met for status in statuses), session.unloaded
        report = self.stations.report_state()
        freshness = Freshness(session.fresh, session.error, met, len(statuses), unloaded, *report)
        self.route.put(lines(session.project, freshness), session.selection.station)

    def _follow_desktop(self, *_: object) -> None:
        application = QApplication.instance()
        if isinstance(application, QApplication):
            theme.use(application)
            self.wear()

    def wear(self) -> None:
        """Take on the appearance that is in force."""
        face = theme.face()
        self.head.setStyleSheet(
            f"#head {{ background: {face.panel}; border-bottom: 1px solid {face.line}; }}"
        )
        for scene in self.stations.scenes():
            scene.wear()
        self.refresh()
        self.update()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is not None and not self.may_leave():
            event.ignore()
            return
        preferences().setValue("window", self.saveGeometry())
        self.shut()
        super().closeEvent(event)

    def shut(self) -> None:
        """End the worker and free the graphics."""
        self.leave_file()
        self.session.close()
        self.autosave.close()
        self.stations.close()
