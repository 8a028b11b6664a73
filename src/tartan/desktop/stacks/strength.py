"""Strength of the chosen stack: critical loads by one set of criteria against another."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMenu, QWidget

from tartan.core.criteria import criterion
from tartan.core.errors import TartanError, fault_of
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import LEVELS, Load
from tartan.core.strength.critical import COMPONENTS, CriticalLoad, critical_shears
from tartan.core.strength.laminate_reserves import unchecked
from tartan.core.working_strength import reserve_working
from tartan.desktop.owncriteria import OwnCriteria
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.widgets.controls import (
    button,
    choice,
    column,
    label,
    set_options,
)
from tartan.desktop.widgets.criticals import CriticalPicture, quantity_of
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.figure import Open
from tartan.desktop.widgets.flow import wrapped
from tartan.exchange.tables import Cell, Table
from tartan.pages import stack_answers as answers
from tartan.pages.shown import Look
from tartan.project.edits import design_edits
from tartan.project.wording import units

NONE = "nothing"


class StrengthPane(QWidget):
    """Twelve directions with ply and mode, two sets of criteria side by side, and as a table."""

    def __init__(self, open_working: Open) -> None:
        super().__init__()
        self._open = open_working
        self._chosen: Chosen | None = None
        self._found: list[tuple[CriticalLoad, ...]] = []
        self.set_in_force = choice([], self._put_in_force)
        self.set_in_force.setAccessibleName("Criteria in force")
        self.against = choice([], lambda _: self._again())
        self.against.setAccessibleName("Criteria compared")
        self.edit_button = button("sets ▾", self._offer_criteria, "Switch criteria of this set")
        self.picture = CriticalPicture()
        self.picture.opened.connect(self._open_load)
        self.shear = label("", "soft", wrap=True)
        self.table = DataTable("critical loads", filtered=False)
        self.fault = label("", "fault", wrap=True)
        self.lacks = label("", "fault", wrap=True)
        self.own = OwnCriteria()
        self.own.hide()
        made = column(
            wrapped(
                label("by", "soft"),
                self.set_in_force,
                label("against", "soft"),
                self.against,
                self.edit_button,
                None,
                spacing=4,
            ),
            self.own,
            self.fault,
            self.lacks,
            self.picture,
            self.shear,
            self.table,
            spacing=5,
        )
        box = made.layout()
        assert box is not None
        self.setLayout(box)

    # Criteria

    def _put_in_force(self, name: str) -> None:
        """Make a set the one that governs: the first of the project."""
        if self._chosen is None:
            return
        self._chosen.session.edit(
            f"criteria {name}",
            lambda p: design_edits.put_criteria(
                p, sorted(p.criteria, key=lambda c: c.name != name)
            ),
        )

    def _offer_criteria(self) -> None:
        if self._chosen is None:
            return
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        in_force = self._chosen.criteria
        for kind, keys in in_force.rules:
            part = menu.addMenu(f"{kind} layers")
            assert part is not None
            for rule in self._chosen.session.project.offered(kind):
                action = part.addAction(rule.title)
                assert action is not None
                action.setCheckable(True)
                action.setChecked(rule.key in keys)
                action.toggled.connect(lambda on, k=kind, c=rule.key: self.switch(k, c, on=on))
        menu.addSeparator()
        menu.addAction("criteria of your own", self.own.toggle)
        menu.addAction("new set like this", self.add)
        menu.addAction("remove this set", self._remove)
        menu.popup(self.edit_button.mapToGlobal(self.edit_button.rect().bottomLeft()))

    def switch(self, kind: str, key: str, *, on: bool) -> None:
        """Switch a criterion of the set in force on or off for a kind of material."""
        if self._chosen is None:
            return
        changed = design_edits.switched(self._chosen.criteria, kind, key, on=on)
        error = self._chosen.session.edit(
            f"criteria {changed.name}",
            lambda p: design_edits.put_criteria(p, (changed, *p.criteria[1:])),
        )
        self._say(error)

    def add(self) -> None:
        """Add a set of criteria like the one in force, and put it in force."""
        if self._chosen is not None:
            self._chosen.session.edit(
                "new criteria", lambda p: design_edits.add_criteria(p, p.criteria[0])
            )

    def _remove(self) -> None:
        if self._chosen is not None:
            self._say(
                self._chosen.session.edit(
                    "remove criteria", lambda p: design_edits.put_criteria(p, p.criteria[1:])
                )
            )

    def _say(self, error: TartanError | None) -> None:
        self.fault.setText(fault_of(error))
        self.fault.setVisible(error is not None)

    # Showing

    def _again(self) -> None:
        if self._chosen is not None:
            self.put(self._chosen)

    def put(self, chosen: Chosen) -> None:
        """Show a stack's critical loads."""
        self._chosen = chosen
        self.own.put(chosen.session)
        names = [c.name for c in chosen.session.project.criteria]
        set_options(self.set_in_force, names, chosen.criteria.name)
        compared = self.against.currentText()
        options = [NONE, *names[1:]]
        set_options(self.against, options, compared if compared in options else options[-1])
        self._say(None)
        lacks = unchecked(chosen.laminate, chosen.criteria.sets) if chosen.laminate else ()
        self.lacks.setText(f"Not judged: {'; '.join(lacks)}." if lacks else "")
        self.lacks.setVisible(bool(lacks))
        self._found = []
        if chosen.laminate is None:
            self.picture.put([])
            self.table.put(Table("critical loads", (), ()))
            return
        try:
            self._found = self._critical(chosen, chosen.laminate)
            before = (
                ()
                if chosen.before is None
                else answers.critical_of(chosen.before, chosen.criteria, chosen.loads)
            )
        except TartanError as error:
            self._say(error)
            self.picture.put([])
            return
        self.picture.put(self._found, (chosen.criteria.name, self.against.currentText()), before)
        self._fill_table(before)
        self._put_shear(chosen, chosen.laminate)

    def _critical(self, chosen: Chosen, laminate: Laminate) -> list[tuple[CriticalLoad, ...]]:
        found = [answers.critical_of(laminate, chosen.criteria, chosen.loads)]
        other = next(
            (
                c
                for c in chosen.session.project.criteria[1:]
                if c.name == self.against.currentText()
            ),
            None,
        )
        if other is not None:
            found.append(answers.critical_of(laminate, other, chosen.loads))
        return found

    def _put_shear(self, chosen: Chosen, laminate: Laminate) -> None:
        sets = {
            "ply": ("interlaminar",),
            "woven": ("interlaminar",),
            "core": ("core_shear",),
            "isotropic": ("interlaminar",),
            "filler": ("interlaminar",),
        }
        try:
            each = critical_shears(laminate, sets)
        except TartanError as error:
            self.shear.setText(f"Transverse forces: {error.what}")
            return
        words = ", ".join(f"{n} {units.show(v, units.LINE_FORCE)}" for n, v in each.items())
        self.shear.setText(f"First failure in interlaminar or core shear: {words}, either sign.")

    def _fill_table(self, before: tuple[CriticalLoad, ...]) -> None:
        rows: list[tuple[Cell, ...]] = []
        looks: list[list[Look | None]] = []
        for i, c in enumerate(self._found[0]):
            quantity = quantity_of(c.component)
            bend = c.component.startswith("M")
            deformed = units.CURVATURE if bend else units.STRAIN
            then = (c.load - before[i].load) / quantity.scale if before else 0.0
            other = self._found[1][i].load / quantity.scale if len(self._found) > 1 else None
            values = (
                load_words(c),
                c.load / quantity.scale,
                c.stress / units.STRESS.scale,
                c.deformation / deformed.scale,
                c.ply + 1,
                c.mode,
                math.nan if c.angle is None else c.angle,
                criterion(c.criterion).title,
                other,
                then if before else None,
            )
            rows.append(values)
            angle = Look("" if c.angle is None else f"{c.angle:.0f}°")
            shown: list[Look | None] = [None] * len(values)
            shown[4], shown[6] = Look(f"{c.ply + 1} {c.level}"), angle
            shown[5] = Look(c.mode, mode=c.mode)
            looks.append(shown)
        force = f"{units.LINE_FORCE.unit} or {units.LINE_MOMENT.unit}"
        head = (
            "load",
            f"size [{force}]",
            f"stress [{units.STRESS.unit}]",
            f"strain [{units.STRAIN.unit}], curvature [{units.CURVATURE.unit}]",
            "ply",
            "mode",
            "fracture angle [°]",
            "criterion",
            f"by {self.against.currentText()}",
            "against baseline",
        )
        about = ""
        if self._chosen is not None:
            about = f"{self._chosen.stack.name}, by {self._chosen.criteria.name} criteria"
        self.table.put(
            Table("critical loads", head, tuple(rows), about), looks, (104, 62, 58, 62, 66, 108)
        )

    def _open_load(self, component: str, sign: int) -> None:
        if self._chosen is None or self._chosen.laminate is None or not self._found:
            return
        laminate, fixed = self._chosen.laminate, self._chosen.loads
        c = next(c for c in self._found[0] if (c.component, c.sign) == (component, sign))
        unit = [0.0] * 6
        unit[COMPONENTS.index(component)] = float(sign)
        load = Load(np.array(unit[:3]), np.array(unit[3:]), fixed.dT, fixed.dT_gradient, fixed.dC)
        self._open(
            lambda: reserve_working(laminate, load, c.criterion, c.ply, LEVELS.index(c.level))
        )


def load_words(c: CriticalLoad) -> str:
    """A critical load in words: component and sense."""
    if c.component in ("Nx", "Ny"):
        return f"{c.component} {'tension' if c.sign > 0 else 'compression'}"
    return f"{c.component} {'positive' if c.sign > 0 else 'negative'}"
