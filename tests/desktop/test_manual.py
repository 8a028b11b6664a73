"""The manual: a page for every station, whose words and keys are those of the window."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLabel

from tartan.core.stack.notation import Context, parse
from tartan.desktop.manual import folder, page
from tartan.desktop.window import MainWindow
from tartan.pages.keys import KEYS
from tartan.pages.stations import STATIONS
from tests.desktop.settle import settle

OpenWindow = Callable[..., MainWindow]

EVERY = pytest.mark.parametrize("station", STATIONS)


def test_f1_opens_the_page_that_is_shown(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    window = open_window(wait=False)
    for station in STATIONS:
        window.session.select(station=station)
        qtbot.keyClick(window, Qt.Key.Key_F1)
        assert window.manual is not None
        assert window.manual.isVisible()
        assert window.manual.text.toPlainText().startswith(station)
    qtbot.mouseClick(window.manual.tabs["Cases"], Qt.MouseButton.LeftButton)  # type: ignore[union-attr]
    assert window.manual is not None
    assert window.manual.text.toPlainText().startswith("Cases")
    window.manual.close()


def test_words_in_bold_are_words_of_the_window(qtbot, open_window: OpenWindow) -> None:  # type: ignore[no-untyped-def]
    window = open_window()
    for station in STATIONS:
        window.session.select(station=station)
        settle()
    window.stations.all_views()
    shown = {b.text().strip() for b in window.findChildren(QAbstractButton)}
    shown |= {x.text().strip() for x in window.findChildren(QLabel)}
    for box in window.findChildren(QComboBox):
        shown |= {box.itemText(i) for i in range(box.count())}
    for station in STATIONS:
        text = (folder() / f"{station.lower()}.md").read_text("utf-8")
        for word in re.findall(r"\*\*(.+?)\*\*", text):
            assert word in shown, f"{station}: {word}"


def test_keys_are_keys_of_the_window(open_window: OpenWindow) -> None:
    window = open_window(wait=False)
    known = {k.toString() for a in window.commands.values() for k in a.shortcuts()}
    known |= {k for rows in KEYS.values() for keys, _ in rows for k in keys.split(", ")}
    for station in STATIONS:
        text = (folder() / f"{station.lower()}.md").read_text("utf-8")
        for word in re.findall(r"`([^`]+)`", text):
            if re.fullmatch(r"(Ctrl\+.+|F\d+|Esc|Home|Space|Alt\+.)", word):
                assert word in known or QKeySequence(word).toString() in known, (
                    f"{station}: {word}"
                )


def test_notation_in_the_manual_is_read() -> None:
    context = Context({"UD carbon": 0.1e-3, "core": 12e-3}, default="UD carbon")
    text = (folder() / "stacks.md").read_text("utf-8")
    found = re.findall(r"`(\[[^`]+)`", text)
    assert len(found) > 4
    for line in found:
        if "{" not in line:
            assert parse(line, context), line


@EVERY
def test_pages_stand_with_and_without_their_picture(station: str) -> None:
    text = (folder() / f"{station.lower()}.md").read_text("utf-8")
    picture = re.search(r"!\[[^\]]+\]\(([^)]+)\)", text)
    assert picture is not None
    assert picture.group(1) == f"{station.lower()}.png"
    there = (folder() / picture.group(1)).exists()
    assert ("![" in page(station)) == there
    # What a page names as a table's head it has in that form.
    assert text.startswith(f"# {station}\n")
    assert "  \n" not in text
