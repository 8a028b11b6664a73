"""Forms as tables: which fields a record has, in which lines, with which words and units.

A table knows no Qt; `widgets.recordform` makes widgets of it. In names, ``{}`` stands for the
record's own words, such as "load 2".
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tartan.project.wording.units import Quantity


@dataclass(frozen=True)
class Number:
    """A number with its unit; an optional one may be empty, which is None."""

    key: str
    quantity: Quantity
    name: str = ""
    tip: str = ""
    optional: bool = False
    empty: str = ""
    whole: bool = False
    wide: int = 66


@dataclass(frozen=True)
class Vector:
    """Three numbers, for x, y and z."""

    key: str
    quantity: Quantity
    name: str = ""
    wide: int = 58


@dataclass(frozen=True)
class Text:
    """A word of the user's own."""

    key: str
    name: str = ""
    wide: int = 0


@dataclass(frozen=True)
class Parsed:
    """Something that is typed as a text; what `read` raises refuses it."""

    key: str
    read: Callable[[str], object]
    write: Callable[[Any], str]
    name: str = ""
    tip: str = ""
    wide: int = 0


@dataclass(frozen=True)
class OneOf:
    """One of several words; `shown` says how a value is shown where it is not its own word.

    `options` gives the values to choose from whenever the form is brought up to date.
    """

    key: str
    options: Callable[[], Sequence[str]]
    name: str = ""
    tip: str = ""
    shown: Mapping[str, str] = field(default_factory=dict)
    wide: int = 0
    widest: int = 0


@dataclass(frozen=True)
class Several:
    """Further words beside the one in the field `first`, a tuple of them; ticked in a list."""

    key: str
    first: str
    options: Callable[[], Sequence[str]]
    name: str = ""
    tip: str = ""


@dataclass(frozen=True)
class Flag:
    """Something that is so or not."""

    key: str
    text: str
    name: str = ""
    tip: str = ""


@dataclass(frozen=True)
class Unit:
    """The unit of the fields before it."""

    quantity: Quantity


@dataclass(frozen=True)
class Said:
    """Words beside fields, with what they mean."""

    text: str
    tip: str = ""


@dataclass(frozen=True)
class Finding:
    """Words that follow from the record, such as what a table comes to on the part."""

    of: Callable[[Any], str]


@dataclass(frozen=True)
class Remove:
    """What takes the record away."""

    tip: str


Piece = (
    Number
    | Vector
    | Text
    | Parsed
    | OneOf
    | Several
    | Flag
    | Unit
    | Said
    | Finding
    | Remove
    | str
    | int
    | None
)
"""A piece of a line: a field, words, a gap in pixels, or None for room that stretches."""


@dataclass(frozen=True)
class Line:
    """Pieces side by side, shown where `when` holds for the record."""

    pieces: tuple[Piece, ...]
    when: Callable[[Any], bool] | None = None

    def stands(self, record: object) -> bool:
        """Whether the line is shown for a record."""
        return self.when is None or self.when(record)


def line(*pieces: Piece, when: Callable[[Any], bool] | None = None) -> Line:
    """Pieces side by side."""
    return Line(pieces, when)


Table = tuple[Line, ...]


def make_up(table: Table, record: object) -> tuple[bool, ...]:
    """Which lines of a table are shown for a record: what its widgets are made of."""
    return tuple(each.stands(record) for each in table)
