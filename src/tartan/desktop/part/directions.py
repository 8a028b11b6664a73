"""Reference directions and laying sides, set on the part."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QVBoxLayout

from tartan.core.errors import TartanError
from tartan.desktop.part.form import (
    ALL,
    PartForm,
    grid,
    region_of,
    region_options,
)
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import (
    Field,
    QuantityField,
    UnitLabel,
    button,
    choice,
    label,
    row,
    rule,
    set_options,
    switch,
)
from tartan.pages.points import vector_of, vector_text
from tartan.project.analysis.partmesh import base_mesh, meshed
from tartan.project.document.partmodel import WHOLE, Direction, Way
from tartan.project.edits import part_edits
from tartan.project.wording import units

WAYS: dict[Way, str] = {
    "vector": "a vector, projected",
    "edge": "along an edge",
    "around": "around an axis",
    "along": "along an axis",
}
LEVELS = {"bottom": "first-laid face", "middle": "middle of the stack", "top": "last-laid face"}
AXES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


class DirectionsForm(PartForm):
    """Direction and side of a region."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.region = choice([ALL], lambda _: self.refresh())
        self.way = choice([*WAYS.values()], self._choose_way)
        self.vector = Field(lambda text: self._commit("vector", text, units.RATIO))
        self.origin = Field(lambda text: self._commit("origin", text, units.LENGTH))
        self.edge = choice([], lambda text: self._change(edge=text))
        self.level = choice([*LEVELS.values()], self._choose_level)
        self.alike = QuantityField(units.ANGLE, lambda v: self.change("zones", alike=v or 0.0))
        self.offset = QuantityField(units.LENGTH, lambda v: self.change("offset", offset=v or 0.0))
        self.state = label("", "soft", wrap=True)
        self.own = label("", "soft", wrap=True)
        self.clear = button(
            "follow the whole part", self._clear, "Take this region's own direction away"
        )
        self.flip = button("turn the laying side round", self._flip)
        self.by_click = switch("turn by a click", "Click a region on the part to turn its side")
        self._build()

    def _build(self) -> None:
        for widget, name in (
            (self.region, "region of the direction"),
            (self.way, "way of 0°"),
            (self.vector, "0° direction"),
            (self.origin, "origin of the axis"),
            (self.offset, "offset of the reference surface"),
            (self.alike, "zones alike within"),
        ):
            widget.setAccessibleName(name)
        for field in (self.vector, self.origin, self.offset, self.alike):
            field.refused.connect(self.told)
        self.offset.setFixedWidth(72)
        self.alike.setFixedWidth(72)
        axes = [
            button(n, lambda v=v: self._change(way="vector", vector=v), f"0° along {n}")  # type: ignore[misc]
            for n, v in AXES.items()
        ]
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(7)
        box.addWidget(row(label("0° direction", "head"), None, *axes, spacing=4))
        self.lines = grid(
            [
                ("of", self.region),
                ("is", self.way),
                ("x, y, z", self.vector),
                ("through", self.origin),
                ("edge", self.edge),
            ]
        )
        box.addWidget(self.lines)
        box.addWidget(row(self.clear, None))
        box.addWidget(self.own)
        box.addWidget(self.state)
        box.addWidget(rule())
        box.addWidget(label("Laying side", "head"))
        box.addWidget(row(self.flip, None))
        box.addWidget(row(self.by_click, None))
        box.addWidget(
            label(
                "The stair widens towards the side plies are added; the darker face "
                "is the one laid first.",
                "soft",
                wrap=True,
            )
        )
        box.addWidget(rule())
        box.addWidget(label("Reference surface", "head"))
        box.addWidget(
            grid(
                [
                    ("surface is the", self.level),
                    ("raised by", row(self.offset, UnitLabel(units.LENGTH), None)),
                ]
            )
        )
        box.addWidget(rule())
        box.addWidget(label("Zones", "head"))
        alike = row(
            self.alike, UnitLabel(units.ANGLE), label("and as many per cent", "soft"), None
        )
        box.addWidget(grid([("alike within", alike)]))
        box.addStretch(1)

    # Edits

    @property
    def direction(self) -> Direction:
        """Direction of the chosen region; that of the whole part where it has none of its own."""
        region = region_of(self.region.currentText())
        every = self.part.directions if self.part else ()
        own = next((d for d in every if d.region == region), None)
        whole = next((d for d in every if d.region == WHOLE), Direction())
        return own or replace(whole, region=region)

    def _change(self, **values: object) -> TartanError | None:
        new = replace(self.direction, **values)  # type: ignore[arg-type]
        return self.edit("0° direction", lambda p: part_edits.put_direction(p, new))

    def _choose_way(self, text: str) -> None:
        way = next(k for k, v in WAYS.items() if v == text)
        values: dict[str, object] = {"way": way}
        if way == "edge" and not self.direction.edge and self.part is not None:
            mesh = base_mesh(self.part.surface, self.part.mesh_size, self.part.finer)
            values["edge"] = next(iter(mesh.edges), "")
        if way in ("around", "along") and self.direction.way in ("vector", "edge"):
            values["vector"] = AXES["z"]
        self._change(**values)

    def _commit(self, key: str, text: str, quantity: units.Quantity) -> TartanError | None:
        try:
            value = vector_of(text, quantity, "Reference direction")
        except TartanError as error:
            return error
        return self._change(**{key: value})

    def _clear(self) -> None:
        region = region_of(self.region.currentText())
        if self.part is not None and region != WHOLE:
            left = tuple(d for d in self.part.directions if d.region != region)
            self.change("0° direction", directions=left)

    def _choose_level(self, text: str) -> None:
        level = next(k for k, v in LEVELS.items() if v == text)
        self.change("reference surface", reference_surface=level)

    def _flip(self) -> None:
        region = region_of(self.region.currentText())
        self.edit("laying side", lambda p: part_edits.flip_side(p, region))

    def flip_at(self, element: int) -> None:
        """Turn the side of the region at an element; of the whole part where there is none."""
        part = self.part
        if part is None:
            return
        whole = meshed(part)
        names = [
            n
            for n in whole.regions
            if (whole.regions[n] == element).any() and len(whole.regions) > 1
        ]
        region = names[-1] if names else WHOLE
        self.edit(f"laying side of {region or ALL}", lambda p: part_edits.flip_side(p, region))

    # Showing

    def refresh(self) -> None:
        """Show direction and side as they stand."""
        part = self.part
        if part is None:
            return
        try:
            names = region_options(part)
            whole = meshed(part)
        except TartanError as error:
            self.told.emit(str(error))
            return
        kept = self.region.currentText()
        set_options(self.region, names, kept if kept in names else ALL)
        one, region = self.direction, region_of(self.region.currentText())
        own = any(d.region == region for d in part.directions)
        set_options(self.way, [*WAYS.values()], WAYS[one.way])
        self.vector.put(vector_text(one.vector, units.RATIO))
        self.origin.put(vector_text(one.origin, units.LENGTH))
        set_options(self.edge, [*whole.mesh.edges], one.edge)
        self.vector.setEnabled(one.way != "edge")
        self.origin.setEnabled(one.way in ("around", "along"))
        self.edge.setEnabled(one.way == "edge")
        self.clear.setVisible(region != WHOLE and own)
        self.own.setText("" if own or region == WHOLE else "Follows the whole part.")
        count = len(whole.undefined)
        words = (
            "Every element has a 0° direction."
            if not count
            else (f"{count} elements have no 0°: the direction stands normal to them.")
        )
        self.state.setText(words)
        turned = region in part.flipped
        self.flip.setToolTip("It is turned now" if turned else "Plies grow to the other side then")
        set_options(self.level, [*LEVELS.values()], LEVELS[part.reference_surface])
        self.offset.put_value(part.offset)
        self.alike.put_value(part.alike)
