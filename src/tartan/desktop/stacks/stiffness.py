"""Stiffness of the chosen stack: A, B, D with couplings, constants, expansion, polar picture."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QMenu, QSizePolicy, QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import expansion
from tartan.core.working import Working, constant_working, stiffness_working
from tartan.desktop.stacks.asnumbers import AsNumbers
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.widgets.controls import UnitLabel, button, column, label, row
from tartan.desktop.widgets.figure import Figure, Open
from tartan.desktop.widgets.matrix import MatrixPicture
from tartan.desktop.widgets.polar import Curve, PolarPicture, laminate_curves, other_curve
from tartan.pages import stacks as state
from tartan.project.wording import units

_AXES = ("x", "y", "xy")


class StiffnessPane(QWidget):
    """Draws what the laminate is; a click on a figure opens its working."""

    def __init__(self, open_working: Open) -> None:
        super().__init__()
        self._open = open_working
        self._chosen: Chosen | None = None
        self.matrix = MatrixPicture()
        self.matrix.cell_pressed.connect(self._open_entry)
        self.figures: dict[tuple[str, str], Figure] = {}
        self.shear = label("", "soft", wrap=True)
        self.expansion = label("", "soft", wrap=True)
        self.polar = PolarPicture()
        self.polar.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        for words in (self.shear, self.expansion):
            words.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
        self.pinned: list[str] = []
        self.numbers = AsNumbers()
        self.pin_button = button("others ▾", self._offer_others, "Draw other stacks' curves too")
        box = column(
            self.matrix,
            2,
            self._build_constants(),
            self.shear,
            self.expansion,
            row(label("Polar", "head"), None, self.pin_button),
            self.polar,
            self.numbers,
            spacing=4,
        )
        holder = box.layout()
        assert holder is not None
        self.setLayout(holder)

    def _build_constants(self) -> QWidget:
        table = QWidget()
        grid = QGridLayout(table)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(3)
        # A line for each way of loading it: across, the constants of one state belong together.
        right = Qt.AlignmentFlag.AlignRight
        for j, (field, symbol) in enumerate(state.CONSTANTS, start=1):
            name = row(label(symbol, "head"), UnitLabel(state.quantity_of(field)), spacing=3)
            grid.addWidget(name, 0, j, right)
            grid.setColumnStretch(j, 1)
            for i, form in enumerate(state.FORMS, start=1):
                figure = Figure()
                figure.setAccessibleName(f"{field} {form}")
                figure.setAlignment(right)
                figure.opened.connect(lambda f=field, k=form: self._open_constant(f, k))
                grid.addWidget(figure, i, j)
                self.figures[field, form] = figure
        for i, form in enumerate(state.FORMS, start=1):
            grid.addWidget(label(form, "soft"), i, 0)
        return table

    def _offer_others(self) -> None:
        if self._chosen is None:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for stack in self._chosen.session.project.stacks:
            if stack.name != self._chosen.stack.name:
                action = menu.addAction(stack.name)
                assert action is not None
                action.setCheckable(True)
                action.setChecked(stack.name in self.pinned)
                action.toggled.connect(lambda on, n=stack.name: self.pin(n, on=on))
        menu.popup(self.pin_button.mapToGlobal(self.pin_button.rect().bottomLeft()))

    def pin(self, name: str, *, on: bool) -> None:
        """Draw another stack's curve too, or no longer."""
        self.pinned = [n for n in self.pinned if n != name] + ([name] if on else [])
        if self._chosen is not None:
            self.put(self._chosen)

    # Workings

    def _make(self, make: Callable[[Laminate], Working]) -> None:
        laminate = self._chosen.laminate if self._chosen else None
        if laminate is not None:
            self._open(lambda: make(laminate))

    def _open_entry(self, block: str, i: int, j: int) -> None:
        self._make(lambda laminate: stiffness_working(laminate, block, i, j))

    def _open_constant(self, field: str, form: str) -> None:
        self._make(lambda laminate: constant_working(laminate, field, form))

    # Showing

    def put(self, chosen: Chosen) -> None:
        """Show a stack's stiffness."""
        self._chosen = chosen
        laminate, before = chosen.laminate, chosen.before
        words = state.couplings(laminate) if laminate else ()
        self.matrix.put(laminate.ABD if laminate else None, words, before.ABD if before else None)
        self._put_constants(laminate, before)
        self.polar.put(self._curves(chosen))
        self.numbers.put(laminate)
        self.shear.setText("")
        self.expansion.setText("")
        if laminate is None:
            return
        self.expansion.setText(expansion_words(laminate))
        try:
            H = laminate.shear / units.MEMBRANE.scale
            H = np.where(np.abs(H) < 1e-9 * np.abs(H).max(), 0.0, H)
        except TartanError as error:
            self.shear.setText(str(error))
            return
        self.shear.setText(
            f"Transverse shear stiffness: xz {units.number(H[0, 0])}, yz {units.number(H[1, 1])}, "
            f"coupling {units.number(H[0, 1], 3)} {units.MEMBRANE.unit}, energy-equivalent"
        )

    def _put_constants(self, laminate: Laminate | None, before: Laminate | None) -> None:
        now = state.constants_of(laminate) if laminate else {}
        then = state.constants_of(before) if before else {}
        for (field, form), figure in self.figures.items():
            quantity = state.quantity_of(field)
            value = now.get((field, form))
            if value is None:
                figure.put("")
                continue
            change = state.change_words(value, then.get((field, form)), quantity)
            figure.put(
                units.number(value / quantity.scale),
                change,
                f"{value / quantity.scale!r} {quantity.unit}",
            )

    def _curves(self, chosen: Chosen) -> list[Curve]:
        if chosen.laminate is None:
            return []
        curves = laminate_curves(chosen.laminate)
        project = chosen.session.project
        if chosen.before is not None and project.baseline is not None:
            curves.append(other_curve(f"in {project.baseline.name}", chosen.before, len(curves)))
        for name in self.pinned:
            stack = project.stack(name)
            other = state.laminate_or_error(project, stack)[0] if stack else None
            if other is not None and name != chosen.stack.name:
                curves.append(other_curve(name, other, len(curves)))
        return curves


def expansion_words(laminate: Laminate) -> str:
    """Free expansion by temperature and moisture in words."""
    heat, wet = expansion(laminate)
    heat = np.where(np.abs(heat) < 1e-9 * np.abs(heat[:3]).max(), 0.0, heat)
    alpha = ", ".join(
        f"{a} {units.number(v / units.EXPANSION.scale, 3)}"
        for a, v in zip(_AXES, heat[:3], strict=True)
    )
    words = f"Expansion: {alpha} {units.EXPANSION.unit}"
    if abs(heat[3:]).max() * laminate.thickness > 1e-9 * max(abs(heat[:3]).max(), 1e-30):
        bend = ", ".join(units.number(v / units.BEND_EXPANSION.scale, 3) for v in heat[3:])
        words += f"; curvature {bend} {units.BEND_EXPANSION.unit}"
    if wet.any():
        swell = ", ".join(f"{a} {units.number(v, 3)}" for a, v in zip(_AXES, wet[:3], strict=True))
        words += f". Moisture: {swell}"
    return words
