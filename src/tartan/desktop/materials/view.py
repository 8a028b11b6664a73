"""The Materials station: cards at the left, one material's figures edited in place."""

from __future__ import annotations

import dataclasses
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.materials import FIELD_NAMES, Material
from tartan.desktop.materials import state
from tartan.desktop.materials.compare import ComparePicture
from tartan.desktop.session import Session
from tartan.desktop.widgets.cards import Card, CardList
from tartan.desktop.widgets.small import (
    Field,
    QuantityField,
    button,
    column,
    label,
    row,
    scrolled,
)
from tartan.exchange.materials_table import QUANTITIES, read_materials, write_materials
from tartan.project import edits


class MaterialsView(QWidget):
    """List and card."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.cards = CardList()
        self.cards.chosen.connect(lambda name: session.select(material=name))
        self.fields: dict[str, QuantityField] = {}
        self._labels: dict[str, list[QWidget]] = {}
        self.fault = label("", "fault", wrap=True)
        self.compare = ComparePicture()
        self.use = label("", "soft", wrap=True)
        self.name = Field(self._rename)
        self.name.setMinimumWidth(260)
        self.kind = label("", "soft")
        self.source = Field(lambda text: self._set("source", text))
        self._build()

    def _build(self) -> None:
        left = column(
            self.cards,
            row(button("+ material", self.add, "New material like the chosen one"),
                button("remove", self.remove, "Remove the chosen material"), None),
            row(button("import CSV …", self.ask_import, "Read materials from a table"),
                button("export …", self.ask_export, "Write all materials to a table"), None),
            spacing=4,
        )  # fmt: skip
        left.setFixedWidth(248)
        self.name.setAccessibleName("Material name")
        self.name.refused.connect(self._tell)
        head = row(self.name, self.kind, None)
        groups = QWidget()
        across = QHBoxLayout(groups)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(14)
        for names in (("Stiffness",), ("Strength",), ("Ply and expansion", "Criteria")):
            across.addWidget(self._group(names), 1)
        card = column(
            head,
            self.use,
            self.fault,
            groups,
            6,
            self.compare,
            row(label("source", "soft"), self.source),
            None,
            spacing=8,
            margin=4,
        )
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 12, 16, 12)
        box.setSpacing(18)
        box.addWidget(left)
        box.addWidget(scrolled(card), 1)

    def _group(self, names: tuple[str, ...]) -> QWidget:
        panel = QWidget()
        panel.setProperty("role", "panel")
        box = QVBoxLayout(panel)
        box.setContentsMargins(12, 10, 12, 10)
        for name in names:
            box.addWidget(label(name, "head"))
            grid = QGridLayout()
            grid.setHorizontalSpacing(8)
            grid.setVerticalSpacing(4)
            for i, field in enumerate(state.GROUPS[name]):
                self._field_row(grid, i, field)
            box.addLayout(grid)
        box.addStretch(1)
        return panel

    def _field_row(self, grid: QGridLayout, line: int, field: str) -> None:
        quantity = QUANTITIES[field]
        edit = QuantityField(quantity, lambda value: self._set(field, value),
                             optional=state.optional(field))  # fmt: skip
        edit.setAccessibleName(f"{field} ({FIELD_NAMES[field]})")
        edit.setFixedWidth(92)
        edit.refused.connect(self._tell)
        symbol, unit = QLabel(state.SYMBOLS[field]), label(quantity.unit, "soft")
        symbol.setToolTip(FIELD_NAMES[field])
        unit.setMinimumWidth(48)
        grid.addWidget(symbol, line, 0)
        grid.addWidget(edit, line, 1)
        grid.addWidget(unit, line, 2)
        grid.setColumnStretch(3, 1)
        self.fields[field] = edit
        self._labels[field] = [symbol, edit, unit]

    # Edits

    @property
    def material(self) -> Material | None:
        """The chosen material."""
        return self.session.project.material(self.session.selection.material)

    def _set(self, field: str, value: float | str | None) -> TartanError | None:
        name = self.session.selection.material
        return self.session.edit(f"{field} of {name}", state.change(name, field, value))

    def _rename(self, text: str) -> TartanError | None:
        old = self.material
        if old is None:
            return None
        new = dataclasses.replace(old, name=text.strip())
        error = self.session.edit(f"rename {old.name}",
                                  lambda p: edits.put_material(p, old.name, new))  # fmt: skip
        if error is None:
            self.session.select(material=new.name)
        return error

    def add(self) -> None:
        """Add a material like the chosen one."""
        like = self.material or Material("material", 100e9, 10e9, 0.3, 5e9)
        before = {m.name for m in self.session.project.materials}
        self.session.edit("add material", lambda p: edits.add_materials(p, [like]))
        new = [m.name for m in self.session.project.materials if m.name not in before]
        self.session.select(material=new[0])
        self.name.setFocus()
        self.name.selectAll()

    def remove(self) -> None:
        """Remove the chosen material, unless a stack uses it."""
        name = self.session.selection.material
        error = self.session.edit(f"remove {name}", lambda p: edits.remove_material(p, name))
        self._tell(str(error) if error else "")

    def import_file(self, path: Path) -> None:
        """Add the materials of a CSV file."""
        try:
            found = read_materials(path)
        except TartanError as error:
            self._tell(str(error))
            return
        before = {m.name for m in self.session.project.materials}
        self.session.edit("import materials", lambda p: edits.add_materials(p, found))
        new = [m.name for m in self.session.project.materials if m.name not in before]
        self.session.select(material=new[0])
        self._tell("")

    def ask_import(self) -> None:
        """Ask for a CSV file and import it."""
        path, _ = QFileDialog.getOpenFileName(self, "Import materials", "", "Tables (*.csv)")
        if path:
            self.import_file(Path(path))

    def ask_export(self) -> None:
        """Ask for a file and write all materials."""
        path, _ = QFileDialog.getSaveFileName(self, "Export materials", "materials.csv",
                                              "Tables (*.csv)")  # fmt: skip
        if path:
            try:
                write_materials(self.session.project.materials, Path(path))
            except TartanError as error:
                self._tell(str(error))

    def _tell(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    # Showing

    def refresh(self) -> None:
        """Show the project and selection as they stand."""
        project = self.session.project
        chosen = self.session.selection.material
        self.cards.put([Card(m.name, state.words(m)) for m in project.materials], chosen)
        material = project.material(chosen)
        self.compare.put(project.materials, chosen)
        if material is None:
            return
        self.name.put(material.name)
        self.kind.setText({"ply": "ply", "isotropic": "isotropic layer", "core": "sandwich core"}[
            material.kind])  # fmt: skip
        self.use.setText(state.use(project, chosen))
        self.source.put(material.source)
        self._tell("")
        for field, edit in self.fields.items():
            for part in self._labels[field]:
                part.setVisible(state.shown(material, field))
            edit.put_value(getattr(material, field))
