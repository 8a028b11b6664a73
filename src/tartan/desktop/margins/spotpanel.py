"""At the spot: section, plies beside each other, and what one change would do."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, TypeVar, cast

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.desktop.margins.drivers import PlyBars
from tartan.desktop.preferences import preferences
from tartan.desktop.session import Session
from tartan.desktop.widgets.controls import button, label, row, switch
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.latepanes import Late, LatePanes
from tartan.desktop.widgets.manychoice import ManyChoice
from tartan.desktop.widgets.section import SectionPicture
from tartan.exchange.maps.mapped import required
from tartan.pages import margins as state
from tartan.pages import stack_answers as answers
from tartan.pages.margins import Picked
from tartan.pages.rows import rows_of
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.edits import design_edits
from tartan.project.findings.limits import limits_at
from tartan.project.wording import units

if TYPE_CHECKING:
    # A pane's module is loaded with the pane: charts and solids take as long as all the rest.
    from tartan.desktop.margins.keptspots import KeptSpots
    from tartan.desktop.margins.spotsolid import SpotSolid
    from tartan.desktop.margins.whatif import SpotWhatIf
    from tartan.desktop.widgets.figure import WorkingPane

HEIGHT = 258
FOLDED = 42
ROOM = 160
"""Pixels that the bands of a section have."""

SECTION, RANKED, WORKING = "section", "what one change would do", "working"
COMPARED, CHECKED = "places compared", "check in 3-D"

C = TypeVar("C", bound=QWidget)

USUAL = ("strain_12.0", "stress_12.0", "stress_12.1", "stress_12.2", "shear.0", "reserve")


class SpotPanel(QWidget):
    """Everything about one place of the part."""

    ply_chosen = pyqtSignal(int)

    what_if: Late[SpotWhatIf] = Late(RANKED)
    kept: Late[KeptSpots] = Late(COMPARED)
    solid: Late[SpotSolid] = Late(CHECKED)
    working: Late[WorkingPane] = Late(WORKING)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._answer: PartAnswer | None = None
        self._at: Picked | None = None
        self._found: state.Section | None = None
        self._keys: tuple[str, ...] = ()
        self.section = SectionPicture()
        self.section.least_band = 15
        self.section.band_width = 216
        self.bars = PlyBars()
        self.bars.setFixedWidth(214)
        self.where = label("", "soft")
        self.first = label("", "head")
        self.columns = ManyChoice("column", "columns", "Columns beside the section")
        self.panes = LatePanes(
            {
                SECTION: self._both,
                RANKED: self._ranked,
                WORKING: self._working,
                COMPARED: self._compared,
                CHECKED: self._checked,
            }
        )
        self.panes.show_pane(SECTION)
        self._build()

    def _build(self) -> None:
        self.setProperty("role", "panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.columns.changed.connect(self._again)
        self.section.ply_pressed.connect(lambda ply, _: self._tell(ply))
        self.section.bar_pressed.connect(self._open_working)
        self.bars.ply_pressed.connect(self._tell)
        box = QVBoxLayout(self)
        box.setContentsMargins(12, 6, 12, 6)
        box.setSpacing(3)
        self.open = switch("section", "Show the section at the spot, or more of the map", on=True)
        self.open.toggled.connect(self._fold)
        box.addWidget(
            row(label("At the spot", "head"), self.where, None, self.first, self.open, spacing=8)
        )
        box.addWidget(self.panes, 1)
        self.line_of_acts = wrapped(
            self.columns,
            button("keep this place", self._keep_place, "For a chart of several places"),
            button("places compared", self._compare, "Those that were kept, in one chart"),
            None,
            button("open this ply", self._to_stack, "Edit it in Stacks, or in the lay-up"),
            button("its place in the lay-up", self._to_lay_up, "Show its rung in Part"),
            button("check in 3-D", self.check_solid, "Solve the spot as solids ply by ply"),
            button("what one change would do", self._rank, "Rank every single change here"),
            spacing=6,
        )
        box.addWidget(self.line_of_acts)
        self.setFixedHeight(HEIGHT + 24)
        if preferences().value("section at the spot") in (0, "0"):
            self.open.setChecked(False)
        for each in (self.where, self.first):
            each.setMinimumWidth(40)

    def _both(self) -> QWidget:
        """The section with the plies' bars."""
        both = QWidget()
        across = QHBoxLayout(both)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(12)
        across.addWidget(self.section, 1)
        across.addWidget(self.bars)
        return both

    def _ranked(self) -> SpotWhatIf:
        from tartan.desktop.margins.whatif import SpotWhatIf

        return self._closable(SpotWhatIf(self.session))

    def _compared(self) -> KeptSpots:
        from tartan.desktop.margins.keptspots import KeptSpots

        return self._closable(KeptSpots(self.session))

    def _checked(self) -> SpotSolid:
        from tartan.desktop.margins.spotsolid import SpotSolid

        return self._closable(SpotSolid(self.session))

    def _working(self) -> WorkingPane:
        from tartan.desktop.widgets.figure import WorkingPane

        made = self._closable(WorkingPane())
        made.kept.connect(self._keep)
        return made

    def _closable(self, pane: C) -> C:
        """A pane that gives its place back to the section when it is closed."""
        cast("Any", pane).closed.connect(lambda: self.panes.show_pane(SECTION))
        return pane

    def stop(self) -> None:
        """End what is under way."""
        if self.panes.stands(CHECKED):
            self.solid.work.stop()

    def _fold(self, on: bool) -> None:
        """Open or fold the panel; folded it leaves its place to the map."""
        preferences().setValue("section at the spot", int(on))
        self.panes.setVisible(on)
        self.line_of_acts.setVisible(on)
        self.setFixedHeight(HEIGHT + 24 if on else FOLDED)

    # Acting

    def _tell(self, band: int) -> None:
        if self._answer is not None and self._at is not None:
            plies = self._answer.layout().plies(self._at.element)
            if band < len(plies):
                self.ply_chosen.emit(plies[band])

    def _rank(self) -> None:
        if self._answer is not None and self._at is not None:
            self.what_if.put(self._answer, self._at)
            self.panes.show_pane(RANKED)

    def check_solid(self) -> None:
        """Turn to the check in three dimensions."""
        if self._answer is not None and self._at is not None:
            self.open.setChecked(True)
            self.panes.show_pane(CHECKED)
            self.solid.put(self._answer, self._at, self.where.text())

    def _keep_place(self) -> None:
        if self._answer is not None and self._at is not None:
            self.where.setText(self.kept.keep(self._answer, self._at))
            if self.panes.name == COMPARED:
                self.kept.put(self._answer)

    def _compare(self) -> None:
        if self._answer is not None:
            self.kept.put(self._answer)
            self.panes.show_pane(COMPARED)

    def _to_stack(self) -> None:
        if self._answer is None or self._at is None:
            return
        laid = self._answer.layout().laid[self._at.ply]
        stack = self._answer.inputs.part.lay_up[laid.rung].stack
        if stack:
            self.session.select(stack=stack, station="Stacks", plies=(laid.within,))
        else:
            self._to_lay_up()

    def _to_lay_up(self) -> None:
        if self._answer is not None and self._at is not None:
            laid = self._answer.layout().laid[self._at.ply]
            self.session.select(station="Part", rungs=(laid.rung,))

    def _open_working(self, band: int, key: str) -> None:
        if self._found is None or not key.startswith("reserve"):
            return
        try:
            self.working.put(answers.reserve_of_ply(self._found.question, band, key))
        except TartanError as error:
            self.working.put(str(error))
        self.panes.show_pane(WORKING)
        self.working.text.setFocus()

    def _keep(self, title: str, text: str) -> None:
        self.session.edit("keep a working", lambda p: design_edits.keep_working(p, title, text))

    def _again(self) -> None:
        if self._answer is not None and self._at is not None:
            self.put(self._answer, self._at)

    # Showing

    def put(self, answer: PartAnswer, at: Picked) -> None:
        """Show a place."""
        self._answer = answer
        if self.panes.name == COMPARED:
            # Places are picked one after the other with the chart in sight.
            self.kept.put(answer)
        elif at != self._at and self.panes.name != CHECKED:
            # With the check in sight the next spot is picked for it.
            self.panes.show_pane(SECTION)
        self._at = at
        project, layout = self.session.project, answer.layout()
        plies = layout.plies(at.element)
        rows = rows_of(project, layout.local_plies(at.element), plies)
        marked = plies.index(at.ply) if at.ply in plies else None
        try:
            found = state.section_at(
                project, answer, at.element, at.case, self._chosen(answer), self.session.before
            )
        except TartanError as error:
            self._found = None
            self.where.setText(str(error))
            self.section.show_stack(rows)
            return
        self._found = found
        fresh, need = self.session.fresh, required(project)
        told = limits_at(answer, at.element, at.case)
        warned = f" · {told[0].short}" if told else ""
        self.where.setText(f"{found.words}{warned}")
        self.where.setToolTip("\n".join(x.words for x in told))
        if self.panes.name == CHECKED:
            self.solid.put(answer, at, found.words)
        self.section.marked = marked
        self.section.faded = not fresh
        # The whole stack stays in sight: bands of many plies become thin.
        self.section.least_band = max(3, min(15, ROOM // len(rows)))
        self.section.show_stack(rows, found.columns)
        self.bars.put(found.reserve, [str(n + 1) for n in plies], need, marked, faded=not fresh)
        least = float(found.reserve.min())
        self.first.setText(
            f"first ply fails at {units.factor(least)} × this case" if fresh else "stale"
        )

    def _chosen(self, answer: PartAnswer) -> tuple[str, ...]:
        """Keys of the columns that are on."""
        kinds = answers.column_names(answer.inputs.criteria)
        keys = tuple(k for k, _ in kinds)
        if keys != self._keys:
            first = not self._keys
            self._keys = keys
            self.columns.blockSignals(True)
            self.columns.put([t for _, t in kinds])
            if first:
                self.columns.choose([i for i, k in enumerate(keys) if k in USUAL])
            self.columns.blockSignals(False)
        return tuple(keys[i] for i in self.columns.chosen) or keys
