"""What one change of the stack at a spot would do, under the section forces of its cases."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.search.changes import Change, each_change
from tartan.core.search.whatif import Ranked, rank
from tartan.core.stack import Ply
from tartan.desktop.session import Session
from tartan.desktop.time_slices import Slices
from tartan.desktop.widgets.controls import button, label, row
from tartan.desktop.widgets.datatable import DataTable
from tartan.exchange.tables import Table
from tartan.pages.changes import SHOWN, merit, ranked_row
from tartan.pages.margins import Picked
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.laying import Laid
from tartan.project.edits.zone_edits import change_zone
from tartan.project.findings.spot_laminate import about_middle, spot_loads
from tartan.project.wording import units


class SpotWhatIf(QWidget):
    """Single changes ranked at one place of the part; applying one solves the part anew."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.best: list[Ranked] = []
        self._found: list[Ranked] = []
        self._laid: list[Laid] = []
        self._plies: tuple[Ply, ...] = ()
        self._loads: list[LoadCase] = []
        self.slices = Slices(self)
        self.note = label("", "soft")
        self.table = DataTable("what one change would do here", filtered=False)
        self.table.row_opened.connect(self.apply)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(
            row(
                self.note,
                None,
                button("apply", self._apply_chosen, "Enter"),
                button("back to the section", self.closed.emit),
            )
        )
        box.addWidget(self.table, 1)

    def put(self, answer: PartAnswer, at: Picked) -> None:
        """Rank the changes of the stack at a place, by all cases that load it."""
        layout = answer.layout()
        laminate = layout.laminate(at.element)
        self._laid = [layout.laid[n] for n in layout.plies(at.element)]
        self._plies = layout.local_plies(at.element)
        self._loads = [
            about_middle(laminate, spot_loads(answer, at.element, k))
            for k in range(len(answer.inputs.case_names))
        ]
        self._found, self.best = [], []
        self._fill()
        self.note.setText("ranking …")
        self.slices.start(self._work(answer), self._hear, self._end, 0)

    def _work(self, answer: PartAnswer) -> Iterator[list[Ranked]]:
        plies = self._plies
        materials = {m.name: m for m in answer.inputs.materials}
        offered = [materials[n] for n in dict.fromkeys(p.material for p in plies)]
        changes = [Change("", plies, ())]
        for number, change in enumerate(each_change(plies, offered)):
            changes.append(change)
            if number % 50 == 0:
                yield []
        yield from rank(changes, materials, self._loads, answer.inputs.criteria.sets)

    def _hear(self, piece: Sequence[Ranked]) -> None:
        self._found += piece

    def _end(self, error: TartanError | None) -> None:
        self._fill()
        if error is not None:
            self.note.setText(str(error))

    def _fill(self) -> None:
        here = next((r for r in self._found if not r.change.words), None)
        if here is None:
            self.table.put(Table("what one change would do here", (), ()))
            return
        others = sorted(
            (r for r in self._found if r is not here), key=lambda r: merit(r, here, per_mass=False)
        )
        self.best = others[:SHOWN]
        made = [
            ranked_row(r, here, self._loads[r.load].name.rpartition(", ")[0]) for r in self.best
        ]
        head = ("change", "RF", "gain", f"mass [{units.AREAL_MASS.unit}]", "gain / mass", "case")
        self.table.put(
            Table("what one change would do here", head, tuple(m[0] for m in made)),
            [m[1] for m in made],
            (0, 52, 56, 82, 78, 190),
        )
        self.note.setText(
            f"{len(others)} single changes under this place's section forces in all "
            f"cases · now {units.factor(here.reserve)} · plies counted in this zone "
            "from the first laid"
        )

    def _apply_chosen(self) -> None:
        index = self.table.view.currentIndex()
        self.apply(self.table.sorter.mapToSource(index).row() if index.isValid() else 0)

    def apply(self, line: int) -> None:
        """Make a change in the lay-up, as one undo step; the part is solved again."""
        if line >= len(self.best):
            return
        change, laid = self.best[line].change, self._laid
        error = self.session.edit(change.words, lambda p: change_zone(p, laid, change.plies))
        if error is not None:
            self.note.setText(str(error))
        else:
            self.closed.emit()
