"""The surface of the part: its sort and figures, files read, mesh size and refinements."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QVBoxLayout

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Opening, Pad, Panel
from tartan.core.shell.mesher import Finer
from tartan.desktop.background import Background
from tartan.desktop.part import state
from tartan.desktop.part.form import PartForm, read_vector, vector_text
from tartan.desktop.part.ties import TiesForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    Field,
    QuantityField,
    UnitLabel,
    button,
    choice,
    column,
    label,
    row,
    rule,
    scrolled,
    set_options,
)
from tartan.exchange.meshfiles import LENGTHS, SUFFIXES
from tartan.exchange.surfaces import ReadRequest, read_surface, remesh_surface
from tartan.project.analysis.partmesh import base_mesh
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Part, ReadSurface, Rung, Surface
from tartan.project.edits import part_edits
from tartan.project.wording import units

POINT_TEXT = "point"
Commit = Callable[[float | None], TartanError | None]
FILES = " ".join(f"*{s}" for s in (".step", ".stp", *SUFFIXES))


class SurfaceForm(PartForm):
    """Figures of the surface."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.sort = choice([*state.FIGURES], self.begin)
        self.sort.setAccessibleName("sort of surface")
        self.figures, self.cuts, self.finer = Block(), Block(), Block()
        self.mesh_size = QuantityField(units.LENGTH, self._commit_size)
        self.mesh_size.setAccessibleName("mesh size")
        self.mesh_size.setFixedWidth(88)
        self.mesh_size.refused.connect(self.told)
        self.unit = choice([*LENGTHS], lambda _: None)
        self.unit.setCurrentText("mm")
        self.unit.setToolTip("Unit of a mesh file; a STEP file says its own")
        self.busy = label("", "soft", wrap=True)
        self.cancel = button("cancel", self._cancel)
        self.ties = TiesForm(session)
        self.ties.told.connect(self.told)
        self.cuts_head = row(label("Openings and pads", "head"), None,
                             button("+ opening", self._add_opening),
                             button("+ pad", self._add_pad))  # fmt: skip
        self.background = Background(self)
        self.background.done.connect(self._take)
        self.background.failed.connect(self._fail)
        self._remesh: Part | None = None
        content = column(
            row(label("Surface", "head"), None, self.sort),
            row(label("from a file", "soft"), self.unit, None,
                button("read …", self.ask_file, "STEP, or a mesh: " + FILES)),
            row(self.busy, self.cancel), self.figures,
            row(label("mesh size", "soft"), None, self.mesh_size, UnitLabel(units.LENGTH)),
            4, rule(), self.cuts_head, self.cuts, 4, rule(),
            row(label("Finer", "head"), None, button("+ around an edge", self._add_edge),
                button("+ around a point", self._add_point)),
            self.finer, 4, rule(), self.ties, None, margin=2,
        )  # fmt: skip
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(scrolled(content))
        self.cancel.hide()

    # Edits

    def begin(self, sort: str) -> None:
        """Give the part a surface of a sort at its usual size."""
        start = state.STARTS[sort]
        if self.part is None:
            stacks = [s.name for s in self.session.project.stacks]
            rungs = (Rung(stack=stacks[0]),) if stacks else ()
            new = Part(start, 0.03, rungs)
            self.edit("surface", lambda p: part_edits.put_part(p, new))
            return
        self.change_surface(f"surface: {sort}", surface=start, mesh_size=_start_size(start),
                            finer=())  # fmt: skip

    def set_figure(self, key: str, value: float | None) -> TartanError | None:
        """Change a figure of the surface."""
        if self.part is None or isinstance(self.part.surface, ReadSurface):
            return None
        changed: object = round(value or 0) if key == "count" else value
        surface = replace(self.part.surface, **{key: changed})  # type: ignore[arg-type]
        return self.change_surface(key.replace("_", " "), surface=surface)

    def _commit_size(self, value: float | None) -> TartanError | None:
        part = self.part
        if part is None or value is None:
            return None
        if isinstance(part.surface, ReadSurface):
            return self._mesh_again(replace(part, mesh_size=value))
        return self.change_surface("mesh size", mesh_size=value)

    def _mesh_again(self, part: Part) -> TartanError | None:
        """Mesh a read surface with another size or refinements, apart from the window."""
        surface = part.surface
        if not isinstance(surface, ReadSurface):
            return self.change_surface("mesh", mesh_size=part.mesh_size, finer=part.finer)
        if not surface.geometry:
            error = TartanError("A mesh that was read keeps its elements.", "Mesh size",
                                "Read the surface as STEP to mesh it anew.")  # fmt: skip
            self.told.emit(str(error))
            return error
        self._remesh = part
        self._start("meshing …", lambda: remesh_surface(surface, part.mesh_size, part.finer))
        return None

    def _start(self, words: str, call: Callable[[], object]) -> None:
        self.busy.setText(words)
        self.cancel.show()
        self.told.emit("")
        self.background.start(call)

    def ask_file(self) -> None:
        """Choose a file and read it."""
        name, _ = QFileDialog.getOpenFileName(self, "Read a surface", "",
                                              f"Surfaces ({FILES});;All files (*)")  # fmt: skip
        if name:
            self.read(Path(name))

    def read(self, path: Path) -> None:
        """Read a surface from a file, apart from the window."""
        self._remesh = None
        request = ReadRequest(path, self.unit.currentText(), None)
        self._start(f"reading {path.name} …", lambda: read_surface(request))

    def _cancel(self) -> None:
        self.background.cancel()
        self._idle()

    def _idle(self) -> None:
        self.busy.setText("")
        self.cancel.hide()

    def _take(self, found: tuple[ReadSurface, float]) -> None:
        surface, size = found
        self._idle()
        if self._remesh is not None:
            part = self._remesh
            self.change_surface("mesh size", surface=surface, mesh_size=part.mesh_size,
                                finer=part.finer)  # fmt: skip
        elif self.part is None:
            stacks = [s.name for s in self.session.project.stacks]
            rungs = (Rung(stack=stacks[0]),) if stacks else ()
            new = Part(surface, size, rungs)
            self.edit(f"read {surface.file}", lambda p: part_edits.put_part(p, new))
        else:
            self.change_surface(f"read {surface.file}", surface=surface, mesh_size=size, finer=())

    def _fail(self, error: TartanError) -> None:
        self._idle()
        self.told.emit(str(error))

    # Openings, pads and refinements

    def _panel(self) -> Panel | None:
        return self.part.surface if self.part and isinstance(self.part.surface, Panel) else None

    def _put_panel(self, name: str, **values: object) -> TartanError | None:
        panel = self._panel()
        if panel is None:
            return None
        return self.change_surface(name, surface=replace(panel, **values))  # type: ignore[arg-type]

    def _add_opening(self) -> None:
        panel = self._panel()
        if panel is not None:
            side = min(panel.length, panel.width) / 5
            name = _free("opening", [o.name for o in panel.openings])
            new = Opening(name, 0.0, 0.0, side, side)
            self._put_panel("opening", openings=(*panel.openings, new))

    def _add_pad(self) -> None:
        panel = self._panel()
        if panel is not None:
            name = _free("pad", [p.name for p in panel.pads])
            new = Pad(name, panel.length / 4, panel.width / 4, min(panel.length, panel.width) / 6)
            self._put_panel("pad", pads=(*panel.pads, new))

    def _put_finer(self, finer: tuple[Finer, ...]) -> TartanError | None:
        part = self.part
        if part is None:
            return None
        return self._mesh_again(replace(part, finer=finer))

    def _add_edge(self) -> None:
        if self.part is not None:
            edges = self._edges(self.session.project)
            if edges:
                new = Finer(self.part.mesh_size / 2, 4 * self.part.mesh_size, edges[-1])
                self._put_finer((*self.part.finer, new))

    def _add_point(self) -> None:
        part, element = self.part, self.session.selection.element
        if part is None:
            return
        mesh = base_mesh(part.surface, part.mesh_size, part.finer)
        at = mesh.centres()[element if element is not None and element < mesh.count else 0]
        new = Finer(
            part.mesh_size / 2,
            4 * part.mesh_size,
            at=(round(float(at[0]), 6), round(float(at[1]), 6), round(float(at[2]), 6)),
        )
        self._put_finer((*part.finer, new))

    # Showing

    def refresh(self) -> None:
        """Show the surface as it stands."""
        part = self.part
        self.ties.refresh()
        sort = part.surface.kind if part else ""
        set_options(self.sort, [*state.FIGURES], sort)
        self.sort.setPlaceholderText("from a file" if part else "choose …")
        self.figures.put(sort, self._build_figures)
        panel = self._panel()
        self.cuts_head.setVisible(panel is not None)
        made = (len(panel.openings), len(panel.pads)) if panel else (0, 0)
        self.cuts.put(made, self._build_cuts)
        self.finer.put(len(part.finer) if part else 0, self._build_finer)
        if part is not None:
            self.mesh_size.put_value(part.mesh_size)

    def _build_figures(self, block: Block) -> None:
        part = self.part
        for key, text, tip in state.FIGURES.get(part.surface.kind, ()) if part else ():
            quantity = units.RATIO if key == "count" else units.LENGTH
            optional = key.startswith("radius_")
            field = self._field(quantity, lambda v, k=key: self.set_figure(k, v), text,  # type: ignore[misc]
                                optional=optional)  # fmt: skip
            if optional:
                field.setPlaceholderText("flat")
            name = label(text, "soft")
            name.setToolTip(tip)

            def update(key: str = key, field: QuantityField = field) -> None:
                if self.part is not None:
                    field.put_value(getattr(self.part.surface, key, None))

            block.add(row(name, None, field, UnitLabel(quantity)), update)
        if part is not None and isinstance(part.surface, ReadSurface):
            words = label("", "soft", wrap=True)

            def tell() -> None:
                surface = self.part.surface if self.part else None
                if isinstance(surface, ReadSurface):
                    count = len(base_mesh(surface, 1.0).regions)
                    words.setText(f"{surface.file}: {count} faces, kept in the project")

            block.add(words, tell)

    def _field(self, quantity: units.Quantity, commit: Commit,
               name: str, *, optional: bool = False, wide: int = 88) -> QuantityField:  # fmt: skip
        field = QuantityField(quantity, commit, optional=optional)
        field.setFixedWidth(wide)
        field.setAccessibleName(name)
        field.refused.connect(self.told)
        return field

    def _build_cuts(self, block: Block) -> None:
        panel = self._panel()
        if panel is None:
            return
        for kind, many in (("openings", panel.openings), ("pads", panel.pads)):
            sizes = ("length", "width") if kind == "openings" else ("diameter",)
            for i in range(len(many)):
                self._build_cut(block, kind, i, sizes)

    def _build_cut(self, block: Block, kind: str, i: int, sizes: tuple[str, ...]) -> None:
        def put(**values: object) -> TartanError | None:
            panel = self._panel()
            if panel is None:
                return None
            many = list(getattr(panel, kind))
            many[i] = replace(many[i], **values)
            return self._put_panel(kind[:-1], **{kind: tuple(many)})

        def remove() -> None:
            panel = self._panel()
            if panel is not None:
                many = getattr(panel, kind)
                self._put_panel(f"remove {kind[:-1]}", **{kind: many[:i] + many[i + 1 :]})

        name = Field(lambda text: put(name=text.strip()))
        name.refused.connect(self.told)
        fields = {
            key: self._field(units.LENGTH, lambda v, k=key: put(**{k: v or 0.0}), key, wide=58)  # type: ignore[misc]
            for key in ("x", "y", *sizes)
        }

        def update() -> None:
            panel = self._panel()
            if panel is not None and i < len(getattr(panel, kind)):
                one = getattr(panel, kind)[i]
                name.put(one.name)
                for key, field in fields.items():
                    field.setToolTip(key)
                    field.put_value(getattr(one, key))

        block.add(row(name, button("×", remove, "Remove it")), update)
        words = "x, y, length, width" if kind == "openings" else "x, y, diameter"
        block.add(row(label(words, "soft"), None, spacing=3))
        block.add(row(None, *fields.values(), UnitLabel(units.LENGTH), spacing=3))

    @staticmethod
    def _edges(project: Project) -> list[str]:
        part = project.part
        return [] if part is None else [*base_mesh(part.surface, part.mesh_size, part.finer).edges]

    def _build_finer(self, block: Block) -> None:
        for i in range(len(self.part.finer) if self.part else 0):
            self._build_one_finer(block, i)

    def _build_one_finer(self, block: Block, i: int) -> None:
        def put(**values: object) -> TartanError | None:
            if self.part is None:
                return None
            many = list(self.part.finer)
            many[i] = replace(many[i], **values)  # type: ignore[arg-type]
            return self._put_finer(tuple(many))

        def remove() -> None:
            if self.part is not None:
                self._put_finer(self.part.finer[:i] + self.part.finer[i + 1 :])

        def move(text: str) -> TartanError | None:
            try:
                return put(at=read_vector(text, units.LENGTH, "Refinement"))
            except TartanError as error:
                return error

        edge = choice([], lambda text: put(edge="" if text == POINT_TEXT else text))
        at = Field(move)
        size = self._field(units.LENGTH, lambda v: put(size=v or 0.0), "finer size", wide=58)
        reach = self._field(units.LENGTH, lambda v: put(reach=v or 0.0), "finer reach", wide=58)

        def update() -> None:
            if self.part is None or i >= len(self.part.finer):
                return
            one = self.part.finer[i]
            set_options(edge, [POINT_TEXT, *self._edges(self.session.project)],
                        one.edge or POINT_TEXT)  # fmt: skip
            at.setVisible(not one.edge)
            at.put(vector_text(one.at, units.LENGTH))
            size.put_value(one.size)
            reach.put_value(one.reach)

        block.add(row(edge, at, None, button("×", remove, "Remove it"), spacing=4), update)
        block.add(row(label("size, within", "soft"), None, size, reach, UnitLabel(units.LENGTH),
                      spacing=4))  # fmt: skip


def _start_size(surface: Surface) -> float:
    return 0.03 if isinstance(surface, Panel) else 0.02


def _free(name: str, taken: list[str]) -> str:
    number = 1
    while f"{name} {number}" in taken:
        number += 1
    return f"{name} {number}"
