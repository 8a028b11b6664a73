"""What all views share: the document's history, the selection, and the part's answer.

Changes of the project and of the selection are told; a third signal tells that the answer or its
freshness changed, a fourth only moves the progress. Views never talk to each other.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from math import isinf
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tartan.core.errors import TartanError
from tartan.desktop.selection import Selection, valid
from tartan.project.analysis.answers import CANCELLED, Answers, News
from tartan.project.analysis.beside import turn
from tartan.project.analysis.caseloads import map_ahead
from tartan.project.analysis.inputs import PartInputs, lay_ahead, part_inputs
from tartan.project.analysis.jobs import PartAnswer, Progress
from tartan.project.analysis.meshes import MESHES, MeshPending, mesh_key
from tartan.project.analysis.worker import JobState
from tartan.project.document.history import History
from tartan.project.document.model import Project
from tartan.project.edits import versions
from tartan.project.findings import verdict as verdicts
from tartan.project.findings.verdict import Status, Verdict

POLL = 20
"""Milliseconds between looks at the worker while it works."""

PAUSE = 120
"""Milliseconds of quiet after an edit before the part is solved again."""


class Session(QObject):
    """The open project with its undo history, selection, worker and answer."""

    project_changed = pyqtSignal(object, object)
    selection_changed = pyqtSignal(object, object)
    answer_changed = pyqtSignal()
    edit_refused = pyqtSignal(object)
    progress_changed = pyqtSignal()

    def __init__(self, project: Project, path: Path | None = None) -> None:
        super().__init__()
        self.history = History.start(project, saved=True)
        self.path = path
        self.selection = valid(Selection(), project)
        self.answer: PartAnswer | None = None
        self.error: TartanError | None = None
        self.progress: Progress | None = None
        self.previous: PartAnswer | None = None
        self.compared, self.tried = "", list[PartInputs]()
        self._wanted: PartInputs | None = None
        self._held: list[tuple[str, Callable[[Project], Project]]] = []
        self._closed = False
        self._last: Verdict | None = None
        self._current: tuple[Any, Verdict, list[Status]] | None = None
        self.answers = Answers(self._hear)
        self.answers.in_use = lambda: (self.answer,)
        MESHES.listen(self._on_mesh)
        self._mesh_ahead()
        self._poll = QTimer(self)
        self._poll.setInterval(POLL)
        self._poll.timeout.connect(self._look)
        self._pause = QTimer(self)
        self._pause.setSingleShot(True)
        self._pause.timeout.connect(self._solve)

    @property
    def project(self) -> Project:
        """The project as it stands."""
        return self.history.project

    # Editing

    def edit(self, label: str, change: Callable[[Project], Project]) -> TartanError | None:
        """Apply an edit as one undo step; an error is returned and nothing changes.

        An edit that needs a mesh or lays plies, which take a while, is held until they are there;
        `MeshPending` is returned meanwhile, and what refuses them then is told by `edit_refused`.
        """
        if self._closed:
            # A field commits what is typed as its window goes, which nobody would see or save.
            return None
        turn()
        before = self.project
        if any(each == label for each, _ in self._held):
            # Another figure in the same field takes the place of the one before.
            self._drop_held(label)
        try:
            changed = self.history.apply(label, change)
        except MeshPending as pending:
            self._held.append((label, change))
            self.progress_changed.emit()
            return pending
        except TartanError as error:
            return error
        if changed:
            self._tell(before)
        return None

    def undo(self) -> None:
        """Take the last edit back, be it one that is still held."""
        before = self.project
        if self._held:
            self._drop_held()
        elif self.history.undo():
            self._tell(before)

    def redo(self) -> None:
        before = self.project
        if self.history.redo():
            self._tell(before)

    def open(self, project: Project, path: Path | None, *, saved: bool = True) -> None:
        """Replace the document by another; its history starts anew."""
        turn()
        before = self.project
        self._held.clear()
        self.history = History.start(project, saved=saved)
        self.path = path
        self._mesh_ahead()
        self._forget_answer()
        self.selection = Selection(self.selection.station)
        self._tell(before)
        self._solve_at_once()

    def _forget_answer(self) -> None:
        """Show no answer until one of the project as it stands is there."""
        self._last = self.answer = self.previous = None
        # What is wanted next is asked for anew, even where it is the same as before.
        self._wanted = None

    def select(self, **changes: Any) -> None:
        """Change the selection, such as ``select(stack="light sandwich", plies=())``."""
        turn()
        before = self.selection
        self.selection = valid(replace(before, **changes), self.project)
        if self.selection != before:
            self.selection_changed.emit(before, self.selection)

    def _tell(self, before: Project) -> None:
        turn()
        # Whoever hears of the project looks at the selection too: it is not told by itself.
        self.selection = valid(self.selection, self.project)
        if self.project.version != before.version or not _may_answer(self.project):
            # An answer of another version, or of a part that is gone, is no stale one of this.
            self._forget_answer()
        self._renew()
        self.project_changed.emit(before, self.project)

    def _mesh_ahead(self) -> None:
        if self.project.part is not None:
            MESHES.open(mesh_key(self.project.part))

    def _drop_held(self, label: str = "") -> None:
        """Give up edits that wait for a mesh, or the one of a label."""
        self._held = [each for each in self._held if label and each[0] != label]
        MESHES.give_up()
        self.progress_changed.emit()

    def _on_mesh(self, ended: bool) -> None:
        """Show that meshing goes on, or take over what waited for it."""
        if not ended:
            self._poll.start()
            self.progress_changed.emit()
            return
        held, self._held = self._held, []
        for label, change in held:
            error = self.edit(label, change)
            if error is not None and not isinstance(error, MeshPending):
                self.edit_refused.emit(error)
        self._current = None
        wanted = self._wanted
        if wanted is not None and not self.fresh and not self.answers.works_on(wanted):
            self._pause.start(PAUSE)
        self.answer_changed.emit()

    @property
    def meshing(self) -> bool:
        """Whether an edit, or the answer, waits for a mesh or for plies that are being laid."""
        return MESHES.busy and (bool(self._held) or self.solving)

    @property
    def under_way(self) -> Progress | None:
        """What is being done for the project as it stands, and how far it is."""
        if MESHES.meshing and self.meshing and self.progress is None:
            return Progress("meshing", 0.0)
        if self._held and self.progress is None:
            return Progress("laying plies", 0.0)
        return self.progress if self.solving else None

    # Answering

    def refresh_answer(self) -> None:
        """See whether the answer still stands, and have the part solved again if not."""
        self._renew()
        self._solve_at_once()
        self.answer_changed.emit()

    def _solve_at_once(self) -> None:
        """Where no other edit may follow the last there is nothing to wait for."""
        if self._pause.isActive():
            self._pause.start(0)

    def _renew(self) -> None:
        self._current = None
        try:
            wanted = part_inputs(self.project)
        except TartanError as error:
            self._wanted, self.error = None, error
            self.answers.cancel()
            return
        if wanted == self._wanted and (self.error is None or self.answers.busy):
            self._want_others()
            return
        self._wanted, self.error = wanted, None
        lay_ahead(wanted)
        map_ahead(wanted)
        found = self.answers.find(wanted)
        if found is None:
            self._pause.start(PAUSE)
            return
        self._show(found)
        self.answers.cancel()
        self._pause.stop()
        self.progress = None
        self._want_others()

    def _show(self, answer: PartAnswer) -> None:
        if self.answer is not None and self.answer is not answer:
            self.previous = self.answer
        self.answer = answer

    def solve_again(self) -> None:
        """Solve anew, whatever is remembered."""
        self.answers.forget()
        MESHES.forget()
        self._wanted, self.error = None, None
        self.refresh_answer()

    def _solve(self) -> None:
        if self._wanted is None:
            return
        # The solver is asked when the mesh is there.
        waits = MESHES.waits(mesh_key(self._wanted.part))
        if not waits and self.answers.want(self._wanted) is None:
            self._poll.start()

    def cancel(self) -> None:
        """Stop meshing and solving; the last answer stays, stale."""
        if self.meshing:
            self._held.clear()
            MESHES.cancel()
        if not self.solving:
            return
        self._pause.stop()
        self.answers.cancel()
        self.progress, self.error = None, CANCELLED
        self._current = None
        self.answer_changed.emit()

    def _look(self) -> None:
        turn()
        self.answers.poll()
        MESHES.poll()
        if not self.answers.busy and not MESHES.busy:
            self._poll.stop()

    def _hear(self, news: News) -> None:
        wanted = news.inputs == self._wanted
        if news.state is JobState.RUNNING:
            if wanted and not self.fresh:
                self.progress = news.progress
                self.progress_changed.emit()
            return
        if wanted:
            # Whoever it was asked for: another version may have been of the same inputs.
            self.progress = None
            if news.answer is not None and not self.fresh:
                self._show(news.answer)
                self.error = None
            elif news.error is not None:
                # News of what is no longer wanted must not cover what stands now.
                self.error = news.error
        elif news.answer is None and news.error is None:
            # What gave way to other work: nothing is otherwise than it was.
            return
        self._current = None
        self.answer_changed.emit()
        if wanted:
            self._want_others()

    # Other versions

    def compare(self, name: str) -> None:
        """Have a version answered beside the one at work, whether it is the baseline or not."""
        self.compared = name
        self._want_others()

    def inputs_of(self, name: str) -> PartInputs:
        """What the answer of a version depends on.

        Raises
        ------
        TartanError
            When it cannot be answered.
        """
        version = versions.find_version(self.project, name)
        return part_inputs(versions.as_project(self.project, version))

    def answer_of(self, name: str) -> PartAnswer | None:
        """Answer of a version if it is there, as that version stands now."""
        try:
            return self.answers.find(self.inputs_of(name))
        except TartanError:
            return None

    def refusal_of(self, name: str) -> TartanError | None:
        """Why a version has no answer; None when it has one or is on its way."""
        try:
            return self.answers.refusal(self.inputs_of(name))
        except TartanError as error:
            return error

    @property
    def before(self) -> PartAnswer | None:
        """Answer of the baseline, once it is there."""
        base = self.project.baseline
        return self.answer_of(base.name) if base is not None else None

    def _want_others(self) -> None:
        """Have the baseline, and what is compared, answered once the version at work is."""
        if not self.fresh:
            return
        wanted = list(self.tried)
        for name in (self.project.against, self.compared):
            if name in versions.version_names(self.project):
                with suppress(TartanError):
                    wanted.append(self.inputs_of(name))
        self.answers.only_later(wanted)
        if self.answers.busy:
            self._poll.start()

    @property
    def fresh(self) -> bool:
        """Whether the answer belongs to the project as it stands."""
        return self.answer is not None and self.answer.inputs == self._wanted

    @property
    def solving(self) -> bool:
        """Whether an answer is on its way."""
        return not self.fresh and self.error is None

    @property
    def verdict(self) -> Verdict:
        """The sentence along the bottom."""
        return self._verdicts()[0]

    @property
    def statuses(self) -> list[Status]:
        """Requirements with their values by the shown answer, least met first."""
        return self._verdicts()[1]

    @property
    def unloaded(self) -> bool:
        """Whether the part is answered and nothing loads it."""
        first = next(iter(self.statuses), None)
        return first is not None and first.address is None and isinf(first.value)

    def _verdicts(self) -> tuple[Verdict, list[Status]]:
        key = (self.answer, self.fresh, self.error, self.project, self.before)
        if self._current is None or self._current[0] != key:
            self._current = (key, *self._make_verdict())
        return self._current[1], self._current[2]

    def _make_verdict(self) -> tuple[Verdict, list[Status]]:
        found = [] if self.answer is None else verdicts.statuses(self.project, self.answer)
        if self.error is CANCELLED:
            return verdicts.cancelled(self._last, self.error), found
        if self.error is not None:
            return verdicts.blocked(self.error, self.project), found
        if not self.fresh or self.answer is None:
            return verdicts.stale(self._last), found
        self._last = verdicts.verdict(self.project, self.answer, self.before)
        return self._last, found

    def close(self) -> None:
        """End timers and the worker process; nothing is edited any more."""
        self._closed = True
        self._held.clear()
        self._pause.stop()
        self._poll.stop()
        MESHES.leave(self._on_mesh)
        self.answers.stop()


def _may_answer(project: Project) -> bool:
    """Whether there is anything that an answer could be of."""
    loaded = bool(project.cases or project.outside)
    return project.part is not None and bool(project.part.lay_up) and loaded
