"""Rows of supports: place, kind, and on request a point and local axes; and support sets."""

from __future__ import annotations

from dataclasses import replace

from tartan.core.errors import TartanError
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.desktop.cases.form import CaseForm
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.recordform import Records
from tartan.pages.fields import Flag, OneOf, Remove, Several, Table, Unit, Vector, line
from tartan.project.document.partmodel import POINT, Support, SupportSet
from tartan.project.edits import case_edits
from tartan.project.edits.design_edits import free_name
from tartan.project.wording import units

OWN = "usual supports"
"""The project's own supports, as a choice shows them."""

KINDS_TIP = """Pinned holds all displacements, clamped the rotations too.
Free only along an axis: all displacements but that one are held.
Symmetry about an axis: the plane of symmetry stands across it."""

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
        self._records.rows(block, spacing=3)

    @property
    def _records(self) -> Records:
        return Records(
            lambda: self.supports,
            self._put_all,
            lambda _: self._fields(),
            self.told.emit,
            "support",
        )

    def _fields(self) -> Table:
        return (
            line(
                OneOf("place", self.places, wide=110),
                Several("also", "place", self.places, tip="Further places that are held alike"),
                OneOf("kind", lambda: [*SUPPORT_KINDS], wide=128, tip=KINDS_TIP),
                Flag("local", "local", "axes of {}", "Axes along 0°, across it, along the normal"),
                None,
                Remove("Remove this support"),
            ),
            line(
                "point x, y, z",
                None,
                Vector("at", units.LENGTH, "point of {}"),
                Unit(units.LENGTH),
                22,
                when=lambda support: support.place == POINT,
            ),
        )

    def make_up(self) -> object:
        """What the rows are made of: rows with further figures are taller."""
        return (self.chosen, self._records.make_up())

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
            self.edit(
                "add support set",
                lambda p: case_edits.put_cases(
                    case_edits.put_support_sets(p, (*p.support_sets, made)), cases
                ),
            )
            return
        self.edit(
            f"supports of {case.name}",
            lambda p: case_edits.put_cases(
                p, tuple(replace(c, supports=name) if c == case else c for c in p.cases)
            ),
        )

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
            self.edit(
                "remove support set",
                lambda p: case_edits.put_support_sets(
                    p, tuple(x for x in p.support_sets if x.name != old)
                ),
            )

    # Supports

    def _put_all(self, name: str, supports: tuple[Support, ...]) -> TartanError | None:
        chosen = self.chosen
        return self.edit(name, lambda p: case_edits.put_supports(p, supports, chosen))

    def add(self, places: tuple[str, ...] = ()) -> None:
        """Add a support at places, or at the first place that has none."""
        taken = {s.place for s in self.supports}
        known = self.places()
        usual = next((p for p in known[1:] if p not in taken), known[0])
        first, *also = places or (usual,)
        made = Support(first, "pinned", also=tuple(also))
        self._put_all("add support", (*self.supports, made))
