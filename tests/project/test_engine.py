"""Workers on one machine or many: every piece once, though one is killed or the rest go away."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

import pytest

from tartan import __version__
from tartan.core.errors import StackError
from tartan.project.analysis import engine as module
from tartan.project.analysis.engine import Engine, EngineError


def _square(shared: int, item: int) -> int:
    return shared * item * item


def _slow_or_dies(shared: Path, item: int) -> int:
    """The first worker that meets item 7 dies on it, once."""
    time.sleep(0.02)
    if item == 7:
        try:
            shared.touch(exist_ok=False)
        except FileExistsError:
            return item
        os.kill(os.getpid(), signal.SIGKILL)
    return item


def _refuses(_: object, item: int) -> int:
    raise StackError(f"Item {item} cannot be.", "Test", "Take another.")


def test_workers_do_every_piece_once_though_one_is_killed(tmp_path: Path) -> None:
    with Engine(workers=2) as engine:
        found = list(engine.run(_square, 3, list(range(500))))
        assert sorted(found) == [(k, 3 * k * k) for k in range(500)]
        again = list(engine.run(_slow_or_dies, tmp_path / "died", list(range(40))))
        assert (tmp_path / "died").exists()
        assert sorted(again) == [(k, k) for k in range(40)]
        with pytest.raises(StackError, match=r"Item \d+ cannot be"):
            list(engine.run(_refuses, None, [1, 2, 3]))
        # Whoever stops asking ends the rest, and the workers go on for the next.
        for _ in engine.run(_square, 1, list(range(10_000))):
            break
        assert dict(engine.run(_square, 1, [5])) == {0: 25}


def test_a_scheduler_that_is_not_there_or_of_another_version_is_said(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(module, "WAIT", 1)
    for address in ("tcp://127.0.0.1:9", "nonsense", "tcp://"):
        with pytest.raises(EngineError, match="No scheduler answers"), Engine(address) as engine:
            engine.start()
    with Engine(workers=1) as own:
        own.start()
        there = own._cluster.scheduler_address
        with Engine(there) as joined:
            assert dict(joined.run(_square, 2, [3])) == {0: 18}
        monkeypatch.setattr(module, "__version__", "0.0.0")
        with (
            pytest.raises(EngineError, match=f"work with Tartan {__version__}"),
            Engine(there) as other,
        ):
            other.start()


def test_a_scheduler_that_goes_away_leaves_what_was_found() -> None:
    found: list[tuple[int, int]] = []

    def go(engine: Engine, joined: Engine) -> None:
        for pair in joined.run(_slow_or_dies, Path("/nonexistent/x"), [1, 2, 3] * 200):
            found.append(pair)
            if len(found) == 3:
                engine.close()

    with (
        Engine(workers=1) as engine,
        Engine(_address(engine)) as joined,
        pytest.raises(EngineError, match="went away"),
    ):
        go(engine, joined)
    assert len(found) >= 3
    assert len({k for k, _ in found}) == len(found)


def _address(engine: Engine) -> str:
    engine.start()
    return str(engine._cluster.scheduler_address)
