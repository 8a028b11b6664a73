"""Solved shells kept on disk: HDF5 files by the digest of all they depend on.

They may be deleted at any time; the worst that happens is a new solution. A changed allowable,
criterion or name leaves the digest as it is, so it never asks for one.
"""

from __future__ import annotations

import hashlib
import json
import os
import time
from dataclasses import asdict
from functools import cache
from importlib.resources import files
from pathlib import Path

import numpy as np
import platformdirs

from tartan import __version__
from tartan.core.shell.solve import Solution
from tartan.project.analysis.shellinputs import PartInputs
from tartan.project.disk.wholefile import PART, STALE, replacing

FORM = 3
"""Version of the file form and of the method; files of another are not read."""

MOST_FILES = 12
MOST_BYTES = 2_000_000_000

_ARRAYS = ("displacement", "strains", "applied", "reaction", "energy")


def folder() -> Path:
    """Where results are kept; TARTAN_STATE moves it."""
    base = os.environ.get("TARTAN_STATE") or platformdirs.user_cache_dir("tartan")
    return Path(base) / "results"


def digest(inputs: PartInputs) -> str:
    """Digest of all that a solution feels, as hexadecimal text."""
    data = json.dumps([FORM, __version__, asdict(inputs.elastic())], sort_keys=True, default=str)
    return hashlib.sha256(data.encode()).hexdigest()


@cache
def program() -> str:
    """Version of the program, and a digest of what it solves with.

    Whoever works on the program changes a result without changing its version.
    """
    found = hashlib.blake2b(digest_size=8)
    root = Path(str(files("tartan")))
    for place in (root / "core", root / "project" / "analysis"):
        for path in sorted(place.rglob("*.py")):
            found.update(path.read_bytes())
    return f"{__version__} {found.hexdigest()}"


class UnfitError(ValueError):
    """A kept result that is not what its name says; the reason in a few words."""


def fetch(inputs: PartInputs) -> Solution | None:
    """Solution of equal inputs kept before; None when there is none that can be trusted."""
    try:
        return fetch_checked(inputs)
    except UnfitError:
        return None


def fetch_checked(
    inputs: PartInputs, nodes: int | None = None, elements: int | None = None
) -> Solution | None:
    """Solution of equal inputs kept before; None when there is none.

    Parameters
    ----------
    inputs : PartInputs
        What it answers.
    nodes, elements : int, optional
        Of the mesh it is of; as the file has them when left out.

    Raises
    ------
    UnfitError
        When the file is damaged, of other inputs or another version, or was changed.
    """
    import h5py

    known = digest(inputs)
    path = folder() / f"{known}.h5"
    if not path.exists():
        return None
    try:
        with h5py.File(path, "r") as file:
            u, strains, applied, reaction, energy = (np.array(file[n]) for n in _ARRAYS)
            if file.attrs["inputs"] != known or file.attrs["version"] != program():
                raise UnfitError("it is of another project or version")
            if file.attrs["checksum"] != _checksum((u, strains, applied, reaction, energy)):
                raise UnfitError("its figures are not those that were kept")
            count = len(applied)
            n = u.shape[1] if nodes is None else nodes
            m = strains.shape[1] if elements is None else elements
            wanted = ((count, n, 6), (count, m, 4, 8), (count, 6), (count, 6), (count,))
            if tuple(x.shape for x in (u, strains, applied, reaction, energy)) != wanted:
                raise UnfitError("it is of another mesh")
            if not (np.isfinite(u).all() and np.isfinite(strains).all()):
                raise UnfitError("it holds what is no number")
            found = Solution(
                u,
                strains,
                applied,
                reaction,
                energy,
                float(file.attrs["imbalance"]),
                int(file.attrs["unknowns"]),
                float(file.attrs["residual"]),
            )
        os.utime(path)
    except (OSError, KeyError, ValueError, TypeError, RuntimeError, IndexError) as error:
        if isinstance(error, UnfitError):
            raise
        raise UnfitError("it is damaged") from error
    return found


def _checksum(arrays: tuple[np.ndarray, ...]) -> str:
    """Checksum of figures with their shapes."""
    found = hashlib.sha256()
    for each in arrays:
        found.update(repr((each.shape, str(each.dtype))).encode())
        found.update(np.ascontiguousarray(each).tobytes())
    return found.hexdigest()


def keep(inputs: PartInputs, solution: Solution) -> bool:
    """Keep a solution, whole or not at all; false when the disk refuses."""
    import h5py

    place = folder()
    known = digest(inputs)
    try:
        place.mkdir(parents=True, exist_ok=True)
        with replacing(place / f"{known}.h5") as beside, h5py.File(beside, "w") as file:
            for name in _ARRAYS:
                file[name] = getattr(solution, name)
            file.attrs["inputs"] = known
            file.attrs["version"] = program()
            file.attrs["checksum"] = _checksum(tuple(getattr(solution, n) for n in _ARRAYS))
            file.attrs["imbalance"] = solution.imbalance
            file.attrs["unknowns"] = solution.unknowns
            file.attrs["residual"] = solution.residual
        _tidy(place)
    except (OSError, RuntimeError):
        # The library tells a disk that fills while it closes as the latter.
        return False
    return True


def _tidy(place: Path) -> None:
    """Remove the files used longest ago when there are too many or they are too large.

    What a killed process left half written is gone with them.
    """
    for half in place.glob(f".*{PART}*"):
        if time.time() - half.stat().st_mtime > STALE:
            half.unlink(missing_ok=True)
    files = sorted(
        (f for f in place.glob("*.h5") if not f.name.startswith(".")),
        key=lambda f: f.stat().st_mtime,
        reverse=True,
    )
    total = 0
    for number, file in enumerate(files):
        total += file.stat().st_size
        if number > 0 and (number >= MOST_FILES or total > MOST_BYTES):
            file.unlink(missing_ok=True)
