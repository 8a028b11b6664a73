"""Two pages, what is asked and what was found, below the row of a search that may take long."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QProgressBar, QStackedWidget, QVBoxLayout, QWidget

from tartan.desktop.widgets.controls import button, label, row, scrolled, switch


@dataclass(frozen=True)
class SearchWords:
    """How a search and its parts are called: words of a button, and what it tells when pointed at.

    Attributes
    ----------
    asked, found : tuple of str
        The two pages.
    start : tuple of str
        What begins it.
    stop : str
        What ending it does.
    progress : str
        Accessible name of how far it is.
    take, version : str
        What taking it, and taking it as a version, does.
    kept : str
        What keeping it for the report does.
    """

    asked: tuple[str, str]
    found: tuple[str, str]
    start: tuple[str, str]
    stop: str
    progress: str
    take: str
    version: str
    kept: str


@dataclass(frozen=True)
class SearchActs:
    """What the buttons of a search do."""

    start: Callable[[], None]
    stop: Callable[[], None]
    take: Callable[[], None]
    version: Callable[[], None]
    keep: Callable[[], None]


class SearchFrame(QWidget):
    """The frame of a search; `turned` tells that the other page is shown."""

    turned = pyqtSignal()

    def __init__(self, words: SearchWords, acts: SearchActs) -> None:
        super().__init__()
        self.start_button = button(words.start[0], acts.start, words.start[1])
        self.stop_button = button("stop", acts.stop, words.stop)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(6)
        self.progress.setAccessibleName(words.progress)
        self.note, self.fault = label("", "soft", wrap=True), label("", "fault", wrap=True)
        self.asked, self.result = switch(*words.asked), switch(*words.found)
        for tab, number in ((self.asked, 0), (self.result, 1)):
            tab.setProperty("role", "tab")
            tab.clicked.connect(lambda _on, n=number: self.turn(n))
        self.take_button = button("take it", acts.take, words.take)
        self.version_button = button("as a version", acts.version, words.version)
        self.keep_button = button("keep for the report", acts.keep, words.kept)
        self.taking = row(self.take_button, self.version_button, self.keep_button, None, spacing=4)
        self.pages = QStackedWidget()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        for each in (
            row(self.asked, self.result, None, self.start_button, self.stop_button, spacing=4),
            self.progress,
            self.note,
            self.fault,
            self.taking,
        ):
            box.addWidget(each)
        box.addWidget(self.pages, 1)

    def put(self, asked: QWidget, found: QWidget) -> None:
        """Give it its pages."""
        for page in (asked, found):
            self.pages.addWidget(scrolled(page))
        self.turn(0)
        self.tell("")

    def turn(self, page: int) -> None:
        """Show what is asked, or what was found."""
        self.pages.setCurrentIndex(page)
        self.asked.setChecked(page == 0)
        self.result.setChecked(page == 1)
        self.turned.emit()

    @property
    def shows_found(self) -> bool:
        """Whether what was found is shown."""
        return self.pages.currentIndex() == 1

    def tell(self, fault: str) -> None:
        """Say what stands in the way; nothing where that is empty."""
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    def show_running(self, *, busy: bool) -> None:
        """Offer to begin or to end it."""
        self.stop_button.setVisible(busy)
        self.start_button.setVisible(not busy)
        self.progress.setVisible(busy)

    def offer(self, *, found: bool) -> None:
        """Whether there is anything found to be shown; without it what is asked is."""
        self.result.setEnabled(found)
        if not found and self.shows_found:
            self.turn(0)
