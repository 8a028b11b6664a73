"""What is loaded beside the window, which goes first: once it waits for some of it, that is next.

Only one thread at a time has the interpreter. Two that want it get half of it each, and a page
that is made while the program loads the rest of itself would take twice as long.
"""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import partial
from importlib import import_module
from importlib.abc import MetaPathFinder
from types import ModuleType

Step = str | Callable[[], object]
"""A module that is loaded, or something that is called."""

PAUSE = 0.001
"""Seconds of one look at whether the window is at work."""

REST = 0.2
"""Share of it that the window's thread may be at work and still counts as at rest."""

MOST = 0.05
"""Seconds that one step waits at most: a window that is never at rest must not wait for good."""


def module_of(station: str) -> str:
    """Name of the module of a station's page."""
    return f"tartan.desktop.{station.lower()}.view"


def give_way(most: float = MOST) -> None:
    """Wait until the window's thread is at rest, or for so many seconds.

    One that waits for what this thread loads is at rest too: nobody waits for another here.
    """
    window = threading.main_thread().ident
    assert window is not None
    clock, end = time.pthread_getcpuclockid(window), time.monotonic() + most
    while time.monotonic() < end:
        worked = time.clock_gettime(clock)
        time.sleep(PAUSE)
        if time.clock_gettime(clock) - worked < REST * PAUSE:
            return


class _Between(MetaPathFinder):
    """Finds nothing; gives way before each module that its thread loads."""

    def __init__(self) -> None:
        self._thread = threading.get_ident()

    def find_spec(
        self, name: str, path: Sequence[str] | None, target: ModuleType | None = None
    ) -> None:
        """Let others go first, if it is this thread that loads."""
        if threading.get_ident() == self._thread:
            give_way()


@contextmanager
def _between_modules() -> Iterator[None]:
    finder = _Between()
    sys.meta_path.insert(0, finder)
    try:
        yield
    finally:
        sys.meta_path.remove(finder)


class Ahead:
    """What is loaded beside the window, one after the other."""

    def __init__(self) -> None:
        self._left: list[tuple[str, Callable[[], object]]] = []
        self._guard = threading.Lock()
        self._thread: threading.Thread | None = None

    def begin(self, steps: Sequence[Step]) -> None:
        """Take steps in their order; those of a module that is asked for come next."""
        self._left = [_named(step) for step in steps]
        self._thread = threading.Thread(target=self._work, daemon=True, name="prepare")
        self._thread.start()

    def _work(self) -> None:
        with _between_modules():
            while self._left:
                with self._guard:
                    taken = self._left[0]
                give_way()
                # What cannot be loaded is missed, and told, where it is used.
                with suppress(Exception):
                    taken[1]()
                # Until now it was still to be loaded: half a module is none.
                with self._guard:
                    self._left.remove(taken)

    @property
    def begun(self) -> bool:
        """Whether the program runs as its user has it: without, all is loaded where it is used."""
        return self._thread is not None

    @property
    def busy(self) -> bool:
        """Whether anything is still being loaded."""
        return self._thread is not None and self._thread.is_alive()

    def there(self, name: str) -> bool:
        """Whether a module can be had without waiting for the thread; if not it is next."""
        with self._guard:
            step = next((step for step in self._left if step[0] == name), None)
            if step is None or not self.busy:
                return True
            self._left.remove(step)
            self._left.insert(0, step)
            return False


def _named(step: Step) -> tuple[str, Callable[[], object]]:
    return (step, partial(import_module, step)) if isinstance(step, str) else ("", step)


AHEAD = Ahead()
"""The program's own: there is one interpreter to load into."""
