"""Actions of all pages for the palette: every named button, chooser and menu, found by walking.

An action is reached as a hand would reach it: its page is opened, the form that holds it is
brought to the front, and it is pressed. So whatever is built into a page is found by its name.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QMenu, QPushButton, QWidget

from tartan.desktop.finder import Entry
from tartan.desktop.session import Session
from tartan.pages.keys import ALSO

NAMELESS = {"", "×", "+", "◂", "▸", "◀", "▶", "▶|", "−"}


def page_actions(session: Session, views: Mapping[str, QWidget]) -> list[Entry]:
    """Actions of all pages, each once.

    Parameters
    ----------
    session : Session
        Its selection chooses the page.
    views : mapping of str to QWidget
        Pages by name.
    """
    found: dict[tuple[str, str], Entry] = {}
    for station, view in views.items():
        for name, also, act in _of(view):
            entry = Entry(name, station, partial(_do, session, station, view, act), also)
            found.setdefault((station, name.casefold()), entry)
    return list(found.values())


Act = Callable[[], object]


def _of(view: QWidget) -> Iterator[tuple[str, str, Act]]:
    """Name, other words and act of all that can be pressed or chosen on a page."""
    for made in view.findChildren(QPushButton):
        text = made.text().strip()
        if text in NAMELESS or text.startswith("all ") or made.property("nameless"):
            continue
        menu = made.menu()
        if menu is not None:
            yield from _of_menu(text, menu)
        else:
            tip = made.toolTip().replace("\n", " ")
            yield text, f"{ALSO.get(text, '')} {tip}", partial(_press, view, made)
    for box in view.findChildren(QComboBox):
        text = box.placeholderText()
        if text.startswith("+"):
            also = ALSO.get(text, "")
            for i in range(box.count()):
                option = box.itemText(i)
                name = f"{text.removesuffix(' …')}: {option}"
                yield name, also, partial(_choose, view, box, option)
    menus: Mapping[str, Callable[[], QMenu]] = getattr(view, "menus", {})
    for title, make in menus.items():
        whole = make()
        for action in _actions(whole):
            text = _bare(action)
            yield f"{title}: {text}", ALSO.get(text, ""), partial(_trigger, make, text)
        whole.deleteLater()


def _of_menu(text: str, menu: QMenu) -> Iterator[tuple[str, str, Act]]:
    """Entries of a button's own menu, which may be filled as it opens."""
    menu.aboutToShow.emit()
    title = text.removesuffix(" ▾")
    for action in _actions(menu):
        name = _bare(action)
        yield f"{title}: {name}", ALSO.get(text, ""), partial(_trigger_in, menu, name)


def _bare(action: QAction) -> str:
    return action.text().partition("\t")[0]


def _actions(menu: QMenu) -> Iterator[QAction]:
    """Actions of a menu, those of menus inside it too."""
    for action in menu.actions():
        inside: QMenu | None = action.menu()
        if inside is not None:
            yield from _actions(inside)
        elif not action.isSeparator() and action.text():
            yield action


def _do(session: Session, station: str, view: QWidget, act: Act) -> None:
    session.select(station=station)
    act()


def _reveal(view: Any, widget: QWidget) -> bool:
    """Bring the form that holds a widget to the front; whether it can be used then."""
    if not widget.isVisible() and hasattr(view, "reveal"):
        view.reveal(widget)
    return widget.isVisible() and widget.isEnabled()


def _press(view: QWidget, made: QAbstractButton) -> None:
    if _reveal(view, made):
        made.setFocus(Qt.FocusReason.OtherFocusReason)
        made.click()


def _choose(view: QWidget, box: QComboBox, option: str) -> None:
    if _reveal(view, box) and box.findText(option) >= 0:
        box.setCurrentText(option)
        box.textActivated.emit(option)


def _trigger(make: Callable[[], QMenu], text: str) -> None:
    menu = make()
    _trigger_in(menu, text, fill=False)
    menu.deleteLater()


def _trigger_in(menu: QMenu, text: str, *, fill: bool = True) -> None:
    if fill:
        menu.aboutToShow.emit()
    action = next((a for a in _actions(menu) if _bare(a) == text), None)
    if action is not None:
        action.trigger()
