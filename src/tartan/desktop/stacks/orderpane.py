"""The order of plies: what is asked, the search at work, and what it found."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tartan.core.errors import StackError, TartanError
from tartan.core.search.goals import Slots
from tartan.core.search.judging import Question
from tartan.core.search.ordering import BOUNDED, Found, clash
from tartan.core.search.plyset import PlySet
from tartan.core.stack.groups import bare
from tartan.desktop.session import Session
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.stacks.orderask import OrderForm
from tartan.desktop.stacks.orderfound import OrderResult
from tartan.desktop.stream import Stream
from tartan.desktop.widgets.searchframe import SearchActs, SearchFrame, SearchWords
from tartan.exchange.order_command import asked_steps
from tartan.pages.ordering import standing_words
from tartan.project.analysis.engine import Engine
from tartan.project.analysis.ordering import (
    kept_found,
    question_for,
    stack_as_it_is,
)
from tartan.project.analysis.part_order import OnPart, slots_of
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import OF_THE_PART, OrderAsk, OrderFound, OrderStep
from tartan.project.edits import order_edits
from tartan.project.edits.versions import clone_version
from tartan.project.findings import order_words as words_of

Heard = tuple[PlySet, OrderStep, Found]
"""What is put in order, the stack as it is, and where the search stands."""


WORDS = SearchWords(
    ("what is asked", "Goals, what may move, and the rules of the shop"),
    ("what was found", "History, before and after, rule by rule"),
    ("search", "Look for the best order of these plies"),
    "End the search and keep what it found",
    "progress of the search",
    "Give the stack this order",
    "Give a version of its own this order",
    "The report shows the search",
)


class OrderPane(QWidget):
    """Two pages, the question and the result, below the search's own row."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.stream = Stream(self, "Order of plies", "Change what is asked, or search anew.")
        self.stream.heard.connect(self._hear)
        self.stream.ended.connect(self._end)
        self._results: dict[str, tuple[OrderAsk, OrderFound]] = {}
        self._of: OrderAsk | None = None
        self._engine: Engine | None = None
        self._history = session.history
        self.frame = SearchFrame(WORDS, self._acts())
        self.note, self.progress = self.frame.note, self.frame.progress
        self.form = OrderForm(session, self.frame.tell)
        self.found = OrderResult(session)
        self.found.looked.connect(self._show_taking)
        self.frame.put(self.form, self.found)
        self.frame.turned.connect(self._show_taking)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.frame)

    def _acts(self) -> SearchActs:
        return SearchActs(
            self.search, self.stream.stop, self.take, self.take_as_version, self.keep
        )

    # The search

    def search(self) -> None:
        """Search for what is asked of the chosen stack."""
        project, ask = self.session.project, self.form.ask
        self.frame.tell("")
        on_part = any(goal.figure in OF_THE_PART for goal in ask.goals)
        try:
            if not on_part:
                stack_as_it_is(project, ask, question_for(project, ask))
        except TartanError as error:
            self.frame.tell(str(error))
            return
        self._of = ask
        self._results.pop(ask.stack, None)
        if on_part and self._engine is None:
            self._engine = Engine(workers=1)
        self.stream.start(lambda: _searched(project, ask, self._engine if on_part else None))
        self.note.setText("solving the part as it is …" if on_part else "searching …")
        self._show_running()

    def _hear(self, heard: Heard) -> None:
        if self._of is None:
            return
        ask, (plies, before, found) = self._of, heard
        kept = kept_found(ask, plies, before, found)
        self._results[ask.stack] = (ask, kept)
        self.progress.setValue(round(found.share * 1000))
        self._show_result()
        if self.stream.busy:
            self.note.setText(self._running_words(found, kept))
            if words_of.best_of(kept) is not None and not self.frame.shows_found:
                self.frame.turn(1)

    def _running_words(self, found: Found, kept: OrderFound) -> str:
        words = standing_words(found)
        best = words_of.best_of(kept)
        if best is not None:
            words += f" · best so far {words_of.value_words(kept.figures[0], best.values[0])}"
        spent = self.stream.elapsed
        # How many branches a bound leaves is not known beforehand.
        if spent > 1 and found.share > 0.02 and found.method != BOUNDED:
            words += f" · {spent / found.share * (1 - found.share):.0f} s left"
        return words

    def _end(self, heard: Heard | None, error: TartanError | None) -> None:
        self._show_running()
        if error is not None:
            # It may be of a stack that is no longer looked at.
            stack = self._of.stack if self._of else ""
            other = stack and stack != self.session.selection.stack
            self.frame.tell(f"{stack}: {error}" if other else str(error))
            self.note.setText("")
            return
        if self._of is None or heard is None:
            return
        ask = self._of
        self._show_result()
        if self.session.selection.stack != ask.stack:
            self.note.setText(f"The search for {ask.stack} has ended.")

    def close_down(self) -> None:
        """End the search and its worker at once."""
        if self._engine is not None:
            self._engine.end()
            self._engine = None
        self.stream.drop()

    # Showing

    def put(self, chosen: Chosen) -> None:
        """Show what is asked and found of the chosen stack."""
        if self._history is not self.session.history:
            # Another project was opened: its stacks may have the same names.
            self.close_down()
            self._history, self._of = self.session.history, None
            self._results.clear()
            self.found.forget()
            self.frame.tell("")
        self.form.refresh()
        self._show_running()
        self._show_result()

    def _mine(self) -> tuple[OrderAsk, OrderFound] | None:
        """The result of the chosen stack: this session's, or what the project kept."""
        name = self.session.selection.stack
        if name in self._results:
            return self._results[name]
        ask = self.form.ask
        return None if ask.found is None else (ask, ask.found)

    def _show_running(self) -> None:
        self.frame.show_running(busy=self.stream.busy)
        self.progress.setMaximum(1000)

    def _show_result(self) -> None:
        mine = self._mine()
        self.frame.offer(found=mine is not None)
        if mine is None:
            self._show_taking()
            if not self.stream.busy:
                self.note.setText("")
            return
        ask, found = mine
        self.found.put(ask.stack, found, ask.goals)
        if not self.stream.busy:
            self.note.setText(words_of.result_words(found, ask.goals) + self._stale(ask, found))
        self._show_taking()

    def _stale(self, ask: OrderAsk, found: OrderFound) -> str:
        """Words where the stack or what is asked has changed since."""
        now = self.form.ask
        stack = self.session.project.stack(ask.stack)
        if stack is None:
            return ""
        same = Counter(bare(stack.plies)) == Counter(found.before.plies)
        if same and replace(now, found=None) == replace(ask, found=None):
            return ""
        return " (of the stack or question as it was)"

    def _show_taking(self) -> None:
        mine, chosen = self._mine(), self.found.chosen
        there = mine is not None and chosen is not None and self.frame.shows_found
        self.frame.taking.setVisible(there)
        if not there or chosen is None:
            return
        stack = self.session.project.stack(self.session.selection.stack)
        same = stack is not None and bare(stack.plies) == chosen.plies
        for each in (self.frame.take_button, self.frame.version_button):
            each.setEnabled(not same)
        self.frame.keep_button.setEnabled(not self.stream.busy)

    # Taking it

    def _changed(self, project: Project) -> Project:
        mine, chosen = self._mine(), self.found.chosen
        if mine is None or chosen is None:
            raise StackError("Nothing was found yet.", "Order of plies", "Search first.")
        ask, found = mine
        return order_edits.take_order(project, ask.stack, chosen.plies, found)

    def take(self) -> None:
        """Give the stack the order that is looked at, as one undo step."""
        error = self.session.edit("take the order that was found", self._changed)
        self.frame.tell("" if error is None else str(error))

    def take_as_version(self) -> None:
        """Keep the design as it is, and go on with a new version that has the order."""
        error = self.session.edit(
            "order that was found, as a version", lambda p: self._changed(clone_version(p))
        )
        self.frame.tell("" if error is None else str(error))

    def keep(self) -> None:
        """Keep the search for the report."""
        mine = self._mine()
        if mine is None:
            return
        ask, found = mine

        def kept(project: Project) -> Project:
            now = order_edits.ask_of(project, ask.stack)
            return order_edits.put_ask(project, replace(now, found=found))

        error = self.session.edit("keep the search", kept)
        self.frame.tell("" if error is None else str(error))
        if error is None:
            self.note.setText("Kept: the report has a page of it.")


def _searched(project: Project, ask: OrderAsk, engine: Engine | None) -> Iterator[Heard]:
    """The search, the part solved by a worker; which rules clash where it finds nothing."""

    def answer(project: Project, asked: OnPart) -> dict[str, Slots]:
        assert engine is not None
        ((_, found),) = engine.run(slots_of, project, [asked])
        made: dict[str, Slots] = found
        return made

    before, last = None, None
    for question, found in asked_steps(project, ask, answer=answer):
        if before is None:
            before = stack_as_it_is(project, ask, question)
        last = question, found
        yield question.plies, before, found
    assert last is not None
    question, found = last
    if found.proved and found.best is None:
        raise _no_order(question)


def _no_order(question: Question) -> StackError:
    """Which rules no order keeps together."""
    few = clash(question)
    named = " and ".join(f"'{words_of.rule_words(r)}'" for r in few)
    what = f"No order of these plies keeps {named}." if few else "No order keeps all the rules."
    return StackError(
        what, "Shop rules", "Let one bend at a cost, switch one off, or change the plies."
    )
