"""The Stacks station: notation line, section picture and answers, always in step."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import cast

from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QMenu, QWidget

from tartan.core.errors import NotationError, TartanError, fault_of
from tartan.core.stack import Stack
from tartan.core.stack.groups import sub_laminates
from tartan.core.stack.notation import Context, parse
from tartan.core.stack.notation_written import context_for, write
from tartan.core.working import Working
from tartan.desktop import theme
from tartan.desktop.session import Session
from tartan.desktop.stacks.context import Chosen, chosen
from tartan.desktop.stacks.couponpane import CouponPane
from tartan.desktop.stacks.editor import SectionEditor
from tartan.desktop.stacks.envelope import EnvelopePane
from tartan.desktop.stacks.history import HistoryPane
from tartan.desktop.stacks.loads import LoadStrip
from tartan.desktop.stacks.menus import StackActions, columns_menu
from tartan.desktop.stacks.notationfield import NotationField
from tartan.desktop.stacks.orderpane import OrderPane
from tartan.desktop.stacks.panes import LONG, PANES, WORKING, AnswerPane
from tartan.desktop.stacks.pastebar import PasteBar
from tartan.desktop.stacks.ply_strip import PlyStrip
from tartan.desktop.stacks.results import ResultsPane
from tartan.desktop.stacks.sharespane import SharesPane
from tartan.desktop.stacks.stiffness import StiffnessPane
from tartan.desktop.stacks.strength import StrengthPane
from tartan.desktop.stacks.sweeppane import SweepPane
from tartan.desktop.stacks.tubepane import TubePane
from tartan.desktop.stacks.whatif import WhatIfPane
from tartan.desktop.stacks.words import card_of, change_words, remarks_on
from tartan.desktop.station import StationView
from tartan.desktop.widgets.cards import CardList
from tartan.desktop.widgets.controls import Field, button, column, label, row, scrolled, switch
from tartan.desktop.widgets.figure import WorkingPane
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.latepanes import Late, LatePanes
from tartan.desktop.widgets.section import Fold
from tartan.desktop.widgets.split import Pane, Split
from tartan.pages import stack_answers as answers
from tartan.pages import stacks as state
from tartan.pages.rows import rows_of
from tartan.pages.shown import Column
from tartan.project.document.model import Project
from tartan.project.edits import design_edits, stack_edits
from tartan.project.wording import units


class StacksView(StationView):
    """Stacks at the left, the section in the middle, answers at the right."""

    stiffness = Late[StiffnessPane]("Stiffness")
    strength = Late[StrengthPane]("Strength")
    envelope = Late[EnvelopePane]("Envelope")
    history = Late[HistoryPane]("History")
    results = Late[ResultsPane]("Plies")
    tube = Late[TubePane]("Tube")
    order = Late[OrderPane]("Order")
    sweep = Late[SweepPane]("Sweep")
    shares = Late[SharesPane]("Shares")
    coupon = Late[CouponPane]("Coupon")

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._folded: set[str] = set()
        self._shown_asked: tuple[object, ...] = ()
        self._make_middle(session)
        self._make_answers(session)
        self._build()

    def _make_middle(self, session: Session) -> None:
        self.cards = CardList("Stacks")
        self.cards.chosen.connect(lambda name: session.select(stack=name, plies=()))
        self.name = Field(self._rename)
        self.notation = NotationField(self._commit_notation, self._context)
        self.notation.setFont(theme.mono())
        self.notation.setAccessibleName("Notation")
        self.fault = label("", "fault", wrap=True)
        self.facts = label("", "soft", wrap=True)
        self.change = label("", "soft")
        self.remarks = button("", self._offer_remarks, "Remarks by the rules of good practice")
        self.editor = SectionEditor(session, self._tell)
        self.editor.band_width = 216
        self.editor.fold_pressed.connect(self._toggle_fold)
        self.editor.bar_pressed.connect(self._open_reserve)
        self.paste_bar = PasteBar()
        self.actions_ = StackActions(self, session, self.editor, self._tell)
        self.menus = {"stack": self.actions_.menu}
        self.strip = PlyStrip(session, self.editor, self.actions_, self._tell)
        self.shown = set(answers.DEFAULT_COLUMNS)
        self.columns_button = button("columns ▾", self._offer_columns, "Results beside the plies")
        self._make_band_switches()
        self.loads = LoadStrip(session, self._tell)
        self.whatif = WhatIfPane(session)

    def _make_answers(self, session: Session) -> None:
        self.panes = LatePanes(
            {
                "Stiffness": lambda: StiffnessPane(self.open_working),
                "Strength": lambda: StrengthPane(self.open_working),
                "Envelope": EnvelopePane,
                "History": HistoryPane,
                "Plies": ResultsPane,
                "Tube": self._make_tube,
                "Order": lambda: OrderPane(session),
                "Sweep": lambda: SweepPane(session),
                "Shares": SharesPane,
                "Coupon": CouponPane,
            },
            lambda name, pane: scrolled(pane) if name in LONG else pane,
        )
        self.loads.swept.connect(self.ask_sweep)
        self.working = WorkingPane()
        self.working.closed.connect(self._close_working)
        self.working.kept.connect(self._keep_working)
        self.tabs = QButtonGroup(self)

    def _make_tube(self) -> TubePane:
        tube = TubePane()
        tube.asked_for.connect(self.loads.enter_as_tube)
        return tube

    def _make_band_switches(self) -> None:
        self.even = switch("even bands", "Draw all plies equally thick")
        self.whole = switch("whole", "Fit the whole stack in sight")
        for each in (self.even, self.whole):
            each.toggled.connect(self._set_bands)

    def _build(self) -> None:
        self.editor.paste_asked.connect(self.paste_bar.ask)
        left = column(
            self.cards,
            row(
                button("+ stack", self.add, "New stack like the chosen one"),
                button("remove", self.remove, "Remove the chosen stack"),
                None,
                spacing=0,
            ),
            spacing=4,
        )
        self.left = left
        self.name.setMaximumWidth(200)
        self.name.setAccessibleName("Stack name")
        self.columns_button.setAccessibleName("Columns")
        for field in (self.name, self.notation):
            field.refused.connect(self._tell)
        self.whatif.setFixedHeight(124)
        self.whatif.toggled.connect(lambda on: self.whatif.setFixedHeight(124 if on else 30))
        middle = column(
            wrapped(
                self.name, self.change, None, self.columns_button, self.even, self.whole, spacing=6
            ),
            self.notation,
            self.fault,
            self.paste_bar,
            row(self.facts, self.remarks),
            scrolled(self.editor),
            self.strip,
            self.loads,
            self.whatif,
            spacing=5,
        )
        box = QHBoxLayout(self)
        box.setContentsMargins(12, 10, 10, 8)
        panes = self._build_panes()
        split = Split(
            "stacks",
            Pane(left, 136, 112, part=0.135),
            Pane(middle, share=5),
            Pane(panes, 400, share=3, part=0.375),
            gap=12,
        )
        box.addWidget(split)

    def reveal(self, widget: QWidget) -> None:
        """Turn to the tab that holds a widget."""
        name = self.panes.holding(widget)
        if name:
            self.tabs.buttons()[PANES.index(name)].click()

    def ask_sweep(self, path: str, text: str) -> None:
        """Turn to the sweep, asked of a figure over a range."""
        self.reveal(self.sweep)
        self.sweep.over(path, text)

    def _build_panes(self) -> QWidget:
        tabs: list[QWidget] = []
        for i, name in enumerate(PANES):
            tab = switch(name)
            tab.setProperty("role", "tab")
            self.tabs.addButton(tab, i)
            tabs.append(tab)
        self.panes.show_pane(PANES[0])
        self.panes.addWidget(self.working)
        self.tabs.setExclusive(True)
        first = self.tabs.button(0)
        assert first is not None
        first.setChecked(True)
        self.tabs.idClicked.connect(self.show_pane)
        right = column(wrapped(*tabs, spacing=0), self.panes, spacing=6)
        right.setMinimumWidth(300)
        return right

    # Edits

    @property
    def stack(self) -> Stack | None:
        """The chosen stack."""
        return self.session.project.stack(self.session.selection.stack)

    def _context(self) -> Context:
        thickness = {m.name: m.ply_thickness for m in self.session.project.materials}
        plies = self.stack.plies if self.stack else ()
        return replace(context_for(plies, thickness, units.LENGTH.unit), stacks=self._others())

    def _others(self) -> dict[str, state.Plies]:
        here = self.session.selection.stack
        return {s.name: s.plies for s in self.session.project.stacks if s.name != here}

    def _commit_notation(self, text: str) -> TartanError | None:
        name = self.session.selection.stack
        try:
            plies = parse(text, self._context())
        except NotationError as error:
            # The offending character is picked out, so that typing mends it.
            self.notation.setSelection(error.position, 1)
            return error
        self.session.select(plies=())
        if self.stack is None:
            # What is typed before there is a stack makes one.
            return self.session.edit(
                "add stack", lambda p: stack_edits.add_stack(p, "stack", plies)[0]
            )
        return self.session.edit(
            f"notation of {name}", lambda p: stack_edits.put_plies(p, name, plies)
        )

    def _rename(self, text: str) -> TartanError | None:
        old = self.session.selection.stack
        error = self.session.edit(
            f"rename {old}", lambda p: stack_edits.rename_stack(p, old, text)
        )
        if error is None:
            self.session.select(stack=text.strip())
        return error

    def add(self) -> None:
        """Add a stack like the chosen one."""
        plies = self.stack.plies if self.stack else ()
        before = {s.name for s in self.session.project.stacks}
        self.session.edit("add stack", lambda p: stack_edits.add_stack(p, "stack", plies)[0])
        new = [s.name for s in self.session.project.stacks if s.name not in before]
        self.session.select(stack=new[0], plies=())
        self.name.setFocus()
        self.name.selectAll()

    def remove(self) -> None:
        """Remove the chosen stack, unless the part uses it."""
        name = self.session.selection.stack
        error = self.session.edit(f"remove {name}", lambda p: stack_edits.remove_stack(p, name))
        self._tell(fault_of(error))

    def _tell(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    # Picture

    def _set_bands(self) -> None:
        self.editor.even = self.even.isChecked()
        self.editor.least_band = 2 if self.whole.isChecked() else 20
        self.editor.show_stack(self.editor.rows, self.editor.columns)

    def _toggle_fold(self, index: int) -> None:
        name = self.editor.folds[index].name
        self._folded ^= {name}
        self.refresh()

    def _offer_columns(self) -> None:
        menu = columns_menu(self, self.session.project.criteria[0], self.shown, self.switch_column)
        menu.popup(self.columns_button.mapToGlobal(self.columns_button.rect().bottomLeft()))

    def switch_column(self, key: str, on: bool) -> None:
        """Show a column or no longer."""
        self.shown = self.shown | {key} if on else self.shown - {key}
        self.refresh()

    def _offer_remarks(self) -> None:
        stack = self.stack
        if stack is None:
            return
        menu = QMenu(self)
        for advice in remarks_on(self.session.project, stack.plies):
            menu.addAction(
                f"{advice.what} {advice.mend}", lambda a=advice: self.session.select(plies=a.plies)
            )
        menu.aboutToHide.connect(menu.deleteLater)
        menu.popup(self.remarks.mapToGlobal(self.remarks.rect().bottomLeft()))

    # Workings

    def open_working(self, make: Callable[[], Working]) -> None:
        """Show the working of a figure in place of the answers, until it is closed."""
        try:
            self.working.put(make())
        except TartanError as error:
            self.working.put(str(error))
        self.panes.setCurrentWidget(self.working)
        self.working.text.setFocus()

    def _keep_working(self, title: str, text: str) -> None:
        self.session.edit("keep a working", lambda p: design_edits.keep_working(p, title, text))

    def _close_working(self) -> None:
        self.show_pane(self.tabs.checkedId())

    def _open_reserve(self, ply: int, key: str) -> None:
        here = chosen(self.session)
        asked = here.question if here else None
        if asked is None:
            return
        self.session.select(plies=(ply,))
        self.open_working(lambda: answers.reserve_of_ply(asked, ply, key))

    # Showing

    def show_pane(self, index: int) -> None:
        """Show one of the panes of answers."""
        self.panes.show_pane(PANES[index])
        self._put_pane(chosen(self.session))

    def close_view(self) -> None:
        """End what the panes have under way, before the window goes."""
        for pane in self.panes.standing():
            if isinstance(pane, WORKING):
                pane.close_down()

    def make_one(self) -> bool:
        return self.panes.make_one()

    def refresh(self) -> None:
        """Show the project and selection as they stand."""
        project = self.session.project
        here = chosen(self.session)
        self.cards.put([card_of(project, s) for s in project.stacks], self.session.selection.stack)
        self._tell("")
        if here is None:
            self.editor.show_stack(())
            return
        self.name.put(here.stack.name)
        self.notation.put(write(here.stack.plies, self._context()) if here.stack.plies else "")
        self.facts.setText(state.facts(project, here.stack, here.laminate))
        self.change.setText(change_words(project, here))
        asked = (here.laminate, here.loads, here.criteria)
        if asked != self._shown_asked and self.panes.currentWidget() is self.working:
            # The opened working is of figures that are gone.
            self._close_working()
        self._shown_asked = asked
        self._show_section(project, here)
        if here.error is not None:
            self._tell(str(here.error))
        self.strip.put(here.stack)
        self.loads.put(here)
        self._put_pane(here)
        self.whatif.put(here)

    def _show_section(self, project: Project, here: Chosen) -> None:
        editor, plies = self.editor, here.stack.plies
        editor.selected = frozenset(self.session.selection.plies)
        found = remarks_on(project, plies)
        editor.remarks = state.remarks_by_ply(found)
        count = len(found)
        self.remarks.setText(
            "no remarks" if not count else f"{count} {'remark' if count == 1 else 'remarks'} ▾"
        )
        self.remarks.setEnabled(bool(count))
        editor.folds = [
            Fold(g.name, g.first, g.count, g.name in self._folded)
            for g in sub_laminates(plies, self._others())
        ]
        base = project.baseline
        old = base.stack(here.stack.name) if base else None
        editor.before = rows_of(base, old.plies) if base and old else ()
        editor.before_name = base.name if base else ""
        columns: list[Column] = []
        if here.question is not None:
            columns, error = answers.try_answers(here.question, tuple(self.shown), here.before)
            if error is not None:
                self._tell(str(error))
        editor.show_stack(rows_of(project, plies), columns)

    def _put_pane(self, here: Chosen | None) -> None:
        if here is None:
            return
        if self.panes.name:
            cast("AnswerPane", self.panes.pane(self.panes.name)).put(here)
