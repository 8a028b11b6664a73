"""Ply layouts that cannot be read: each refused in words, with its place."""

from __future__ import annotations

import json
from collections.abc import Callable

import numpy as np
import pytest

from tartan.core.errors import DocumentError, PartError, TartanError
from tartan.exchange.plies.read import layout_from, placement_of
from tartan.exchange.plies.take import take_layout
from tartan.exchange.plies.write import layout_data
from tests.exchange.test_plies import Data, patched


def _cut(data: Data) -> str:
    return json.dumps(data)[: len(json.dumps(data)) // 2]


def _bad(change: Callable[[Data], object]) -> Callable[[Data], str]:
    def made(data: Data) -> str:
        change(data)
        return json.dumps(data)

    return made


BAD: dict[str, tuple[Callable[[Data], str], str]] = {
    "cut in half": (_cut, "damaged at line 1"),
    "no layout": (lambda d: "[1, 2]", "not a ply layout"),
    "later form": (_bad(lambda d: d.update(schema=9)), "later form .schema 9"),
    "no unit": (_bad(lambda d: d["units"].update(length="furlong")), "units → length"),
    "no number": (
        _bad(lambda d: d["plies"][1]["boundary"][0]["points"].__setitem__(4, [1, 2, "x"])),
        "plies → 2 → boundary → 1 → points → 5",
    ),
    "endless": (
        lambda d: json.dumps(d).replace('"thickness": 0.12', '"thickness": 1e999', 1),
        "thickness",
    ),
    "negative": (_bad(lambda d: d["plies"][1]["ply"].update(thickness=-1)), "thickness"),
    "both": (_bad(lambda d: d["plies"][1].update(laminate="skin")), "either a ply or a laminate"),
    "no such laminate": (
        _bad(lambda d: d["plies"][0].update(laminate="other")),
        "no laminate 'other'",
    ),
    "no directions": (
        _bad(lambda d: d["plies"][1]["directions"].update(at=[], zero=[], normals=[])),
        "not given at any place",
    ),
    "uneven": (_bad(lambda d: d["plies"][1]["directions"]["at"].pop()), "not as many"),
    "no length": (
        _bad(lambda d: d["plies"][1]["directions"]["zero"].__setitem__(0, [0, 0, 0])),
        "has no length",
    ),
    "not one ply": (_bad(lambda d: d.update(plies=[])), "not one ply"),
    "elsewhere": (
        _bad(lambda d: d["units"].update(length="m")),
        "off this part.*mend its unit",
    ),
    "other winding": (
        _bad(lambda d: d["plies"][1].update(wound={"sort": "spiral"})),
        "winding cannot be read",
    ),
    "out of measure": (
        _bad(lambda d: d["plies"][1]["directions"]["at"].__setitem__(2, [1e300, 0, 0])),
        r"ply 2 'crown patch'.*out of all measure",
    ),
    "winding in words": (
        _bad(lambda d: d["plies"][1].update(wound={"sort": "hoop", "coverage": "much"})),
        "coverage",
    ),
    "bow tie": (_bad(lambda d: _tie(d["plies"][1]["boundary"][0]["points"])), "crosses itself"),
    "outside": (
        _bad(
            lambda d: d["plies"][1]["boundary"][0].update(
                points=[[0, 0, 200], [0.2, 0, 200], [0, 0.2, 200]],
                normals=[[0, 0, 1]] * 3,
            )
        ),
        "No element lies within",
    ),
}


def _tie(points: list[list[float]]) -> None:
    q = len(points)
    points[q // 4], points[3 * q // 4] = points[3 * q // 4], points[q // 4]


@pytest.mark.parametrize("name", BAD)
def test_what_cannot_be_read_is_refused_in_words(name: str) -> None:
    make, words = BAD[name]
    project = patched()
    text = make(layout_data(project))
    with pytest.raises(TartanError, match=words) as caught:
        take_layout(project, layout_from(text, "layout"))
    assert caught.value.what
    assert caught.value.mend


def test_a_layout_cut_anywhere_is_refused_in_words() -> None:
    text = json.dumps(layout_data(patched()))
    for at in np.linspace(0, len(text) - 1, 60).astype(int):
        with pytest.raises(DocumentError):
            layout_from(text[:at], "layout")


def test_points_that_span_no_triangle_or_another_are_refused() -> None:
    triangle = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0]])
    with pytest.raises(PartError, match="one line"):
        placement_of(triangle * [1, 0, 0], triangle)
    with pytest.raises(PartError, match="differ by up to"):
        placement_of(triangle, triangle * 1.2)
