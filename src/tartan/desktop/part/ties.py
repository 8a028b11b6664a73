"""Ties of the part: the gap that is bridged, and what it ties, with length and gap."""

from __future__ import annotations

from tartan.core.errors import TartanError
from tartan.desktop.part.form import PartForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import QuantityField, UnitLabel, column, label, row
from tartan.pages import part as state
from tartan.project.wording import units


class TiesForm(PartForm):
    """One figure, and the list of what comes of it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.gap = QuantityField(units.LENGTH, self._commit, optional=True)
        self.gap.setAccessibleName("gap bridged by ties")
        self.gap.setPlaceholderText("none")
        self.gap.setFixedWidth(88)
        self.gap.setToolTip("Components nearer than this are tied; empty ties nothing")
        self.gap.refused.connect(self.told)
        self.found = label("", "soft", wrap=True)
        box = column(
            row(
                label("Ties", "head"),
                None,
                label("bridge gaps up to", "soft"),
                self.gap,
                UnitLabel(units.LENGTH),
            ),
            self.found,
        )
        self.setLayout(box.layout())

    def _commit(self, value: float | None) -> TartanError | None:
        return self.change("ties", tie_gap=value or 0.0)

    def refresh(self) -> None:
        """Show the gap and what is tied."""
        part = self.part
        self.setVisible(part is not None and state.is_apart(part))
        if part is not None:
            self.gap.put_value(part.tie_gap or None)
            self.found.setText("\n".join(state.tie_lines(part)))
