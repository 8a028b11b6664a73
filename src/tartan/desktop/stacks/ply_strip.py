"""The line below the section picture: what is picked, its figures, and what can be done."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.stack import Stack
from tartan.desktop.session import Session
from tartan.desktop.stacks.editor import SectionEditor
from tartan.desktop.stacks.menus import StackActions
from tartan.desktop.widgets.controls import (
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    set_options,
)
from tartan.desktop.widgets.flow import wrapped
from tartan.pages import stacks as state
from tartan.project.wording import units


class PlyStrip(QWidget):
    """Angle, material and thickness of the picked plies."""

    def __init__(
        self,
        session: Session,
        editor: SectionEditor,
        actions: StackActions,
        tell: Callable[[str], None],
    ) -> None:
        super().__init__()
        self.session, self.editor = session, editor
        self._stack_actions = actions
        self.angle = QuantityField(units.ANGLE, self._set_angle)
        self.thickness = QuantityField(units.LENGTH, self._set_thickness)
        self.material = choice([], self._set_material)
        self.picked = label("", "head")
        self.angle.setFixedWidth(58)
        self.angle.setAccessibleName("Angle")
        self.thickness.setFixedWidth(66)
        self.thickness.setAccessibleName("Thickness")
        self.material.setAccessibleName("Material")
        self.material.setMinimumWidth(116)
        for field in (self.angle, self.thickness):
            field.refused.connect(tell)
        self._parts = (
            self.angle,
            label("°", "soft"),
            self.material,
            self.thickness,
            UnitLabel(units.LENGTH),
        )
        self.menu_button = button("stack ▾", self._offer, "What can be done with the whole stack")
        line = wrapped(
            self.picked,
            *self._parts,
            None,
            button("+ ply", editor.add_ply, "Add a ply like the picked one   Enter"),
            button("delete", editor.delete_plies, "Delete"),
            self.menu_button,
            spacing=4,
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(line)

    def _offer(self) -> None:
        menu = self._stack_actions.menu()
        menu.popup(self.menu_button.mapToGlobal(self.menu_button.rect().topLeft()))

    def _change(self, name: str, **values: float | str) -> TartanError | None:
        picked = self.session.selection.plies
        return self.editor.apply(name, lambda: state.change(self.editor.plies, picked, **values))

    def _set_angle(self, value: float | None) -> TartanError | None:
        return self._change("angle", angle=value or 0.0)

    def _set_thickness(self, value: float | None) -> TartanError | None:
        return self._change("thickness", thickness=value or 0.0)

    def _set_material(self, name: str) -> None:
        material = self.session.project.material(name)
        if material is not None and material.ply_thickness:
            self._change("material", material=name, thickness=material.ply_thickness)
        else:
            self._change("material", material=name)

    def put(self, stack: Stack) -> None:
        """Show what is picked of a stack."""
        picked = self.session.selection.plies
        for part in self._parts:
            part.setVisible(bool(picked))
        if not picked:
            self.picked.setText("Click a ply and type its angle; drag moves it, Enter repeats")
            self.angle.put("")
            self.thickness.put("")
            return
        plies = [stack.plies[i] for i in picked]
        self.picked.setText(f"ply {picked[0] + 1}" if len(picked) == 1 else f"{len(picked)} plies")
        angles, sizes = {p.angle for p in plies}, {p.thickness for p in plies}
        self.angle.put_value(angles.pop() if len(angles) == 1 else None)
        self.thickness.put_value(sizes.pop() if len(sizes) == 1 else None)
        names = {p.material for p in plies}
        set_options(
            self.material,
            [m.name for m in self.session.project.materials],
            names.pop() if len(names) == 1 else "",
        )
