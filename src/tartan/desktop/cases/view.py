"""The Cases station: supports and loads placed on the part, combinations and requirements."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout

from tartan.core.errors import TartanError
from tartan.desktop import theme
from tartan.desktop.cases.asked import NEW as ASKED
from tartan.desktop.cases.asked import RequirementRows
from tartan.desktop.cases.caselist import CaseList
from tartan.desktop.cases.loads import LoadRows
from tartan.desktop.cases.matrix import CombinationMatrix
from tartan.desktop.cases.pickbar import PickBar
from tartan.desktop.cases.supports import NEW_SET, OWN, SupportRows, set_names
from tartan.desktop.scene import glyphs, loading
from tartan.desktop.scene.overlays import draw_supports
from tartan.desktop.scene.pane import ScenePane
from tartan.desktop.session import Session
from tartan.desktop.station import SceneStation
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import (
    Field,
    button,
    choice,
    column,
    label,
    row,
    rule,
    scrolled,
    set_options,
)
from tartan.desktop.widgets.readylist import Line, ReadyList
from tartan.desktop.widgets.split import Pane, Split
from tartan.exchange.outside_files import read_outside
from tartan.exchange.pressure_table import read_pressure
from tartan.pages import cases as case_words
from tartan.pages import part_ready
from tartan.pages.load_fields import NEW as LOADS
from tartan.project.analysis.caseloads import map_soon
from tartan.project.analysis.inputs import Layout, layout_of, layout_soon, part_inputs
from tartan.project.analysis.meshes import MeshPending
from tartan.project.analysis.partmesh import Meshed, meshed
from tartan.project.analysis.section_forces import match
from tartan.project.document.partmodel import Case, OutsideForces, PressureTable
from tartan.project.edits import case_edits
from tartan.project.edits.design_edits import free_name

if TYPE_CHECKING:
    # The 3-D view's libraries take longer to load than all the rest: a view loads them.
    from tartan.desktop.scene.scene import PartScene

READY = 96


class CasesView(SceneStation):
    """Figures at the left, the part with its supports and loads at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.fault = label("", "fault", wrap=True)
        self._told_of: object = None
        self.support_rows, self.load_rows = SupportRows(session), LoadRows(session)
        self.requirement_rows = RequirementRows(session)
        for rows in (self.support_rows, self.load_rows, self.requirement_rows):
            rows.told.connect(self._tell)
        self.set_choice = choice([], self.support_rows.choose_set)
        self.set_choice.setAccessibleName("supports of the case")
        self.set_choice.setToolTip("What the chosen case stands on")
        self.set_choice.setMaximumWidth(150)
        self.set_name = Field(self.support_rows.rename_set)
        self.set_name.setAccessibleName("name of the support set")
        self.set_name.setFixedWidth(96)
        self.set_name.refused.connect(self._tell)
        self.drop_set = button("×", self.support_rows.remove_set, "Remove this support set")
        self.supports, self.loads, self.requirements = Block(), Block(), Block()
        self.list = CaseList(session)
        self.list.told.connect(self._tell)
        self.list.done.connect(self._say)
        self.said = label("", "soft", wrap=True)
        self.matrix = CombinationMatrix(session)
        self.matrix.told.connect(self._tell)
        self.new_load = choice([*LOADS], self.load_rows.add)
        self.new_load.setPlaceholderText("+ load …")
        self.new_load.setAccessibleName("add a load")
        self.new_asked = choice(ASKED, self.requirement_rows.add)
        self.new_asked.setPlaceholderText("+ requirement …")
        self.new_asked.setAccessibleName("add a requirement")
        self.resultant = label("", "soft", wrap=True)
        tip = "CSV or XLSX with columns x, y, z, p and their units"
        self.read_button = button("read a table …", self.ask_table, tip)
        self.ready = ReadyList()
        self.pick_bar = PickBar(self._whole)
        self.pick_bar.wanted.connect(self._put_here)
        self._wired: object = None
        self.holder = self.pane = ScenePane(
            {
                "supports": "Pegs along held displacements",
                "loads": "Arrows of the chosen case, with their figures",
                "pressure map": "Pressure of the chosen case's tables in colour",
                "mesh": "Element edges",
            },
            self.draw,
            session,
            off=("mesh", "pressure map"),
        )
        self._build()

    def _build(self) -> None:
        content = column(
            row(
                label("Supports", "head"),
                self.set_choice,
                self.set_name,
                self.drop_set,
                None,
                button("+ support", self.support_rows.add),
                spacing=4,
            ),
            self.supports,
            4,
            rule(),
            self.list,
            self.loads,
            row(
                self.new_load,
                self.read_button,
                None,
                button(
                    "section forces …",
                    self.ask_outside,
                    "Of another analysis, by element: CSV, XLSX or VTU",
                ),
            ),
            self.resultant,
            4,
            rule(),
            row(label("Requirements", "head"), None, self.new_asked),
            self.requirements,
            None,
            margin=2,
        )
        left = column(self.fault, self.said, scrolled(content))
        self.pane.tools.large_turned.connect(lambda _: self.refresh())
        self.left = left
        self.ready.setMaximumHeight(READY)
        below = column(self.matrix, self.ready)
        drawn = column(self.pane, self.pick_bar, spacing=4)
        drawn.layout().setStretch(0, 1)  # type: ignore[union-attr]
        right = Split("combinations", Pane(drawn, share=1), Pane(below, 128), upright=True, gap=8)
        self.below = below
        box = QHBoxLayout(self)
        box.setContentsMargins(16, 12, 8, 8)
        box.addWidget(Split("cases", Pane(left, 424, 424), Pane(right, share=1), gap=16))

    # Edits

    @property
    def case(self) -> Case | None:
        """The chosen case."""
        return self.load_rows.case

    def _edit(self, name: str, change: object) -> TartanError | None:
        return self.load_rows.edit(name, change)  # type: ignore[arg-type]

    @property
    def outside(self) -> OutsideForces | None:
        """The chosen forces of another analysis."""
        name = self.session.selection.case
        return next((x for x in self.session.project.outside if x.name == name), None)

    def ask_outside(self) -> None:
        """Choose a file of section forces and read it."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Read section forces", "", "Section forces (*.csv *.xlsx *.vtu);;All files (*)"
        )
        if name:
            self.read_outside(Path(name))

    def read_outside(self, path: Path) -> None:
        """Read the section forces of another analysis; those of the same name are replaced."""
        project = self.session.project
        own = [c.name for c in project.cases] + [c.name for c in project.combinations]
        try:
            read = [replace(x, name=free_name(x.name, own)) for x in read_outside(path)]
            layout = layout_of(part_inputs(replace(self.session.project, outside=tuple(read))))
            for each in read:
                match(layout.mesh, each)
        except TartanError as error:
            self._tell(str(error))
            return
        names = {x.name for x in read}
        others = tuple(x for x in self.session.project.outside if x.name not in names)
        refused = self._edit(
            f"read {path.name}", lambda p: case_edits.put_outside(p, (*others, *read))
        )
        if refused is None:
            self.session.select(case=read[0].name)

    def ask_table(self) -> None:
        """Choose a pressure table and read it."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Read a pressure table", "", "Tables (*.csv *.xlsx);;All files (*)"
        )
        if name:
            self.read_table(Path(name))

    def read_table(self, path: Path) -> None:
        """Read a pressure table from a file; one of the same name is replaced."""
        try:
            table = read_pressure(path)
        except TartanError as error:
            self._tell(str(error))
            return
        others = tuple(t for t in self.session.project.tables if t.name != table.name)
        self._edit(f"read {path.name}", lambda p: case_edits.put_tables(p, (*others, table)))

    def _tell(self, fault: str) -> None:
        self._told_of = self.session.project
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))
        self._say("")

    def _say(self, words: str) -> None:
        self._told_of = self.session.project
        self.said.setText(words)
        self.said.setVisible(bool(words))

    def _whole(self) -> Meshed | None:
        """The part's mesh with its places; None where there is none."""
        part = self.session.project.part
        try:
            return None if part is None else meshed(part)
        except TartanError:
            return None

    def _put_here(self, sort: str, places: tuple[str, ...]) -> None:
        """Let a support or load stand on what is picked; loads go to the chosen case."""
        if sort == "support":
            self.support_rows.add(places)
        else:
            self.load_rows.add_at(sort, places)

    # Showing

    def refresh(self) -> None:
        """Show the project and selection as they stand."""
        project = self.session.project
        if project is not self._told_of:
            self._tell("")
        chosen = self.support_rows.chosen
        many = bool(project.support_sets)
        options = [*set_names(self.support_rows), *([NEW_SET] if self.case is not None else [])]
        set_options(self.set_choice, options, chosen or OWN)
        self.set_choice.setEnabled(self.case is not None)
        for each in (self.set_name, self.drop_set):
            each.setVisible(bool(chosen) and many)
        self.set_name.put(chosen)
        self.supports.put(self.support_rows.make_up(), self.support_rows.rows)
        self.list.refresh()
        self.pick_bar.tidy()
        self.matrix.refresh()
        loaded = self.load_rows.combination is None and self.outside is None
        self.new_load.setVisible(loaded)
        self.read_button.setVisible(loaded)
        self.new_load.setCurrentIndex(-1)
        self.new_asked.setCurrentIndex(-1)
        self.loads.put(self.load_rows.make_up(), self.load_rows.rows)
        self.requirements.put(self.requirement_rows.make_up(), self.requirement_rows.rows)
        self.resultant.setText(
            case_words.resultant_words(self.session.project, self.session.selection.case)
        )
        self._fill_ready()
        large = self.pane.tools.large.isChecked()
        self.left.setHidden(large)
        self.below.setVisible(not large and not (self.matrix.isHidden() and self.ready.isHidden()))
        self.draw()

    def _fill_ready(self) -> None:
        try:
            every = part_ready.readiness(self.session.project)
        except MeshPending:
            # Told again when it is known.
            return
        items = [i for i in every if i.station == "Cases"]
        to_part = partial(self.session.select, station="Part")
        self.ready.put([Line(i.words, to_part) for i in items], "")
        self.ready.setVisible(bool(items))

    def draw(self) -> None:
        """Draw the part with its supports and loads, once the station has been visited."""
        project = self.session.project
        if not self.isVisible() or not loading.ready(self.draw):
            return
        if project.part is None:
            if self.pane.scene is not None:
                self.pane.scene.put_nothing()
            return
        scene = self.pane.view()
        if self._wired is not scene:
            self._wired = scene
            scene.clicked.connect(lambda at: self.pick_bar.click(scene, at))
        try:
            whole = meshed(project.part)
        except TartanError as error:
            self.pane.note.setText(str(error))
            return
        self.pane.note.setText("")
        scene.put_mesh(whole.mesh)
        scene.paint(None)
        scene.show_edges(self.pane.on("mesh"))
        for name in ("pegs", "crosses", "loads", "load words"):
            scene.clear(name)
        if self.pane.on("supports"):
            draw_supports(scene, whole, self.session)
        if self.case is not None:
            self._draw_loads(scene, self.case)
        self.pick_bar.mark()
        scene.redraw()

    def _draw_loads(self, scene: PartScene, case: Case) -> None:
        """Draw the pressure of tables in colour, and loads as arrows with their words."""
        tables = self.session.project.tables
        try:
            layout = layout_soon(part_inputs(self.session.project))
        except TartanError:
            # What is missing is listed below.
            return
        try:
            map_soon(layout, case.loads, tables)
            self._paint_loads(scene, layout, case, tables)
        except TartanError as error:
            self.pane.note.setText(str(error))

    def _paint_loads(
        self, scene: PartScene, layout: Layout, case: Case, tables: tuple[PressureTable, ...]
    ) -> None:
        if self.pane.on("pressure map"):
            rgb, words = glyphs.pressure_colours(layout, case, tables)
            scene.paint(rgb)
            self.pane.note.setText(words)
        if self.pane.on("loads"):
            ink = theme.face().accent
            found = glyphs.load_glyphs(layout, case, tables)
            scene.strokes("loads", found.strokes, ink, 2.6)
            scene.words("load words", found.places, list(found.words), ink)

    def showEvent(self, event: object) -> None:
        self.draw()
