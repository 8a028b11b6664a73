"""A coupon of the chosen stack three ways: through the thickness, and at its free edge."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PyQt6.QtWidgets import QVBoxLayout

from tartan.core.errors import TartanError
from tartan.core.stack import Stack
from tartan.desktop.aside import AsideAsk
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import choice, label, row, set_options
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.plot import key_words
from tartan.desktop.widgets.recordform import Record, add_record
from tartan.desktop.widgets.tabs import Tabs
from tartan.desktop.widgets.threeways import ThreeWays, figure_look
from tartan.pages import coupon as state
from tartan.pages.fields import make_up
from tartan.pages.shown import Look
from tartan.project.analysis.solids import Tried, tried
from tartan.project.document.model import Project
from tartan.project.wording import units

EDGE_INKS = ("accent", "holds", "fails")


class CouponPane(AsideAsk):
    """Asks for a coupon and shows the three ways side by side."""

    def __init__(self) -> None:
        super().__init__("Coupon", "solve it three ways", "Shell, one solid, plies")
        self.ask = state.CouponAsk()
        self._chosen: Chosen | None = None
        self._of: tuple[Project, Stack, state.CouponAsk] | None = None
        self.form = Block()
        self.record = Record(lambda: self.ask, self._change, self._tell, "coupon")
        self.pages = Tabs(("through the thickness", "free edge"))
        self.pages.turned.connect(lambda _: self._show())
        self.interface = choice([], lambda _: self._show())
        self.interface.setAccessibleName("Between which plies")
        self.words = label("", "soft", wrap=True)
        self.picture = ThreeWays("coupon", self._show)
        self.stress, self.key = self.picture.stress, self.picture.key
        self.plot, self.table = self.picture.plot, self.picture.table
        self.plot.setMinimumHeight(170)
        self.plot.setMaximumHeight(250)
        self.table.setMinimumHeight(150)
        self.choosers = wrapped(self.pages, self.stress, self.interface, None, spacing=6)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        for each in (
            self.form,
            row(self.solve_button, self.stop_button, None, spacing=4),
            self.fault,
            self.note,
            self.words,
            self.choosers,
            self.plot,
            self.key,
        ):
            box.addWidget(each)
        box.addWidget(self.table, 1)
        self._fill()

    # Asking

    def _change(self, **values: object) -> TartanError | None:
        self.ask = replace(self.ask, **values)  # type: ignore[arg-type]
        self._tell("")
        self._fill()
        self._show()
        return None

    def _fill(self) -> None:
        def build(block: Block) -> None:
            add_record(block, state.FIELDS, self.record)

        self.form.put((make_up(state.FIELDS, self.ask), units.system()), build)

    def start(self) -> None:
        """Solve the coupon, in a process of its own."""
        chosen = self._chosen
        if chosen is None or chosen.laminate is None:
            return
        self._tell("")
        self._of = (chosen.session.project, chosen.stack, self.ask)
        self.found = None
        self._begin(partial(tried, assume=self.ask.assume), *self._of[:2], self.ask.coupon)

    def close_down(self) -> None:
        """End what is under way before the window goes."""
        self.work.stop()

    # Showing

    def put(self, chosen: Chosen) -> None:
        """Show the coupon of a stack; one that was solved stays while it is still of it."""
        self._chosen = chosen
        if self._of is not None and (
            self._of[1].name != chosen.stack.name
            or self._of[0].name != chosen.session.project.name
        ):
            self._of = None
            self._forget()
        self._fill()
        self._show()

    def _fits(self) -> bool:
        if self._of is None or self._chosen is None:
            return False
        project, stack, ask = self._of
        now = self._chosen.session.project
        # Only the length of the mean is read off an answer that stands.
        same = replace(ask, over=self.ask.over) == self.ask
        return (
            same
            and stack.plies == self._chosen.stack.plies
            and project.materials_of(stack) == now.materials_of(stack)
            and project.governing_sets == now.governing_sets
        )

    def _show(self) -> None:
        busy, found = self.work.busy, self.found
        self._show_buttons()
        there = self._chosen is not None and self._chosen.laminate is not None
        self.solve_button.setEnabled(there)
        if not busy and not there and self._chosen is not None:
            self._say("The stack has no plies yet.")
        for each in (self.words, self.choosers, self.plot, self.key, self.table):
            each.setVisible(found is not None)
        if found is None:
            return
        fresh = self._fits()
        lines = [state.words(found)]
        if found.assumed:
            names = ", ".join(
                w.partition(":")[0].removeprefix("Assumed for ") for w in found.assumed
            )
            lines.append(f"Constants were assumed for {names}: point here to read them.")
        if not fresh:
            lines.insert(0, "It is of the stack, or of what was asked, before: solve it again.")
        self.words.setText("\n".join(lines))
        self.words.setToolTip("\n".join(found.assumed))
        edge = self.pages.at == 1
        self.stress.setVisible(not edge)
        # From the top, as in the section.
        pairs = [f"above ply {k}" for k in range(found.laminate.count - 1, 0, -1)]
        now = self.interface.currentText()
        set_options(self.interface, pairs, now if now in pairs else (pairs[0] if pairs else ""))
        self.interface.setVisible(edge and bool(pairs))
        if edge:
            self._show_edge(found)
        else:
            self.picture.draw(state.ways_of(found), (22, 40, 48, 72, 94, 98))

    def _show_edge(self, found: Tried) -> None:
        if found.answer.edge is None:
            for each in (self.plot, self.key, self.table):
                each.setVisible(False)
            self._tell("One ply has no other beside it: nothing acts between plies.")
            return
        ply = int(self.interface.currentText().rpartition(" ")[2]) - 1
        distance, values = state.edge_lines(found, ply)
        self.plot.begin(
            f"distance from the edge  {units.LENGTH.unit}",
            f"above ply {ply + 1}  {units.STRESS.unit}",
            state.about(found),
        )
        for name, ink, line in zip(state.EDGE, EDGE_INKS, values, strict=True):
            self.plot.curve(distance, line, ink, words=name)
        self.key.setText(key_words(state.EDGE, EDGE_INKS))
        self.plot.show_all()
        try:
            table = state.edge_table(found, self.ask.over)
        except TartanError as error:
            self._tell(str(error))
            self.table.setVisible(False)
            return
        self._tell("")
        need = self._chosen.need if self._chosen is not None else 1.0
        looks: list[list[Look | None]] = [
            [None, None, *(figure_look(v) for v in r[2:5]), _reserve(r[5], need)]
            for r in table.rows
        ]
        self.table.put(table, looks, (62, 78, 60, 60, 60, 38))


def _reserve(value: object, need: float) -> Look:
    if not isinstance(value, float):
        return Look("–", tip="S13, S23 or Yt is missing")
    return Look(units.factor(value), "fails" if value < need else "ink")
