"""Answers over a range of one or two figures, or over samples of figures that scatter."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import partial

from PyQt6.QtWidgets import QLineEdit, QProgressBar, QVBoxLayout, QWidget

from tartan.core.errors import TartanError
from tartan.desktop.session import Session
from tartan.desktop.stacks.context import Chosen
from tartan.desktop.stacks.sweepchart import draw
from tartan.desktop.stacks.sweeplines import SweepLines
from tartan.desktop.stream import Stream
from tartan.desktop.widgets.controls import button, choice, label, row, set_options, switch
from tartan.desktop.widgets.datatable import DataTable
from tartan.desktop.widgets.flow import wrapped
from tartan.desktop.widgets.manychoice import ManyChoice
from tartan.desktop.widgets.plot import Plot
from tartan.exchange.sweep_command import outcomes
from tartan.exchange.sweep_tables import path_words, spread_table, sweep_table
from tartan.exchange.tables import Table
from tartan.project.analysis.engine import Engine, engine_at
from tartan.project.document.model import Project
from tartan.project.edits.figures import figures
from tartan.project.findings.answer_figures import need_of, offered, words_of
from tartan.project.findings.sweeps import (
    Outcome,
    Task,
    check_sweep,
    idle,
    over_of,
    samples_of,
    scatter_of,
    spread_of,
    tasks_of,
)
from tartan.project.wording.figure_units import quantity_of

RANGE, SPREAD = "0 to 90 by 15", "5 %"

MOST_SCATTER = 8


@dataclass
class _Run:
    """A sweep and what is known of it."""

    project: Project
    tasks: list[Task]
    scattered: bool
    found: dict[int, Outcome] = field(default_factory=dict)

    def pairs(self) -> list[tuple[Task, Outcome]]:
        """Tasks that are answered, in their order."""
        return [(t, self.found[k]) for k, t in enumerate(self.tasks) if k in self.found]


class SweepPane(QWidget):
    """What is swept, the run, its chart and table."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.stream = Stream(self, "Sweep", "Change what is asked, or sweep again.")
        self.stream.heard.connect(self._hear)
        self.stream.ended.connect(self._end)
        self._run: _Run | None = None
        self._drawn = 0
        self._history = session.history
        self._engine: Engine | None = None
        self.lines = SweepLines(2)
        self.scattered = switch("scatter", "Samples of figures that scatter, in place of a range")
        self.scattered.toggled.connect(self._set_scattered)
        self.samples = QLineEdit("200")
        self.samples.setFixedWidth(56)
        self.samples.setAccessibleName("samples")
        self.samples_words = label("samples", "soft")
        self.ready = choice([], self._take_ready)
        self.ready.setPlaceholderText("of the chosen plies …")
        self.ready.setAccessibleName("Figures of the chosen plies")
        self.ready.setMaximumWidth(170)
        self.asked = ManyChoice("answer", "", "What is worked out at every point", none="answers")
        self.asked.setAccessibleName("Answers of the sweep")
        self.asked.changed.connect(self._show_found)
        self.cluster = QLineEdit()
        self.cluster.setPlaceholderText("this machine")
        self.cluster.setAccessibleName("cluster")
        self.cluster.setToolTip("Address of a scheduler, tcp://…; empty for this machine")
        self.begin = button("sweep", self.start, "Work out the answers at every point")
        self.stop = button("stop", self.stream.stop, "End it; what was found stays")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(6)
        self.note = label("", "soft", wrap=True)
        self.fault = label("", "fault", wrap=True)
        self.shown = choice([], lambda _: self._show_found())
        self.shown.setAccessibleName("Answer of the chart")
        self.plot = Plot("sweep")
        self.table = DataTable("sweep", filtered=False)
        self._names: list[str] = []
        self._build()

    def _build(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        more = button("+ figure", self.lines.one_more, "Another figure, over all values of both")
        self.plot.setMinimumHeight(150)
        self.table.setMinimumHeight(90)
        for each in (
            wrapped(self.scattered, more, self.ready, None, spacing=4),
            self.lines,
            wrapped(self.asked, self.samples, self.samples_words, None, spacing=4),
            row(label("on", "soft"), self.cluster, self.begin, self.stop, spacing=4),
            self.progress,
            self.note,
            self.fault,
            row(self.shown, None),
        ):
            box.addWidget(each)
        box.addWidget(self.plot, 1)
        box.addWidget(self.table, 1)
        self._set_scattered(on=False)
        self._show_running()
        self._tell("")

    def _tell(self, fault: str) -> None:
        self.fault.setText(fault)
        self.fault.setVisible(bool(fault))

    # What is asked

    def _set_scattered(self, on: bool) -> None:
        self.lines.ask_for(MOST_SCATTER if on else 2, SPREAD if on else RANGE)
        for each in (self.samples, self.samples_words):
            each.setVisible(on)

    def _take_ready(self, words: str) -> None:
        name = self.session.selection.stack
        stack = self.session.project.stack(name)
        self.ready.setCurrentIndex(-1)
        if stack is None or not stack.plies:
            return
        chosen = self.session.selection.plies or (0,)
        what = words.partition(" ")[0]
        if words.endswith("mirrored"):
            chosen = tuple(sorted({*chosen, *(len(stack.plies) - 1 - i for i in chosen)}))
        paths = [f"stacks[{name}].plies[{i + 1}].{what}" for i in chosen]
        unit = quantity_of(paths[0])
        now = getattr(stack.plies[chosen[0]], what) / unit.scale
        text = RANGE if what == "angle" else f"{now / 2:.4g} to {now * 2:.4g} in 6"
        self.lines.add(" & ".join(paths), SPREAD if self.scattered.isChecked() else text)

    def over(self, path: str, text: str) -> None:
        """Ask for a range of a figure from elsewhere in the window."""
        self.scattered.setChecked(False)
        self.lines.add(path, text)

    def _with_unit(self, path: str, text: str) -> str:
        """A range or spread with the display unit at its end, where it names none."""
        first = path.partition("&")[0].strip().removeprefix("-")
        unit = quantity_of(first).unit
        plain = text.removesuffix("within").rstrip()
        bare = bool(plain) and (plain[-1].isdigit() or plain[-1] == ".")
        if not unit or unit == "°" or not bare:
            return f"{path} = {text}"
        # A number of equal steps has no unit; what stands before it has.
        head, sign, steps = plain.partition(" in ")
        whole = f"{head} {unit}{sign}{steps}" if sign else f"{plain} {unit}"
        return f"{path} = {whole}{' within' if text.endswith('within') else ''}"

    def _asked(self) -> _Run:
        """What is asked, checked.

        Raises
        ------
        TartanError
            What is missing or cannot be read.
        """
        project = self.session.project
        names = [self._names[i] for i in self.asked.chosen]
        lines = [self._with_unit(x.path, x.text) for x in self.lines.lines()]
        on = self.scattered.isChecked()
        if on:
            count = int(self.samples.text()) if self.samples.text().isdecimal() else 0
            tasks = samples_of([scatter_of(project, x) for x in lines], names, count)
        else:
            tasks = tasks_of([over_of(project, x) for x in lines], names)
        check_sweep(project, tasks)
        return _Run(project, tasks, on)

    # The run

    def start(self) -> None:
        """Sweep what is asked."""
        self._tell("")
        try:
            run = self._run = self._asked()
        except TartanError as error:
            self._tell(str(error))
            return
        self._offer_shown(run)
        engine = self._engine = engine_at(self._engine, self.cluster.text())

        def work() -> Iterator[int]:
            for number, outcome in outcomes(run.project, run.tasks, engine):
                run.found[number] = outcome
                yield len(run.found)

        self._drawn = 0
        self.stream.start(work)
        self._show_running()
        self._show_found()

    def _hear(self, count: int) -> None:
        """Draw anew once there is a tenth more; thousands of points take their time."""
        if count >= self._drawn * 1.1 + 1:
            self._drawn = count
            self._show_found()
        self.progress.setValue(count)

    def _end(self, _: object, error: TartanError | None) -> None:
        self._show_running()
        self._show_found()
        if error is not None:
            self._tell(str(error))

    def close_down(self) -> None:
        """End the run and the workers at once: a point under way is given up."""
        if self._engine is not None:
            self._engine.end()
            self._engine = None
        self.stream.drop()

    # Showing

    def put(self, chosen: Chosen) -> None:
        """Offer the figures and answers of the project as it stands."""
        project = chosen.session.project
        if self._history is not self.session.history:
            self.close_down()
            self._history, self._run = self.session.history, None
            self.table.put(Table("sweep", (), ()))
            self.plot.begin("", "")
            self.note.setText("")
            self._tell("")
            self._show_running()
        self.lines.offer([path for path, _ in figures(project)])
        mine = f"stacks[{chosen.stack.name}]."
        names = [n for n in offered(project) if n.startswith((mine, "part."))]
        if names != self._names:
            kept = {self._names[i] for i in self.asked.chosen} if self._names else set()
            self._names = names
            first = f"stacks[{chosen.stack.name}].reserve"
            wanted = [n for n in names if n in (kept or {first})]
            words = [_words(project, n) for n in names]
            self.asked.show_chosen(words, [words[names.index(n)] for n in wanted])
        options = [f"{what} of the chosen plies{end}" for what in ("angle", "thickness")
                   for end in ("", ", mirrored")]  # fmt: skip
        if self.ready.count() != len(options):
            set_options(self.ready, options, "")

    def _offer_shown(self, run: _Run) -> None:
        options = [_words(run.project, n) for n in run.tasks[0].answers]
        now = self.shown.currentText()
        set_options(self.shown, options, now if now in options else options[0])

    def _show_running(self) -> None:
        busy = self.stream.busy
        self.begin.setVisible(not busy)
        self.stop.setVisible(busy)
        self.progress.setVisible(busy)

    def _show_found(self) -> None:
        run = self._run
        if run is None:
            return
        self.progress.setMaximum(len(run.tasks))
        self.progress.setValue(len(run.found))
        pairs = run.pairs()
        faults = sum(bool(o.fault) for _, o in pairs)
        words = f"{len(pairs)} of {len(run.tasks)} worked out"
        if faults:
            words += f", {faults} without an answer"
        self.note.setText(words + (" …" if self.stream.busy else "."))
        at = max(0, self.shown.currentIndex())
        draw(self.plot, run.project, pairs, at, scattered=run.scattered)
        tasks, outs = [t for t, _ in pairs], [o for _, o in pairs]
        if run.scattered and pairs:
            spreads = spread_of(tasks, outs, partial(need_of, run.project))
            self.table.put(spread_table(run.project, tasks[0].paths, spreads))
            first = spreads[at]
            if first.holds is not None and not math.isnan(first.holds):
                self.note.setText(f"{self.note.text()} {first.holds:.1%} hold.")
        else:
            self.table.put(sweep_table(run.project, tasks, outs), None, (190,))
            if not self.stream.busy and pairs:
                for paths in idle(tasks, outs):
                    words = f"{self.note.text()} Nothing changes with {path_words(paths)}."
                    self.note.setText(words)


def _words(project: Project, name: str) -> str:
    return words_of(project, name)[0]
