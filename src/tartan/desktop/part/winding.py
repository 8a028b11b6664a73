"""What a winding plan lays before anything is solved: charts along the meridian, a section."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from html import escape
from typing import cast

from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.shell.vessel_shape import ENDS, End, Vessel
from tartan.desktop import theme
from tartan.desktop.part.form import PartForm, winds
from tartan.desktop.part.towpath import TowPathRow
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import (
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    scrolled,
)
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.tables import Table
from tartan.pages import winding as state
from tartan.pages.meridian_grips import Grip, grips
from tartan.project.edits import vessel_edits
from tartan.project.wording import units

LISTS = ("layer by layer", "point by point")
"""Tables that can be shown."""

INKS = ("accent", "holds", "fails", "ink", "soft")


def ink_of(number: int, line: state.Curve) -> str:
    """Ink of a line by its place among others."""
    return "soft" if line.soft else INKS[number % len(INKS)]


class WindingForm(PartForm):
    """Angle and thickness of wound layers over arc length, their section, and all as a table."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.end = choice(ENDS, lambda _: self.refresh())
        self.end.setAccessibleName("End of the vessel")
        self.chart = choice(state.CHARTS, lambda _: self.refresh())
        self.chart.setAccessibleName("Chart along the meridian")
        # As wide as its place beside the section's factor.
        self.chart.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.chart.setMinimumContentsLength(14)
        self.scale = QuantityField(units.RATIO, self._set_scale)
        self.scale.setAccessibleName("Thickness drawn larger by")
        self.scale.setMaximumWidth(48)
        self._times = 1.0
        self._shown: object = None
        self.scale_row = row(label("thickness ×", "soft"), self.scale, None, spacing=4)
        self.pressure = QuantityField(units.TUBE_PRESSURE, self._set_pressure)
        self.pressure.setAccessibleName("Pressure of the netting view")
        self.pressure.setMaximumWidth(64)
        self._pressure = 0.0
        self.netting = label("", "soft", wrap=True)
        self.netting.setAccessibleName("Netting")
        self.layers = DataTable("wound layers", filtered=False)
        self.listed = choice(LISTS, self._list)
        self.listed.setAccessibleName("Table of the winding")
        self.note = label("", "soft", wrap=True)
        self.plot = Plot("winding along the meridian")
        self.plot.setFixedHeight(230)
        self.key = label("", "soft", wrap=True)
        self.key.setTextFormat(Qt.TextFormat.RichText)
        self.key.setAccessibleName("Lines of the chart")
        self.table = DataTable("winding", filtered=False)
        self.path = TowPathRow(session)
        self._build()

    def _build(self) -> None:
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(0, 0, 6, 0)
        box.setSpacing(6)
        box.addWidget(row(label("Winding", "head"), None, self.end, spacing=4))
        box.addWidget(row(self.chart, None, self.scale_row, spacing=4))
        box.addWidget(self.note)
        box.addWidget(self.plot)
        box.addWidget(self.key)
        box.addWidget(self.path)
        box.addWidget(
            row(
                label("pressure", "soft"),
                self.pressure,
                UnitLabel(units.TUBE_PRESSURE),
                None,
                spacing=4,
            )
        )
        box.addWidget(
            row(
                button(
                    "balance",
                    self._balance,
                    "Hoops and helical layers whose fibres fail together at this pressure",
                ),
                button(
                    "+ case of it",
                    self._add_case,
                    "Pressure inside, with what the bosses pass on to the edges of the openings",
                ),
                None,
                spacing=4,
            )
        )
        box.addWidget(self.netting)
        box.addWidget(self.listed)
        box.addWidget(self.layers, 2)
        box.addWidget(self.table, 2)
        for each in (self.layers, self.table):
            each.setMinimumHeight(150)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolled(inside))
        self._list(LISTS[0])

    @property
    def there(self) -> bool:
        """Whether there is a vessel to wind."""
        return winds(self.part)

    def _set_scale(self, value: float | None) -> TartanError | None:
        if value is None or not 0 < value <= 1000:
            return TartanError(
                "The thickness is drawn 1 to 1000 times as large.", "Section", "Enter a factor."
            )
        self._times = value
        QTimer.singleShot(0, self.refresh)
        return None

    def _list(self, which: str) -> None:
        self.layers.setVisible(which == LISTS[0])
        self.table.setVisible(which != LISTS[0])
        self._shown = None
        self.refresh()

    def _set_pressure(self, value: float | None) -> TartanError | None:
        self._pressure = value or 0.0
        QTimer.singleShot(0, self.refresh)
        return None

    def _balance(self) -> None:
        pressure = self._pressure
        self.edit("balanced plan", lambda p: vessel_edits.balanced_plan(p, pressure))

    def _add_case(self) -> None:
        pressure = self._pressure
        self.edit("pressure case", lambda p: vessel_edits.add_pressure(p, pressure))

    def close_down(self) -> None:
        self.path.stop()

    def refresh(self) -> None:
        """Draw the plan as it stands, where anything of it is another."""
        chart = self.chart.currentText()
        project, dark = self.session.project, theme.face().dark
        asked: tuple[object, ...] = (
            *(project.part, project.stacks, project.materials, project.version),
            *(self.end.currentText(), chart, self._times, self._pressure),
            *(units.system(), dark),
        )
        self.path.refresh()
        if asked == self._shown:
            return
        self._shown = asked
        self.scale_row.setVisible(chart == "section")
        self.scale.put_value(self._times)
        self.pressure.put_value(self._pressure)
        self.plot.begin("", "")
        self.key.setText("")
        self.netting.setText("")
        end = cast("End", self.end.currentText() or ENDS[0])
        try:
            if not self.there:
                raise TartanError("There is no vessel.", "", "Choose the surface 'vessel'.")
            found = state.meridian_of_project(project, end)
            lines = state.curves(project, found, chart, self._times)
        except TartanError as error:
            self.note.setText(str(error))
            self.table.put(Table("winding", (), ()))
            self.layers.put(Table("wound layers", (), ()))
            return
        self._draw(lines, chart, f"{end} end, version {project.version}")
        self.note.setText(state.facts(project, found))
        self.note.setToolTip(state.zones_words(project))
        if self.listed.currentText() != LISTS[0]:
            self.table.put(state.table(project, found, end))
        self.layers.put(state.layer_table(project, found), widths=(84,))
        if self._pressure:
            try:
                self.netting.setText(state.netting_words(project, found, self._pressure))
            except TartanError as error:
                self.netting.setText(str(error))

    def _draw(self, lines: Sequence[state.Curve], chart: str, of_what: str) -> None:
        section, unit = chart == "section", units.LENGTH.unit
        if section:
            self.plot.begin(f"z from the tangent line  {unit}", f"r  {unit}", of_what)
        else:
            upright = "angle  °" if chart == "winding angle" else f"thickness  {unit}"
            self.plot.begin(f"arc length from the tangent line  {unit}", upright, of_what)
        self.plot.item.setAspectLocked(section)
        named: dict[str, str] = {}
        for k, line in enumerate(lines):
            ink = ink_of(k, line)
            self.plot.curve(line.x, line.y, ink, dashed=line.soft, width=1.4, words=line.words)
            ink_name = theme.colour(ink).name()
            short = line.short or line.words
            named.setdefault(short, f'<span style="color:{ink_name}">— </span>{escape(short)}')
        if section:
            self._add_grips(cast("End", self.end.currentText()))
        self.plot.show_all()
        self.key.setText(" &nbsp; ".join(named.values()))

    def _add_grips(self, end: End) -> None:
        """Knobs at the dimensions of the section."""
        part = self.part
        if part is None or not isinstance(part.surface, Vessel):
            return
        scale = units.LENGTH.scale
        for grip in grips(part.surface, end):
            z, r = grip.at
            words = grip.field.replace("_", " ")
            self.plot.grip((z / scale, r / scale), words, partial(self._dragged, grip))

    def _dragged(self, grip: Grip, at: QPointF, settled: bool) -> None:
        """While a knob is dragged its value is told; letting go makes it one edit."""
        scale, part = units.LENGTH.scale, self.part
        value = grip.value(at.x() * scale, at.y() * scale)
        words = grip.field.replace("_", " ")
        self.told.emit(f"{words} {units.show(value, units.LENGTH)}")
        if not settled or part is None or not isinstance(part.surface, Vessel):
            return
        changed = replace(part.surface, **{grip.field: value})  # type: ignore[arg-type]
        # The knob itself goes with the old chart: not while it is being let go.
        QTimer.singleShot(0, partial(self._settle, words, changed))

    def _settle(self, words: str, changed: Vessel) -> None:
        error = self.change_surface(words, surface=changed)
        if error is not None:
            self._shown = None
            self.refresh()
