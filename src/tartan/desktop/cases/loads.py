"""Rows of the loads of the chosen case, and of the factors of a chosen combination."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from tartan.core.errors import TartanError
from tartan.desktop.cases.form import CaseForm
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import label, row, switch
from tartan.desktop.widgets.recordform import Records, quantity_field
from tartan.pages import cases as state
from tartan.pages.load_fields import HELD_TIP, NEW, fields_of
from tartan.project.document.partmodel import (
    WHOLE,
    Case,
    Combination,
    Load,
    MappedPressure,
    Side,
)
from tartan.project.edits import case_edits
from tartan.project.edits.design_edits import free_name
from tartan.project.edits.region_uses import with_places
from tartan.project.wording import units


class LoadRows(CaseForm):
    """Rows of loads by their kind."""

    def rows(self, block: Block) -> None:
        """Build the rows of the chosen case, or the factors of the chosen combination."""
        if self.combination is not None:
            for case in self.session.project.cases:
                self._factor(block, case.name)
            return
        self._records.rows(block)

    def make_up(self) -> object:
        """What the rows are made of."""
        case, both = self.case, self.combination
        if both is not None:
            return ("combination", both.name, tuple(c.name for c in self.session.project.cases))
        return (case.name if case else "", self._records.make_up())

    @property
    def _records(self) -> Records:
        return Records(
            lambda: self.case.loads if self.case else (),
            self._put_loads,
            lambda load: fields_of(load.kind, self),
            self.told.emit,
            "load",
            lambda i: f"cases[{self.case.name if self.case else ''}].loads[{i}]",
        )

    # What there is to choose from

    def tables(self) -> list[str]:
        """Pressure tables by name."""
        return [t.name for t in self.session.project.tables]

    def laying_side(self) -> Side:
        """Side of the surface from which it is laid now: what a new load refers to."""
        part = self.session.project.part
        return "back" if part is not None and WHOLE in part.flipped else "front"

    def held_place(self) -> str:
        """Place of a support of the chosen case: a movement moves what is held."""
        case = self.case
        held = self.session.project.supports_of(case.supports if case else "")
        return next((s.place for s in held), self.places()[-1])

    def mapping_words(self, load: MappedPressure) -> str:
        """Resultant before and after mapping, and how much lay outside the table."""
        return state.mapping_words(self.session.project, load)

    # Edits

    def add(self, sort: str) -> None:
        """Add a load of a sort to the chosen case."""
        if self.case is None:
            self.told.emit("Add or choose a case first; a combination has factors only.")
            return
        new = NEW[sort]
        if lack := new.lacks(self):
            self.told.emit(lack)
            return
        self._put_loads("add load", (*self.case.loads, new.make(self)))

    def add_at(self, sort: str, places: tuple[str, ...]) -> None:
        """Add a load at places to the chosen case, or to a new one where none is chosen."""
        new = with_places(NEW["force or moment" if sort == "force" else sort].make(self), places)
        if self.case is not None:
            self._put_loads("add load", (*self.case.loads, new))
            return
        made = Case(free_name("case", self.session.project.case_names), (new,))
        if self.edit("add case", lambda p: case_edits.put_cases(p, (*p.cases, made))) is None:
            self.session.select(case=made.name)

    def _put_loads(self, words: str, loads: tuple[Load, ...]) -> TartanError | None:
        old = self.case
        if old is None:
            return None
        new = replace(old, loads=loads)
        cases = tuple(new if c == old else c for c in self.session.project.cases)
        return self.edit(f"{words} of {old.name}", lambda p: case_edits.put_cases(p, cases))

    # Combinations

    def _put_combination(
        self, words: str, change: Callable[[Combination], Combination]
    ) -> TartanError | None:
        both = self.combination
        if both is None:
            return None
        many = tuple(change(c) if c == both else c for c in self.session.project.combinations)
        return self.edit(f"{words} {both.name}", lambda p: case_edits.put_combinations(p, many))

    def _factor(self, block: Block, name: str) -> None:
        """Factor of a case in the chosen combination, and whether the case is held."""

        def commit(value: float | None) -> TartanError | None:
            def with_factor(both: Combination) -> Combination:
                factors = dict(both.factors) | {name: value or 0.0}
                order = [c.name for c in self.session.project.cases]
                return replace(both, factors=tuple((n, f) for n in order if (f := factors.get(n))))

            return self._put_combination("factors of", with_factor)

        def hold(on: bool) -> None:
            def holding(both: Combination) -> Combination:
                kept = tuple(n for n in both.held if n != name)
                return replace(both, held=(*kept, name) if on else kept)

            self._put_combination("held in", holding)

        field = quantity_field(
            units.RATIO, commit, f"factor of {name}", self.told.emit, optional=True
        )
        field.setPlaceholderText("–")
        held = switch("held", HELD_TIP)
        held.setAccessibleName(f"{name} is held")
        held.clicked.connect(hold)

        def update() -> None:
            both = self.combination
            field.put_value(dict(both.factors).get(name) if both else None)
            held.setChecked(both is not None and name in both.held)

        block.add(row(field, label(f"× {name}", "soft"), None, held, spacing=6), update)
