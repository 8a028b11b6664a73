"""What takes a while is worked out beside a window, once, and told when it is there."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from types import SimpleNamespace

import pytest

from tartan.core.errors import PartError
from tartan.project.analysis import beside
from tartan.project.analysis.beside import Beside
from tartan.project.analysis.meshes import MESHES, MeshPending, MeshStopped

WORDS = "It is being counted."


class Counter:
    """Counts slowly: each value waits until it is let go."""

    def __init__(self) -> None:
        self.made: list[int] = []
        self.threads: list[bool] = []
        self.go = threading.Event()
        self.go.set()

    def __call__(self, number: int) -> int:
        self.made.append(number)
        self.threads.append(threading.current_thread() is threading.main_thread())
        assert self.go.wait(60)
        if number < 0:
            raise PartError("There are none below zero.", "Count", "Enter more.")
        return 10 * number


@pytest.fixture
def heard(monkeypatch: pytest.MonkeyPatch) -> Iterator[list[bool]]:
    """What somebody hears who listens as a window does, and does not wait a moment."""
    monkeypatch.setattr(beside, "MOMENT", 0.0)
    monkeypatch.setattr(beside, "_PATIENCE", beside._Patience())
    told: list[bool] = []
    MESHES.listen(told.append)
    yield told
    MESHES.leave(told.append)


def ended(told: list[bool]) -> None:
    """Poll, as a window does, until something has ended."""
    until = threading.Event()
    for _ in range(6000):
        MESHES.poll()
        if True in told:
            return
        until.wait(0.01)
    raise AssertionError


def test_without_a_window_all_is_made_here_and_once() -> None:
    count = Counter()
    made = Beside(count, WORDS, most=2)
    assert [made(1), made.soon(2), made(1), made.soon(1)] == [10, 20, 10, 10]
    made.ahead(3)
    assert count.made == [1, 2]
    assert all(count.threads)
    # The one that was used longest ago is forgotten.
    made(3)
    made(2)
    assert count.made == [1, 2, 3, 2]


def test_a_window_is_told_to_wait_and_hears_when_it_is_there(heard: list[bool]) -> None:
    count = Counter()
    count.go.clear()
    made = Beside(count, WORDS)
    for _ in range(2):
        with pytest.raises(MeshPending, match="being counted"):
            made.soon(4)
    assert MESHES.busy
    # It is told once that something is under way, and not yet that it ended.
    MESHES.poll()
    assert heard == [False]
    count.go.set()
    ended(heard)
    assert not MESHES.busy
    assert made.soon(4) == made(4) == 40
    assert count.made == [4]
    assert count.threads == [False]


def test_whoever_cannot_do_without_waits_for_the_same_thread(heard: list[bool]) -> None:
    count = Counter()
    count.go.clear()
    made = Beside(count, WORDS)
    made.ahead(5)
    threading.Timer(0.05, count.go.set).start()
    assert made(5) == 50
    assert count.made == [5]


def test_what_is_there_in_a_moment_is_no_matter(
    heard: list[bool], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(beside, "MOMENT", 60.0)
    assert Beside(Counter(), WORDS).soon(6) == 60
    assert heard == []


def test_a_moment_is_waited_once_by_all(
    heard: list[bool], monkeypatch: pytest.MonkeyPatch
) -> None:
    waits: list[float | None] = []
    count = Counter()
    count.go.clear()
    made = Beside(count, WORDS)
    wait = threading.Event.wait

    def watched(event: threading.Event, timeout: float | None = None) -> bool:
        if threading.current_thread() is threading.main_thread():
            waits.append(timeout)
        return wait(event, timeout)

    monkeypatch.setattr(beside, "MOMENT", 0.01)
    made.ahead(7)
    made.ahead(8)
    monkeypatch.setattr(threading.Event, "wait", watched)
    for number in (7, 7, 8):
        with pytest.raises(MeshPending):
            made.soon(number)
    # Later there is another one.
    monkeypatch.setattr(beside, "_PATIENCE", beside._Patience())
    with pytest.raises(MeshPending):
        made.soon(7)
    monkeypatch.undo()
    assert waits == [0.01, 0.0, 0.0, 0.01]
    count.go.set()
    assert made(7) == 70


def test_what_one_click_needs_shares_one_moment(monkeypatch: pytest.MonkeyPatch) -> None:
    """Two that were each there within the moment halted the window for two."""
    clock, waits = [100.0], []

    class Done:
        def __init__(self, takes: float) -> None:
            self.takes = takes

        def wait(self, seconds: float) -> bool:
            waits.append(round(seconds, 6))
            clock[0] += min(self.takes, seconds)
            return self.takes <= seconds

    monkeypatch.setattr(beside, "MOMENT", 0.08)
    monkeypatch.setattr(beside, "time", SimpleNamespace(monotonic=lambda: clock[0]))
    patience = beside._Patience()

    def found(takes: float) -> bool:
        return patience.waits(Done(takes))  # type: ignore[arg-type]

    assert [found(0.05), found(0.02), found(0.02)] == [True, True, False]
    # Nothing is waited for after one in vain, and all of a moment once that is over.
    clock[0] += beside.ENOUGH / 2
    assert not found(0.01)
    clock[0] += beside.ENOUGH
    assert found(0.07)
    # Another click has a moment of its own.
    clock[0] += beside.AT_ONE_TURN
    assert found(0.07)
    assert waits == [0.08, 0.03, 0.01, 0.0, 0.08, 0.08]


def test_a_refusal_is_remembered_but_not_that_something_was_stopped(heard: list[bool]) -> None:
    count = Counter()
    made = Beside(count, WORDS)
    raised = []
    for _ in range(2):
        with pytest.raises(PartError, match="none below zero") as caught:
            made(-1)
        raised.append(caught.value)
    assert count.made == [-1]
    # What is kept holds no frames of those who asked: a window would stay with them.
    assert raised[0] is not raised[1]
    assert raised[0].mend == raised[1].mend == "Enter more."

    asked = []

    def stopped(number: int) -> int:
        asked.append(number)
        raise (MeshStopped if number else MeshPending)("There is no mesh.", "", "")

    passing = Beside(stopped, WORDS)
    for number in (1, 1, 0, 0):
        with pytest.raises(PartError):
            passing(number)
    assert asked == [1, 1, 0, 0]


def test_giving_up_lets_go_of_what_is_awaited(heard: list[bool]) -> None:
    count = Counter()
    count.go.clear()
    made = Beside(count, WORDS)
    with pytest.raises(MeshPending):
        made.soon(8)
    MESHES.give_up()
    assert not MESHES.busy
    assert heard == [False, True]
    count.go.set()
    # What the thread made is there for the next one.
    assert made(8) == 80
    assert count.made == [8]


def test_a_fault_of_the_program_comes_to_whoever_asks() -> None:
    def broken(number: int) -> int:
        raise ZeroDivisionError(number)

    made = Beside(broken, WORDS)
    for _ in range(2):
        with pytest.raises(ZeroDivisionError):
            made(1)
