"""Commands of the window by name and key, read by menu, palette and the sheet of keys."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWhatsThis, QWidget

from tartan.desktop.host import Host
from tartan.pages.stations import STATIONS
from tartan.project.document.samples import SAMPLES
from tartan.project.edits import versions
from tartan.project.wording import units

Table = list[tuple[str, str, Callable[[], object]]]


def table(window: Host) -> Table:
    """Every command with its name, its keys (several parted by a blank), and what it does."""
    session = window.session

    def clone() -> object:
        return session.edit("clone version", versions.clone_version)

    return [
        ("new project", "Ctrl+N", window.new_project),
        ("open …", "Ctrl+O", window.ask_open),
        ("save", "Ctrl+S", window.save),
        ("save as …", "Ctrl+Shift+S", window.ask_save_as),
        *((f"open sample: {n}", "", lambda n=n: window.open_sample(n)) for n in SAMPLES),
        ("undo", "Ctrl+Z", session.undo),
        ("redo", "Ctrl+Y Ctrl+Shift+Z", session.redo),
        ("pin the baseline", "Ctrl+B", window.pin_baseline),
        ("unpin the baseline", "", window.unpin_baseline),
        ("clone version", "", clone),
        ("make the report", "Ctrl+R", window.make_report),
        *((f"units: {n}", "", lambda n=n: window.use_units(n)) for n in units.SYSTEMS),
        ("solve again", "F5", session.solve_again),
        ("cancel solving", "", session.cancel),
        ("go to the governing spot", "Ctrl+G", window.follow_verdict),
        ("fold the panels away, or back", "F11", window.turn_large),
        ("find", "Ctrl+Space", window.open_finder),
        ("manual of this page", "F1", window.show_manual),
        ("all keys", "Shift+F1", window.show_keys),
        ("what is this", "Ctrl+F1", QWhatsThis.enterWhatsThisMode),
        ("larger text", "Ctrl++", lambda: window.scale_text(1)),
        ("smaller text", "Ctrl+-", lambda: window.scale_text(-1)),
        ("usual text size", "Ctrl+0", lambda: window.scale_text(0)),
        *(
            (f"go to {name}", f"Alt+{i}", lambda n=name: session.select(station=n))
            for i, name in enumerate(STATIONS, start=1)
        ),
    ]


def make_commands(host: Host, window: QWidget) -> dict[str, QAction]:
    """Actions of a window by name, with their keys, which act in all of it."""
    commands = {}
    for name, keys, act in table(host):
        action = QAction(name, window)
        action.setShortcuts([QKeySequence(k) for k in keys.split()])
        action.triggered.connect(lambda _=False, a=act: a())
        window.addAction(action)
        commands[name] = action
    return commands


def keys_of(action: QAction) -> str:
    """Keys of a command in words."""
    return ", ".join(k.toString() for k in action.shortcuts())
