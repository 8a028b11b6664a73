"""The Stacks station: notation line, section picture and stiffness, always in step."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QWidget

from tartan.core.errors import NotationError, TartanError
from tartan.core.laminate import Laminate
from tartan.core.stack import Stack, operations
from tartan.core.stack.notation import Context, context_for, parse, write
from tartan.desktop import theme
from tartan.desktop.rows import rows_of, stack_words
from tartan.desktop.session import Session
from tartan.desktop.stacks import state
from tartan.desktop.stacks.editor import SectionEditor
from tartan.desktop.widgets.cards import Card, CardList
from tartan.desktop.widgets.matrix import MatrixPicture
from tartan.desktop.widgets.polar import PolarPicture
from tartan.desktop.widgets.small import (
    Field,
    QuantityField,
    button,
    choice,
    column,
    label,
    row,
    scrolled,
    set_options,
    switch,
)
from tartan.project import edits, units


class StacksView(QWidget):
    """Stacks at the left, the section in the middle, answers at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.cards = CardList()
        self.cards.chosen.connect(lambda name: session.select(stack=name, plies=()))
        self.name = Field(self._rename)
        self.notation = Field(self._commit_notation)
        self.notation.setFont(theme.mono())
        self.notation.setAccessibleName("Notation")
        self.fault = label("", "fault", wrap=True)
        self.facts = label("", "soft")
        self.editor = SectionEditor(session, self._tell)
        self.angle = QuantityField(units.ANGLE, self._set_angle)
        self.thickness = QuantityField(units.LENGTH, self._set_thickness)
        self.material = choice([], self._set_material)
        self.picked = label("", "head")
        self.even = switch("even bands", "Draw all plies equally thick")
        self.even.toggled.connect(self._set_even)
        self.matrix = MatrixPicture()
        self.couplings = label("", wrap=True)
        self.couplings.setTextFormat(Qt.TextFormat.RichText)
        self.constants: list[list[QLabel]] = []
        self.shear = label("", "soft", wrap=True)
        self.polar = PolarPicture()
        self._build()

    def _build(self) -> None:
        left = column(
            self.cards,
            row(button("+ stack", self.add, "New stack like the chosen one"),
                button("remove", self.remove, "Remove the chosen stack"), None),
            spacing=4,
        )  # fmt: skip
        left.setFixedWidth(190)
        self.name.setMaximumWidth(280)
        self.name.setAccessibleName("Stack name")
        for field in (self.name, self.notation, self.angle, self.thickness):
            field.refused.connect(self._tell)
        middle = column(row(self.name, None, self.even), self.notation, self.fault, self.facts,
                        scrolled(self.editor), self._build_strip(), spacing=7)  # fmt: skip
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 12, 16, 10)
        box.setSpacing(18)
        box.addWidget(left)
        box.addWidget(middle, 1)
        box.addWidget(self._build_answers())

    def _build_strip(self) -> QWidget:
        """Build the line below the picture that edits what is picked."""
        self.angle.setFixedWidth(70)
        self.angle.setAccessibleName("Angle")
        self.thickness.setFixedWidth(76)
        self.thickness.setAccessibleName("Thickness")
        self.material.setMinimumWidth(130)
        self.picked_parts = (self.angle, label("°", "soft"), self.material, self.thickness,
                             label("mm", "soft"))  # fmt: skip
        first = row(self.picked, 4, *self.picked_parts, None, spacing=6)
        first.setFixedHeight(30)
        second = row(
            button("+ ply like this", self.editor.add_ply, "Enter"),
            button("delete", self.editor.delete_plies, "Delete"),
            button("mirror", lambda: self._whole("mirror", operations.mirror),
                   "Add the mirror image on top"),
            button("reverse", lambda: self._whole("reverse", operations.reverse),
                   "Opposite order"),
            button("turn 45°", lambda: self._whole("turn", lambda p: operations.rotate(p, 45.0)),
                   "Turn the whole stack by 45°"),
            None, spacing=2,
        )  # fmt: skip
        return column(first, second, spacing=2)

    def _build_answers(self) -> QWidget:
        table = QWidget()
        grid = QGridLayout(table)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(5)
        for j, head in enumerate(("membrane", "flexural", "kept flat"), start=2):
            made = label(head, "soft")
            made.setAlignment(Qt.AlignmentFlag.AlignRight)
            grid.addWidget(made, 0, j)
        for i in range(len(state.CONSTANTS)):
            cells = [label("", "head"), label("", "soft"), QLabel(), QLabel(), QLabel()]
            for j, cell in enumerate(cells):
                if j > 1:
                    cell.setAlignment(Qt.AlignmentFlag.AlignRight)
                grid.addWidget(cell, i + 1, j)
            self.constants.append(cells)
        grid.setColumnStretch(2, 1)
        grid.setColumnStretch(3, 1)
        grid.setColumnStretch(4, 1)
        right = column(label("Stiffness", "head"), self.matrix, self.couplings, 2,
                       label("Engineering constants", "head"), table, 2, self.shear, None,
                       self.polar, spacing=5)  # fmt: skip
        right.setFixedWidth(316)
        return right

    # Edits

    @property
    def stack(self) -> Stack | None:
        """The chosen stack."""
        return self.session.project.stack(self.session.selection.stack)

    def _context(self) -> Context:
        thickness = {m.name: m.ply_thickness for m in self.session.project.materials}
        chosen = self.session.selection.stack
        others = {s.name: s.plies for s in self.session.project.stacks if s.name != chosen}
        plies = self.stack.plies if self.stack else ()
        return replace(context_for(plies, thickness), stacks=others)

    def _commit_notation(self, text: str) -> TartanError | None:
        name = self.session.selection.stack
        try:
            plies = parse(text, self._context())
        except NotationError as error:
            # The offending character is picked out, so that typing mends it.
            self.notation.setSelection(error.position, 1)
            return error
        self.session.select(plies=())
        return self.session.edit(f"notation of {name}", lambda p: edits.put_plies(p, name, plies))

    def _change(self, label_: str, **values: float | str) -> TartanError | None:
        picked = self.session.selection.plies
        return self.editor.apply(label_, lambda: state.change(self.editor.plies, picked, **values))

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

    def _whole(self, label_: str, change: object) -> None:
        assert callable(change)
        self.editor.apply(label_, lambda: state.Edited(change(self.editor.plies), ()))

    def _rename(self, text: str) -> TartanError | None:
        old = self.session.selection.stack
        error = self.session.edit(f"rename {old}", lambda p: edits.rename_stack(p, old, text))
        if error is None:
            self.session.select(stack=text.strip())
        return error

    def add(self) -> None:
        """Add a stack like the chosen one."""
        plies = self.stack.plies if self.stack else ()
        before = {s.name for s in self.session.project.stacks}
        self.session.edit("add stack", lambda p: edits.add_stack(p, "stack", plies)[0])
        new = [s.name for s in self.session.project.stacks if s.name not in before]
        self.session.select(stack=new[0], plies=())
        self.name.setFocus()
        self.name.selectAll()

    def remove(self) -> None:
        """Remove the chosen stack, unless the part uses it."""
        name = self.session.selection.stack
        error = self.session.edit(f"remove {name}", lambda p: edits.remove_stack(p, name))
        self._tell(str(error) if error else "")

    def _set_even(self, even: bool) -> None:
        self.editor.even = even
        self.editor.update()

    def _tell(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    # Showing

    def refresh(self) -> None:
        """Show the project and selection as they stand."""
        project = self.session.project
        chosen = self.session.selection.stack
        on_part = project.part.stack if project.part else ""
        self.cards.put([Card(s.name, stack_words(s), rows_of(project, s.plies),
                             "on the part" if s.name == on_part else "")
                        for s in project.stacks], chosen)  # fmt: skip
        stack = self.stack
        self._tell("")
        if stack is None:
            self.editor.show_stack(())
            return
        self.name.put(stack.name)
        self.notation.put(write(stack.plies, self._context()) if stack.plies else "")
        self.editor.selected = frozenset(self.session.selection.plies)
        self.editor.show_stack(rows_of(project, stack.plies))
        laminate, error = state.laminate_or_error(project, stack)
        self.facts.setText(state.facts(stack, laminate))
        if error is not None:
            self._tell(str(error))
        self._show_picked(stack)
        self._show_answers(laminate)

    def _show_picked(self, stack: Stack) -> None:
        picked = self.session.selection.plies
        for part in self.picked_parts:
            part.setVisible(bool(picked))
        if not picked:
            self.picked.setText("Click a ply, type its angle; Enter adds another, Alt+↑↓ moves it")
            self.angle.put("")
            self.thickness.put("")
            return
        plies = [stack.plies[i] for i in picked]
        self.picked.setText(f"ply {picked[0] + 1}" if len(picked) == 1 else f"{len(picked)} plies")
        angles, sizes = {p.angle for p in plies}, {p.thickness for p in plies}
        self.angle.put_value(angles.pop() if len(angles) == 1 else None)
        self.thickness.put_value(sizes.pop() if len(sizes) == 1 else None)
        names = {p.material for p in plies}
        set_options(self.material, [m.name for m in self.session.project.materials],
                    names.pop() if len(names) == 1 else "")  # fmt: skip

    def _show_answers(self, laminate: Laminate | None) -> None:
        self.matrix.put(laminate.ABD if laminate else None)
        self.polar.put(laminate)
        self.couplings.setText("")
        self.shear.setText("")
        table = state.constants_table(laminate) if laminate else []
        for i, cells in enumerate(self.constants):
            for j, cell in enumerate(cells):
                cell.setText(table[i][j] if laminate else "")
        if laminate is None:
            return
        soft = theme.face().soft
        self.couplings.setText("<br>".join(
            f"<b>{head}</b> <span style='color:{soft}'>{words}</span>"
            for head, words in state.couplings(laminate)))  # fmt: skip
        try:
            H = laminate.shear / 1e6
        except TartanError as error:
            self.shear.setText(str(error))
            return
        self.shear.setText(
            f"Transverse shear stiffness, energy-equivalent: xz {units.number(H[0, 0])}, "
            f"yz {units.number(H[1, 1])}, coupling {units.number(H[0, 1])} kN/mm"
        )
