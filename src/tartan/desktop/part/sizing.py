"""The sizing of the part: what may change, the search at work, and what it found."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from tartan.core.errors import DocumentError, TartanError
from tartan.desktop.part.form import PartForm, grid
from tartan.desktop.part.sizingfound import SizingResult
from tartan.desktop.session import Session
from tartan.desktop.stream import Stream
from tartan.desktop.widgets.block import Block
from tartan.desktop.widgets.controls import Field, choice, row, switch
from tartan.desktop.widgets.recordform import Record, add_record
from tartan.desktop.widgets.searchframe import SearchActs, SearchFrame, SearchWords
from tartan.exchange.sizing_command import run
from tartan.pages.sizing_fields import variable_fields
from tartan.project.analysis.engine import Engine, engine_at
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.analysis.size_proposals import variables_of
from tartan.project.document.model import Project
from tartan.project.document.sizingmodel import SizeAsk, SizeFound, SizeStep, SizeVariable
from tartan.project.edits import sizing_edits
from tartan.project.edits.versions import clone_version
from tartan.project.findings.size_words import best_of, result_words, variable_words, weight_words
from tartan.project.findings.sizing import SizeNews, sizing_of
from tartan.project.wording import units

ANY = "any"

ENDS = "Between two zones that are neighbours; any: as many as there are"
SOLVES = "It ends when so many were solved"


WORDS = SearchWords(
    ("what may change", "Plies, cores, rungs and angles, and the rules"),
    ("what was found", "Before and after, and what stops it"),
    ("size", "Look for the least that holds"),
    "End it; what was found stays",
    "progress of the sizing",
    "Give stacks and lay-up these plies",
    "Give a version of its own these plies",
    "The report shows the sizing",
)


class SizingForm(PartForm):
    """Two pages, what may change and what was found, below the search's own row."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._asked: tuple[Project, SizeAsk] | None = None
        self.stream = Stream(self, "Sizing", "Change what may change, or size anew.")
        self.stream.heard.connect(self._hear)
        self.stream.ended.connect(self._end)
        self._engine: Engine | None = None
        self._history = session.history
        self._of: tuple[Project, SizeAsk] | None = None
        self._result: tuple[Project, SizeAsk, SizeFound] | None = None
        acts = SearchActs(self.start, self._stop, self.take, self.take_as_version, self.keep)
        self.frame = SearchFrame(WORDS, acts)
        self.note, self.progress = self.frame.note, self.frame.progress
        self.least = choice(["mass", "cost"], lambda text: self._put("sizing", least=text))
        self.least.setAccessibleName("what shall be small")
        self.ends = Field(self._commit_ends)
        self.solves = Field(self._commit_solves)
        self.covers = switch("outermost plies stay", "The first and the last ply are not left out")
        self.covers.clicked.connect(lambda on: self._put("covers", covers=bool(on)))
        self.cluster = QLineEdit()
        self.cluster.setPlaceholderText("this machine")
        self.cluster.setAccessibleName("cluster of the sizing")
        self.cluster.setToolTip("Address of a scheduler, tcp://…; empty for this machine")
        self.variables = Block()
        self.found = SizingResult(session)
        self.found.looked.connect(self._show_taking)
        self._build()

    def _build(self) -> None:
        for field, name in (
            (self.ends, "plies that may end at a border"),
            (self.solves, "designs solved at most"),
        ):
            field.setAccessibleName(name)
            field.setFixedWidth(60)
            field.refused.connect(self.frame.tell)
        page = QWidget()
        ask = QVBoxLayout(page)
        ask.setContentsMargins(0, 0, 6, 0)
        ask.setSpacing(6)
        ask.addWidget(
            grid(
                [
                    ("least", row(self.least, None)),
                    ("plies that end at a border", row(self.ends, None)),
                    ("designs solved at most", row(self.solves, None)),
                    ("on", self.cluster),
                ]
            )
        )
        ask.addWidget(row(self.covers, None))
        ask.addWidget(self.variables)
        ask.addStretch(1)
        self.frame.put(page, self.found)
        self.frame.turned.connect(self._show_taking)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.frame)
        self._show_taking()
        self._show_running()

    # What is asked

    @property
    def ask(self) -> SizeAsk:
        """What is asked, every variable of the lay-up with it."""
        project = self.session.project
        # Every field of every variable reads it.
        if self._asked is None or self._asked[0] is not project:
            own = variables_of(project, project.sizing)
            self._asked = (project, replace(project.sizing, variables=own))
        return self._asked[1]

    def _put(self, words: str, **values: object) -> TartanError | None:
        ask = replace(self.session.project.sizing, **values)  # type: ignore[arg-type]
        return self._edited(words, lambda p: sizing_edits.put_sizing(p, ask))

    def _edited(self, words: str, change: Callable[[Project], Project]) -> TartanError | None:
        error = self.session.edit(words, change)
        self.frame.tell("" if error is None else str(error))
        return error

    def _commit_ends(self, text: str) -> TartanError | None:
        plain = text.strip()
        if plain in ("", ANY):
            return self._put("plies that end", most_dropped=None)
        return self._whole(plain, "plies that end", "most_dropped")

    def _commit_solves(self, text: str) -> TartanError | None:
        return self._whole(text.strip(), "designs solved", "most_solves")

    def _whole(self, text: str, words: str, key: str) -> TartanError | None:
        if not text.isdecimal() or len(text) > 9:
            return DocumentError(f"'{text}' is no whole number.", "Sizing", "Enter 0 or more.")
        return self._put(words, **{key: int(text)})

    def _change(self, number: int, **values: object) -> TartanError | None:
        variable = replace(self.ask.variables[number], **values)  # type: ignore[arg-type]
        return self._edited("what may change", lambda p: sizing_edits.put_variable(p, variable))

    def _fill_variables(self) -> None:
        project, ask = self.session.project, self.ask
        names = tuple(variable_words(project, v) for v in ask.variables)

        def build(block: Block) -> None:
            for number, variable in enumerate(ask.variables):
                record = Record(
                    partial(self._variable, number),
                    partial(self._change, number),
                    self.frame.tell,
                    names[number],
                    None,
                )
                add_record(block, variable_fields(project, variable), record)

        self.variables.put((names, tuple(v.kind for v in ask.variables), units.system()), build)

    def _variable(self, number: int) -> SizeVariable | None:
        every = self.ask.variables
        return every[number] if number < len(every) else None

    # The search

    def start(self) -> None:
        """Look for the lightest or cheapest lay-up that holds."""
        project, ask = self.session.project, self.ask
        self.frame.tell("")
        try:
            sizing_of(project, ask)
            # What stands in the way of any answer is told before workers are started.
            part_inputs(project)
        except TartanError as error:
            self.frame.tell(str(error))
            return
        asked = replace(project, sizing=ask)
        self._of, self._result = (asked, ask), None
        engine = self._engine = engine_at(self._engine, self.cluster.text().strip())

        def work() -> Iterator[SizeNews]:
            for _, news in run(asked, engine=engine, alone=False):
                yield news

        self.stream.start(work)
        self.note.setText("starting workers …")
        self._show_running()
        self._show_result()

    def _stop(self) -> None:
        self.note.setText("It stops once the design under way is solved.")
        self.stream.stop()

    def _hear(self, news: SizeNews) -> None:
        if self._of is None:
            return
        project, ask = self._of
        self._result = (project, ask, news.found)
        self.progress.setMaximum(max(1, news.most))
        self.progress.setValue(news.solves)
        self._show_result()
        if not self.stream.busy:
            return
        words = f"{news.doing} · {news.solves} designs solved"
        best = best_of(news.found)
        if best is not None:
            words += f" · best so far {weight_words(news.found.least, best)}"
            if not self.frame.shows_found and best.values != news.found.before.values:
                self.frame.turn(1)
        if news.solves > 2:
            left = self.stream.elapsed / news.solves * (news.most - news.solves)
            words += f" · at most {left:.0f} s left"
        self.note.setText(words)

    def _end(self, news: SizeNews | None, error: TartanError | None) -> None:
        self._show_running()
        if error is not None:
            self.frame.tell(str(error))
            self.note.setText("")
        self._show_result()
        if error is None and news is not None and news.found.solves:
            self.frame.turn(1)

    def close_down(self) -> None:
        """End the search and its workers at once: before the window goes, or another project."""
        if self._engine is not None:
            # A design under way is given up, so that nobody waits for it.
            self._engine.end()
            self._engine = None
        self.stream.drop()

    # Showing

    def refresh(self) -> None:
        """Show what is asked and found as it stands."""
        if self._history is not self.session.history:
            # Another project was opened.
            self.close_down()
            self._history, self._of, self._result = self.session.history, None, None
            self.frame.tell("")
        ask = self.session.project.sizing
        self.least.setCurrentText(ask.least)
        self.ends.put(ANY if ask.most_dropped is None else str(ask.most_dropped), ENDS)
        self.solves.put(str(ask.most_solves), SOLVES)
        self.covers.setChecked(ask.covers)
        self._fill_variables()
        self.frame.start_button.setEnabled(bool(self.ask.variables))
        self._show_running()
        self._show_result()

    def _mine(self) -> tuple[Project, SizeAsk, SizeFound] | None:
        """The result of this session, or what the project kept."""
        if self._result is not None:
            return self._result
        project = self.session.project
        if project.sizing.found is None:
            return None
        return project, project.sizing, project.sizing.found

    def _show_running(self) -> None:
        self.frame.show_running(busy=self.stream.busy)

    def _show_result(self) -> None:
        mine = self._mine()
        self.frame.offer(found=mine is not None)
        if mine is None:
            self.found.forget()
            if not self.stream.busy:
                self.note.setText("")
            self._show_taking()
            return
        project, _, found = mine
        self.found.put(found)
        if not self.stream.busy:
            stale = "" if self._fits(project) else " It is of the lay-up as it was."
            self.note.setText(result_words(found) + stale)
        self._show_taking()

    def _fits(self, of: Project) -> bool:
        """Whether the lay-up is still the one that was sized."""
        now = self.session.project
        return of.part == now.part and of.stacks == now.stacks

    def _show_taking(self) -> None:
        mine, chosen = self._mine(), self.found.chosen
        there = mine is not None and chosen is not None and self.frame.shows_found
        self.frame.taking.setVisible(there)
        if not there or mine is None or chosen is None:
            return
        other = chosen.values != mine[2].before.values
        fits = self._result is not None and self._fits(mine[0])
        for each in (self.frame.take_button, self.frame.version_button):
            each.setEnabled(fits and other and not self.stream.busy)
        self.frame.keep_button.setEnabled(not self.stream.busy and self._result is not None)

    # Taking it

    def _changed(self, project: Project) -> Project:
        mine, chosen = self._result, self.found.chosen
        if mine is None or chosen is None:
            raise DocumentError("Nothing was found yet.", "Sizing", "Size the part first.")
        of, ask, found = mine
        sizing = sizing_of(of, ask)
        variables, values = sizing.changes(chosen.values)
        step: SizeStep = replace(chosen, values=tuple(values))
        return sizing_edits.take_design(project, variables, step, found)

    def take(self) -> None:
        """Give the lay-up the design that is looked at, as one undo step."""
        self._edited("take the sizing", self._changed)

    def take_as_version(self) -> None:
        """Keep the design as it is, and go on with a new version that has the other."""
        self._edited("sizing, as a version", lambda p: self._changed(clone_version(p)))

    def keep(self) -> None:
        """Keep the sizing for the report."""
        mine = self._result
        if mine is None:
            return
        error = self._put("keep the sizing", found=mine[2])
        if error is None:
            self.note.setText("Kept: the report has a page of it.")
