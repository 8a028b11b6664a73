"""What a report is made of: chapters with paragraphs, tables and figures; nothing of its looks."""

from __future__ import annotations

import base64
from dataclasses import dataclass, field

from tartan.exchange.report.derivation import Derivation
from tartan.exchange.tables import Cell, Table
from tartan.project.wording import units

CHAPTERS = {
    "summary": "verdict and requirements",
    "materials": "materials with their conditions",
    "stacks": "stacks with their sections",
    "order": "searches for the order of plies that were kept",
    "sizing": "the sizing of the part that was kept",
    "part": "surface, regions and zones",
    "plies": "the book of plies, a sheet for each with its flat pattern",
    "cases": "supports, loads, combinations",
    "margins": "maps, hot spots, what drives them",
    "workings": "workings of the governing margins, and those kept",
    "versions": "what differs from the baseline",
    "method": "how it was worked out",
    "verification": "solved cases answered by this version of Tartan",
}
"""Chapters that can be chosen, and what is in each."""


@dataclass(frozen=True)
class Figure:
    """A picture: its SVG text and the words below it."""

    svg: str
    caption: str

    @property
    def uri(self) -> str:
        """The picture as an address that holds it whole (RFC 2397)."""
        return f"data:image/svg+xml;base64,{base64.b64encode(self.svg.encode()).decode()}"


@dataclass(frozen=True)
class Text:
    """A paragraph, or lines of a working where `kept` says so."""

    words: str
    kept: bool = False


@dataclass(frozen=True)
class Shown:
    """A table ready to be set: cells as text, and whether a column holds figures."""

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    figures: tuple[bool, ...]
    marks: tuple[str, ...] = ()


Block = Figure | Text | Shown | Derivation


@dataclass
class Chapter:
    """A head with what stands below it."""

    title: str
    blocks: list[Block] = field(default_factory=list)

    def say(self, words: str) -> None:
        """Add a paragraph."""
        if words:
            self.blocks.append(Text(words))

    def show(self, table: Table, marks: tuple[str, ...] = ()) -> None:
        """Add a table; `marks` is one word a row that colours its first figure."""
        if table.rows:
            self.blocks.append(as_shown(table, marks))


def as_shown(table: Table, marks: tuple[str, ...] = ()) -> Shown:
    """A table with its cells as text."""
    count = len(table.head)
    figures = tuple(
        all(isinstance(r[j], int | float) or r[j] in (None, "") for r in table.rows)
        for j in range(count)
    )
    rows = tuple(tuple(map(_text, r)) for r in table.rows)
    return Shown(table.title, table.head, rows, figures, marks)


def _text(cell: Cell) -> str:
    if cell is None:
        return "–"
    if isinstance(cell, float):
        return "∞" if cell == float("inf") else units.number(cell)
    return str(cell)
