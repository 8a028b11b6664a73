"""Tables as CSV and XLSX: rows of text and numbers under a head that states units.

CSV is read with comma or semicolon and written with comma (RFC 4180); XLSX is ISO/IEC 29500,
first sheet.
"""

from __future__ import annotations

import csv
import io
import math
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tartan.core.errors import DocumentError
from tartan.project.disk.wholefile import replacing
from tartan.project.wording.units import Quantity

Cell = str | float | int | None

MOST_ROWS = 100_000
MOST_COLUMNS = 500
MOST_CELLS = 5_000_000

MOST_EXPANDED = 40e6
"""Bytes that an XLSX file may unpack to."""

MOST_RATIO = 200
MOST_PARTS = 2000


@dataclass(frozen=True)
class Table:
    """A table: its title, column heads with units in brackets, rows, and what it is of.

    `about` stands in a line of its own above the head wherever the table is taken: answers of a
    stack without the stack, load case and criteria that they are of cannot be traced.
    """

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    about: str = ""

    def as_text(self) -> str:
        """Tab-separated text that pastes into a spreadsheet, numbers with full digits."""
        lines = [*((self.about,) for _ in self.about[:1]), self.head, *self.rows]
        return "\n".join("\t".join(" ".join(plain(c).split()) for c in line) for line in lines)


def sound(cell: Cell) -> Cell:
    """A cell as a spreadsheet takes it: what is no number is empty, what is endless a sign."""
    if not isinstance(cell, float) or math.isfinite(cell):
        return cell
    return None if math.isnan(cell) else "∞" if cell > 0 else "−∞"


def plain(cell: Cell) -> str:
    """A cell as text; numbers so that they read back to the same value."""
    cell = sound(cell)
    if cell is None:
        return ""
    if isinstance(cell, float):
        return repr(cell) if cell != int(cell) or abs(cell) > 1e15 else str(int(cell))
    return str(cell)


_RUNS = ("=", "+", "-", "@", "\t", "\r")
"""How a text begins that a spreadsheet would run as a formula."""


def guarded(cell: Cell) -> str:
    """A cell of a CSV file: text that would be run as a formula stands behind an apostrophe.

    Our own reader takes the apostrophe away again, and one more from text that has its own.
    """
    text = plain(cell)
    if isinstance(cell, str) and (text.startswith(_RUNS) or _escaped(text)):
        return f"'{text}"
    return text


def _escaped(text: str) -> bool:
    rest = text.lstrip("'")
    return rest != text and rest.startswith(_RUNS)


def unguarded(cell: str) -> str:
    """A cell of a CSV file as it was before `guarded`."""
    return cell[1:] if _escaped(cell) else cell


def exact(value: float | None, quantity: Quantity) -> Cell:
    """Shortest decimal in the display unit that reads back to the same SI value."""
    if value is None or not math.isfinite(value):
        return value
    # A spreadsheet keeps sixteen digits.
    for digits in range(1, 17):
        text = f"{value / quantity.scale:.{digits}g}"
        if float(text) * quantity.scale == value:
            return float(text)
    # No decimal in the display unit gives the value back; the SI unit is written instead.
    return f"{value!r} {quantity.si or 'dimensionless'}"


def write_table(table: Table, path: Path) -> None:
    """Write a table; the file's ending chooses CSV or XLSX.

    Raises
    ------
    DocumentError
        When the file cannot be written.
    """
    try:
        with replacing(path) as beside:
            if path.suffix.lower() == ".xlsx":
                _write_xlsx(table, beside)
                return
            with beside.open("w", encoding="utf-8", newline="") as file:
                writer = csv.writer(file)
                if table.about:
                    writer.writerow([guarded(table.about)])
                writer.writerow([guarded(h) for h in table.head])
                writer.writerows([guarded(c) for c in row] for row in table.rows)
    except OSError as error:
        raise DocumentError(
            f"The file cannot be written ({error.strerror}).", str(path), "Choose another folder."
        ) from error


def _write_xlsx(table: Table, path: Path) -> None:
    # It takes long to load, and few sessions need it.
    import openpyxl

    book = openpyxl.Workbook()
    sheet = book.active
    about = ((table.about,),) if table.about else ()
    for i, row in enumerate((*about, table.head, *table.rows), start=1):
        for j, given in enumerate(row, start=1):
            cell, value = sheet.cell(i, j), sound(given)
            if isinstance(value, str):
                # As a string whatever it begins with: a name is never a formula.
                cell.value, cell.data_type = value, "s"
            elif value is not None:
                cell.value = value
    sheet.freeze_panes = f"A{2 + len(about)}"
    for j, head in enumerate(table.head, start=1):
        letter = openpyxl.utils.get_column_letter(j)
        sheet.column_dimensions[letter].width = max(10, len(head) + 2)
    book.save(path)


def read_rows(path: Path) -> list[list[str]]:
    """Read all rows of a CSV or XLSX file as text, empty ones too.

    Raises
    ------
    DocumentError
        When it cannot be read or is empty.
    """
    rows = _xlsx_rows(path) if path.suffix.lower() == ".xlsx" else _csv_rows(path)
    if not rows or not any(c.strip() for c in rows[0]):
        raise DocumentError("The file is empty.", path.name, "The first row names the columns.")
    if len(rows) > MOST_ROWS:
        raise DocumentError(f"The file has more than {MOST_ROWS} rows.", path.name, "Split it.")
    titled = [len([c for c in r if c.strip()]) for r in rows[:2]]
    if len(titled) == 2 and titled[0] == 1 < titled[1] and not _number(rows[0]):
        raise DocumentError(
            "Row 1 is a title above the table.",
            f"{path.name}, row 1",
            "Remove row 1, or name the columns in it.",
        )
    return rows


def _number(row: Sequence[str]) -> bool:
    """Whether the one cell of a row is a number."""
    try:
        float("".join(row).replace(",", "."))
    except ValueError:
        return False
    return True


def _csv_rows(path: Path) -> list[list[str]]:
    try:
        text = path.read_text("utf-8-sig")
        head = text.partition("\n")[0]
        delimiter = ";" if head.count(";") > head.count(",") else ","
        return [
            [unguarded(c) for c in row]
            for row in csv.reader(io.StringIO(text), delimiter=delimiter)
        ]
    except (OSError, UnicodeDecodeError, csv.Error) as error:
        raise DocumentError(
            "The file cannot be read.", path.name, "Save it as CSV in UTF-8."
        ) from error


def _xlsx_rows(path: Path) -> list[list[str]]:
    import openpyxl

    try:
        _check_size(path)
        # From memory: the reader leaves a file open that it stumbles over.
        book = openpyxl.load_workbook(
            io.BytesIO(path.read_bytes()), read_only=True, data_only=True
        )
        rows = _sheet_rows(book.worksheets[0], path.name)
        book.close()
    except DocumentError:
        raise
    except Exception as error:
        # The reader of foreign files raises whatever a damaged one makes it meet.
        raise DocumentError(
            f"The file cannot be read as XLSX ({type(error).__name__}).",
            path.name,
            "Save it anew as XLSX, or as CSV.",
        ) from error
    while rows and not any(rows[-1]):
        rows.pop()
    return rows


def _check_size(path: Path) -> None:
    """Refuse a file that unpacks into more than a table of ours can be."""
    with zipfile.ZipFile(path) as archive:
        entries = archive.infolist()
        whole = sum(e.file_size for e in entries)
        packed = max(sum(e.compress_size for e in entries), 1)
    if len(entries) > MOST_PARTS or whole > MOST_EXPANDED:
        raise DocumentError(
            f"The file unpacks to {whole / 1e6:.0f} MB in {len(entries)} parts, "
            f"more than {MOST_EXPANDED / 1e6:.0f} MB.",
            path.name,
            "Split it, or save it as CSV.",
        )
    if whole > MOST_RATIO * packed and whole > 1e6:
        raise DocumentError(
            f"The file unpacks to {whole / packed:.0f} times its size.",
            path.name,
            "Save it anew as XLSX, or as CSV.",
        )


def _sheet_rows(sheet: Any, name: str) -> list[list[str]]:
    """Rows of a sheet one by one, refused at the first that is beyond any limit."""
    rows: list[list[str]] = []
    cells = 0
    for number, row in enumerate(sheet.iter_rows(values_only=True), start=1):
        where = f"{name}, sheet '{sheet.title}', row {number}"
        if number > MOST_ROWS:
            raise DocumentError(f"The sheet has more than {MOST_ROWS} rows.", where, "Split it.")
        if len(row) > MOST_COLUMNS:
            raise DocumentError(
                f"The row has {len(row)} columns, more than {MOST_COLUMNS}.",
                where,
                "Remove what stands far to the right.",
            )
        cells += len(row)
        if cells > MOST_CELLS:
            raise DocumentError(
                f"The sheet has more than {MOST_CELLS:,} cells.", where, "Split it."
            )
        rows.append([_text(cell) for cell in row])
    return rows


def _text(value: object) -> str:
    if value is None:
        return ""
    return plain(value) if isinstance(value, float) else str(value)


def parted_rows(text: str, mark: str, where: str) -> list[list[str]]:
    """Rows of text whose cells are parted by a mark and may stand in quotes.

    Raises
    ------
    DocumentError
        When quotes or cells are beyond what can be read.
    """
    lines = text.replace("\r\n", "\n").replace("\r", "\n")
    try:
        return list(csv.reader(io.StringIO(lines), delimiter=mark))
    except csv.Error as error:
        raise DocumentError(
            f"The rows cannot be told apart ({error}).",
            where,
            "Copy them from a spreadsheet anew.",
        ) from error


def as_rows(text: str) -> list[list[str]]:
    """Rows of a clipboard's text, by tabs or semicolons; blank lines are left out."""
    return [
        [c.strip() for c in line.replace(";", "\t").split("\t")]
        for line in text.splitlines()
        if line.strip()
    ]


def column_of(cell: str) -> tuple[str, str]:
    """Name and unit of a head such as ``thickness [mm]``."""
    name, _, rest = cell.partition("[")
    return name.strip(), rest.rstrip().removesuffix("]").strip()


def spread(rows: Sequence[Sequence[Cell]]) -> tuple[tuple[Cell, ...], ...]:
    """Rows as tuples, for a `Table`."""
    return tuple(tuple(row) for row in rows)
