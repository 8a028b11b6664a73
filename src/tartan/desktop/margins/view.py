"""The Margins station: the map, the worst spots beside it, and the section at the picked one."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QHBoxLayout,
    QHeaderView,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tartan.core.errors import TartanError
from tartan.core.laminate.response import SPOTS
from tartan.desktop import theme
from tartan.desktop.margins import state
from tartan.desktop.margins.legend import Legend
from tartan.desktop.margins.state import Map
from tartan.desktop.rows import rows_of
from tartan.desktop.scene.scene import PartScene
from tartan.desktop.session import Session
from tartan.desktop.widgets.section import SectionPicture
from tartan.desktop.widgets.small import button, choice, column, label, row, set_options, switch
from tartan.project import units
from tartan.project.jobs import PartAnswer
from tartan.project.partmesh import meshed

HEADS = ("RF", "where", "case", "ply", "mode")


class MarginsView(QWidget):
    """Draws answers; a pick in the map, the list or the section is shared as the selection."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.scene: PartScene | None = None
        self.legend = Legend()
        self.shown = choice(state.SHOWN, lambda _: self.draw())
        self.case = choice([], lambda name: session.select(case=name))
        self.ply = choice([], lambda text: self._pick_ply(int(text.split()[1]) - 1))
        self.spot = choice(SPOTS, lambda _: self.draw())
        self.spot.setCurrentText("top")
        self.deformed = switch("deformed", "Draw the magnified displacement", on=True)
        self.deformed.toggled.connect(lambda _: self.draw())
        self.note = label("", "soft")
        self.scale = label("", "soft")
        self.hot = QTableWidget(0, len(HEADS))
        self.hot_note = label("", "soft")
        self.requirements = label("", wrap=True)
        self.section = SectionPicture()
        self.section.least_band = 15
        self.section.band_width = 250
        self.where = label("", "soft")
        self.empty = label("", "soft", wrap=True)
        self._build()

    def _build(self) -> None:
        for chooser, name in ((self.shown, "show"), (self.case, "case"), (self.ply, "ply"),
                          (self.spot, "spot")):  # fmt: skip
            chooser.setAccessibleName(name)
        self._of_ply = (label("of", "soft"), self.ply, label("at the", "soft"), self.spot)
        self.case.setMinimumWidth(126)
        self._choosers = row(self.shown, *self._of_ply, label("in", "soft"),
                             self.case, None, self.deformed, spacing=6)  # fmt: skip
        self._map_place = QHBoxLayout()
        self._map_place.setContentsMargins(0, 0, 0, 0)
        self._map_place.addWidget(self.legend)
        map_holder = QWidget()
        map_holder.setLayout(self._map_place)
        left = column(self._choosers, map_holder, row(self.note, self.scale), spacing=5)
        left.layout().setStretch(1, 1)  # type: ignore[union-attr]
        # A longer note must not push the map aside: that would draw it anew.
        self.note.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self._build_table()
        self.requirements.setTextFormat(Qt.TextFormat.RichText)
        right = column(
            row(label("Hot spots", "head"), self.hot_note, None),
            self.hot,
            2,
            label("Requirements", "head"),
            self.requirements,
            spacing=6,
        )
        right.setFixedWidth(392)
        upper = QWidget()
        across = QHBoxLayout(upper)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(14)
        across.addWidget(left, 1)
        across.addWidget(right)
        lower = QWidget()
        lower.setProperty("role", "panel")
        below = QVBoxLayout(lower)
        below.setContentsMargins(12, 8, 12, 6)
        below.setSpacing(4)
        below.addWidget(
            row(
                label("At the spot", "head"),
                self.where,
                None,
                button("open this ply", self._to_stack, "Edit it in Stacks, or in Part"),
            )
        )
        below.addWidget(self.section, 1)
        self.section.ply_pressed.connect(lambda ply, _: self._pick_band(ply))
        lower.setFixedHeight(258)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 10, 10, 8)
        box.setSpacing(8)
        box.addWidget(self.empty)
        box.addWidget(upper, 1)
        box.addWidget(lower)

    def _build_table(self) -> None:
        table = self.hot
        table.setHorizontalHeaderLabels(HEADS)
        table.setAccessibleName("Hot spots")
        table.setShowGrid(False)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        down, across = table.verticalHeader(), table.horizontalHeader()
        assert down is not None
        assert across is not None
        down.hide()
        down.setDefaultSectionSize(25)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft)
        across.setHighlightSections(False)
        for i, width in enumerate((46, 126, 118, 56, 44)):
            table.setColumnWidth(i, width)
        across.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        table.currentCellChanged.connect(self._pick_row)
        copy = QShortcut(QKeySequence(QKeySequence.StandardKey.Copy), table)
        copy.setContext(Qt.ShortcutContext.WidgetShortcut)
        copy.activated.connect(self.copy_table)

    # Acting

    def _pick_row(self, line: int, *_: int) -> None:
        answer = self.session.answer
        if answer is not None and 0 <= line < len(answer.spots):
            self._pick(answer, answer.spots[line])

    def _pick_element(self, element: int) -> None:
        if self.session.answer is not None:
            self._pick(self.session.answer, element)

    def _pick(self, answer: PartAnswer, element: int) -> None:
        case = answer.inputs.case_names[int(answer.margins.case[element])]
        ply = int(answer.margins.ply[element])
        self.session.select(element=element, spot_ply=ply, case=case)

    def _pick_ply(self, ply: int) -> None:
        answer = self.session.answer
        if answer is not None:
            element, _, case = self._picked(answer)
            self.session.select(element=element, spot_ply=ply, case=case)

    def _pick_band(self, band: int) -> None:
        answer = self.session.answer
        if answer is not None:
            plies = answer.layout().plies(self._picked(answer)[0])
            if band < len(plies):
                self._pick_ply(plies[band])

    def _to_stack(self) -> None:
        answer = self.session.answer
        if answer is not None:
            laid = answer.layout().laid[self._picked(answer)[1]]
            stack = answer.inputs.part.lay_up[laid.rung].stack
            if stack:
                self.session.select(stack=stack, station="Stacks", plies=(laid.within,))
            else:
                self.session.select(station="Part", rungs=(laid.rung,))

    def copy_table(self) -> None:
        """Put the hot spots on the clipboard as a table for a spreadsheet."""
        answer, clipboard = self.session.answer, QApplication.clipboard()
        if answer is None or clipboard is None:
            return
        lines = ["\t".join((*HEADS, "element", "x [m]", "y [m]", "z [m]"))]
        centres = state.mesh_of(answer).centres()[list(answer.spots)]
        for element, cells, at in zip(answer.spots, state.spot_rows(answer), centres, strict=True):
            full = repr(float(answer.margins.reserve[element]))
            lines.append(
                "\t".join((full, *cells[1:], str(element + 1), *(f"{v:.6g}" for v in at)))
            )
        clipboard.setText("\n".join(lines))

    # Showing

    def refresh(self) -> None:
        """Show answer and selection as they stand."""
        answer = self.session.answer
        self.empty.setVisible(answer is None)
        if answer is None:
            error = self.session.error
            self.empty.setText(str(error) if error else "The first answer is on its way.")
            return
        self._fill_table(answer)
        self._fill_requirements()
        names = [*state.SHOWN, *(n for n, _ in state.shapes_of(answer))]
        kept = self.shown.currentText()
        set_options(self.shown, names, kept if kept in names else names[0])
        element, ply, case = self._picked(answer)
        set_options(self.case, list(answer.inputs.case_names), case)
        plies = [f"ply {i + 1}" for i in range(len(answer.layout().laid))]
        set_options(self.ply, plies, plies[ply])
        self._show_section(answer, element, ply)
        self.draw()

    def _picked(self, answer: PartAnswer) -> tuple[int, int, str]:
        """Element, ply and case to show: the governing ones until the user picks others."""
        selection, margins = self.session.selection, answer.margins
        cases = list(answer.inputs.case_names)
        element = selection.element
        if element is None or element >= len(margins.reserve):
            element = answer.spots[0] if answer.spots else 0
            return element, int(margins.ply[element]), cases[int(margins.case[element])]
        ply = int(margins.ply[element]) if selection.spot_ply is None else selection.spot_ply
        case = selection.case if selection.case in cases else cases[0]
        return element, min(ply, len(answer.layout().laid) - 1), case

    def _fill_table(self, answer: PartAnswer) -> None:
        rows = state.spot_rows(answer)
        need, fresh = state.required(self.session.project), self.session.fresh
        self.hot_note.setText("one a neighbourhood" if fresh else "stale, of the project before")
        table = self.hot
        table.blockSignals(True)
        table.setRowCount(len(rows))
        for i, cells in enumerate(rows):
            for j, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setToolTip(answer.margins.mode_label(answer.spots[i]) if j == 4 else text)
                failing = j == 0 and answer.margins.reserve[answer.spots[i]] < need
                ink = "fails" if failing else "ink"
                item.setForeground(theme.colour(ink if fresh else "stale"))
                if j == 0:
                    item.setFont(theme.strong())
                table.setItem(i, j, item)
        element = self._picked(answer)[0]
        if element in answer.spots:
            table.selectRow(answer.spots.index(element))
        else:
            table.clearSelection()
        table.blockSignals(False)

    def _fill_requirements(self) -> None:
        face = theme.face()
        lines = []
        for s in self.session.statuses:
            ink = face.holds if s.met else face.fails
            word = "met" if s.met else "not met"
            if not self.session.fresh:
                ink, word = face.stale, f"was {word}"
            case = s.where if s.address is None else self._case_of(s.address.case)
            lines.append(f"<span style='color:{ink}'><b>{word}</b></span>&nbsp; {s.figure}, "
                         f"<span style='color:{face.soft}'>{case}. {s.need}</span>")  # fmt: skip
        self.requirements.setText("<br>".join(lines))

    def _case_of(self, number: int) -> str:
        answer = self.session.answer
        return answer.inputs.case_names[number] if answer is not None else ""

    def _show_section(self, answer: PartAnswer, element: int, ply: int) -> None:
        layout = answer.layout()
        plies = layout.plies(element)
        rows = rows_of(self.session.project, [layout.laid[n].ply for n in plies], plies)
        cases = list(answer.inputs.case_names)
        case = max(0, self.case.currentIndex())
        try:
            found = state.section_at(
                self.session.project, answer, element, min(case, len(cases) - 1)
            )
        except TartanError as error:
            self.where.setText(str(error))
            self.section.show_stack(rows)
            return
        self.where.setText(found.words)
        self.section.marked = plies.index(ply) if ply in plies else None
        self.section.faded = not self.session.fresh
        self.section.show_stack(rows, found.columns)

    def _map(self, answer: PartAnswer) -> Map:
        kind, case = self.shown.currentIndex(), max(0, self.case.currentIndex())
        if (shape := self._shape(answer)) is not None:
            return state.shape_map(answer, *shape)
        if kind == 0 or kind >= len(state.SHOWN):
            # A mode that was shown before is no longer asked for.
            return state.reserve_map(self.session.project, answer)
        if kind == 4:
            return state.displacement_map(answer, case)
        ply = max(0, self.ply.currentIndex())
        return state.stress_map(answer, kind - 1, case, ply, self.spot.currentIndex())

    def draw(self) -> None:
        """Draw the map, once the station has been visited."""
        answer, part = self.session.answer, self.session.project.part
        if not self.isVisible():
            return
        if self.scene is None:
            self.scene = PartScene()
            self.scene.element_picked.connect(self._pick_element)
            self._map_place.addWidget(self.scene, 1)
        if answer is None:
            # Until the first answer the bare part is shown.
            try:
                mesh = None if part is None else meshed(part).mesh
            except TartanError:
                mesh = None
            if mesh is None:
                self.scene.put_nothing()
            else:
                self.scene.put_mesh(mesh)
                self.scene.redraw()
            return
        kind, case = self.shown.currentIndex(), max(0, self.case.currentIndex())
        for widget in self._of_ply:
            widget.setVisible(kind in (1, 2, 3))
        shown, fresh = self._map(answer), self.session.fresh
        self.legend.put(
            shown, f"needs {state.required(self.session.project):.2f}", stale=not fresh
        )
        self._draw_map(self.scene, answer, shown, case)
        self.note.setText(shown.note if fresh else f"stale, of the project before: {shown.note}")
        self.scene.redraw()

    def _shape(self, answer: PartAnswer) -> tuple[str, np.ndarray] | None:
        """The mode or buckling shape that is chosen, if one is."""
        shapes = state.shapes_of(answer)
        number = self.shown.currentIndex() - len(state.SHOWN)
        return shapes[number] if 0 <= number < len(shapes) else None

    def _draw_map(self, scene: PartScene, answer: PartAnswer, shown: Map, case: int) -> None:
        scene.put_mesh(state.mesh_of(answer))
        assert scene.mesh is not None
        if (shape := self._shape(answer)) is not None:
            move = shape[1] * 0.06 * float(np.linalg.norm(np.ptp(scene.mesh.nodes, axis=0)))
            words = shape[0]
        else:
            factor = state.magnification(answer, case)
            move = answer.solution.displacement[case, :, :3] * factor
            words = f"deformed × {units.number(factor)}, {answer.inputs.case_names[case]}"
        scene.deform(move if self.deformed.isChecked() else None)
        self.scale.setText(words if self.deformed.isChecked() else "undeformed")
        scene.paint(shown.rgb if self.session.fresh else _faded(shown.rgb))
        element = self._picked(answer)[0]
        scene.outline("picked", [element], theme.face().ink, 4.0)
        if self.session.fresh:
            self._label_pick(scene, answer, element)
        else:
            scene.unpin("label")

    def _label_pick(self, scene: PartScene, answer: PartAnswer, element: int) -> None:
        ply, mode = int(answer.margins.ply[element]) + 1, answer.margins.mode_label(element)
        short = state.SHORT.get(mode, mode)
        text = f"{units.factor(float(answer.margins.reserve[element]))} · ply {ply} {short}"
        scene.pin("label", element, text)

    def close_view(self) -> None:
        """Free the graphics before the window goes."""
        if self.scene is not None:
            self.scene.close_view()
            self.scene = None

    def showEvent(self, event: object) -> None:
        self.draw()


def _faded(rgb: np.ndarray) -> np.ndarray:
    """Colours of a map that is out of date: most of the colour gone."""
    ground = theme.colour("stale")
    stone = np.array([ground.red(), ground.green(), ground.blue()])
    return np.asarray(0.28 * rgb + 0.72 * stone).astype(np.uint8)
