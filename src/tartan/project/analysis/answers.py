"""One service for answers, without an interface: what is wanted, what is kept, what was refused.

Whoever wants an answer gives its inputs and how urgent it is; the owner calls `poll` until
`busy` is false. One answer is worked on at a time, in the worker's process. An urgent want takes
the place of the one before it; others wait until nothing urgent is left to do.
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum

from tartan.core.errors import TartanError
from tartan.project.analysis.inputs import PartInputs
from tartan.project.analysis.jobs import PartAnswer, Progress, SolveRequest
from tartan.project.analysis.meshes import MESHES, mesh_key
from tartan.project.analysis.worker import Event, JobState, Worker

KEPT = 10
"""Answers remembered, so that undo, redo and other versions bring them back at once."""

KEPT_BYTES = 1_200_000_000
"""Strains of those answers together; what is in use and the newest stay whatever their size."""

CANCELLED = TartanError("Solving was cancelled.", "Solution", "Press F5 to solve again.")


class Priority(Enum):
    """How urgent an answer is."""

    NOW = "now"
    """What is on show: it takes the place of whatever is being worked on."""

    LATER = "later"
    """What is compared with: worked on when nothing urgent is."""


@dataclass(frozen=True, eq=False)
class News:
    """What became of the answer to some inputs: progress, or its one end."""

    inputs: PartInputs
    state: JobState
    progress: Progress | None = None
    answer: PartAnswer | None = None
    error: TartanError | None = None


class Answers:
    """Answers of parts by their inputs.

    Parameters
    ----------
    hear : callable
        Called with the news of every answer that was wanted, from within `poll`.
    """

    def __init__(self, hear: Callable[[News], None]) -> None:
        self._hear = hear
        self._worker = Worker(self._event)
        self._kept: OrderedDict[PartInputs, PartAnswer] = OrderedDict()
        self._refused: dict[PartInputs, TartanError] = {}
        self._asked: dict[int, tuple[PartInputs, Priority, float]] = {}
        self._later: list[PartInputs] = []
        self._given_up: set[int] = set()
        self.in_use: Callable[[], tuple[PartAnswer | None, ...]] = tuple

    # What is there

    def find(self, inputs: PartInputs) -> PartAnswer | None:
        """The answer to some inputs, if it is there."""
        found = self._kept.get(inputs)
        if found is not None:
            self._kept.move_to_end(inputs)
        return found

    def refusal(self, inputs: PartInputs) -> TartanError | None:
        """Why some inputs have no answer; None where they have one or were not tried."""
        return self._refused.get(inputs)

    def forget(self) -> None:
        """Remember nothing, so that what is wanted next is worked out anew."""
        self._kept.clear()
        self._refused.clear()

    # What is wanted

    @property
    def busy(self) -> bool:
        """Whether anything is being worked on."""
        return self._worker.busy

    def want(self, inputs: PartInputs, priority: Priority = Priority.NOW) -> PartAnswer | None:
        """Give the answer if it is there; else have it worked out and told as news.

        What is wanted later and was refused stays refused; what is wanted now is tried again.
        """
        found = self.find(inputs)
        if found is not None:
            return found
        if priority is Priority.NOW:
            self._submit(inputs, priority)
        elif inputs not in self._refused and inputs not in self._wanted_now():
            self._later = [x for x in self._later if x != inputs] + [inputs]
            self._next()
        return None

    def only_later(self, wanted: list[PartInputs]) -> None:
        """Replace all that waits by these, first come first served."""
        self._later = []
        for inputs in wanted:
            self.want(inputs, Priority.LATER)

    def cancel(self) -> None:
        """Give up what is being worked on, and what waits."""
        self._later = []
        self._given_up.update(self._asked)
        self._worker.cancel()

    def works_on(self, inputs: PartInputs) -> bool:
        """Whether they are being answered, and not given up."""
        return inputs in self._wanted_now()

    def _wanted_now(self) -> list[PartInputs]:
        return [x for n, (x, _, _) in self._asked.items() if n not in self._given_up]

    def _submit(self, inputs: PartInputs, priority: Priority) -> None:
        if priority is Priority.NOW:
            # What was worked on gives way; whoever still wants it asks again.
            self._given_up.update(self._asked)
        number = self._worker.submit(SolveRequest(0, inputs, MESHES.found(mesh_key(inputs.part))))
        self._asked[number] = (inputs, priority, time.monotonic())

    def _next(self) -> None:
        if not self._worker.busy and self._later:
            self._submit(self._later.pop(0), Priority.LATER)

    # News

    def poll(self) -> None:
        """Hear what the worker has to tell."""
        self._worker.poll()

    def _event(self, event: Event) -> None:
        if event.number not in self._asked:
            return
        inputs, priority, since = self._asked[event.number]
        if event.state is JobState.RUNNING:
            progress = event.progress and event.progress.timed(time.monotonic() - since)
            self._hear(News(inputs, event.state, progress))
            return
        del self._asked[event.number]
        self._given_up.discard(event.number)
        if event.answer is not None:
            self._keep(event.answer)
        elif event.error is not None and priority is Priority.LATER:
            self._refused[inputs] = event.error
        self._hear(News(inputs, event.state, None, event.answer, event.error))
        self._next()

    def _keep(self, answer: PartAnswer) -> None:
        self._kept[answer.inputs] = answer
        self._kept.move_to_end(answer.inputs)
        used = (answer, *self.in_use())
        while len(self._kept) > len(used) and (
            len(self._kept) > KEPT or self._bytes() > KEPT_BYTES
        ):
            oldest = next(
                (k for k, a in self._kept.items() if all(a is not each for each in used)), None
            )
            if oldest is None:
                return
            del self._kept[oldest]

    def _bytes(self) -> int:
        # Answers of one solution that were judged differently share its arrays.
        strains = {id(a.solution.strains): a.solution.strains.nbytes for a in self._kept.values()}
        return sum(strains.values())

    def stop(self) -> None:
        """End the worker process."""
        self._worker.stop()
