"""The verification table, worked out once for each version of Tartan and kept."""

from __future__ import annotations

import json
import os
from pathlib import Path

import platformdirs

from tartan import __version__
from tartan.core.errors import DocumentError
from tartan.exchange.tables import Table
from tartan.exchange.verify import load_cases
from tartan.exchange.verify import verify as run_cases
from tartan.exchange.verify.table import summary
from tartan.project.files.storage import write_whole

HEAD = ("case", "what", "outputs that agree", "source")


def _file() -> Path:
    base = os.environ.get("TARTAN_STATE") or platformdirs.user_cache_dir("tartan")
    return Path(base) / f"verification-{__version__}.json"


def verification_table() -> tuple[Table, str]:
    """Solved cases with how many of their outputs agree, and the count in words."""
    kept = _read()
    if kept is None:
        kept = _work_out()
        try:
            _file().parent.mkdir(parents=True, exist_ok=True)
            write_whole(json.dumps(kept), _file())
        except (OSError, DocumentError):
            # It is worked out anew next time.
            pass
    rows = tuple(tuple(r) for r in kept["rows"])
    return Table("solved cases", HEAD, rows), str(kept["words"])


def _read() -> dict[str, list[list[str]]] | None:
    try:
        found = json.loads(_file().read_text("utf-8"))
    except (OSError, ValueError):
        return None
    sound = isinstance(found, dict) and isinstance(found.get("rows"), list) and "words" in found
    return found if sound else None


def _work_out() -> dict[str, list[list[str]]]:
    rows: list[list[str]] = []
    report = None
    for case, so_far in run_cases(load_cases(None)):
        report = so_far
        mine = [x for x in so_far.lines if x.case is case]
        agree = sum(x.verdict.passed for x in mine)
        rows.append([case.id, case.title, f"{agree} of {len(mine)}", case.source])
    return {"rows": rows, "words": summary(report)}  # type: ignore[dict-item]
