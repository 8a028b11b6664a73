"""What takes a while to work out, remembered; in a window it is worked out beside it.

Whoever can show something else meanwhile asks for it *soon*: what is not there after a moment is
told by `MeshPending`, and whoever listens to `MESHES` hears when it is. All others wait for it.
"""

from __future__ import annotations

import math
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from copy import copy
from typing import Any, Generic, TypeVar

from tartan.core.errors import TartanError
from tartan.project.analysis.meshes import MESHES, MeshPending, MeshStopped

V = TypeVar("V")

MOMENT = 0.05
"""Seconds that the window waits before it goes on without: less than anybody notices."""

ENOUGH = 1.0
"""Seconds after a moment in vain in which none is waited again: several would be noticed."""

AT_ONE_TURN = 0.2
"""Seconds in which what is waited for shares one moment: a click may need several things."""

LONGEST_TURN = 0.4
"""Seconds after which a click is over, whether or not its end was seen."""


class _Patience:
    """How long the window may still wait; it is one thread's, whatever it waits for."""

    def __init__(self) -> None:
        self._left, self._anew = MOMENT, -math.inf
        self._begun = -math.inf

    def waits(self, done: threading.Event) -> bool:
        """Whether something is done within the moment that there is for it."""
        now = time.monotonic()
        self._left = MOMENT if now >= self._anew else min(self._left, MOMENT)
        if now - self._begun < LONGEST_TURN:
            self._left = min(self._left, MOMENT - (now - self._begun))
        found = done.wait(max(self._left, 0.0))
        after = time.monotonic()
        self._left -= after - now
        self._anew = after + (AT_ONE_TURN if found else ENOUGH)
        return found

    def turn(self) -> None:
        """A click begins, unless one that has just begun goes on."""
        now = time.monotonic()
        if now - self._begun >= LONGEST_TURN:
            self._begun = now


_PATIENCE = _Patience()


def turn() -> None:
    """Tell that a click begins: what it does itself is taken from the moment that it may wait."""
    _PATIENCE.turn()


class _Job(Generic[V]):
    """One value in the making."""

    def __init__(self, make: Callable[..., V], key: tuple[Any, ...]) -> None:
        self._make, self._key = make, key
        self._value: V | None = None
        self._error: BaseException | None = None
        self.done = threading.Event()

    def run(self) -> None:
        """Work it out, here."""
        try:
            self._value = self._make(*self._key)
        except TartanError as error:
            # Without the frames it came through, which would keep a window and its arrays.
            self._error = error.with_traceback(None)
        except Exception as error:  # noqa: BLE001 - raised where it is asked for
            self._error = error
        finally:
            self.done.set()

    @property
    def lasts(self) -> bool:
        """Whether asking again would come to the same."""
        passing = isinstance(self._error, MeshPending | MeshStopped)
        refused = isinstance(self._error, TartanError) and not passing
        return self._error is None or refused

    def result(self) -> V:
        """The value, or raise why there is none; waits for it."""
        self.done.wait()
        if self._error is not None:
            # Another each time, or it would gather the frames of all who asked.
            raise copy(self._error) if self.lasts else self._error
        return self._value  # type: ignore[return-value]


class Beside(Generic[V]):
    """A function whose last values are remembered by its arguments.

    Parameters
    ----------
    make : callable
        Works a value out; does not use Qt.
    words : str
        What is being done meanwhile, as a sentence.
    most : int
        Values remembered.
    """

    def __init__(self, make: Callable[..., V], words: str, most: int = 8) -> None:
        self._make, self._words, self._most = make, words, most
        self._jobs: OrderedDict[tuple[Any, ...], _Job[V]] = OrderedDict()
        self._lock = threading.Lock()

    def __call__(self, *key: Any) -> V:
        """Return the value, worked out now where it is not there.

        Raises
        ------
        TartanError
            As the function does.
        """
        job, fresh = self._job(key)
        if fresh:
            job.run()
        return self._result(key, job)

    def ahead(self, *key: Any) -> None:
        """Begin to work a value out that a window will ask for."""
        if MESHES.heard_here:
            self._begun(key)

    def soon(self, *key: Any) -> V:
        """Return the value if it is there in a moment; without a window it is waited for.

        Raises
        ------
        MeshPending
            When it is being worked out; who listens to `MESHES` is told when it is there.
        TartanError
            As the function does.
        """
        if not MESHES.heard_here:
            return self(*key)
        job = self._begun(key)
        if not job.done.is_set() and not _PATIENCE.waits(job.done):
            MESHES.await_beside(job.done)
            raise MeshPending(self._words, "Part", "It is taken over as soon as it is there.")
        return self._result(key, job)

    def _begun(self, key: tuple[Any, ...]) -> _Job[V]:
        job, fresh = self._job(key)
        if fresh:
            threading.Thread(target=job.run, daemon=True, name="beside").start()
        return job

    def _job(self, key: tuple[Any, ...]) -> tuple[_Job[V], bool]:
        """The job of a key, and whether it is to be begun."""
        with self._lock:
            job = self._jobs.get(key)
            fresh = job is None
            if job is None:
                job = self._jobs[key] = _Job(self._make, key)
                while len(self._jobs) > self._most:
                    self._jobs.popitem(last=False)
            self._jobs.move_to_end(key)
            return job, fresh

    def _result(self, key: tuple[Any, ...], job: _Job[V]) -> V:
        try:
            return job.result()
        finally:
            if not job.lasts:
                with self._lock:
                    if self._jobs.get(key) is job:
                        del self._jobs[key]
