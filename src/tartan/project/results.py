"""Solved shells kept on disk: HDF5 files by the digest of all they depend on.

They may be deleted at any time; the worst that happens is a new solution. A changed allowable,
criterion or name leaves the digest as it is, so it never asks for one.
"""

from __future__ import annotations

import hashlib
import json
import os
import tempfile
from dataclasses import asdict
from pathlib import Path

import h5py
import numpy as np
import platformdirs

from tartan import __version__
from tartan.core.shell.solve import Solution
from tartan.project.shellinputs import PartInputs

FORM = 2
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


def fetch(inputs: PartInputs) -> Solution | None:
    """Solution of equal inputs kept before; None when there is none, or it cannot be read."""
    path = folder() / f"{digest(inputs)}.h5"
    try:
        with h5py.File(path, "r") as file:
            u, strains, applied, reaction, energy = (np.array(file[n]) for n in _ARRAYS)
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
    except (OSError, KeyError, ValueError, TypeError):
        return None
    return found if np.isfinite(u).all() and np.isfinite(strains).all() else None


def keep(inputs: PartInputs, solution: Solution) -> bool:
    """Keep a solution, whole or not at all; false when the disk refuses."""
    place = folder()
    path = place / f"{digest(inputs)}.h5"
    temporary = ""
    try:
        place.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(dir=place, suffix=".part")
        os.close(handle)
        with h5py.File(temporary, "w") as file:
            for name in _ARRAYS:
                file[name] = getattr(solution, name)
            file.attrs["imbalance"] = solution.imbalance
            file.attrs["unknowns"] = solution.unknowns
            file.attrs["residual"] = solution.residual
        Path(temporary).replace(path)
        _tidy(place)
    except OSError:
        if temporary:
            Path(temporary).unlink(missing_ok=True)
        return False
    return True


def _tidy(place: Path) -> None:
    """Remove the files used longest ago when there are too many or they are too large."""
    files = sorted(place.glob("*.h5"), key=lambda f: f.stat().st_mtime, reverse=True)
    total = 0
    for number, file in enumerate(files):
        total += file.stat().st_size
        if number > 0 and (number >= MOST_FILES or total > MOST_BYTES):
            file.unlink(missing_ok=True)
