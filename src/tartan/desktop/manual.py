"""The manual: a page for each station, opened by F1."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from tartan.desktop.widgets.controls import row, switch
from tartan.pages.stations import STATIONS

SIZE = (720, 700)

WIDEST = 640
"""Pixels of a picture."""


def folder() -> Path:
    """Where the pages lie."""
    return Path(str(files("tartan") / "assets" / "manual"))


def page(station: str) -> str:
    """Page of a station, in Markdown; pictures that are not there are left out."""
    text = (folder() / f"{station.lower()}.md").read_text("utf-8")
    lines = [
        line
        for line in text.splitlines()
        if not line.startswith("![") or (folder() / line.partition("](")[2][:-1]).exists()
    ]
    return "\n".join(lines)


class Manual(QDialog):
    """Stands beside the work until it is closed."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Manual · Tartan")
        self.resize(*SIZE)
        self.text = QTextBrowser()
        self.text.setAccessibleName("Manual")
        self.text.setSearchPaths([str(folder())])
        self.tabs = {name: switch(name) for name in STATIONS}
        for name, tab in self.tabs.items():
            tab.setProperty("role", "tab")
            tab.clicked.connect(lambda _=False, n=name: self.open_at(n))
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 10, 8)
        box.addWidget(row(*self.tabs.values(), None, spacing=0))
        box.addWidget(self.text)

    def open_at(self, station: str) -> None:
        """Show the page of a station."""
        for name, tab in self.tabs.items():
            tab.setChecked(name == station)
        self.text.setMarkdown(page(station))
        self.show()
        self.raise_()
