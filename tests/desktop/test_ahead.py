"""What is loaded beside the window: in which order, and what the window does meanwhile."""

import gc
import sys
import threading
import time
from collections.abc import Callable
from types import SimpleNamespace

import pytest
from PyQt6.QtCore import Qt, QTimer

from tartan.desktop import ahead as loader
from tartan.desktop import app, blanks, stations
from tartan.desktop.ahead import Ahead, give_way, module_of
from tartan.desktop.window import MainWindow
from tartan.pages.stations import STATIONS

LONG = 60_000
"""Milliseconds after which a test gives up; it waits for events."""


@pytest.fixture
def held(monkeypatch: pytest.MonkeyPatch) -> tuple[Ahead, threading.Event, list[str]]:
    """What loads pages, held up at its first step; and which modules it loads then."""
    ahead, go, loaded = Ahead(), threading.Event(), []
    for module in (app, blanks, stations):
        monkeypatch.setattr(module, "AHEAD", ahead)
    monkeypatch.setattr(loader, "import_module", loaded.append)
    ahead.begin((lambda: go.wait(60), *(module_of(x) for x in STATIONS)))
    return ahead, go, loaded


def finish(ahead: Ahead, go: threading.Event) -> None:
    go.set()
    assert ahead._thread is not None
    ahead._thread.join(60)
    assert not ahead.busy


def test_what_is_asked_for_comes_next_and_is_there_only_whole() -> None:
    ahead, taken = Ahead(), []
    reached, go = threading.Event(), threading.Event()

    def first() -> None:
        taken.append("first")
        reached.set()
        go.wait(60)

    names = ("this", "antigravity_is_no_module", "keyword")
    assert not ahead.begun
    assert ahead.there("keyword")
    ahead.begin((first, *names[:1], lambda: taken.append("call"), names[2]))
    assert ahead.begun
    assert reached.wait(60)
    assert not ahead.there("keyword")
    assert [name for name, _ in ahead._left] == ["keyword", "", "this", ""]
    # What nobody loads is there at once, or is missed where it is used.
    assert ahead.there(names[1])
    finish(ahead, go)
    assert taken == ["first", "call"]
    assert all(ahead.there(name) for name in names)


def test_a_step_that_fails_is_missed_where_it_is_used(monkeypatch: pytest.MonkeyPatch) -> None:
    told, taken = [], []
    monkeypatch.setattr(threading, "excepthook", told.append)
    ahead = Ahead()
    ahead.begin(("tartan.no_such_module", lambda: 1 / 0, lambda: taken.append(1)))
    assert ahead._thread is not None
    ahead._thread.join(60)
    assert (told, taken) == ([], [1])
    assert ahead.there("tartan.no_such_module")


def test_it_gives_way_before_every_module_and_leaves_no_finder(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    before, ways = list(sys.meta_path), []
    monkeypatch.setattr(loader, "give_way", lambda: ways.append(threading.current_thread().name))
    monkeypatch.delitem(sys.modules, "colorsys", raising=False)
    ahead = Ahead()
    ahead.begin(("colorsys",))
    assert ahead._thread is not None
    ahead._thread.join(60)
    # Once before the step, once as the module is looked for.
    assert ways == ["prepare", "prepare"]
    assert "colorsys" in sys.modules
    assert sys.meta_path == before


def test_a_window_that_is_never_at_rest_is_not_waited_for_in_vain(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    now, worked, share = [0.0], [0.0], [1.0]

    def sleep(seconds: float) -> None:
        now[0] += seconds
        worked[0] += share[0] * seconds

    own = SimpleNamespace(
        sleep=sleep,
        monotonic=lambda: now[0],
        clock_gettime=lambda _: worked[0],
        pthread_getcpuclockid=time.pthread_getcpuclockid,
    )
    monkeypatch.setattr(loader, "time", own)
    give_way()
    assert now[0] == pytest.approx(loader.MOST, abs=2 * loader.PAUSE)
    # At rest it costs one look.
    before, share[0] = now[0], 0.1
    give_way()
    assert now[0] - before == pytest.approx(loader.PAUSE)


def test_a_window_that_waits_is_not_waited_for() -> None:
    """It may wait for what is being loaded, however busy a third one is."""
    end = threading.Event()

    def busy() -> None:
        while not end.is_set():
            sum(range(1000))

    third = threading.Thread(target=busy)
    waits = threading.Thread(target=give_way, args=(60.0,))
    third.start()
    waits.start()
    waits.join(50)
    assert not waits.is_alive()
    end.set()
    third.join()


def test_a_page_whose_code_is_not_there_does_not_halt_the_window(
    held: tuple[Ahead, threading.Event, list[str]], open_window: Callable[..., MainWindow], qtbot
) -> None:  # type: ignore[no-untyped-def]
    ahead, go, loaded = held
    window = open_window()
    # It opens at the verdict.
    page = window.pages["Margins"]
    assert window.bench.currentWidget() is page
    assert not page.stands
    # One who goes on to another page meanwhile is shown that one alone.
    at = window.route.station_rect("Cases").center().toPoint()
    qtbot.mouseClick(window.route, Qt.MouseButton.LeftButton, pos=at)
    assert window.session.selection.station == "Cases"
    assert window.bench.currentWidget() is window.pages["Cases"]
    finish(ahead, go)
    assert loaded.index(module_of("Cases")) < loaded.index(module_of("Margins"))
    assert loaded.index(module_of("Margins")) < loaded.index(module_of("Materials"))
    qtbot.waitUntil(lambda: window.pages["Cases"].stands, timeout=LONG)
    qtbot.waitUntil(lambda: window.cases.isVisible(), timeout=LONG)
    assert window.cases.case is not None
    assert not page.stands


def test_a_way_out_of_an_empty_page_waits_for_its_code(
    held: tuple[Ahead, threading.Event, list[str]], open_window: Callable[..., MainWindow], qtbot
) -> None:  # type: ignore[no-untyped-def]
    ahead, go, _ = held
    window = open_window()
    window.new_project()
    window.session.select(station="Stacks")
    page = window.pages["Materials"]
    window.session.select(station="Materials")
    way = next(b for b in page.blank.ways if b.isVisible())
    qtbot.mouseClick(way, Qt.MouseButton.LeftButton)
    assert not page.stands
    finish(ahead, go)
    qtbot.waitUntil(lambda: page.stands, timeout=LONG)


def test_a_way_out_of_a_page_that_was_left_is_not_taken(
    held: tuple[Ahead, threading.Event, list[str]],
    open_window: Callable[..., MainWindow],
    qtbot,  # type: ignore[no-untyped-def]
) -> None:
    ahead, go, _ = held
    window = open_window()
    window.new_project()
    window.session.select(station="Materials")
    page = window.pages["Materials"]
    way = next(b for b in page.blank.ways if b.isVisible())
    qtbot.mouseClick(way, Qt.MouseButton.LeftButton)
    window.session.select(station="Stacks")
    finish(ahead, go)
    # One that begins after it, and takes as long, ends after it.
    over: list[bool] = []
    QTimer.singleShot(stations.LOOK, lambda: over.append(True))
    qtbot.waitUntil(lambda: bool(over), timeout=LONG)
    assert not page.stands
    assert window.session.selection.station == "Stacks"


def test_memory_is_settled_once_all_is_loaded(
    held: tuple[Ahead, threading.Event, list[str]], monkeypatch: pytest.MonkeyPatch, qapp
) -> None:  # type: ignore[no-untyped-def]
    """Until then nothing old is looked through: it all stays, and there is ever more of it."""
    ahead, go, _ = held
    again: list[int] = []
    frozen: list[bool] = []
    monkeypatch.setattr(app.QTimer, "singleShot", lambda wait, what: again.append(wait))
    monkeypatch.setattr(gc, "freeze", lambda: frozen.append(True))
    usual = gc.get_threshold()
    try:
        gc.set_threshold(*usual[:2], app.NEVER)
        app.settle_memory()
        assert (again, frozen, gc.get_threshold()[2]) == ([app.LATER], [], app.NEVER)
        finish(ahead, go)
        app.settle_memory()
        assert (again, frozen, gc.get_threshold()[2]) == ([app.LATER], [True], app.OLD)
    finally:
        gc.set_threshold(*usual)
