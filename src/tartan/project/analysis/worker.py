"""One persistent worker process for long work.

The sparse factorisation holds the interpreter's lock, so a thread would freeze the window. Every
job ends in exactly one of done, cancelled, failed or lost. A cancel acts between two steps of
the job; a stretch without steps (the factorisation) is ended by ending the process.
"""

from __future__ import annotations

import contextlib
import os
import queue
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import Enum
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from tartan.core.errors import TartanError
from tartan.project.analysis.children import Child
from tartan.project.analysis.jobs import Memory, PartAnswer, Progress, SolveRequest, run_solve
from tartan.project.analysis.transfer import Receiver, Sender

STALL = 4.0
"""Seconds that the process may be stopped before its work is given to a new one."""

LOOK = 0.5
"""Seconds between looks at whether it is stopped."""

GRACE = 1.5
"""Seconds a cancelled job may take to reach its next step before its process is ended."""


class JobState(Enum):
    """What became of a job."""

    RUNNING = "running"
    DONE = "done"
    CANCELLED = "cancelled"
    FAILED = "failed"
    LOST = "lost"


@dataclass(frozen=True, eq=False)
class Event:
    """News of a job: progress, or its one end with the answer or error."""

    number: int
    state: JobState
    progress: Progress | None = None
    answer: PartAnswer | None = None
    error: TartanError | None = None


def serve(connection: Connection) -> None:
    """Run jobs until the connection closes; this is the worker process."""
    os.nice(5)
    memory, sender = Memory(on_disk=True), Sender()
    with contextlib.suppress(EOFError, OSError, KeyboardInterrupt):
        while True:
            message = connection.recv()
            if isinstance(message, SolveRequest):
                _run(message, memory, connection, sender)


def _run(request: SolveRequest, memory: Memory, connection: Connection, sender: Sender) -> None:
    job = run_solve(request, memory)
    try:
        while True:
            progress = next(job)
            if connection.poll() and connection.recv() == ("cancel", request.number):
                job.close()
                connection.send((request.number, JobState.CANCELLED, None))
                return
            connection.send((request.number, JobState.RUNNING, progress))
    except StopIteration as end:
        connection.send((request.number, JobState.DONE, sender.pack(end.value)))
    except TartanError as error:
        connection.send((request.number, JobState.FAILED, error))
    except Exception as error:  # noqa: BLE001 - whatever happens, the window must hear of it
        fault = TartanError(
            f"The solution broke off ({type(error).__name__}: {error}).",
            "Solution",
            "Undo the last change; please report this.",
        )
        connection.send((request.number, JobState.FAILED, fault))


class Worker:
    """Handle of the worker process; hears events through `poll`, never blocks.

    Parameters
    ----------
    hear : callable
        Called by `poll` with every event.
    """

    def __init__(self, hear: Callable[[Event], None]) -> None:
        self._hear = hear
        self._process: Child | None = None
        self._connection: Connection | None = None
        self._receiver = Receiver()
        self._running: int | None = None
        self._waiting: SolveRequest | None = None
        self._cancelled_at: float | None = None
        self._number = 0
        self._request: SolveRequest | None = None
        self._again = False
        self._outbox: queue.SimpleQueue[Any] = queue.SimpleQueue()
        self._looked = 0.0
        self._stopped_at: float | None = None

    @property
    def busy(self) -> bool:
        """Whether a job is running."""
        return self._running is not None

    @property
    def alive(self) -> bool:
        """Whether the process runs."""
        return self._process is not None and self._process.is_alive()

    def start(self) -> None:
        """Start the process ahead of the first job."""
        if self.alive:
            return
        self._process = Child("tartan-worker", serve)
        self._connection, self._receiver = self._process.connection, Receiver()
        self._outbox = queue.SimpleQueue()
        # A request may be larger than the pipe: only the sender waits for who does not read.
        threading.Thread(
            target=_post, args=(self._outbox, self._connection), daemon=True, name="tartan-sender"
        ).start()

    def submit(self, request: SolveRequest) -> int:
        """Run a job; one that is running is cancelled first, one that waits is dropped.

        Returns
        -------
        int
            The job's number, which its events carry.
        """
        self._number += 1
        request = replace(request, number=self._number)
        if self.busy:
            if self._waiting is not None:
                self._hear(Event(self._waiting.number, JobState.CANCELLED))
            self._waiting = request
            self.cancel()
        else:
            self._send(request)
        return request.number

    def _send(self, request: SolveRequest) -> None:
        self.start()
        assert self._connection is not None
        self._running, self._cancelled_at = request.number, None
        self._again = self._request is request
        self._request, self._stopped_at = request, None
        self._outbox.put(request)

    def cancel(self) -> None:
        """Ask the running job to end."""
        if self.busy and self._cancelled_at is None and self._connection is not None:
            self._cancelled_at = time.monotonic()
            self._outbox.put(("cancel", self._running))

    def poll(self) -> None:
        """Hear what the process has sent; end one that overran its cancel, follow a lost one."""
        connection = self._connection
        try:
            while connection is not None and connection is self._connection and connection.poll():
                self._receive(*connection.recv())
        except (EOFError, OSError):
            self._offer_again()
        self._look()
        late = self._cancelled_at and time.monotonic() - self._cancelled_at > GRACE
        if self.busy and (late or not self.alive):
            self._offer_again()

    def _look(self) -> None:
        """See whether the process was stopped from outside, and for long."""
        now = time.monotonic()
        if not self.busy or self._process is None or now - self._looked < LOOK:
            return
        self._looked = now
        if not _is_stopped(self._process.pid):
            self._stopped_at = None
            return
        self._stopped_at = self._stopped_at or now
        if now - self._stopped_at < STALL:
            return
        self._offer_again()

    def _offer_again(self) -> None:
        """Give the work of a process that is lost to a new one, once; what ends two is told."""
        request, cancelled = self._request, self._cancelled_at is not None
        if self._running is None or request is None or self._again or cancelled:
            self._end_process(JobState.CANCELLED if cancelled else JobState.LOST)
            return
        self.stop(wait=False)
        self._send(request)

    def _receive(self, number: int, state: JobState, content: Any) -> None:
        if state is JobState.DONE:
            # Taken even when late, so that the shared memory is freed.
            answer = self._receiver.unpack(content)
            self._finish(Event(number, state, answer=answer))
        elif state is JobState.RUNNING:
            self._hear(Event(number, state, progress=content))
        else:
            self._finish(Event(number, state, error=content))

    def _finish(self, event: Event) -> None:
        self._running = self._cancelled_at = None
        waiting, self._waiting = self._waiting, None
        if waiting is not None:
            self._send(waiting)
        self._hear(event)

    def _end_process(self, state: JobState) -> None:
        number = self._running
        self.stop(wait=False)
        error = None
        if state is JobState.LOST:
            error = TartanError(
                "The solving process ended unexpectedly.",
                "Solution",
                "Change anything, or press F5, to solve again.",
            )
        if number is not None:
            self._finish(Event(number, state, error=error))

    def stop(self, *, wait: bool = True) -> None:
        """End the process; the window, which goes on, does not wait for its end."""
        self._outbox.put(None)
        if self._connection is not None:
            self._connection.close()
        process, busy = self._process, self.busy
        if process is not None:
            if wait and not busy:
                # One that waits ends by itself, and puts its things away.
                process.join(0.5)
            process.kill()
            if wait:
                process.join(1)
        self._process = self._connection = None
        self._running = self._cancelled_at = None


def _post(outbox: queue.SimpleQueue[Any], connection: Connection) -> None:
    """Send what is put into the outbox until nothing follows or nobody reads."""
    # A connection that is closed in the middle of sending has no number any more.
    with contextlib.suppress(OSError, ValueError, TypeError):
        while (message := outbox.get()) is not None:
            connection.send(message)


def _is_stopped(pid: int | None) -> bool:
    """Whether a process is stopped by a signal."""
    try:
        stat = Path(f"/proc/{pid}/stat").read_text("ascii", "replace")
    except OSError:
        return False
    return stat.rpartition(")")[2].split()[:1] in (["T"], ["t"])
