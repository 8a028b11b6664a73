"""Requirements as rows of a spreadsheet: what is asked, its limit with a unit, and the case."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from tartan.core.errors import DocumentError, TartanError
from tartan.exchange.tables import Cell, exact, plain
from tartan.project.document.partmodel import (
    BucklingRequirement,
    DisplacementRequirement,
    FrequencyRequirement,
    MassRequirement,
    Requirement,
    ReserveRequirement,
)
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

REQUIREMENT_HEAD = ("requirement", "limit", "case")

ALL = "all"

_SORTS: dict[str, tuple[Quantity, Callable[[float, str], Requirement]]] = {
    "reserve factor": (units.RATIO, lambda v, case: ReserveRequirement(v, case=case)),
    "displacement": (units.LENGTH, DisplacementRequirement),
    "surface deviation": (
        units.LENGTH,
        lambda v, case: DisplacementRequirement(v, case, "normal"),
    ),
    "buckling factor": (units.RATIO, BucklingRequirement),
    "frequency": (units.FREQUENCY, FrequencyRequirement),
    "mass": (units.MASS, lambda v, _: MassRequirement(v)),
}
"""What can be asked: the quantity of its limit, and its record."""


def sort_of(asked: Requirement) -> str:
    """What a requirement asks for, in the words of the table."""
    if isinstance(asked, DisplacementRequirement):
        return "displacement" if asked.measure == "size" else "surface deviation"
    return "buckling factor" if isinstance(asked, BucklingRequirement) else asked.kind


def requirement_cells(asked: Requirement) -> tuple[Cell, ...]:
    """A requirement as a row under `REQUIREMENT_HEAD`."""
    sort = sort_of(asked)
    quantity = _SORTS[sort][0]
    amount = plain(exact(asked.value, quantity))
    unit = f" {quantity.unit}" if quantity.unit and units.is_plain_number(amount) else ""
    if isinstance(asked, MassRequirement):
        case = ""
    elif isinstance(asked, FrequencyRequirement):
        case = asked.case
    else:
        case = asked.case or ALL
    return (sort, f"{amount}{unit}" if unit else exact(asked.value, quantity), case)


def requirement_of(cells: Mapping[str, str], where: str) -> Requirement:
    """A requirement of a row, by column.

    Raises
    ------
    DocumentError
        When it asks for something unknown, or its limit is no such quantity.
    """
    sort = cells["requirement"].casefold()
    if sort not in _SORTS:
        raise DocumentError(
            f"'{cells['requirement']}' is no requirement.",
            f"{where}, requirement",
            f"Choose one of {', '.join(_SORTS)}.",
        )
    quantity, make = _SORTS[sort]
    try:
        limit = units.parse(cells["limit"], quantity)
    except TartanError as error:
        raise DocumentError(error.what, f"{where}, limit", error.mend) from error
    case = cells.get("case", "")
    return make(limit, "" if case.casefold() in (ALL, "all cases") else case)
