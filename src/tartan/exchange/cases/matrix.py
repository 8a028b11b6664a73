"""Combinations as a matrix: a row each, a column a case, factors in the cells."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from tartan.core.errors import DocumentError
from tartan.exchange.cases.columns import cell_at, figure
from tartan.exchange.tables import Table, exact, plain
from tartan.project.document.loadmodel import Combination
from tartan.project.document.model import Project
from tartan.project.wording import units


def combinations_table(project: Project) -> Table:
    """Combinations as a matrix of factors; what is held is marked."""
    names = [c.name for c in project.cases]
    rows = []
    for each in project.combinations:
        factors = dict(each.factors)
        cells = [factor_text(factors.get(n), held=n in each.held) for n in names]
        rows.append((each.name, *cells))
    return Table("Combinations", ("combination", *names), tuple(rows))


def factor_text(factor: float | None, *, held: bool) -> str:
    """A factor as it is typed in the matrix, such as "1.5 held"; empty where there is none."""
    mark = " held" if held else ""
    return f"{plain(exact(factor, units.RATIO))}{mark}" if factor else mark.strip()


def matrix_reader(
    head: Sequence[str], known: Sequence[str], found: list[Combination], where: str
) -> Callable[[Sequence[str], str], None]:
    """What takes the rows below a head of case names; `known` are the cases there are."""
    names = [c.strip() for c in head[1:]]
    for j, name in enumerate(names, start=2):
        if name and name not in known:
            raise DocumentError(
                f"There is no case '{name}'.",
                f"{where}, column {j}",
                f"The heads of a matrix name cases: {', '.join(known) or 'none yet'}.",
            )
    if twice := next((n for n in names if n and names.count(n) > 1), ""):
        raise DocumentError(f"Case '{twice}' has two columns.", where, "Name each case once.")

    def take(cells: Sequence[str], place: str) -> None:
        if not cells[0]:
            raise DocumentError("The combination has no name.", place, "Name it.")
        below = [*names, *[""] * (len(cells) - 1 - len(names))]
        given = [(n, cell_at(cells, j)) for j, n in enumerate(below, start=1)]
        if stray := next((t for n, t in given if t and not n), ""):
            raise DocumentError(f"'{stray}' stands below no case.", place, "Name the column.")
        read = [(n, *factor_of(text, f"{place}, {n}")) for n, text in given if text]
        factors = tuple((n, f) for n, f, _ in read if f)
        held = tuple(n for n, _, h in read if h)
        found.append(Combination(cells[0], factors, held))

    return take


def factor_of(text: str, where: str) -> tuple[float, bool]:
    """A factor of the matrix and whether its case is held, from text such as "1.5 held".

    Raises
    ------
    DocumentError
        When it is neither a number nor empty.
    """
    words = text.split()
    held = bool(words) and words[-1].casefold() == "held"
    number = " ".join(words[:-1] if held else words)
    if not number:
        return 0.0, held
    return figure(number, "", units.RATIO, where), held


def put_block(
    project: Project, at: int, first: int, cells: Sequence[Sequence[str]]
) -> tuple[Combination, ...]:
    """Combinations with a block of factors typed over them.

    Parameters
    ----------
    project : Project
        Its combinations are the rows, its cases the columns.
    at, first : int
        Row and column of the first cell, from 0.
    cells : rows of text
        As `factor_of` reads them.

    Raises
    ------
    DocumentError
        When a cell is no factor, or the block reaches beyond the matrix.
    """
    many, names = list(project.combinations), [c.name for c in project.cases]
    wide = max((len(row) for row in cells), default=0)
    if at + len(cells) > len(many) or first + wide > len(names):
        raise DocumentError(
            f"{len(cells)} × {wide} factors reach beyond the matrix.",
            "Combinations",
            "Paste from an earlier cell, or add combinations first. A table with heads is "
            "pasted into the list of cases.",
        )
    for i, row in enumerate(cells, start=at):
        old = many[i]
        factors, held = dict(old.factors), set(old.held)
        for j, text in enumerate(row, start=first):
            where = f"Combination '{old.name}', {names[j]}"
            factors[names[j]], stays = factor_of(text, where)
            held = held | {names[j]} if stays else held - {names[j]}
        many[i] = Combination(
            old.name,
            tuple((n, f) for n in names if (f := factors.get(n))),
            tuple(n for n in names if n in held),
        )
    return tuple(many)
