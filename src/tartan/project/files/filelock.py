"""Who has a project file open: a small file beside it that says so, and what the file was like.

The lock is advice: it names who is at work, and keeps nobody from reading or saving.
"""

from __future__ import annotations

import contextlib
import getpass
import hashlib
import json
import os
import socket
import time
import uuid
from dataclasses import dataclass
from pathlib import Path

from tartan.project.files.recovery import started

OLD = 7 * 86_400.0
"""Seconds after which a lock of another machine is taken for forgotten."""


@dataclass(frozen=True)
class Holder:
    """Who has a file open."""

    user: str
    host: str
    since: float

    @property
    def words(self) -> str:
        """As the window says it."""
        here = "in another window" if self.host == socket.gethostname() else f"on {self.host}"
        return f"{self.user} {here}, since {time.strftime('%H:%M', time.localtime(self.since))}"


class Lock:
    """Says that a window has a file open, from `take` to `release`."""

    def __init__(self) -> None:
        self._file: Path | None = None
        self._token = uuid.uuid4().hex

    def take(self, path: Path) -> Holder | None:
        """Say that this window has the file open.

        Returns
        -------
        Holder or None
            Who had it open before, whose lock stays; where no lock can be written nobody is told.
        """
        self.release()
        file = lock_file(path)
        other = holder(path)
        if other is not None:
            return other
        data = {
            "token": self._token,
            "user": _user(),
            "host": socket.gethostname(),
            "pid": os.getpid(),
            "started": started(os.getpid()),
            "since": time.time(),
        }
        with contextlib.suppress(OSError):
            file.write_text(json.dumps(data), "utf-8")
            self._file = file
        return None

    def release(self) -> None:
        """Say so no longer."""
        file, self._file = self._file, None
        if file is None:
            return
        with contextlib.suppress(OSError, ValueError, AttributeError):
            if json.loads(file.read_text("utf-8")).get("token") == self._token:
                file.unlink(missing_ok=True)


def lock_file(path: Path) -> Path:
    """The file that says who has another one open."""
    target = Path(os.path.realpath(path))
    return target.with_name(f".{target.name}.open")


def holder(path: Path) -> Holder | None:
    """Who has a file open; None when nobody has, or what says so is not understood."""
    try:
        data = json.loads(lock_file(path).read_text("utf-8"))
        user, host, since = str(data["user"]), str(data["host"]), float(data["since"])
        pid, begun = data["pid"], data["started"]
    except (OSError, ValueError, KeyError, TypeError, RecursionError, OverflowError):
        return None
    if host == socket.gethostname():
        # A process that has gone, or whose number another has now, holds nothing.
        alive = isinstance(pid, int) and 0 < pid < 2**31 and started(pid) == begun != ""
        return Holder(user, host, since) if alive else None
    return Holder(user, host, since) if abs(time.time() - since) < OLD else None


def stamp(path: Path) -> str:
    """What tells a file from every other content; empty where there is none."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except OSError:
        return ""


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return "somebody"
