"""The surface of the part: its sort and figures, mesh size and refinements."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QVBoxLayout

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Opening, Pad, Panel
from tartan.core.shell.mesher import Finer
from tartan.desktop.part.facesform import FacesForm
from tartan.desktop.part.form import PartForm
from tartan.desktop.part.meridian import MeridianForm
from tartan.desktop.part.surfacefile import SurfaceFile
from tartan.desktop.part.ties import TiesForm
from tartan.desktop.session import Session
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
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
from tartan.desktop.widgets.recordform import Record, Records, add_record, quantity_field
from tartan.pages.fields import make_up
from tartan.pages.surface_fields import FIGURES, STARTS, cut_fields, finer_fields
from tartan.project.analysis.partmesh import base_mesh
from tartan.project.document.partmodel import ReadSurface, Surface
from tartan.project.edits import part_edits
from tartan.project.edits.design_edits import first_free
from tartan.project.wording import units
from tartan.project.wording.units import counted


class SurfaceForm(PartForm):
    """Figures of the surface, with what is cut out of it and where it is meshed finer."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.sort = choice([*FIGURES], self.begin)
        self.sort.setAccessibleName("sort of surface")
        self.figures, self.cuts, self.finer = Block(), Block(), Block()
        self.mesh_size = quantity_field(
            units.LENGTH, self._commit_size, "mesh size", self.told.emit, wide=88
        )
        self.meridian = MeridianForm(session)
        self.meridian.told.connect(self.told)
        self.file, self.ties = SurfaceFile(session), TiesForm(session)
        self.faces = FacesForm(session, self.file.mesh_as)
        for each in (self.file, self.ties, self.faces):
            each.told.connect(self.told)
        self.cuts_head = row(
            label("Openings and pads", "head"),
            None,
            button("+ opening", self._add_opening),
            button("+ pad", self._add_pad),
        )
        size = row(label("mesh size", "soft"), None, self.mesh_size, UnitLabel(units.LENGTH))
        finer_head = row(
            label("Finer", "head"),
            None,
            button("+ around an edge", self._add_edge),
            button("+ around a point", self._add_point),
        )
        sort = row(label("Surface", "head"), None, self.sort)
        cuts, finer = (self.cuts_head, self.cuts), (finer_head, self.finer)
        content = column(
            *(sort, self.file, self.figures, self.faces, self.meridian, size, 4, rule()),
            *(*cuts, 4, rule(), *finer, 4, rule(), self.ties, None),
            margin=2,
        )
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(scrolled(content))

    # Edits

    def begin(self, sort: str) -> None:
        """Give the part a surface of a sort at its usual size."""
        start = STARTS[sort]
        if self.part is None:
            self.edit("surface", lambda p: part_edits.begin_part(p, start, 0.03))
            return
        size = 0.03 if isinstance(start, Panel) else 0.02
        self.change_surface(f"surface: {sort}", surface=start, mesh_size=size, finer=())

    def change_figures(self, words: str = "", /, **values: object) -> TartanError | None:
        """Change fields of a surface that is made here, under words for the edit or their own."""
        surface = self._made_here()
        if surface is None:
            return None
        words = words or ", ".join(values).replace("_", " ")
        return self.change_surface(words, surface=replace(surface, **values))  # type: ignore[arg-type]

    def _made_here(self) -> Surface | None:
        surface = self.part.surface if self.part else None
        return None if isinstance(surface, ReadSurface) else surface

    def _commit_size(self, value: float | None) -> TartanError | None:
        part = self.part
        if part is None or value is None:
            return None
        if isinstance(part.surface, ReadSurface):
            return self.file.mesh_again(replace(part, mesh_size=value))
        return self.change_surface("mesh size", mesh_size=value)

    # Openings and pads

    @property
    def panel(self) -> Panel | None:
        """The surface where it may be cut."""
        surface = self._made_here()
        return surface if isinstance(surface, Panel) else None

    def _free(self, kind: str) -> str:
        return first_free(kind, [cut.name for cut in getattr(self.panel, f"{kind}s", ())])

    def _add_opening(self) -> None:
        if (panel := self.panel) is not None:
            side = min(panel.length, panel.width) / 5
            new = Opening(
                first_free("opening", [o.name for o in panel.openings]), 0, 0, side, side
            )
            self.change_figures("opening", openings=(*panel.openings, new))

    def _add_pad(self) -> None:
        if (panel := self.panel) is not None:
            name, short = (
                first_free("pad", [p.name for p in panel.pads]),
                min(panel.length, panel.width),
            )
            new = Pad(name, panel.length / 4, panel.width / 4, short / 6)
            self.change_figures("pad", pads=(*panel.pads, new))

    def _cuts(self, kind: str) -> Records:
        """The panel's openings, or its pads."""

        def put(words: str, cuts: tuple[Opening | Pad, ...]) -> TartanError | None:
            return self.change_figures(words, **{kind: cuts})

        return Records(
            lambda: getattr(self.panel, kind, ()),
            put,
            lambda _: cut_fields(kind),
            self.told.emit,
            kind[:-1],
            lambda i: f"part.surface.{kind}[{getattr(self.panel, kind)[i - 1].name}]",
        )

    def _build_cuts(self, block: Block) -> None:
        for kind in ("openings", "pads"):
            self._cuts(kind).rows(block, spacing=3)

    # Refinements

    def _put_finer(self, finer: tuple[Finer, ...]) -> TartanError | None:
        return None if self.part is None else self.file.mesh_again(replace(self.part, finer=finer))

    @property
    def _refinements(self) -> Records:
        return Records(
            lambda: self.part.finer if self.part else (),
            lambda _, finer: self._put_finer(finer),
            lambda _: finer_fields(self._edges),
            self.told.emit,
            "refinement",
        )

    def _edges(self) -> list[str]:
        part = self.part
        return [] if part is None else [*base_mesh(part.surface, part.mesh_size, part.finer).edges]

    def _add_edge(self) -> None:
        if self.part is not None and (edges := self._edges()):
            new = Finer(self.part.mesh_size / 2, 4 * self.part.mesh_size, edges[-1])
            self._put_finer((*self.part.finer, new))

    def _add_point(self) -> None:
        part, element = self.part, self.session.selection.element
        if part is None:
            return
        mesh = base_mesh(part.surface, part.mesh_size, part.finer)
        at = mesh.centres()[element if element is not None and element < mesh.count else 0]
        x, y, z = (round(float(v), 6) for v in at)
        new = Finer(part.mesh_size / 2, 4 * part.mesh_size, at=(x, y, z))
        self._put_finer((*part.finer, new))

    # Showing

    def close_down(self) -> None:
        self.file.background.stop()

    def refresh(self) -> None:
        """Show the surface as it stands."""
        part, panel = self.part, self.panel
        self.ties.refresh()
        self.faces.refresh()
        sort = part.surface.kind if part else ""
        set_options(self.sort, [*FIGURES], sort)
        self.sort.setPlaceholderText("from a file" if part else "choose …")
        lines = make_up(FIGURES.get(sort, ()), part.surface) if part else ()
        self.figures.put((sort, lines), self._build_figures)
        self.meridian.refresh()
        self.cuts_head.setVisible(panel is not None)
        made = tuple(self._cuts(kind).make_up() for kind in ("openings", "pads"))
        self.cuts.put(made, self._build_cuts)
        self.finer.put(self._refinements.make_up(), self._refinements.rows)
        if part is not None:
            self.mesh_size.put_value(part.mesh_size)

    def _build_figures(self, block: Block) -> None:
        part = self.part
        if part is None:
            return
        record = Record(
            self._made_here,
            self.change_figures,
            self.told.emit,
            "the surface",
            path=lambda: "part.surface",
        )
        add_record(block, FIGURES.get(part.surface.kind, ()), record, spacing=8)
        if isinstance(part.surface, ReadSurface):
            words = label("", "soft", wrap=True)
            block.add(words, lambda: words.setText(self._file_words()))

    def _file_words(self) -> str:
        surface = self.part.surface if self.part else None
        if not isinstance(surface, ReadSurface):
            return ""
        count = len(base_mesh(surface, 1.0).regions)
        return f"{surface.file}: {counted(count, 'face')}, kept in the project"
