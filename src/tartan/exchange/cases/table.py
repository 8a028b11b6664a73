"""Cases, combinations and requirements as rows of a spreadsheet, and back.

A row of a case carries what stands in its filled cells, so one line may hold a pressure, a
temperature and a force, and further lines of the same case add to it. Combinations are a matrix of
factors. The three may follow each other in one text, each under its own head.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal, cast

from tartan.core.errors import DocumentError
from tartan.exchange.cases.columns import PLAIN, cell_at, column_named, columns
from tartan.exchange.cases.loads import cases_table, take_case
from tartan.exchange.cases.matrix import combinations_table, matrix_reader
from tartan.exchange.cases.requirements import REQUIREMENT_HEAD, requirement_cells, requirement_of
from tartan.exchange.tables import Cell, Table, column_of, parted_rows, write_table
from tartan.project.document.loadmodel import Case, Combination
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Requirement
from tartan.project.edits import case_edits
from tartan.project.wording import units

Kind = Literal["case", "combination", "requirement"]


@dataclass
class Pasted:
    """What was read: cases, combinations and requirements in their order."""

    cases: list[Case] = field(default_factory=list)
    combinations: list[Combination] = field(default_factory=list)
    requirements: list[Requirement] = field(default_factory=list)

    @property
    def words(self) -> str:
        """How many of each, such as "16 cases, 3 combinations"."""
        parts = [
            units.counted(len(many), noun)
            for many, noun in (
                (self.cases, "case"),
                (self.combinations, "combination"),
                (self.requirements, "requirement"),
            )
            if many
        ]
        return ", ".join(parts)


def all_tables(project: Project) -> list[Table]:
    """Cases, combinations and requirements, those that there are."""
    asked = tuple(requirement_cells(r) for r in project.requirements)
    found = [
        cases_table(project.cases),
        combinations_table(project),
        Table("Requirements", REQUIREMENT_HEAD, asked),
    ]
    return [t for t in found if t.rows]


def text_of(project: Project) -> str:
    """All tables of a project's Cases as text for a spreadsheet, a blank line between them."""
    return "\n\n".join(t.as_text() for t in all_tables(project))


def write_all(tables: Sequence[Table], path: Path) -> None:
    """Write tables below each other on one sheet, a blank row between them.

    Raises
    ------
    DocumentError
        When the file cannot be written.
    """
    rows: list[tuple[Cell, ...]] = []
    for table in tables:
        rows += [*([()] if rows else []), table.head, *table.rows]
    head = tuple(str(c) for c in rows[0]) if rows else columns()
    write_table(Table("Cases", head, tuple(rows[1:])), path)


def rows_of(text: str) -> list[list[str]]:
    """Rows of a clipboard's text, parted by tabs, or else by semicolons or commas.

    Raises
    ------
    DocumentError
        When they cannot be told apart.
    """
    if "\t" in text:
        # As a spreadsheet copies: quotes belong to the names.
        return [line.split("\t") for line in text.splitlines()]
    return parted_rows(text, ";" if ";" in text else ",", "Clipboard")


def read_cases(rows: Sequence[Sequence[str]], project: Project, source: str) -> Pasted:
    """Cases, combinations and requirements of a table.

    Parameters
    ----------
    rows : sequence of rows of text
        Under heads; the first head of each block is "case", "combination" or "requirement", and
        a blank row parts the blocks.
    project : Project
        What they may name: places, regions, pressure tables, support sets, cases.
    source : str
        Where the rows come from, for messages.

    Raises
    ------
    DocumentError, PartError, UnitError
        Naming the row and column that cannot be read; nothing is taken then.
    """
    found = Pasted()
    take: Callable[[Sequence[str], str], None] | None = None
    begins = True
    for number, row in enumerate(rows, start=1):
        cells = [c.strip() for c in row]
        if not any(cells):
            begins = True
            continue
        where = f"{source}, row {number}"
        # A case may itself be called "case": heads are looked for where a block begins.
        kind = _kind(cells) if begins else None
        begins = False
        if kind is not None:
            take = _reader(kind, cells, project, found, where)
        elif take is None:
            raise DocumentError(
                "The columns cannot be told.",
                where,
                "Put a row of heads above: case, on, pressure, force x …; or combination and "
                "the cases; or requirement, limit, case. Copying a table here shows them.",
            )
        else:
            take(cells, where)
    if not (found.cases or found.combinations or found.requirements):
        raise DocumentError(
            "There are no cases.", source, "Copy rows under a head that begins with 'case'."
        )
    return found


def _kind(cells: Sequence[str]) -> Kind | None:
    first = column_of(cells[0])[0].casefold()
    if first in ("case", *PLAIN["case"][1]):
        return "case"
    return cast("Kind", first) if first in ("combination", "requirement") else None


def _reader(
    kind: Kind, head: Sequence[str], project: Project, found: Pasted, where: str
) -> Callable[[Sequence[str], str], None]:
    """What takes the rows below a head."""
    if kind == "combination":
        known = [c.name for c in (*project.cases, *found.cases)]
        return matrix_reader(head, list(dict.fromkeys(known)), found.combinations, where)
    if kind == "requirement":
        heads = [column_of(c)[0].casefold() for c in head]
        if lacking := [h for h in REQUIREMENT_HEAD[:2] if h not in heads]:
            raise DocumentError(
                f"There is no column '{lacking[0]}'.", where, "Name them requirement, limit, case."
            )
        at = {h: heads.index(h) for h in REQUIREMENT_HEAD if h in heads}
        return lambda cells, place: found.requirements.append(
            requirement_of({h: cell_at(cells, j) for h, j in at.items()}, place)
        )
    named = [column_named(c, f"{where}, column {j}") for j, c in enumerate(head, start=1)]
    for name, _ in named:
        if name and [n for n, _ in named].count(name) > 1:
            raise DocumentError(
                f"Two columns are called '{name}'.", where, "Name each column once."
            )
    return lambda cells, place: take_case(cells, named, project, found.cases, place)


def with_pasted(project: Project, pasted: Pasted) -> Project:
    """Project with what was read: what has a name that is there is replaced, the rest added.

    Raises
    ------
    DocumentError, PartError
        What the edits of cases, combinations and requirements refuse.
    """
    new = {c.name: c for c in pasted.cases}
    kept = [new.pop(c.name, c) for c in project.cases]
    project = case_edits.put_cases(project, (*kept, *new.values()))
    both = {c.name: c for c in pasted.combinations}
    old = [both.pop(c.name, c) for c in project.combinations]
    project = case_edits.put_combinations(project, (*old, *both.values()))
    asked = dict.fromkeys((*project.requirements, *pasted.requirements))
    return case_edits.put_requirements(project, asked)
