"""All keys on one sheet: those of commands, and those that act on a page."""

from __future__ import annotations

from collections.abc import Mapping
from html import escape

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from tartan.desktop.commands import keys_of
from tartan.pages.keys import KEYS

SIZE = (760, 620)


def sheet(commands: Mapping[str, QAction]) -> str:
    """The sheet as HTML, in two columns."""
    of_commands = tuple((keys_of(a), n) for n, a in commands.items() if a.shortcuts())
    blocks = [("Commands", of_commands), *KEYS.items()]
    columns = [blocks[:1], blocks[1:]]
    cells = "".join(
        f"<td width='50%' valign='top'>{''.join(_block(t, rows) for t, rows in column)}</td>"
        for column in columns
    )
    return f"<table width='100%' cellspacing='14'><tr>{cells}</tr></table>"


def _block(title: str, rows: tuple[tuple[str, str], ...]) -> str:
    lines = "".join(
        f"<tr><td><b>{escape(keys)}</b>&nbsp;&nbsp;</td><td>{escape(words)}</td></tr>"
        for keys, words in rows
    )
    return f"<h4>{escape(title)}</h4><table cellspacing='3'>{lines}</table>"


class KeySheet(QDialog):
    """Stands beside the work until it is closed."""

    def __init__(self, parent: QWidget, commands: Mapping[str, QAction]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys · Tartan")
        self.resize(*SIZE)
        self.text = QTextBrowser()
        self.text.setAccessibleName("Keys")
        self.text.setHtml(sheet(commands))
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 10, 8)
        box.addWidget(self.text)
