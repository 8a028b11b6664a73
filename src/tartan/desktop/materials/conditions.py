"""Knock-down conditions: named factors, the materials they apply to, on or off."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError, fault_of
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import Field, button, label, row, switch
from tartan.pages import materials as state
from tartan.project.document.model import AppliedCondition
from tartan.project.edits import design_edits


class ConditionsPane(QWidget):
    """One line a condition of the project, for the chosen material."""

    def __init__(self, session: Session, tell: Callable[[str], None]) -> None:
        super().__init__()
        self.session, self._tell = session, tell
        self._shown: list[tuple[AppliedCondition, str]] = []
        self.in_force = label("", "soft", wrap=True)
        self.lines = QVBoxLayout()
        self.lines.setSpacing(3)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(
            row(
                label("Conditions", "head"),
                label("knock-down factors for temperature, moisture, statistical basis", "soft"),
                None,
                button("+ condition", self.add, "New condition on this material"),
            )
        )
        box.addLayout(self.lines)
        box.addWidget(self.in_force)

    @property
    def _material(self) -> str:
        return self.session.selection.material

    def add(self) -> None:
        """Add a condition on the chosen material."""
        project, material = self.session.project, self._material
        name = design_edits.free_name("hot, wet", (c.name for c in project.conditions))
        new = AppliedCondition(name, (("Xc", 0.8), ("S12", 0.8)), (material,))
        self._edit("add condition", (*project.conditions, new))

    def _edit(self, words: str, conditions: tuple[AppliedCondition, ...]) -> TartanError | None:
        error = self.session.edit(words, lambda p: design_edits.put_conditions(p, conditions))
        self._tell(fault_of(error))
        return error

    def _replace(self, old: AppliedCondition, new: AppliedCondition | None) -> TartanError | None:
        kept = (new if c.name == old.name else c for c in self.session.project.conditions)
        return self._edit(f"condition {old.name}", tuple(c for c in kept if c is not None))

    def put(self) -> None:
        """Show the conditions as they stand."""
        project = self.session.project
        material = project.material(self._material)
        self.in_force.setText(state.in_force_words(project, material) if material else "")
        self.in_force.setVisible(bool(self.in_force.text()))
        found = list(project.conditions)
        wanted = [(c, self._material) for c in found]
        if wanted == self._shown:
            return
        self._shown = wanted
        while self.lines.count():
            item = self.lines.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        for condition in found:
            self.lines.addWidget(self._line(condition))

    def _line(self, condition: AppliedCondition) -> QWidget:
        applies = self._material in condition.materials
        here = switch("applies here", "Whether the factors apply to this material", on=applies)
        here.setAccessibleName(f"{condition.name} applies here")
        here.clicked.connect(lambda on: self._apply(condition, on=on))
        active = switch(
            "on", "Switch the condition on or off for all its materials", on=condition.active
        )
        active.clicked.connect(lambda on: self._replace(condition, replace(condition, active=on)))
        name = Field(lambda text: self._replace(condition, replace(condition, name=text.strip())))
        name.setAccessibleName(f"Name of condition {condition.name}")
        name.setFixedWidth(120)
        name.put(condition.name)
        factors = Field(lambda text: self._set_factors(condition, text))
        factors.setAccessibleName(f"Factors of condition {condition.name}")
        factors.put(state.factor_text(condition))
        for field in (name, factors):
            field.refused.connect(self._tell)
        gone = button("remove", lambda: self._replace(condition, None))
        return row(active, name, factors, here, gone, spacing=6)

    def _apply(self, condition: AppliedCondition, *, on: bool) -> None:
        others = tuple(m for m in condition.materials if m != self._material)
        materials = (*others, self._material) if on else others
        self._replace(condition, replace(condition, materials=materials))

    def _set_factors(self, condition: AppliedCondition, text: str) -> TartanError | None:
        try:
            factors = state.read_factors(text)
        except TartanError as error:
            return error
        return self._replace(condition, replace(condition, factors=factors))
