"""Random use of the real window: clicks, keys, typing and files, with memory, threads and gaps."""

from __future__ import annotations

import argparse
import gc
import os
import random
import resource
import sys
import tempfile
import threading
import time
import traceback
from collections import Counter, deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from types import FrameType, TracebackType
from typing import TypeVar

from PyQt6.QtCore import QObject, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QWidget,
)

from storm.mutate import ODD_TEXTS
from tartan.desktop.app import (
    make_application,
    make_window,
    prepare,
    tell_of_faults,
)
from tartan.desktop.window import MainWindow
from tartan.pages.stations import STATIONS
from tartan.project.document.samples import SAMPLES

TYPED = (*ODD_TEXTS, "0", "-1", "5 mm", "0.2", "1e-3", "90", "[0/45/-45/90]s", "2 in", "10 %")
KEYS = ("Ctrl+C", "Ctrl+V", "Ctrl+A", "Delete", "Return", "Up", "Down", "Escape", "PgUp", "PgDown")
W = TypeVar("W", bound=QWidget)

LONG = 0.1
"""Seconds of one look after which the other threads are told too."""

HANG = 30
"""Seconds without events after which the window hangs."""

GAP = 250
"""Milliseconds that the window may go without looking at its events."""


@dataclass
class Gap:
    """A time in which the window did not look at its events.

    Attributes
    ----------
    long, work, stolen : float
        Of the whole, of what its thread was at work, and of what the machine was taken away from
        all of its cores [ms]. The last may be more than the first: there are several.
    doing : str
        What random use did.
    where : Counter
        Milliseconds by place in the program.
    """

    long: float
    work: float
    stolen: float
    doing: str
    where: Counter[str]


@dataclass
class Told:
    """What random use came to."""

    actions: int = 0
    longest: float = 0.0
    long_gaps: int = 0
    memory: list[tuple[int, float]] = field(default_factory=list)
    threads: int = 0
    culprits: Counter[str] = field(default_factory=Counter)
    doing: str = ""
    gaps: list[Gap] = field(default_factory=list)


class Pulse(QObject):
    """Beats with the event loop; tells how long gaps between two beats are, and where they go.

    A thread looks at the window's stack every few milliseconds. Where it must wait for its turn,
    the look counts for all the time that it waited.
    """

    def __init__(self, told: Told) -> None:
        super().__init__()
        self._told, self._last = told, time.monotonic()
        self._worked, self._stolen = time.thread_time(), _stolen()
        self._looks: deque[tuple[float, float, str]] = deque(maxlen=3000)
        self._main = threading.get_ident()
        self._going = True
        gc.callbacks.append(self._collected)
        threading.Thread(target=self._watch, daemon=True).start()
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._beat)
        self._timer.start(10)

    def _beat(self) -> None:
        now, worked = time.monotonic(), time.thread_time()
        gap = 1000 * (now - self._last)
        self._told.longest = max(self._told.longest, gap)
        if gap > GAP:
            self._told.long_gaps += 1
            own: Counter[str] = Counter()
            for at, spent, where in list(self._looks):
                if at > self._last:
                    own[where] += round(1000 * spent)
            self._told.culprits.update(own)
            work, stolen = 1000 * (worked - self._worked), _stolen() - self._stolen
            self._told.gaps.append(Gap(gap, work, stolen, self._told.doing, own))
        self._last, self._worked, self._stolen = now, worked, _stolen()

    @contextmanager
    def beside(self) -> Iterator[None]:
        """Something that the window does not do itself: the gap goes on without it."""
        started, worked = time.monotonic(), time.thread_time()
        yield
        self._last += time.monotonic() - started
        self._worked += time.thread_time() - worked

    def _watch(self) -> None:
        before = time.monotonic()
        while self._going:
            time.sleep(0.01)
            where = _place(sys._current_frames().get(self._main))
            now = time.monotonic()
            if now - before > LONG:
                # Whoever held the interpreter has just let it go, perhaps another thread.
                where += _beside(self._main)
            self._looks.append((now, now - before, where))
            if now - self._last > HANG:
                print(f"hangs for {HANG} s after {self._told.actions} actions:", flush=True)
                traceback.print_stack(sys._current_frames()[self._main], file=sys.stdout)
                sys.stdout.flush()
                os._exit(1)
            before = now

    def _collected(self, phase: str, told: dict[str, int]) -> None:
        now = time.monotonic()
        if phase == "start":
            self._collecting = now
        elif now - self._collecting > 0.02:
            self._looks.append((now, now - self._collecting, f"gc {told['generation']}"))

    def stop(self) -> None:
        """Watch no longer."""
        self._timer.stop()
        self._going = False


def _place(frame: FrameType | None) -> str:
    """The innermost lines of the program in a stack, and whose code they had called.

    Nothing of the frame is kept: its painters would not end with it.
    """
    inner, lines = "", []
    while frame is not None and len(lines) < 6:
        name, line = frame.f_code.co_filename, frame.f_lineno
        words = f"{Path(name).stem}.{frame.f_code.co_name}:{line}"
        if "/tartan/" in name and "site-packages" not in name:
            lines.append(words)
        else:
            inner = inner or words
        frame = frame.f_back
    return " < ".join(lines) or inner


def _beside(main: int) -> str:
    """Where other threads of the program are."""
    names = {x.ident: x.name for x in threading.enumerate()}
    found = [
        f"{name} in {_place(sys._current_frames().get(ident))}"
        for ident, name in names.items()
        if ident is not None and ident not in (main, threading.get_ident())
    ]
    return f" (beside: {', '.join(found)})" if found else ""


def _stolen() -> float:
    """Milliseconds that the host has taken from this machine's cores since its start."""
    words = Path("/proc/stat").read_text("ascii").split(maxsplit=9)
    return 1000 * int(words[8]) / os.sysconf("SC_CLK_TCK")


def _memory() -> float:
    pages = int(Path("/proc/self/statm").read_text("ascii").split()[1])
    return pages * resource.getpagesize() / 1e6


def _closed_dialogs(place: Path) -> None:
    """Dialogs that would wait for a person are answered at once."""
    count = [0]

    def save(*_: object, **__: object) -> tuple[str, str]:
        count[0] += 1
        return str(place / f"saved {count[0] % 5}"), ""

    QFileDialog.getOpenFileName = staticmethod(lambda *_, **__: ("", ""))  # type: ignore[method-assign,assignment]
    QFileDialog.getSaveFileName = staticmethod(save)  # type: ignore[method-assign,assignment]
    QMessageBox.question = staticmethod(  # type: ignore[method-assign,assignment]
        lambda *_, **__: QMessageBox.StandardButton.Discard
    )
    QMessageBox.warning = staticmethod(lambda *_, **__: None)  # type: ignore[method-assign,assignment]
    for asked in ("getDouble", "getInt", "getText", "getItem"):
        setattr(QInputDialog, asked, staticmethod(lambda *_, **__: (0, False)))


def _kept_faults(window: MainWindow) -> dict[str, str]:
    """Faults by their words, also those that a click puts away."""
    found: dict[str, str] = {}
    hook = sys.excepthook

    def keep(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        found.setdefault(repr(error), "".join(traceback.format_exception(kind, error, trace)))
        hook(kind, error, trace)

    sys.excepthook = keep
    return found


def deed(window: MainWindow, rng: random.Random) -> Callable[[], object]:
    """One thing that a restless user might do, chosen and not yet done."""
    way = rng.random()
    if way < 0.08:
        return partial(window.session.select, station=rng.choice(STATIONS))
    if way < 0.13:
        return window.session.undo if rng.random() < 0.6 else window.session.redo
    if way < 0.14:
        return window.new_project
    if way < 0.155:
        return partial(window.open_sample, rng.choice(list(SAMPLES)))
    if way < 0.5:
        return _pressing(window, rng)
    return _typing(window, rng) if way < 0.8 else _choosing(window, rng)


def _nothing() -> None:
    """What there is to do where nothing is seen."""


def _seen(window: MainWindow, kind: type[W]) -> list[W]:
    return [one for one in window.findChildren(kind) if one.isVisible() and one.isEnabled()]


def _named(do: Callable[[], object]) -> str:
    """What is about to be done, and with what."""
    if not isinstance(do, partial):
        return getattr(do, "__name__", "")
    words = [
        (one.text() or one.accessibleName() or one.toolTip())
        if isinstance(one, QAbstractButton)
        else str(one)
        for one in (*do.args, *do.keywords.values())
        if not isinstance(one, random.Random)
    ]
    return " ".join([do.func.__name__, *words])[:80]


def _typing(window: MainWindow, rng: random.Random) -> Callable[[], object]:
    fields = _seen(window, QLineEdit)
    if not fields:
        return _nothing
    one, words = rng.choice(fields), rng.choice(TYPED).encode("utf-8", "replace").decode()

    def write() -> None:
        one.setFocus()
        one.selectAll()
        one.insert(words)
        one.setModified(True)
        QTest.keyClick(one, Qt.Key.Key_Return)

    return write


def _choosing(window: MainWindow, rng: random.Random) -> Callable[[], object]:
    boxes = [box for box in _seen(window, QComboBox) if box.count()]
    if boxes and rng.random() < 0.4:
        box = rng.choice(boxes)
        at = rng.randrange(box.count())

        def choose() -> None:
            box.setCurrentIndex(at)
            box.textActivated.emit(box.currentText())

        return choose
    found = [w for w in _seen(window, QWidget) if w.focusPolicy() & Qt.FocusPolicy.TabFocus]
    if not found:
        return _nothing
    one, keys = rng.choice(found), rng.choice(KEYS)

    def strike() -> None:
        one.setFocus()
        QTest.keySequence(one, keys)

    return strike


def _pressing(window: MainWindow, rng: random.Random) -> Callable[[], object]:
    buttons = _seen(window, QAbstractButton)
    return partial(_press, rng.choice(buttons), rng) if buttons else _nothing


def _press(button: QAbstractButton, rng: random.Random) -> None:
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    popup = QApplication.activePopupWidget()
    if isinstance(popup, QMenu):
        actions = [
            a
            for a in popup.actions()
            if a.isEnabled() and not a.isSeparator() and a.menu() is None
        ]
        if actions and rng.random() < 0.7:
            rng.choice(actions).trigger()
    if popup is not None:
        popup.close()


def _print(seed: int, told: Told, faults: dict[str, str]) -> None:
    print(
        f"seed {seed}: {told.actions} actions, {len(faults)} kinds of fault, "
        f"longest gap {told.longest:.0f} ms, {told.long_gaps} over {GAP} ms "
        f"({sum(gap.long - gap.stolen > GAP for gap in told.gaps)} without what the host took), "
        f"{told.threads} threads"
    )
    print(
        "memory [MB] by actions: "
        + ", ".join(f"{n}: {m:.0f}" for n, m in told.memory[:: max(1, len(told.memory) // 8)])
    )
    for details in faults.values():
        print(details)
    for what, spent in told.culprits.most_common(25):
        print(f"{spent:7.0f} ms of long gaps in {what}")
    for gap in sorted(told.gaps, key=lambda g: -g.long)[:12]:
        parts = "; ".join(f"{spent} {what}" for what, spent in gap.where.most_common(3))
        words = f"{gap.work:.0f} at work, {gap.stolen:.0f} taken by the host"
        print(f"{gap.long:.0f} ms, {words}, {gap.doing}: {parts}")


def main() -> int:
    """Run it; the status is 1 when the program had any fault."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seconds", type=float, default=120.0)
    asked.add_argument("--seed", type=int, default=int(time.time()))
    given = asked.parse_args()
    place = Path(tempfile.mkdtemp(prefix="tartan-storm-"))
    os.environ["TARTAN_STATE"] = str(place / "state")
    application = make_application(dark=False)
    _closed_dialogs(place)
    window = make_window()
    tell_of_faults(window)
    faults = _kept_faults(window)
    prepare()
    window.resize(1280, 800)
    window.show()
    application.processEvents()
    told, rng = Told(), random.Random(given.seed)
    pulse = Pulse(told)
    end = time.monotonic() + given.seconds
    while time.monotonic() < end and len(faults) < 10:
        with pulse.beside():
            do = deed(window, rng)
            told.doing = _named(do)
        do()
        del do
        told.actions += 1
        QTest.qWait(4)
        if told.actions % 100 == 0:
            told.memory.append((told.actions, _memory()))
    told.threads = threading.active_count()
    pulse.stop()
    _print(given.seed, told, faults)
    window.session.history.mark_saved()
    window.close()
    application.processEvents()
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
