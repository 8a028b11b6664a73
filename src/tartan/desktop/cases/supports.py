"""Rows of supports: place, kind, and on request a point, a prescribed move and local axes."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QPushButton

from tartan.core.errors import TartanError
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.desktop.cases.form import CaseForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block, Update
from tartan.desktop.widgets.small import (
    UnitLabel,
    button,
    choice,
    label,
    row,
    set_options,
    switch,
)
from tartan.project import case_edits, units
from tartan.project.partmodel import POINT, Support


class SupportRows(CaseForm):
    """One row a support; its further figures are shown where they are not usual."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.opened: set[int] = set()

    def rows(self, block: Block) -> None:
        """Build the rows."""
        for i in range(len(self.session.project.supports)):
            self._row(block, i)

    def make_up(self) -> object:
        """What the rows are made of: rows with further figures are taller."""
        return tuple((s.place == POINT, any(s.move) or i in self.opened, s.local)
                     for i, s in enumerate(self.session.project.supports))  # fmt: skip

    def _put(self, i: int, **values: object) -> TartanError | None:
        supports = list(self.session.project.supports)
        supports[i] = replace(supports[i], **values)  # type: ignore[arg-type]
        return self.edit("support", lambda p: case_edits.put_supports(p, supports))

    def _row(self, block: Block, i: int) -> None:
        def remove() -> None:
            supports = self.session.project.supports
            left = supports[:i] + supports[i + 1 :]
            self.edit("remove support", lambda p: case_edits.put_supports(p, left))

        def now() -> Support | None:
            supports = self.session.project.supports
            return supports[i] if i < len(supports) else None

        place = choice([], lambda text: self._put(i, place=text))
        kind = choice([*SUPPORT_KINDS], lambda text: self._put(i, kind=text))
        place.setAccessibleName(f"place of support {i + 1}")
        kind.setAccessibleName(f"kind of support {i + 1}")
        place.setFixedWidth(112)
        kind.setFixedWidth(134)
        local = switch("local", "Axes along 0°, across it and along the normal")
        local.clicked.connect(lambda on: self._put(i, local=on))
        move = switch("move", "Prescribe a displacement instead of none", on=i in self.opened)
        move.clicked.connect(lambda _: self.toggle(i))
        block.add(row(place, kind, local, move, button("×", remove, "Remove this support"),
                      spacing=3))  # fmt: skip
        support = now()
        at, update_at = self.vector(units.LENGTH, f"point of support {i + 1}",
                                    lambda: s.at if (s := now()) else None,
                                    lambda v: self._put(i, at=v))  # fmt: skip
        moves, update_moves = self.vector(units.LENGTH, f"move of support {i + 1}",
                                          lambda: s.move if (s := now()) else None,
                                          lambda v: self._put(i, move=v))  # fmt: skip
        if support is not None and support.place == POINT:
            block.add(row(label("point x, y, z", "soft"), None, *at, UnitLabel(units.LENGTH), 22,
                          spacing=4), update_at)  # fmt: skip
        if i not in self.opened and not (support is not None and any(support.move)):
            block.add(row(spacing=0), self._updater(i, place, kind, local))
            return
        block.add(row(label("moved by x, y, z", "soft"), None, *moves, UnitLabel(units.LENGTH), 22,
                      spacing=4), update_moves)  # fmt: skip

        block.add(row(spacing=0), self._updater(i, place, kind, local))

    def _updater(self, i: int, place: QComboBox, kind: QComboBox, local: QPushButton) -> Update:
        def update() -> None:
            supports = self.session.project.supports
            if i < len(supports):
                set_options(place, self.places(), supports[i].place)
                set_options(kind, [*SUPPORT_KINDS], supports[i].kind)
                local.setChecked(supports[i].local)

        return update

    def toggle(self, i: int) -> None:
        """Open or close the figures of a prescribed displacement."""
        self.opened ^= {i}
        self.changed.emit()

    def add(self) -> None:
        """Add a support at the first place that has none."""
        supports = self.session.project.supports
        taken = {s.place for s in supports}
        known = self.places()
        place = next((p for p in known[1:] if p not in taken), known[0])
        self.edit("add support", lambda p: case_edits.put_supports(
            p, (*supports, Support(place, "pinned"))))  # fmt: skip
