"""Rows of supports: place, kind, and on request a point and local axes; and support sets."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QComboBox, QPushButton

from tartan.core.errors import TartanError
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.desktop.cases.form import CaseForm
from tartan.desktop.widgets.block import Block, Update
from tartan.desktop.widgets.controls import (
    UnitLabel,
    button,
    choice,
    label,
    row,
    set_options,
    switch,
)
from tartan.project.document.partmodel import POINT, Support, SupportSet
from tartan.project.edits import case_edits
from tartan.project.edits.design_edits import free_name
from tartan.project.wording import units

OWN = "usual supports"
"""The project's own supports, as a choice shows them."""

NEW_SET = "+ support set like these"


def set_names(form: CaseForm) -> list[str]:
    """Support sets as a choice shows them."""
    return [OWN, *(x.name for x in form.session.project.support_sets)]


class SupportRows(CaseForm):
    """One row a support of the set that the chosen case stands on."""

    @property
    def chosen(self) -> str:
        """Set that is shown: that of the chosen case; the empty name is the usual one."""
        name = self.session.selection.case
        both = self.combination
        if both is not None:
            name = next((n for n, _ in both.factors), "")
        return next((c.supports for c in self.session.project.cases if c.name == name), "")

    @property
    def supports(self) -> tuple[Support, ...]:
        """Supports of that set."""
        return self.session.project.supports_of(self.chosen)

    def rows(self, block: Block) -> None:
        """Build the rows."""
        for i in range(len(self.supports)):
            self._row(block, i)

    def make_up(self) -> object:
        """What the rows are made of: rows with further figures are taller."""
        return (self.chosen, tuple((s.place == POINT, s.local) for s in self.supports))

    # Sets

    def choose_set(self, text: str) -> None:
        """Let the chosen case stand on another set, or on a new one that begins as this one."""
        case, project = self.case, self.session.project
        if case is None:
            self.told.emit("Choose a case first; a combination stands as its cases do.")
            return
        name = "" if text == OWN else text
        if text == NEW_SET:
            name = free_name("supports", [x.name for x in project.support_sets])
            made = SupportSet(name, self.supports)
            cases = tuple(replace(c, supports=name) if c == case else c for c in project.cases)
            self.edit("add support set", lambda p: case_edits.put_cases(
                case_edits.put_support_sets(p, (*p.support_sets, made)), cases))  # fmt: skip
            return
        self.edit(f"supports of {case.name}", lambda p: case_edits.put_cases(
            p, tuple(replace(c, supports=name) if c == case else c for c in p.cases)))  # fmt: skip

    def rename_set(self, text: str) -> TartanError | None:
        """Rename the set that is shown."""
        old = self.chosen
        if not old:
            return None
        return self.edit(f"rename {old}", lambda p: case_edits.rename_support_set(p, old, text))

    def remove_set(self) -> None:
        """Remove the set that is shown; its cases stand on the usual supports."""
        old = self.chosen
        if old:
            self.edit("remove support set", lambda p: case_edits.put_support_sets(
                p, tuple(x for x in p.support_sets if x.name != old)))  # fmt: skip

    # Supports

    def _put_all(self, name: str, supports: tuple[Support, ...]) -> TartanError | None:
        chosen = self.chosen
        return self.edit(name, lambda p: case_edits.put_supports(p, supports, chosen))

    def _put(self, i: int, **values: object) -> TartanError | None:
        supports = list(self.supports)
        supports[i] = replace(supports[i], **values)  # type: ignore[arg-type]
        return self._put_all("support", tuple(supports))

    def _row(self, block: Block, i: int) -> None:
        def remove() -> None:
            self._put_all("remove support", self.supports[:i] + self.supports[i + 1 :])

        def now() -> Support | None:
            return self.supports[i] if i < len(self.supports) else None

        place = choice([], lambda text: self._put(i, place=text))
        kind = choice([*SUPPORT_KINDS], lambda text: self._put(i, kind=text))
        place.setAccessibleName(f"place of support {i + 1}")
        kind.setAccessibleName(f"kind of support {i + 1}")
        place.setFixedWidth(132)
        kind.setFixedWidth(150)
        local = switch("local", "Axes along 0°, across it and along the normal")
        local.clicked.connect(lambda on: self._put(i, local=on))
        block.add(row(place, kind, local, None, button("×", remove, "Remove this support"),
                      spacing=3))  # fmt: skip
        support = now()
        if support is not None and support.place == POINT:
            at, update_at = self.vector(units.LENGTH, f"point of support {i + 1}",
                                        lambda: s.at if (s := now()) else None,
                                        lambda v: self._put(i, at=v))  # fmt: skip
            block.add(row(label("point x, y, z", "soft"), None, *at, UnitLabel(units.LENGTH), 22,
                          spacing=4), update_at)  # fmt: skip
        block.add(row(spacing=0), self._updater(i, place, kind, local))

    def _updater(self, i: int, place: QComboBox, kind: QComboBox, local: QPushButton) -> Update:
        def update() -> None:
            if i < len(self.supports):
                set_options(place, self.places(), self.supports[i].place)
                set_options(kind, [*SUPPORT_KINDS], self.supports[i].kind)
                local.setChecked(self.supports[i].local)

        return update

    def add(self) -> None:
        """Add a support at the first place that has none."""
        taken = {s.place for s in self.supports}
        known = self.places()
        place = next((p for p in known[1:] if p not in taken), known[0])
        self._put_all("add support", (*self.supports, Support(place, "pinned")))
