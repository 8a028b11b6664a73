"""Rows of the requirements."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QWidget

from tartan.core.errors import TartanError
from tartan.desktop.cases.form import CaseForm
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import UnitLabel, button, choice, label, row, set_options
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
NEW = ("reserve factor", "displacement", "surface deviation", "buckling factor", "frequency",
       "mass")  # fmt: skip
HEADS = {"reserve factor": ("reserve factor ≥", units.RATIO),
         "displacement": ("displacement ≤", units.LENGTH),
         "buckling": ("buckling factor ≥", units.RATIO),
         "frequency": ("first frequency ≥", units.FREQUENCY),
         "mass": ("mass ≤", units.MASS)}  # fmt: skip


class RequirementRows(CaseForm):
    """One row a requirement."""

    def rows(self, block: Block) -> None:
        """Build the rows."""
        for i, requirement in enumerate(self.session.project.requirements):
            self._row(block, i, requirement)

    def make_up(self) -> object:
        """What the rows are made of."""
        return tuple(
            (r.kind, getattr(r, "measure", "")) for r in self.session.project.requirements
        )

    def _row(self, block: Block, i: int, sort: Requirement) -> None:
        def put(**values: object) -> TartanError | None:
            asked = list(self.session.project.requirements)
            asked[i] = replace(asked[i], **values)  # type: ignore[arg-type]
            return self.edit("requirement", lambda p: case_edits.put_requirements(p, asked))

        def remove() -> None:
            asked = self.session.project.requirements
            left = asked[:i] + asked[i + 1 :]
            self.edit("remove requirement", lambda p: case_edits.put_requirements(p, left))

        head, quantity = HEADS[sort.kind]
        if isinstance(sort, DisplacementRequirement) and sort.measure == "normal":
            head = "surface deviation ≤"
        field = self.field(quantity, lambda v: put(value=v or 0.0), f"limit of {sort.kind}")
        over_all = isinstance(sort, ReserveRequirement | FrequencyRequirement)
        case = choice([], lambda text: put(case="" if text in (ALL, UNLOADED) else text))
        case.setAccessibleName(f"case of requirement {i + 1}")
        case.setFixedWidth(126)

        def update() -> None:
            now = self.session.project.requirements[i]
            field.put_value(now.value)
            names = list(self.session.project.case_names)
            if isinstance(now, DisplacementRequirement | BucklingRequirement):
                set_options(case, names, now.case)
            elif isinstance(now, ReserveRequirement):
                set_options(case, [ALL, *names], now.case or ALL)
            elif isinstance(now, FrequencyRequirement):
                set_options(case, [UNLOADED, *names], now.case or UNLOADED)

        parts: list[QWidget | int | None] = [label(head, "soft"), field]
        parts += [UnitLabel(quantity)] if quantity is not units.RATIO else []
        if over_all or isinstance(sort, DisplacementRequirement | BucklingRequirement):
            under = isinstance(sort, FrequencyRequirement)
            parts += [label("under" if under else "in", "soft"), case]
        else:
            case.hide()
        block.add(row(*parts, None, button("×", remove, "Remove this requirement"), spacing=4),
                  update)  # fmt: skip

    def add(self, sort: str) -> None:
        """Add a requirement of a sort."""
        project = self.session.project
        case = self.session.selection.case
        if sort in ("displacement", "surface deviation", "buckling factor") and not case:
            self.told.emit("Add a case first.")
            return
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
