"""Processes that work apart, started from one that has already loaded what they need.

Loading the solver takes seconds, and each cancel may end a process. One helper process loads it
once and forks the others, which then start in hundredths of a second. It runs no work itself,
so that nothing that does not survive a fork (threads of arithmetic) is there when it forks.
"""

from __future__ import annotations

import contextlib
import ctypes
import multiprocessing
import os
import signal
import threading
from collections.abc import Callable, Mapping
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext
from multiprocessing.process import BaseProcess
from typing import Any

_LOADED = [
    "tartan.project.analysis.jobs",
    "tartan.project.analysis.warmed",
    "cvxopt.cholmod",
    "h5py",
    "scipy.optimize",
    "scipy.spatial",
    "scipy.sparse.linalg",
]

_THREADS = {"OPENBLAS_NUM_THREADS": "1"}
"""One BLAS thread: matrices of this size gain nothing from two, and idle ones spin on a core that
the window needs. It is read when NumPy is loaded, thus must stand before the helper starts."""

_PDEATHSIG = 1

_one_start = threading.Lock()


def _context() -> ForkServerContext:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(_LOADED)
    return context


def stand_by() -> None:
    """Have the helper running, for whoever forks from it without `Child`."""
    _context()
    with _one_start, _environment(_THREADS):
        forkserver.ensure_running()


class Child:
    """A process that works apart and talks over a connection; it ends with this one.

    It is started from a thread, as the helper answers nobody while it loads.

    Parameters
    ----------
    name : str
        Of the process, for messages.
    target : callable
        Called in the process with its end of the connection, then `given`. It is found again
        there by its module and name.
    *given
        Sent along.

    Attributes
    ----------
    connection : Connection
        Our end; what is sent before the process stands waits for it.
    """

    def __init__(self, name: str, target: Callable[..., None], *given: Any) -> None:
        context = _context()
        self.connection, theirs = context.Pipe()
        self._guard = threading.Lock()
        self._ended = False
        self._process: BaseProcess | None = None
        self._starting = threading.Thread(
            target=self._start,
            args=(context, theirs, name, (target, theirs, dict(os.environ), given)),
            daemon=True,
            name=f"{name} starting",
        )
        self._starting.start()

    def _start(
        self, context: ForkServerContext, theirs: Connection, name: str, args: tuple[Any, ...]
    ) -> None:
        process = context.Process(target=_run, args=args, daemon=True, name=name)
        # The variables are the whole program's: two starts must not put back each other's.
        with _one_start, _environment(_THREADS):
            process.start()
        theirs.close()
        with self._guard:
            self._process = process
            if self._ended:
                process.kill()

    @property
    def pid(self) -> int | None:
        """Its number; None while it is being started."""
        return None if self._process is None else self._process.pid

    def started(self) -> int:
        """Wait until it stands and return its number."""
        self._starting.join()
        assert self._process is not None
        assert self._process.pid is not None
        return self._process.pid

    def is_alive(self) -> bool:
        """Whether it runs, or is about to."""
        starting = self._starting.is_alive()
        if self._process is not None:
            return self._process.is_alive()
        return starting and not self._ended

    def kill(self) -> None:
        """End it."""
        with self._guard:
            self._ended = True
            if self._process is not None:
                self._process.kill()

    def join(self, seconds: float) -> None:
        """Wait for its end, each step of it; one that is ended while it starts goes by itself."""
        self._starting.join(seconds)
        if self._process is not None:
            self._process.join(seconds)


def _run(
    target: Callable[..., None], theirs: Any, environment: Mapping[str, str], given: Any
) -> None:
    # The helper's environment is that of the first start, which may have changed since.
    os.environ.clear()
    os.environ.update({**environment, **_THREADS})
    _die_with_parent()
    target(theirs, *given)


def _die_with_parent() -> None:
    """Have the kernel end this process with the helper, which ends with who started it."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None, use_errno=True).prctl(_PDEATHSIG, signal.SIGKILL)


@contextlib.contextmanager
def _environment(values: Mapping[str, str]) -> Any:
    """Variables that a process started meanwhile inherits."""
    before = {name: os.environ.get(name) for name in values}
    os.environ.update(values)
    try:
        yield
    finally:
        for name, value in before.items():
            if value is None:
                os.environ.pop(name, None)
            else:
                os.environ[name] = value
