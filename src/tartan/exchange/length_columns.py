"""Rows of lengths under named columns, with units in the head; or bare, in this order."""

from __future__ import annotations

import re
from collections.abc import Sequence

from tartan.core.errors import DocumentError
from tartan.exchange.tables import column_of
from tartan.project.wording import units

_NUMBER = re.compile(r"[-+−]?[\d.,]+(?:[eE][-+]?\d+)?")


def length_rows(
    rows: Sequence[Sequence[str]], names: Sequence[str], where: str
) -> list[tuple[float, ...]]:
    """Lengths [m] of named columns, row by row, empty rows left out.

    Parameters
    ----------
    rows : sequence of sequence of str
        Under a head such as ``r [mm], z [mm]``, or bare, in the order of the names and in the
        unit in force.
    names : sequence of str
        Columns that are wanted.
    where : str
        For messages.

    Raises
    ------
    DocumentError
        Without rows, without a column, or where a cell is no length; the place is named.
    """
    filled = [(i, r) for i, r in enumerate(rows, start=1) if any(c.strip() for c in r)]
    wanted = " and ".join(names) if len(names) == 2 else ", ".join(names)
    if not filled:
        raise DocumentError("There are no points.", where, f"Give rows of {wanted}.")
    columns = {name: (j, "") for j, name in enumerate(names)}
    if not all(_NUMBER.fullmatch(c.strip()) for c in filled[0][1][: len(names)]):
        heads = [(n.lower(), unit) for n, unit in map(column_of, filled[0][1])]
        columns = {n: (j, unit) for j, (n, unit) in enumerate(heads) if n in names}
        lacking = [n for n in names if n not in columns]
        if lacking:
            raise DocumentError(
                f"There is no column {' and '.join(lacking)}.",
                f"{where}, row {filled[0][0]}",
                f"Name the columns {', '.join(f'{n} [mm]' for n in names)}.",
            )
        filled = filled[1:]
    return [
        tuple(_value(row, *columns[n], f"{where}, row {number}", wanted) for n in names)
        for number, row in filled
    ]


def _value(row: Sequence[str], column: int, unit: str, where: str, wanted: str) -> float:
    if column >= len(row) or not row[column].strip():
        raise DocumentError("The row is too short.", where, f"Give {wanted}.")
    text = row[column].strip()
    try:
        bare = _NUMBER.fullmatch(text)
        return units.parse(f"{text} {unit}" if bare and unit else text, units.LENGTH)
    except units.UnitError as error:
        raise DocumentError(error.what, f"{where}, column {column + 1}", error.mend) from error
