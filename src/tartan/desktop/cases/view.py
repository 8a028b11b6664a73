"""The Cases station: supports and loads placed on named edges and the surface."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.shell.loads import resultant
from tartan.desktop import theme
from tartan.desktop.cases.rows import Block, CaseRows
from tartan.desktop.scene import glyphs
from tartan.desktop.scene.pane import ScenePane
from tartan.desktop.session import Session
from tartan.desktop.widgets.cards import Card, CardList
from tartan.desktop.widgets.small import Field, button, column, label, row, rule, scrolled
from tartan.project import edits, units
from tartan.project.model import (
    Acceleration,
    Case,
    DisplacementRequirement,
    EdgeForce,
    Pressure,
    ReserveRequirement,
)
from tartan.project.shellinputs import case_forces, mesh_for, part_inputs, part_laminate

_EDGE_FORCE = EdgeForce("right edge", (1000.0, 0.0, 0.0))
_OWN_WEIGHT = Acceleration((0.0, 0.0, -9.81))


class CasesView(QWidget):
    """Figures at the left, the part with its supports and loads at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fault = label("", "fault", wrap=True)
        self.rows = CaseRows(session, self._tell)
        self.supports, self.loads, self.requirements = Block(), Block(), Block()
        self.cards = CardList()
        self.cards.chosen.connect(lambda name: session.select(case=name))
        self.name = Field(self._rename)
        self.name.setAccessibleName("Case name")
        self.name.refused.connect(self._tell)
        self.resultant = label("", "soft", wrap=True)
        self.pane = ScenePane(
            {
                "supports": "Pegs along held displacements",
                "loads": "Arrows of the chosen case",
            },
            self.draw,
        )
        self._build()

    def _build(self) -> None:
        rows = self.rows
        self.cards.setFixedHeight(106)
        content = column(
            row(label("Supports", "head"), label("for all cases", "soft"), None,
                button("+ support", rows.add_support)),
            self.supports, 4, rule(),
            row(label("Load cases", "head"), None, button("+ case", self.add_case),
                button("remove", self.remove_case)),
            self.cards, self.name, self.loads,
            row(button("+ pressure", lambda: rows.add_load(Pressure(1000.0))),
                button("+ edge force", lambda: rows.add_load(_EDGE_FORCE)),
                button("+ own weight", lambda: rows.add_load(_OWN_WEIGHT)), None),
            self.resultant, 4, rule(),
            row(label("Requirements", "head"), None,
                button("+ reserve factor", lambda: rows.add_requirement(ReserveRequirement(1.25))),
                button("+ displacement", self._add_displacement)),
            self.requirements, None, margin=2,
        )  # fmt: skip
        left = column(self.fault, scrolled(content))
        left.setFixedWidth(398)
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 12, 8, 8)
        box.setSpacing(16)
        box.addWidget(left)
        box.addWidget(self.pane, 1)

    # Edits

    @property
    def case(self) -> Case | None:
        """The chosen case."""
        return self.rows.case

    def _rename(self, text: str) -> TartanError | None:
        old = self.session.selection.case
        error = self.session.edit(f"rename {old}", lambda p: edits.rename_case(p, old, text))
        if error is None:
            self.session.select(case=text.strip())
        return error

    def add_case(self) -> None:
        """Add a case with own weight."""
        names = {c.name for c in self.session.project.cases}
        number = next(i for i in range(1, len(names) + 2) if f"case {i}" not in names)
        new = Case(f"case {number}", (Acceleration((0.0, 0.0, -9.81)),))
        cases = (*self.session.project.cases, new)
        self.rows.edit("add case", lambda p: edits.put_cases(p, cases))
        self.session.select(case=new.name)
        self.name.setFocus()
        self.name.selectAll()

    def remove_case(self) -> None:
        """Remove the chosen case."""
        left = tuple(c for c in self.session.project.cases if c != self.case)
        self.rows.edit("remove case", lambda p: edits.put_cases(p, left))

    def _add_displacement(self) -> None:
        if self.case is not None:
            self.rows.add_requirement(DisplacementRequirement(1e-3, self.case.name))

    def _tell(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    # Showing

    def refresh(self) -> None:
        """Show the project and selection as they stand."""
        project, rows = self.session.project, self.rows
        self._tell("")
        self.supports.put(len(project.supports), rows.supports)
        self.cards.put(
            [Card(c.name, _words(c)) for c in project.cases], self.session.selection.case
        )
        case = self.case
        self.name.setVisible(case is not None)
        self.name.put(case.name if case else "")
        kinds = tuple(load.kind for load in case.loads) if case else ()
        self.loads.put((case.name if case else "", kinds), rows.loads)
        self.requirements.put(tuple(r.kind for r in project.requirements), rows.requirements)
        self.resultant.setText(self._resultant_words())
        self.draw()

    def _resultant_words(self) -> str:
        """Total force of the chosen case."""
        if self.case is None:
            return "No case yet."
        try:
            inputs = part_inputs(self.session.project)
            part = inputs.part
            mesh = mesh_for(part.surface, part.mesh_size, part.laying_side)
            total = resultant(mesh, case_forces(mesh, part_laminate(inputs), self.case))[:3]
        except TartanError as error:
            return str(error)
        total = np.where(np.abs(total) < 1e-9 * max(np.abs(total).max(), 1e-30), 0.0, total)
        return f"Total force x, y, z:  {',  '.join(units.number(float(v)) for v in total)} N"

    def draw(self) -> None:
        """Draw the part with its supports and loads, once the station has been visited."""
        part = self.session.project.part
        if part is None or not self.isVisible():
            return
        scene, face = self.pane.view(), theme.face()
        mesh = mesh_for(part.surface, part.mesh_size, part.laying_side)
        scene.put_mesh(mesh)
        scene.paint(None)
        for name in ("pegs", "crosses", "loads"):
            scene.clear(name)
        if self.pane.on("supports"):
            pegs, crosses = glyphs.support_strokes(mesh, self.session.project.supports)
            scene.strokes("pegs", pegs, face.ink, 2.2)
            scene.strokes("crosses", crosses, face.ink, 2.2)
        if self.pane.on("loads") and self.case is not None:
            scene.strokes("loads", glyphs.load_strokes(mesh, self.case), face.accent, 2.6)
        scene.redraw()

    def showEvent(self, event: object) -> None:
        self.draw()


def _words(case: Case) -> str:
    """Loads of a case in one line."""
    words = []
    for load in case.loads:
        if isinstance(load, Pressure):
            words.append(units.show(load.value, units.PRESSURE))
        elif isinstance(load, EdgeForce):
            words.append(f"force on {load.edge}")
        else:
            words.append("own weight" if load.vector == (0.0, 0.0, -9.81) else "acceleration")
    return ", ".join(words) or "no loads"
