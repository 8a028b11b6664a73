"""Files written whole or not at all: beside the old one, then moved over it."""

from __future__ import annotations

import contextlib
import os
import stat
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PART = ".part"
"""End of the name of a file that is still being written."""

STALE = 60.0
"""Seconds after which what a killed process left behind is removed."""


def _mask() -> int:
    """What the user's new files are not allowed; it can only be read by setting it."""
    mask = os.umask(0o022)
    os.umask(mask)
    return mask


_MASK = _mask()


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """Give a place to write to, which becomes `path` when nothing went wrong.

    A symbolic link stays one and what it leads to is replaced; an old file's mode is kept. File
    and folder are on the disk before the old file is gone.

    Raises
    ------
    OSError
        When it cannot be written; the old file is as it was, and nothing is left beside it.
    """
    target = Path(os.path.realpath(path))
    _tidy(target)
    handle, name = tempfile.mkstemp(
        dir=target.parent, prefix=f".{target.name}.", suffix=PART + target.suffix
    )
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        try:
            mode = stat.S_IMODE(target.stat().st_mode)
        except OSError:
            mode = 0o666 & ~_MASK
        temporary.chmod(mode)
        _to_disk(temporary)
        temporary.replace(target)
        with contextlib.suppress(OSError):
            # Some file systems have no folders that can be written to disk.
            _to_disk(target.parent)
    except BaseException:
        with contextlib.suppress(OSError):
            temporary.unlink(missing_ok=True)
        raise


def _to_disk(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _tidy(target: Path) -> None:
    """Remove what a process killed in the middle of writing left; another may be at work."""
    with contextlib.suppress(OSError):
        for left in target.parent.glob(f".{_plain(target.name)}.*{PART}*"):
            with contextlib.suppress(OSError):
                if time.time() - left.stat().st_mtime > STALE:
                    left.unlink(missing_ok=True)


def _plain(name: str) -> str:
    """A file's name as a pattern that matches only itself."""
    return "".join(f"[{c}]" if c in "[]*?" else c for c in name)
