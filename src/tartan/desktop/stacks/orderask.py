"""What is asked of the order of a stack's plies: goals, panel, what moves, rules of the shop."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.search.plate import Panel
from tartan.core.search.shoprules import ShopRule
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    switch,
)
from tartan.desktop.widgets.recordform import Records, quantity_field
from tartan.pages.ordering_fields import (
    RULE_TIPS,
    goal_fields,
    new_rule,
    rule_fields,
)
from tartan.project.document.ordermodel import FIGURES, OF_A_PANEL, OrderAsk, OrderGoal
from tartan.project.edits import order_edits
from tartan.project.findings.order_words import FIGURE_TITLES, RULE_TITLES
from tartan.project.wording import units


class OrderForm(QWidget):
    """Fields of a search."""

    def __init__(self, session: Session, told: Callable[[str], None]) -> None:
        super().__init__()
        self.session, self._told = session, told
        self.goals = Block()
        self.add_goal = choice([], self._add_goal)
        self.add_goal.setPlaceholderText("+ goal …")
        self.add_goal.setAccessibleName("Add a goal")
        self.add_goal.setMinimumContentsLength(8)
        self.rules = Block()
        self.add_rule = choice([], self._add_rule)
        self.add_rule.setPlaceholderText("+ rule …")
        self.add_rule.setAccessibleName("Add a shop rule")
        self.add_rule.setMinimumContentsLength(8)
        self.symmetric = switch("symmetric", "What is found mirrors itself about the middle")
        self.symmetric.clicked.connect(self._set_symmetric)
        self.hold = button("hold chosen plies", self._hold, "They stay where they are")
        self.free = button("free all", self._free, "Every ply may move, but for cores")
        self.held = label("", "soft")
        self.panel = self._make_panel()
        self._goals = Records(lambda: self.ask.goals, self._put_goals, goal_fields, told, "goal")
        self._rules = Records(
            lambda: session.project.shop_rules, self._put_rules, rule_fields, told, "rule"
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 6, 0)
        box.setSpacing(5)
        for each in (
            row(label("As good as can be", "head"), None, self.add_goal),
            self.goals,
            self.panel,
            row(self.symmetric, self.hold, self.free, self.held, None, spacing=4),
            row(label("Shop rules", "head"), None, self.add_rule),
            self.rules,
        ):
            box.addWidget(each)
        box.addStretch(1)

    def _make_panel(self) -> QWidget:
        self._fields: list[tuple[QuantityField, str, int | None]] = []

        def field(key: str, axis: int | None, quantity: units.Quantity, name: str) -> QWidget:
            def commit(value: float | None) -> TartanError | None:
                now = getattr(self.ask.panel, key)
                new: object = value or 0.0
                if axis is not None:
                    new = (*now[:axis], value or 0.0, *now[axis + 1 :])
                changed = replace(self.ask.panel, **{key: new})  # type: ignore[arg-type]
                return self._put_panel(changed)

            made = quantity_field(quantity, commit, f"{name} of the panel", self._told, wide=58)
            made.setToolTip(name)
            self._fields.append((made, key, axis))
            return made

        sides = row(
            label("panel", "soft"),
            field("sides", 0, units.LENGTH, "length along x"),
            label("×", "soft"),
            field("sides", 1, units.LENGTH, "width along y"),
            UnitLabel(units.LENGTH),
            label("simply supported", "soft"),
            None,
            spacing=4,
        )
        self.pressed = row(
            label("pressed by", "soft"),
            field("pressed", 0, units.LINE_FORCE, "Nx, positive in compression"),
            field("pressed", 1, units.LINE_FORCE, "Ny, positive in compression"),
            field("pressed", 2, units.LINE_FORCE, "Nxy"),
            UnitLabel(units.LINE_FORCE),
            None,
            spacing=4,
        )
        self.pressed.setToolTip("Nx, Ny (positive in compression) and Nxy")
        self.pressure = row(
            label("pressure", "soft"),
            field("pressure", None, units.PRESSURE, "pressure"),
            UnitLabel(units.PRESSURE),
            None,
            spacing=4,
        )
        holder = QWidget()
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        for each in (sides, self.pressed, self.pressure):
            box.addWidget(each)
        return holder

    @property
    def ask(self) -> OrderAsk:
        """What is asked of the chosen stack."""
        return order_edits.ask_of(self.session.project, self.session.selection.stack)

    # Edits

    def _put(self, words: str, ask: OrderAsk) -> TartanError | None:
        error = self.session.edit(words, lambda p: order_edits.put_ask(p, ask))
        self._told("" if error is None else str(error))
        return error

    def _put_goals(self, words: str, goals: tuple[OrderGoal, ...]) -> TartanError | None:
        return self._put(words, replace(self.ask, goals=goals))

    def _put_panel(self, panel: Panel) -> TartanError | None:
        return self._put("panel of the order", replace(self.ask, panel=panel))

    def _put_rules(self, words: str, rules: tuple[ShopRule, ...]) -> TartanError | None:
        error = self.session.edit(words, lambda p: order_edits.put_rules(p, rules))
        self._told("" if error is None else str(error))
        return error

    def _add_goal(self, title: str) -> None:
        figure = next(f for f in FIGURES if FIGURE_TITLES[f] == title)
        self._put("add goal", replace(self.ask, goals=(*self.ask.goals, OrderGoal(figure))))
        self.add_goal.setCurrentIndex(-1)

    def _add_rule(self, title: str) -> None:
        self._put_rules("add rule", (*self.session.project.shop_rules, new_rule(title)))
        self.add_rule.setCurrentIndex(-1)

    def _set_symmetric(self, on: bool) -> None:
        self._put("symmetric order", replace(self.ask, symmetric=on))

    def _hold(self) -> None:
        chosen = self.session.selection.plies
        if not chosen:
            self._told("Pick plies in the section first.")
            return
        held = tuple(sorted({*self.ask.held, *chosen}))
        self._put("hold plies", replace(self.ask, held=held))

    def _free(self) -> None:
        self._put("free plies", replace(self.ask, held=()))

    # Showing

    def refresh(self) -> None:
        """Show what is asked of the chosen stack."""
        ask = self.ask
        self.goals.put(self._goals.make_up(), self._goals.rows)
        self.rules.put(self._rules.make_up(), self._rules.rows)
        used = {g.figure for g in ask.goals}
        offered = [FIGURE_TITLES[f] for f in FIGURES if f not in used]
        for box, options in (
            (self.add_goal, offered),
            (self.add_rule, list(RULE_TITLES.values())),
        ):
            if [box.itemText(i) for i in range(box.count())] != options:
                box.clear()
                box.addItems(options)
            box.setCurrentIndex(-1)
        for i, tip in enumerate(RULE_TIPS.values()):
            self.add_rule.setItemData(i, tip, Qt.ItemDataRole.ToolTipRole)
        self.symmetric.setChecked(ask.symmetric)
        self.held.setText(_held_words(ask.held))
        self.free.setVisible(bool(ask.held))
        self.panel.setVisible(bool(used & set(OF_A_PANEL)))
        self.pressed.setVisible("buckling" in used)
        self.pressure.setVisible("deflection" in used)
        for field, key, axis in self._fields:
            value = getattr(ask.panel, key)
            field.put_value(value if axis is None else value[axis])


def _held_words(held: tuple[int, ...]) -> str:
    if not held:
        return ""
    if len(held) > 4:
        return f"{len(held)} held"
    return "held: " + ", ".join(str(i + 1) for i in held)
