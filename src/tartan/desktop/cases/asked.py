"""Rows of the requirements."""

from __future__ import annotations

from collections.abc import Callable

from tartan.desktop.cases.form import CaseForm
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.recordform import Records
from tartan.pages.fields import Number, OneOf, Piece, Remove, Table, Unit, line
from tartan.project.document.partmodel import (
    BucklingRequirement,
    DisplacementRequirement,
    FrequencyRequirement,
    MassRequirement,
    Requirement,
    ReserveRequirement,
)
from tartan.project.edits import case_edits
from tartan.project.wording import units

ALL = "all cases"
UNLOADED = "no load"
NEW = (
    "reserve factor",
    "displacement",
    "surface deviation",
    "buckling factor",
    "frequency",
    "mass",
)


def _limit(words: str, quantity: units.Quantity, kind: str) -> tuple[Piece, ...]:
    unit = (Unit(quantity),) if quantity is not units.RATIO else ()
    return (words, Number("value", quantity, f"limit of {kind}", wide=62), *unit)


class RequirementRows(CaseForm):
    """One row a requirement."""

    def rows(self, block: Block) -> None:
        """Build the rows."""
        self._records.rows(block)

    def make_up(self) -> object:
        """What the rows are made of."""
        return [(r.kind, getattr(r, "measure", "")) for r in self.session.project.requirements]

    @property
    def _records(self) -> Records:
        return Records(
            lambda: self.session.project.requirements,
            lambda words, asked: self.edit(words, lambda p: case_edits.put_requirements(p, asked)),
            self._fields,
            self.told.emit,
            "requirement",
            lambda i: f"requirements[{i}]",
        )

    def _fields(self, asked: Requirement) -> Table:
        """The one line of a kind of requirement."""

        def case(none: str = "") -> OneOf:
            before = ("",) if none else ()
            return OneOf(
                "case",
                lambda: [*before, *self.session.project.case_names],
                shown={"": none} if none else {},
                wide=126,
            )

        measure = getattr(asked, "measure", "")
        shift = "surface deviation ≤" if measure == "normal" else "displacement ≤"
        pieces: dict[str, tuple[Piece, ...]] = {
            "reserve factor": (
                *_limit("reserve factor ≥", units.RATIO, asked.kind),
                "in",
                case(ALL),
            ),
            "displacement": (*_limit(shift, units.LENGTH, asked.kind), "in", case(ALL)),
            "buckling": (*_limit("buckling factor ≥", units.RATIO, asked.kind), "in", case(ALL)),
            "frequency": (
                *_limit("first frequency ≥", units.FREQUENCY, asked.kind),
                "under",
                case(UNLOADED),
            ),
            "mass": _limit("mass ≤", units.MASS, asked.kind),
        }
        return (line(*pieces[asked.kind], None, Remove("Remove this requirement")),)

    def add(self, sort: str) -> None:
        """Add a requirement of a sort."""
        project = self.session.project
        case = self.session.selection.case
        makers: dict[str, Callable[[], Requirement]] = {
            "reserve factor": lambda: ReserveRequirement(1.25),
            "displacement": lambda: DisplacementRequirement(1e-3, case),
            "surface deviation": lambda: DisplacementRequirement(1e-3, case, "normal"),
            "buckling factor": lambda: BucklingRequirement(1.5, case),
            "frequency": lambda: FrequencyRequirement(20.0),
            "mass": lambda: MassRequirement(10.0),
        }
        asked = (*project.requirements, makers[sort]())
        self.edit("add requirement", lambda p: case_edits.put_requirements(p, asked))
