"""What judges and what counts: criteria and allowables, and areas left out; nothing is solved."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import Literal

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from tartan.core.criteria import criterion
from tartan.core.errors import TartanError
from tartan.core.materials import ELASTIC_FIELDS, FIELD_NAMES, OPTIONAL
from tartan.desktop import theme
from tartan.desktop.owncriteria import OwnCriteria
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    scrolled,
    set_options,
    switch,
)
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.partmesh import region_names
from tartan.project.document.model import Project
from tartan.project.document.partmodel import LeftOut, Region
from tartan.project.edits import case_edits, design_edits, part_edits, stack_edits
from tartan.project.edits.design_edits import KINDS
from tartan.project.findings.chosen_margins import Ask, worst_of
from tartan.project.wording import units
from tartan.project.wording.document_words import QUANTITIES, SYMBOLS

BY_HAND = "left out by hand"


class CriteriaForm(QWidget):
    """Criteria by kind of layer and the data they ask of a material; old beside new."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.told = label("", "fault", wrap=True)
        self.effect = label("", "head")
        self.kinds = Block()
        self.by_material = choice([], self._add_rule)
        self.by_material.setPlaceholderText("+ for one material …")
        self.by_material.setAccessibleName("Material with criteria of its own")
        self.own = OwnCriteria()
        self.material = choice([], lambda name: session.select(material=name))
        self.material.setAccessibleName("Material of the allowables")
        self.fields = Block()
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        for part in (
            self.effect,
            self.told,
            row(label("Allowables of", "head"), self.material, None),
            self.fields,
            row(label("Criteria by kind of layer", "head"), None, self.by_material),
            self.kinds,
            label("Criteria of your own", "head"),
            self.own,
        ):
            box.addWidget(part)
        box.addStretch(1)
        around = QVBoxLayout(self)
        around.setContentsMargins(0, 0, 0, 0)
        around.addWidget(scrolled(inside))

    def _edit(self, name: str, change: Callable[[Project], Project]) -> TartanError | None:
        error = self.session.edit(name, change)
        self.told.setText("" if error is None else str(error))
        return error

    def refresh(self) -> None:
        """Show criteria, allowables and what the last change did."""
        project, session = self.session.project, self.session
        self.effect.setText(self._effect())
        rules = _ruled(project)
        offered = tuple(r.key for r in project.offered())
        self.kinds.put((rules, offered), self._build_kinds)
        own = [k for k, _ in project.criteria[0].rules]
        set_options(self.by_material, [m.name for m in project.materials if m.name not in own], "")
        self.by_material.setCurrentIndex(-1)
        self.own.put(session)
        used = self._used()
        chosen = session.selection.material
        chosen = chosen if chosen in used else (used[0] if used else "")
        set_options(self.material, used, chosen)
        self.fields.put((chosen, self._needs(chosen)), self._build_fields)
        self.told.setVisible(bool(self.told.text()))

    def _effect(self) -> str:
        """Reserve factor now, and what it was by the answer before."""
        session = self.session
        answer, before = session.answer, session.previous
        if answer is None:
            return "no answer yet"
        rules = session.project.left_out
        now = _least(answer, rules)
        if not session.fresh:
            return f"reserve factor was {now}, being assessed again"
        if before is None or len(before.margins.reserve) != len(answer.margins.reserve):
            return f"reserve factor {now}"
        return f"reserve factor {now}, was {_least(before, rules)}"

    def _used(self) -> list[str]:
        answer = self.session.answer
        return [m.name for m in answer.inputs.materials] if answer is not None else []

    def _needs(self, name: str) -> tuple[str, ...]:
        """Data that the criteria in force ask of a material."""
        project = self.session.project
        material = project.material(name)
        if material is None:
            return ()
        sets = project.criteria[0].sets
        keys = sets.get(name, sets.get(material.kind, ()))
        asked = dict.fromkeys(f for k in keys for f in criterion(k).needs if f in FIELD_NAMES)
        # Stiffnesses are not allowables: they would ask for a new solution.
        return tuple(f for f in asked if f not in ELASTIC_FIELDS)

    def _build_kinds(self, block: Block) -> None:
        for kind in _ruled(self.session.project):
            holder = QWidget()
            grid = QGridLayout(holder)
            grid.setContentsMargins(0, 0, 0, 2)
            grid.setVerticalSpacing(1)
            material = self.session.project.material(kind) if kind not in KINDS else None
            if material is None:
                grid.addWidget(label(f"{kind} layers", "soft"), 0, 0, 1, 3)
            else:
                end = button("×", partial(self._drop_rule, kind), f"Judge {kind} by its kind")
                grid.addWidget(row(label(f"{kind} alone", "soft"), None, end), 0, 0, 1, 3)
            boxes: dict[str, QCheckBox] = {}
            for i, rule in enumerate(
                self.session.project.offered(material.kind if material else kind)
            ):
                key = rule.key
                box = boxes[key] = QCheckBox(rule.title)
                box.setFont(theme.font(9))
                box.setAccessibleName(f"{rule.title} for {kind} layers")
                box.setToolTip(f"{rule.formula}\n{rule.source}")
                box.clicked.connect(lambda on, k=kind, c=key: self._switch(k, c, on=on))
                grid.addWidget(box, 1 + i // 3, i % 3)
            block.add(holder, lambda k=kind, b=boxes: self._tick(k, b))  # type: ignore[misc]

    def _add_rule(self, name: str) -> None:
        """Give a material criteria of its own."""
        if self.session.project.material(name) is not None:
            self._edit(f"criteria of {name}", lambda p: design_edits.put_own_rule(p, name))

    def _drop_rule(self, name: str) -> None:
        self._edit(f"criteria of {name}", lambda p: design_edits.drop_own_rule(p, name))

    def _tick(self, kind: str, boxes: dict[str, QCheckBox]) -> None:
        keys = dict(self.session.project.criteria[0].rules).get(kind, ())
        for key, box in boxes.items():
            box.setChecked(key in keys)

    def _switch(self, kind: str, key: str, *, on: bool) -> None:
        def change(project: Project) -> Project:
            first, *others = project.criteria
            changed = design_edits.switched(first, kind, key, on=on)
            return design_edits.put_criteria(project, (changed, *others))

        error = self._edit(f"criteria of {kind} layers", change)
        if error is not None:
            self.refresh()

    def _build_fields(self, block: Block) -> None:
        name = self.material.currentText()
        needs = self._needs(name)
        for first in range(0, len(needs), 2):
            parts: list[QWidget | int | None] = []
            updates: list[Callable[[], None]] = []
            for field in needs[first : first + 2]:
                edit = QuantityField(
                    QUANTITIES[field],
                    partial(self._put, name, field),
                    optional=field in OPTIONAL,
                )
                edit.setFixedWidth(62)
                edit.setAccessibleName(f"{field} of {name}")
                symbol, old = label(SYMBOLS[field]), label("", "soft")
                symbol.setFixedWidth(42)
                symbol.setToolTip(FIELD_NAMES[field])
                old.setFixedWidth(84)
                parts += [symbol, edit, old]
                updates.append(lambda f=field, e=edit, o=old: self._update(name, f, e, o))  # type: ignore[misc]
            block.add(row(*parts, None, spacing=3), partial(_each, updates))

    def _update(self, name: str, field: str, edit: QuantityField, old: object) -> None:
        project = self.session.project
        material = project.material(name)
        if material is None:
            return
        quantity = QUANTITIES[field]
        now = getattr(material, field)
        edit.put_value(now)
        words = quantity.unit
        base = project.baseline.material(name) if project.baseline is not None else None
        then = getattr(base, field) if base is not None else None
        if then is not None and then != now:
            words = f"{words} was {units.show(then, quantity, unit=False)}"
        old.setText(words)  # type: ignore[attr-defined]

    def _put(self, name: str, field: str, value: float | None) -> TartanError | None:
        return self._edit(
            f"{SYMBOLS[field]} of {name}", lambda p: stack_edits.set_value(p, name, field, value)
        )


def _ruled(project: Project) -> tuple[str, ...]:
    """Kinds and materials whose criteria can be chosen."""
    rules, kinds = dict(project.criteria[0].rules), {m.kind for m in project.materials}
    chosen = [k for k, x in rules.items() if k in kinds or x or k not in KINDS]
    return (*chosen, *(k for k in KINDS if k in kinds and k not in rules))


def _least(answer: PartAnswer, rules: tuple[LeftOut, ...]) -> str:
    element = worst_of(answer, Ask(), rules)
    return "∞" if element is None else units.factor(float(answer.margins.reserve[element]))


def _each(updates: Sequence[Callable[[], None]]) -> None:
    for update in updates:
        update()


class LeftOutForm(QWidget):
    """Rules of what does not count, each with its row; and a brush for the rest."""

    brush_turned = pyqtSignal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.told = label("", "fault", wrap=True)
        self.note = label("", "soft", wrap=True)
        self.rows = Block()
        self.region = choice([], self._add_region)
        self.region.setAccessibleName("Region to leave out")
        self.brush = switch("brush", "Paint elements to leave out; Ctrl takes them back in")
        self.brush.toggled.connect(self.brush_turned)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        for part in (
            self.note,
            self.told,
            self.rows,
            row(
                button("+ near supports", lambda: self._add_near("supports")),
                button("+ near forces", lambda: self._add_near("loads")),
                None,
            ),
            row(label("region", "soft"), self.region, self.brush, None),
        ):
            box.addWidget(part)
        box.addStretch(1)

    def _edit(self, name: str, change: Callable[[Project], Project]) -> TartanError | None:
        error = self.session.edit(name, change)
        self.told.setText("" if error is None else str(error))
        self.told.setVisible(error is not None)
        return error

    def _put(self, rules: tuple[LeftOut, ...]) -> TartanError | None:
        return self._edit("areas left out", lambda p: case_edits.put_left_out(p, rules))

    def _add(self, rule: LeftOut) -> None:
        self._put((*self.session.project.left_out, rule))

    def _add_near(self, near: Literal["supports", "loads"]) -> None:
        """Leave out what is near, as far as two elements reach now."""
        part = self.session.project.part
        self._add(LeftOut(near, distance=2 * part.mesh_size if part else 0.01))

    def _add_region(self, name: str) -> None:
        if name in self._regions():
            self._add(LeftOut("region", 0, name))

    def _regions(self) -> list[str]:
        part = self.session.project.part
        try:
            return region_names(part)[1:] if part is not None else []
        except TartanError:
            return []

    def sweep(self, elements: list[int], *, out: bool) -> None:
        """Leave out painted elements, or take them back in."""
        part = self.session.project.part
        if part is None:
            return
        old = part.region(BY_HAND)
        before = set(old.elements) if old else set()
        after = tuple(sorted(before - set(elements) if out else before | set(elements)))
        rule = LeftOut("region", 0, BY_HAND)

        def change(project: Project) -> Project:
            if not after:
                rest = tuple(r for r in project.left_out if r != rule)
                project = case_edits.put_left_out(project, rest)
                return part_edits.remove_region(project, BY_HAND) if old else project
            project = part_edits.put_region(
                project, Region(BY_HAND, elements=after), BY_HAND if old else ""
            )
            return case_edits.put_left_out(project, (*project.left_out, rule))

        self._edit("leave out by hand", change)

    def refresh(self, words: str, share: float) -> None:
        """Show the rules and what they come to."""
        nothing = "Everything counts. Leave out what stands too near a support."
        self.note.setText(f"{share:.1%} of the area is left out: {words}" if words else nothing)
        self.told.setVisible(bool(self.told.text()))
        kinds = tuple(
            (r.near, r.region, r.distance is None) for r in self.session.project.left_out
        )
        self.rows.put(kinds, self._build)
        set_options(self.region, ["choose …", *self._regions()], "choose …")

    def _build(self, block: Block) -> None:
        for i, rule in enumerate(self.session.project.left_out):

            def remove(n: int = i) -> None:
                rules = self.session.project.left_out
                self._put(rules[:n] + rules[n + 1 :])

            end = button("×", remove, "Let it count again")
            if rule.near == "region":
                block.add(row(label(rule.region), None, end))
                continue

            counted = rule.distance is None

            def put(value: float | None, n: int = i) -> TartanError | None:
                rules, old = list(self.session.project.left_out), rules_at(n)
                rules[n] = (
                    replace(old, rings=round(value or 0))
                    if old.distance is None
                    else replace(old, distance=value or 0.0)
                )
                return self._put(tuple(rules))

            def rules_at(n: int) -> LeftOut:
                return self.session.project.left_out[n]

            field = QuantityField(units.RATIO if counted else units.LENGTH, put)
            field.setFixedWidth(44 if counted else 62)
            sort = "Elements" if counted else "Distance"
            field.setAccessibleName(f"{sort} left out near {rule.near}")
            things = "supports" if rule.near == "supports" else "forces"
            unit = label("elements", "soft") if counted else UnitLabel(units.LENGTH)
            block.add(
                row(label("within", "soft"), field, unit, label(f"of {things}"), None, end),
                lambda f=field, n=i: self._show(f, n),  # type: ignore[misc]
            )

    def _show(self, field: QuantityField, number: int) -> None:
        rules = self.session.project.left_out
        if number < len(rules):
            rule = rules[number]
            field.put_value(float(rule.rings) if rule.distance is None else rule.distance)
