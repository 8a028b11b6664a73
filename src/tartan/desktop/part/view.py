"""The Part station: the surface shaped by a few figures, with reference direction and side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from tartan.core.errors import DocumentError, TartanError
from tartan.core.shell.directions import undefined as undefined_directions
from tartan.core.shell.mesh import Mesh, Panel
from tartan.desktop import theme
from tartan.desktop.rows import rows_of, stack_words
from tartan.desktop.scene import glyphs
from tartan.desktop.scene.pane import ScenePane
from tartan.desktop.scene.scene import PartScene
from tartan.desktop.session import Session
from tartan.desktop.widgets.section import SectionPicture
from tartan.desktop.widgets.small import (
    Field,
    QuantityField,
    UnitLabel,
    button,
    choice,
    column,
    label,
    row,
    set_options,
)
from tartan.project import edits, units
from tartan.project.model import Part
from tartan.project.shellinputs import mesh_for

SIDES = {"up": "towards +z", "down": "towards −z"}
LEVELS = {"bottom": "first-laid face", "middle": "middle of the stack", "top": "last-laid face"}


class PartView(QWidget):
    """Figures at the left, the surface at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fault = label("", "fault", wrap=True)
        self.summary = label("", "soft", wrap=True)
        self.fields: dict[str, QuantityField] = {}
        self.stack = choice([], lambda name: self._set(stack=name))
        self.direction = Field(self._commit_direction)
        self.side = choice(
            list(SIDES.values()), lambda text: self._set(laying_side=_key(SIDES, text))
        )
        self.level = choice(
            list(LEVELS.values()), lambda text: self._set(reference_surface=_key(LEVELS, text))
        )
        self.section = SectionPicture()
        self.section.least_band = 15
        self.pane = ScenePane(
            {
                "0° direction": "Strokes along the plies' zero",
                "laying side": "Arrows towards the side plies are added",
                "mesh": "Element edges",
            },
            self.draw,
        )
        self._build()

    def _build(self) -> None:
        form = QWidget()
        grid = QGridLayout(form)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(5)
        line = 0
        for key, text, tip in (
            ("length", "length along x", "Straight between the edges"),
            ("width", "width along y", "Straight between the edges"),
            ("radius_x", "radius along x", "Empty is flat; positive is concave seen from +z"),
            ("radius_y", "radius along y", "Empty is flat; positive is concave seen from +z"),
            ("mesh_size", "mesh size", "Length of an element's side"),
        ):
            field = QuantityField(
                units.LENGTH, self._setter(key), optional=key.startswith("radius")
            )
            field.setFixedWidth(88)
            field.setAccessibleName(text)
            field.refused.connect(self._tell)
            if key.startswith("radius"):
                field.setPlaceholderText("flat")
            self.fields[key] = field
            name = label(text, "soft")
            name.setToolTip(tip)
            grid.addWidget(name, line, 0)
            grid.addWidget(field, line, 1)
            grid.addWidget(UnitLabel(units.LENGTH), line, 2)
            line += 1
        self.direction.refused.connect(self._tell)
        self.direction.setAccessibleName("0° direction")
        for text, widget in (
            ("stack", self.stack),
            ("0° direction x, y, z", self.direction),
            ("laying side", self.side),
            ("surface is the", self.level),
        ):
            grid.addWidget(label(text, "soft"), line, 0)
            grid.addWidget(widget, line, 1, 1, 2)
            line += 1
        self.section.least_height = 250
        left = column(label("Surface", "head"), form, self.fault, 4, self.summary, 8,
                      row(label("Stack", "head"), None, button("open in Stacks", self._to_stack)),
                      self.section, None, spacing=6)  # fmt: skip
        left.setFixedWidth(286)
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 12, 8, 8)
        box.setSpacing(16)
        box.addWidget(left)
        box.addWidget(self.pane, 1)

    # Edits

    @property
    def part(self) -> Part | None:
        """The part as it stands."""
        return self.session.project.part

    def _set(self, **values: object) -> TartanError | None:
        part = self.part
        if part is None:
            return None
        new = replace(part, **values)  # type: ignore[arg-type]
        error = self.session.edit(f"part, {', '.join(values)}", lambda p: edits.put_part(p, new))
        self._tell(str(error) if error else "")
        return error

    def _setter(self, key: str) -> Callable[[float | None], TartanError | None]:
        def commit(value: float | None) -> TartanError | None:
            if self.part is None:
                return None
            if key == "mesh_size":
                return self._set(mesh_size=value)
            panel: Panel = replace(self.part.surface, **{key: value})  # type: ignore[arg-type]
            return self._set(surface=panel)

        return commit

    def _commit_direction(self, text: str) -> TartanError | None:
        cells = text.replace(";", ",").split(",")
        try:
            if len(cells) != 3:
                raise DocumentError(f"'{text}' is not a direction.", "Reference direction",
                                    "Type three numbers, such as 1, 0, 0.")  # fmt: skip
            vector = tuple(units.parse(c, units.RATIO) for c in cells)
        except TartanError as error:
            return error
        return self._set(reference=vector)

    def _to_stack(self) -> None:
        if self.part is not None:
            self.session.select(stack=self.part.stack, station="Stacks")

    def _tell(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    # Showing

    def refresh(self) -> None:
        """Show the project as it stands."""
        project, part = self.session.project, self.part
        self._tell("")
        if part is None:
            return
        for key in ("length", "width", "radius_x", "radius_y"):
            self.fields[key].put_value(getattr(part.surface, key))
        self.fields["mesh_size"].put_value(part.mesh_size)
        set_options(self.stack, [s.name for s in project.stacks], part.stack)
        self.direction.put(", ".join(units.number(v) for v in part.reference))
        set_options(self.side, list(SIDES.values()), SIDES[part.laying_side])
        set_options(self.level, list(LEVELS.values()), LEVELS[part.reference_surface])
        stack = project.stack(part.stack)
        if stack is not None:
            self.section.show_stack(rows_of(project, stack.plies))
        self._summarise(part, stack_words(stack) if stack else "")
        self.draw()

    def _summarise(self, part: Part, words: str) -> None:
        mesh = mesh_for(part.surface, part.mesh_size, part.laying_side)
        undefined = undefined_directions(mesh, np.array(part.reference))
        area = units.number(float(mesh.areas().sum()))
        directions = (
            "every element has a 0° direction" if not len(undefined)
            else f"0° undefined in {len(undefined)} elements: the direction stands normal to them"
        )  # fmt: skip
        self.summary.setText(f"{len(mesh.quads)} elements · {area} m² · {words}\n{directions}")

    def draw(self) -> None:
        """Draw the surface and its overlays, once the station has been visited."""
        if self.part is None or not self.isVisible():
            return
        part, scene = self.part, self.pane.view()
        mesh = mesh_for(part.surface, part.mesh_size, part.laying_side)
        scene.put_mesh(mesh)
        scene.paint(None)
        scene.show_edges(self.pane.on("mesh"))
        self._draw_directions(scene, mesh, np.array(part.reference))
        scene.redraw()

    def _draw_directions(self, scene: PartScene, mesh: Mesh, reference: np.ndarray) -> None:
        face = theme.face()
        elements = glyphs.spread(mesh)
        for name in ("reference", "reference words", "laying", "undefined"):
            scene.clear(name)
        if self.pane.on("0° direction"):
            strokes = glyphs.reference_strokes(mesh, reference, elements)
            scene.strokes("reference", strokes, face.ink, 3.0)
            if len(strokes):
                scene.words("reference words", strokes[:, 1], ["0°"] * len(strokes), face.ink)
            undefined = undefined_directions(mesh, reference)
            if len(undefined):
                scene.outline("undefined", list(undefined[:2000]), face.fails, 2.0)
        if self.pane.on("laying side"):
            scene.strokes("laying", glyphs.laying_strokes(mesh, elements), face.accent, 3.0)

    def showEvent(self, event: object) -> None:
        self.draw()


def _key(words: dict[str, str], text: str) -> str:
    return next(k for k, v in words.items() if v == text)
