"""The card of one material: its figures in groups, edited in place, beside another's."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.materials import FIELD_NAMES, Material
from tartan.desktop.widgets.controls import QuantityField, UnitLabel, label
from tartan.pages import materials as state
from tartan.project.wording.document_words import QUANTITIES, SYMBOLS

COLUMNS = (
    ("Stiffness",),
    ("Strength in plane", "Between plies", "Sandwich"),
    ("Strain allowables", "Ply"),
    ("Expansion", "Criteria"),
)

Set = Callable[[str, float | None], TartanError | None]


class MaterialCard(QWidget):
    """Fields in groups; a value is checked while it is typed and set by Enter or leaving."""

    def __init__(self, put_value: Set, tell: Callable[[str], None]) -> None:
        super().__init__()
        self._put_value, self._tell = put_value, tell
        self._material: Material | None = None
        self.fields: dict[str, QuantityField] = {}
        self._parts: dict[str, list[QWidget]] = {}
        self._others: dict[str, QLabel] = {}
        self._heads: dict[str, QLabel] = {}
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(10)
        for names in COLUMNS:
            across.addWidget(self._panel(names), 1)

    def _panel(self, names: tuple[str, ...]) -> QWidget:
        panel = QWidget()
        panel.setProperty("role", "panel")
        box = QVBoxLayout(panel)
        box.setContentsMargins(10, 8, 8, 8)
        box.setSpacing(3)
        for name in names:
            self._heads[name] = label(name, "head")
            box.addWidget(self._heads[name])
            grid = QGridLayout()
            grid.setHorizontalSpacing(5)
            grid.setVerticalSpacing(3)
            for i, field in enumerate(state.GROUPS[name]):
                self._field_row(grid, i, field)
            box.addLayout(grid)
            box.addSpacing(4)
        box.addStretch(1)
        return panel

    def _field_row(self, grid: QGridLayout, line: int, field: str) -> None:
        edit = QuantityField(
            QUANTITIES[field],
            lambda value: self._put_value(field, value),
            optional=state.optional(field),
        )
        edit.setAccessibleName(f"{field} ({FIELD_NAMES[field]})")
        edit.paths = lambda: (
            [] if self._material is None else [f"materials[{self._material.name}].{field}"]
        )
        edit.setMinimumWidth(58)
        edit.setMaximumWidth(104)
        edit.refused.connect(self._tell)
        edit.textEdited.connect(lambda text: self._watch(field, text))
        symbol, unit, other = QLabel(SYMBOLS[field]), UnitLabel(QUANTITIES[field]), QLabel()
        symbol.setToolTip(FIELD_NAMES[field])
        other.setProperty("role", "other")
        for j, part in enumerate((symbol, edit, unit, other)):
            grid.addWidget(part, line, j)
        grid.setColumnStretch(1, 1)
        self.fields[field] = edit
        self._parts[field] = [symbol, edit, unit, other]
        self._others[field] = other

    def _watch(self, field: str, text: str) -> None:
        """Say what would be inadmissible while it is typed."""
        if self._material is not None:
            fault = state.fault_of(self._material, field, text)
            self.fields[field].mark(fault)

    def put(self, material: Material, other: Material | None) -> None:
        """Show a material, and another's values beside its own."""
        self._material = material
        for field, edit in self.fields.items():
            visible = state.shown(material, field)
            for part in self._parts[field]:
                part.setVisible(visible)
            edit.put_value(getattr(material, field))
            derived = state.derived_words(material, field)
            edit.setPlaceholderText(derived.partition(" = ")[0])
            if derived and getattr(material, field) is None:
                edit.setToolTip(f"Empty: {derived}")
            words = (
                ""
                if other is None
                else state.against(getattr(material, field), getattr(other, field))
            )
            self._others[field].setText(words)
            self._others[field].setVisible(visible and other is not None)
        for name, head in self._heads.items():
            head.setVisible(any(state.shown(material, f) for f in state.GROUPS[name]))
