"""Recovery: unsaved work is kept beside the program's state and offered after a crash.

Every open window writes one file of its own, whole or not at all; it is removed when the window
is closed in order. A file whose process has gone is what a killed process left behind.
"""

from __future__ import annotations

import json
import os
import time
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import platformdirs

from tartan.project.document.model import Project
from tartan.project.files import storage

SUFFIX = ".recovery.json"
ASIDE = ".unreadable"

MOST_BYTES = 500_000_000
MOST_PID = 2**31


def folder() -> Path:
    """Where recovery files are kept; TARTAN_STATE moves it."""
    base = os.environ.get("TARTAN_STATE") or platformdirs.user_state_dir("tartan")
    return Path(base) / "recovery"


@dataclass(frozen=True)
class Left:
    """What a process that ended without closing left behind.

    Attributes
    ----------
    file : Path
        The recovery file.
    project : Project
        The work as it stood.
    path : Path or None
        Project file it belongs to.
    age : float
        Seconds since it was written.
    """

    file: Path
    project: Project
    path: Path | None
    age: float


class Keeper:
    """Writes the recovery file of one window."""

    def __init__(self) -> None:
        self.file = folder() / f"{os.getpid()}-{uuid.uuid4().hex[:8]}{SUFFIX}"
        self._written: Project | None = None

    def keep(self, project: Project, path: Path | None) -> None:
        """Write the project as it stands, unless it has been written already.

        Raises
        ------
        DocumentError
            When it cannot be written.
        """
        if project == self._written:
            return
        data = {
            "pid": os.getpid(),
            "started": started(os.getpid()),
            "path": str(path) if path else "",
            "project": storage.to_text(project),
        }
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise storage.not_written(error, self.file.parent) from error
        storage.write_whole(json.dumps(data), self.file)
        self._written = project

    def forget(self) -> None:
        """Remove the file: the work is saved, or given up on purpose."""
        self._written = None
        try:
            self.file.unlink(missing_ok=True)
        except OSError:
            # A file that cannot be removed is offered once more at the next start, no worse.
            return


def left_behind() -> list[Left]:
    """Work of processes that have gone, newest first; what cannot be read is left alone."""
    found = [x for file in _files() if isinstance(x := _read(file), Left)]
    return sorted(found, key=lambda left: left.age)


def set_aside() -> list[Path]:
    """Rename recovery files that cannot be read, so that none is in the way twice.

    Returns
    -------
    list of Path
        Where they are now.
    """
    moved = []
    for file in _files():
        if _read(file) == "unreadable":
            aside = file.with_name(f"{file.name.removesuffix(SUFFIX)}{ASIDE}")
            try:
                file.replace(aside)
            except OSError:
                continue
            moved.append(aside)
    return moved


def _files() -> list[Path]:
    try:
        return sorted(folder().glob(f"*{SUFFIX}"))
    except OSError:
        return []


def _read(file: Path) -> Left | Literal["alive", "unreadable"]:
    """What a file holds; whatever lies in the state folder, the window must start."""
    try:
        if file.stat().st_size > MOST_BYTES:
            return "unreadable"
        data = json.loads(file.read_text("utf-8"))
        pid, begun, text, path = (data[k] for k in ("pid", "started", "project", "path"))
        if not (isinstance(pid, int) and isinstance(text, str) and isinstance(path, str)):
            return "unreadable"
        if 0 < pid < MOST_PID and started(pid) == begun != "":
            return "alive"
        project = storage.from_text(text, file.name)
        return Left(
            file, project, Path(path) if path else None, time.time() - file.stat().st_mtime
        )
    except (
        OSError,
        ValueError,
        KeyError,
        TypeError,
        IndexError,
        ArithmeticError,
        RecursionError,
        MemoryError,
    ):
        return "unreadable"


def started(pid: int) -> str:
    """When a process started, in the kernel's count; empty when it does not run."""
    try:
        stat = Path(f"/proc/{pid}/stat").read_text("ascii", "replace")
    except OSError:
        return ""
    # The name in brackets may hold blanks; the fields after it do not.
    fields = stat.rpartition(")")[2].split()
    return "" if fields[0] == "Z" else fields[19]
