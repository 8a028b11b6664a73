"""Calls in a process of their own, with limits of time and memory, for code that a file can break.

A reader of geometry that falls, or never ends, takes nobody with it.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import resource
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from typing import Any, TypeVar

from tartan.core.errors import DocumentError, TartanError

Found = TypeVar("Found")

MOST_SECONDS = 300.0
MOST_MEMORY = 4 << 30
"""Bytes that such a process may take."""

_running: set[subprocess.Popen[bytes]] = set()
_stopped: set[subprocess.Popen[bytes]] = set()
_guard = threading.Lock()

_START = "from tartan.exchange.apart import serve; serve()"


def call_apart(
    call: Callable[..., Found], *args: Any, where: str, seconds: float = MOST_SECONDS
) -> Found:
    """Call a function of a module in a process of its own and return what it returns.

    Parameters
    ----------
    call : callable
        At the top of a module; it, its arguments and what it returns can be pickled.
    *args : object
        Its arguments.
    where : str
        The file, for messages.
    seconds : float
        Time it may take.

    Raises
    ------
    TartanError
        As the call; and a DocumentError when it breaks off, takes too long or too much memory,
        or is stopped.
    """
    process = _started(pickle.dumps((os.getpid(), call, args)))
    with _guard:
        _running.add(process)
    try:
        said = _wait(process, where, seconds)
    finally:
        with _guard:
            _running.discard(process)
            _stopped.discard(process)
        process.kill()
        process.wait(5)
        if process.stdout is not None:
            with contextlib.suppress(OSError):
                process.stdout.close()
    try:
        state, found = pickle.loads(said)
    except Exception as error:
        raise DocumentError(
            "The file cannot be read: what reads it broke off.",
            where,
            "Export it anew, or as another form.",
        ) from error
    if state == "failed":
        raise found
    result: Found = found
    return result


def _started(asked: bytes) -> subprocess.Popen[bytes]:
    """A process that finds what it is asked on its input.

    It lies whole in memory that the process inherits: through a pipe, `communicate` would lose
    whatever is not taken before its first time limit, and the process wait for it for ever.
    """
    memory = os.memfd_create("asked")
    with os.fdopen(memory, "w+b") as file:
        file.write(asked)
        file.seek(0)
        return subprocess.Popen(
            [sys.executable, "-c", _START],
            stdin=file,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )


def _wait(process: subprocess.Popen[bytes], where: str, seconds: float) -> bytes:
    end = time.monotonic() + seconds
    while True:
        try:
            return process.communicate(timeout=0.1)[0]
        except subprocess.TimeoutExpired:
            pass
        with _guard:
            stopped = process in _stopped
        if stopped:
            raise DocumentError("Reading was stopped.", where)
        if time.monotonic() > end:
            raise DocumentError(
                f"The file was not read within {seconds:.0f} s.",
                where,
                "Export it simpler, or as another form.",
            )


def stop_all() -> None:
    """End all such calls at once; they raise."""
    with _guard:
        _stopped.update(_running)


def serve() -> None:
    """Answer one call that comes in, and end; what such a process does."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    out = os.fdopen(os.dup(1), "wb")
    nothing = os.open(os.devnull, os.O_WRONLY)
    # Such libraries write about every damaged line to the terminal.
    os.dup2(nothing, 1)
    parent, call, args = pickle.loads(sys.stdin.buffer.read())
    threading.Thread(target=_leave_with, args=(parent,), daemon=True).start()
    answer: tuple[str, Any]
    try:
        answer = ("done", call(*args))
    except TartanError as error:
        answer = ("failed", error)
    except MemoryError:
        answer = ("failed", DocumentError("It takes too much memory.", "", "Make it smaller."))
    except Exception as error:  # noqa: BLE001 - whatever happens, the asker must hear of it
        answer = (
            "failed",
            DocumentError(
                f"It could not be read ({type(error).__name__}).", "", "Export it anew."
            ),
        )
    pickle.dump(answer, out)
    out.close()
    # Libraries that fall while they are cleared away have given their answer.
    os._exit(0)


def _leave_with(parent: int) -> None:
    """End with the process that asked, however it ends."""
    while os.getppid() == parent:
        time.sleep(0.5)
    os._exit(1)
