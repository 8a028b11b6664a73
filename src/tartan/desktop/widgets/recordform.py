"""Widgets made of a table of fields: one way for every record that is edited in place."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QWidget

from tartan.core.errors import TartanError
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    Field,
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    set_options,
    switch,
)
from tartan.desktop.widgets.manychoice import ManyChoice
from tartan.pages.fields import (
    Finding,
    Flag,
    Line,
    Number,
    OneOf,
    Parsed,
    Piece,
    Remove,
    Said,
    Several,
    Table,
    Text,
    Unit,
    Vector,
    make_up,
)
from tartan.project.wording.units import Quantity

NAME = 176
"""Pixels that a list of names may take, whatever room it is given at least."""


@dataclass(frozen=True)
class Record:
    """A record that a form edits.

    Attributes
    ----------
    read : callable
        The record as it stands; None where it is gone.
    change : callable
        Takes new values by field; returns the error of a refused edit.
    told : callable
        Hears what is wrong with what is typed.
    words : str
        What the record is called in names for those who do not see the form.
    remove : callable or None
        Takes the record away.
    path : callable or None
        Path of the record among the figures of the project.
    """

    read: Callable[[], Any]
    change: Callable[..., TartanError | None]
    told: Callable[[str], None]
    words: str = ""
    remove: Callable[[], object] | None = None
    path: Callable[[], str] | None = None

    def paths(self, *keys: str) -> Callable[[], list[str]] | tuple[str, ...]:
        """What says the paths of its figures by their keys."""
        own = self.path
        return () if own is None else lambda: [f"{own()}.{key}" for key in keys]


@dataclass(frozen=True)
class Records:
    """Records of which there may be any number, such as the loads of a case.

    Attributes
    ----------
    read : callable
        The records as they stand.
    put : callable
        Takes what the edit is called, and the records anew; returns the error of a refused edit.
    table : callable
        Table of fields of a record.
    told : callable
        Hears what is wrong with what is typed.
    words : str
        What one of them is called.
    path : callable or None
        Path of one by its number, from 1, among the figures of the project.
    """

    read: Callable[[], tuple[Any, ...]]
    put: Callable[[str, tuple[Any, ...]], TartanError | None]
    table: Callable[[Any], Table]
    told: Callable[[str], None]
    words: str
    path: Callable[[int], str] | None = None

    def make_up(self) -> Hashable:
        """What the rows are made of: another kind of record, or further lines, are built anew."""
        tables = ((type(one), one, self.table(one)) for one in self.read())
        return tuple((kind, make_up(table, one)) for kind, one, table in tables)

    def rows(self, block: Block, spacing: int = 4) -> None:
        """Build the rows of all records."""
        for i, one in enumerate(self.read()):
            add_record(block, self.table(one), self._record(i), spacing)

    def _record(self, i: int) -> Record:
        def now() -> Any:
            many = self.read()
            return many[i] if i < len(many) else None

        def change(**values: object) -> TartanError | None:
            many = list(self.read())
            if i >= len(many):
                return None
            many[i] = replace(many[i], **values)
            return self.put(self.words, tuple(many))

        def remove() -> None:
            many = self.read()
            self.put(f"remove {self.words}", many[:i] + many[i + 1 :])

        path = None if self.path is None else partial(self.path, i + 1)
        return Record(now, change, self.told, f"{self.words} {i + 1}", remove, path)


def add_record(block: Block, table: Table, record: Record, spacing: int = 4) -> None:
    """Add a record's lines to a block, each with what brings it up to date."""
    now = record.read()
    for each in table:
        if each.stands(now):
            _add_line(block, each, record, spacing)


def _add_line(block: Block, line: Line, record: Record, spacing: int) -> None:
    parts: list[QWidget | int | None] = []
    updates: list[Callable[[Any], None]] = []
    for piece in line.pieces:
        made, update = _made(piece, record)
        parts.extend(made)
        if update is not None:
            updates.append(update)

    def bring() -> None:
        now = record.read()
        # A line that no longer fits its record is about to be built anew.
        if now is not None and line.stands(now):
            for update in updates:
                update(now)

    whole = parts[0] if len(parts) == 1 and isinstance(parts[0], QWidget) else None
    block.add(whole or row(*parts, spacing=spacing), bring)


def _made(
    piece: Piece, record: Record
) -> tuple[Sequence[QWidget | int | None], Callable[[Any], None] | None]:
    """Widgets of a piece, and what shows a record in them."""
    if piece is None or isinstance(piece, int):
        return [piece], None
    if isinstance(piece, str | Said | Unit | Remove):
        return [_still(piece, record)], None
    if isinstance(piece, Finding):
        return _finding(piece)
    makers: dict[type, Callable[[Any, Record], Any]] = {
        Number: _number,
        Vector: _vector,
        Text: _text,
        Parsed: _parsed,
        OneOf: _one_of,
        Several: _several,
        Flag: _flag,
    }
    found: tuple[Sequence[QWidget], Callable[[Any], None]] = makers[type(piece)](piece, record)
    return found


def _still(piece: str | Said | Unit | Remove, record: Record) -> QWidget:
    """A piece that shows the same whatever the record is."""
    if isinstance(piece, Unit):
        return UnitLabel(piece.quantity)
    if isinstance(piece, Remove):
        assert record.remove is not None
        return button("×", record.remove, piece.tip)
    made = label(piece if isinstance(piece, str) else piece.text, "soft")
    if isinstance(piece, Said):
        made.setToolTip(piece.tip)
    return made


def _finding(piece: Finding) -> tuple[list[QWidget], Callable[[Any], None]]:
    made = label("", "soft", wrap=True)
    return [made], lambda now: made.setText(piece.of(now))


def _name(name: str, key: str, record: Record) -> str:
    return (name or f"{key.replace('_', ' ')} of {{}}").format(record.words)


def quantity_field(
    quantity: Quantity,
    commit: Callable[[float | None], TartanError | None],
    name: str,
    told: Callable[[str], None],
    *,
    wide: int = 62,
    optional: bool = False,
) -> QuantityField:
    """A number with its unit, its room, its name, and who hears what is wrong."""
    made = QuantityField(quantity, commit, optional=optional)
    made.setFixedWidth(wide)
    made.setAccessibleName(name)
    made.refused.connect(told)
    return made


def _number(piece: Number, record: Record) -> tuple[list[QWidget], Callable[[Any], None]]:
    def commit(value: float | None) -> TartanError | None:
        kept: object = value if piece.optional else value or 0.0
        return record.change(**{piece.key: round(value or 0) if piece.whole else kept})

    name = _name(piece.name, piece.key, record)
    made = quantity_field(
        piece.quantity, commit, name, record.told, wide=piece.wide, optional=piece.optional
    )
    made.paths = record.paths(piece.key)
    if piece.empty:
        made.setPlaceholderText(piece.empty)
    return [made], lambda now: made.put_value(getattr(now, piece.key))


def _vector(piece: Vector, record: Record) -> tuple[list[QWidget], Callable[[Any], None]]:
    name = _name(piece.name, piece.key, record)

    def committing(axis: int) -> Callable[[float | None], TartanError | None]:
        def commit(value: float | None) -> TartanError | None:
            now = record.read()
            if now is None:
                return None
            vector = list(getattr(now, piece.key))
            vector[axis] = value or 0.0
            return record.change(**{piece.key: tuple(vector)})

        return commit

    made = [
        quantity_field(
            piece.quantity, committing(k), f"{name} {axis}", record.told, wide=piece.wide
        )
        for k, axis in enumerate("xyz")
    ]
    for one, axis in zip(made, "xyz", strict=True):
        one.setToolTip(axis)
        one.paths = record.paths(f"{piece.key}[{axis}]", f"{piece.key}[{'xyz'.index(axis) + 1}]")

    def update(now: Any) -> None:
        for one, value in zip(made, getattr(now, piece.key), strict=True):
            one.put_value(value)

    return list(made), update


def _text(piece: Text, record: Record) -> tuple[list[QWidget], Callable[[Any], None]]:
    made = Field(lambda text: record.change(**{piece.key: text.strip()}))
    made.setAccessibleName(_name(piece.name, piece.key, record))
    made.refused.connect(record.told)
    if piece.wide:
        made.setFixedWidth(piece.wide)
    return [made], lambda now: made.put(getattr(now, piece.key))


def _parsed(piece: Parsed, record: Record) -> tuple[list[QWidget], Callable[[Any], None]]:
    def commit(text: str) -> TartanError | None:
        try:
            value = piece.read(text)
        except TartanError as error:
            return error
        return record.change(**{piece.key: value})

    made = Field(commit)
    made.setAccessibleName(_name(piece.name, piece.key, record))
    made.refused.connect(record.told)
    if piece.wide:
        made.setFixedWidth(piece.wide)
    return [made], lambda now: made.put(piece.write(getattr(now, piece.key)), piece.tip)


def _one_of(piece: OneOf, record: Record) -> tuple[list[QWidget], Callable[[Any], None]]:
    values = {shown: value for value, shown in piece.shown.items()}
    made = choice([], lambda text: record.change(**{piece.key: values.get(text, text)}))
    made.setAccessibleName(_name(piece.name, piece.key, record))
    made.setToolTip(piece.tip)
    if piece.wide:
        # Names of cases are cut only where they are longer than most.
        made.setMinimumWidth(piece.wide)
        made.setMaximumWidth(max(piece.wide, NAME))
    if piece.widest:
        made.setMaximumWidth(piece.widest)

    def update(now: Any) -> None:
        value = getattr(now, piece.key)
        options = [piece.shown.get(x, x) for x in piece.options()]
        set_options(made, options, piece.shown.get(value, value))

    return [made], update


def _several(piece: Several, record: Record) -> tuple[list[QWidget], Callable[[Any], None]]:
    made = ManyChoice(piece.key, "", piece.tip, none="+")
    made.setAccessibleName(_name(piece.name, piece.key, record))

    def commit() -> None:
        record.change(**{piece.key: tuple(made.names[i] for i in made.chosen)})

    made.changed.connect(commit)

    def update(now: Any) -> None:
        first, also = getattr(now, piece.first), getattr(now, piece.key)
        made.show_chosen([x for x in piece.options() if x and x != first], also)
        made.setEnabled(bool(first))

    return [made], update


def _flag(piece: Flag, record: Record) -> tuple[list[QWidget], Callable[[Any], None]]:
    made = switch(piece.text, piece.tip)
    made.setAccessibleName(_name(piece.name, piece.key, record))
    made.clicked.connect(lambda on: record.change(**{piece.key: on}))
    return [made], lambda now: made.setChecked(getattr(now, piece.key))
