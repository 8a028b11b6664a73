"""The stations' pages of a window: each is loaded and made when it is first asked for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from importlib import import_module
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QWidget

from tartan.desktop.ahead import AHEAD, module_of
from tartan.desktop.blanks import BlankPage
from tartan.desktop.host import Host
from tartan.desktop.scene.loading import LOOK
from tartan.desktop.session import Session
from tartan.desktop.station import StationView
from tartan.pages.stations import STATIONS

if TYPE_CHECKING:
    from tartan.desktop.cases.view import CasesView
    from tartan.desktop.margins.view import MarginsView
    from tartan.desktop.materials.view import MaterialsView
    from tartan.desktop.part.view import PartView
    from tartan.desktop.report.view import ReportView
    from tartan.desktop.scene.scene import PartScene
    from tartan.desktop.stacks.view import StacksView
    from tartan.desktop.versions.view import VersionsView


def _maker(station: str) -> Callable[[Session], StationView]:
    """Makes a station's page; what it needs is loaded then."""

    def make(session: Session) -> StationView:
        module = import_module(module_of(station))
        made: StationView = getattr(module, f"{station}View")(session)
        return made

    return make


class Stations(QObject):
    """Pages by name of their station."""

    made = pyqtSignal(str)
    later = pyqtSignal()

    def __init__(self, window: Host, bench: QStackedWidget) -> None:
        super().__init__(bench)
        self._due = ""
        self._again = QTimer(self)
        self._again.setSingleShot(True)
        self._again.timeout.connect(self.later)
        self.pages = {name: BlankPage(window, name, _maker(name)) for name in STATIONS}
        for page in self.pages.values():
            page.made.connect(self.made)
            bench.addWidget(page)

    def scenes(self) -> Iterator[PartScene]:
        """Every 3-D view that there is."""
        for page in self.pages.values():
            if page.stands:
                yield from page.view.scenes

    def report_state(self) -> tuple[str, bool]:
        """Line of the report at the route, and whether the report is of the project as it is."""
        if not self.stands("Report"):
            return "", False
        report = cast("ReportView", self.pages["Report"].view)
        return report.line, report.fresh

    def close(self) -> None:
        """Free the graphics and processes of the pages that stand."""
        for page in self.pages.values():
            if page.stands:
                page.view.close_view()

    def stands(self, station: str) -> bool:
        """Whether a station's page was made."""
        return self.pages[station].stands

    def views(self) -> Mapping[str, QWidget]:
        """Pages that stand."""
        return {name: page.view for name, page in self.pages.items() if page.stands}

    def all_views(self) -> Mapping[str, QWidget]:
        """Every page, whole; what does not stand yet is made."""
        for page in self.pages.values():
            while page.view.make_one():
                pass
        return self.views()

    def may_make(self, station: str) -> bool:
        """Whether a page stands, or may be made now.

        It is not made in the turn of the click that went to it, and not before its code is loaded:
        both would halt the window. `later` tells when to ask again.
        """
        if self.stands(station) or not AHEAD.begun:
            return True
        there = AHEAD.there(module_of(station))
        if there and self._due == station:
            return True
        self._due = station if there else ""
        self._again.start(0 if there else LOOK)
        return False

    def make_one(self) -> bool:
        """Make a page, or a pane of one, that nobody asked for yet; false where all stand."""
        page = next((p for p in self.pages.values() if not p.stands), None)
        if page is not None:
            return not AHEAD.there(module_of(page.station)) or page.view is not None
        return any(page.view.make_one() for page in self.pages.values())


class PagesByName:
    """The pages of a window as its attributes, each made when it is first asked for."""

    pages: Mapping[str, BlankPage]

    @property
    def materials(self) -> MaterialsView:
        """Page of Materials."""
        return cast("MaterialsView", self.pages["Materials"].view)

    @property
    def stacks(self) -> StacksView:
        """Page of Stacks."""
        return cast("StacksView", self.pages["Stacks"].view)

    @property
    def part(self) -> PartView:
        """Page of Part."""
        return cast("PartView", self.pages["Part"].view)

    @property
    def cases(self) -> CasesView:
        """Page of Cases."""
        return cast("CasesView", self.pages["Cases"].view)

    @property
    def margins(self) -> MarginsView:
        """Page of Margins."""
        return cast("MarginsView", self.pages["Margins"].view)

    @property
    def versions(self) -> VersionsView:
        """Page of Versions."""
        return cast("VersionsView", self.pages["Versions"].view)

    @property
    def report(self) -> ReportView:
        """Page of Report."""
        return cast("ReportView", self.pages["Report"].view)
