"""A small drawing for every failure mode, as lines in a box of 16 by 16, y downwards. No Qt.

They show the ply from the side, its fibres across; what breaks is drawn broken.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

Line = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class ModeMark:
    """Drawing of a mode.

    Attributes
    ----------
    lines : tuple of Line
        Strokes.
    solid : tuple of Line
        Outlines that are filled.
    """

    lines: tuple[Line, ...]
    solid: tuple[Line, ...] = ()


def _level(y: float, a: float = 1.0, b: float = 15.0) -> Line:
    return ((a, y), (b, y))


def _wave(y: float, high: float, waves: float) -> Line:
    steps = 24
    return tuple(
        (1 + 14 * i / steps, y + high * math.sin(2 * math.pi * waves * i / steps))
        for i in range(steps + 1)
    )


_FIBRES = (4.0, 8.0, 12.0)

_KINKED = tuple(((1.0, y), (6.0, y), (10.0, y - 2.5), (15.0, y - 2.5)) for y in (6.0, 10.0, 14.0))

_CRACK = ((1.0, 8.0), (4.0, 7.0), (6.5, 9.0), (9.0, 7.0), (11.5, 9.0), (15.0, 8.0))

_ALONG = (_level(2.5), _level(13.5))
"""The fibres above and below a crack between them."""

_FACES = (_level(3.0), _level(13.0))

MARKS: dict[str, ModeMark] = {
    "fibre tension": ModeMark(
        tuple(
            part
            for y, x in zip(_FIBRES, (7.0, 9.5, 6.0), strict=True)
            for part in (_level(y, 1.0, x - 1.5), _level(y, x + 1.5, 15.0))
        )
    ),
    "fibre compression": ModeMark(_KINKED),
    "matrix tension": ModeMark(_ALONG, (((1.0, 8.0), (8.0, 5.2), (15.0, 8.0), (8.0, 10.8)),)),
    "matrix compression": ModeMark(
        (
            *_ALONG,
            ((4.0, 5.0), (12.0, 11.0)),
            ((4.0, 5.0), (4.0, 8.0)),
            ((12.0, 11.0), (12.0, 8.0)),
        )
    ),
    "in-plane shear": ModeMark(
        (
            ((4.0, 3.0), (15.0, 3.0), (12.0, 13.0), (1.0, 13.0), (4.0, 3.0)),
            ((2.5, 8.0), (13.5, 8.0)),
        )
    ),
    "IFF A": ModeMark(
        (*_ALONG, ((8.0, 4.0), (8.0, 12.0)), ((5.0, 8.0), (1.5, 8.0)), ((11.0, 8.0), (14.5, 8.0)))
    ),
    "IFF B": ModeMark(
        (
            *_ALONG,
            ((8.0, 4.0), (8.0, 12.0)),
            ((5.5, 11.0), (5.5, 5.5)),
            ((10.5, 5.0), (10.5, 10.5)),
        )
    ),
    "IFF C": ModeMark(
        (*_ALONG, ((5.0, 4.0), (11.0, 12.0)), ((4.5, 8.0), (1.0, 8.0)), ((11.5, 8.0), (15.0, 8.0)))
    ),
    "interlaminar shear": ModeMark(
        (
            ((1.0, 3.0), (12.0, 3.0), (12.0, 7.0), (1.0, 7.0), (1.0, 3.0)),
            ((4.0, 9.0), (15.0, 9.0), (15.0, 13.0), (4.0, 13.0), (4.0, 9.0)),
        )
    ),
    "core shear along 1": ModeMark(
        (
            *_FACES,
            ((3.0, 12.0), (6.0, 4.0)),
            ((7.0, 12.0), (10.0, 4.0)),
            ((11.0, 12.0), (14.0, 4.0)),
        )
    ),
    "core shear along 2": ModeMark(
        (
            *_FACES,
            ((2.0, 4.0), (5.0, 12.0)),
            ((6.0, 4.0), (9.0, 12.0)),
            ((10.0, 4.0), (13.0, 12.0)),
        )
    ),
    "face wrinkling, top face": ModeMark((_wave(4.0, 1.8, 2.5), _level(13.0))),
    "face wrinkling, bottom face": ModeMark((_level(3.0), _wave(12.0, 1.8, 2.5))),
    "dimpling, top face": ModeMark(
        (
            (
                (1.0, 4.0),
                (3.3, 6.5),
                (5.6, 4.0),
                (8.0, 6.5),
                (10.4, 4.0),
                (12.7, 6.5),
                (15.0, 4.0),
            ),
            ((1.0, 4.0), (1.0, 13.0)),
            ((5.6, 4.0), (5.6, 13.0)),
            ((10.4, 4.0), (10.4, 13.0)),
            ((15.0, 4.0), (15.0, 13.0)),
        )
    ),
    "dimpling, bottom face": ModeMark(
        (
            (
                (1.0, 12.0),
                (3.3, 9.5),
                (5.6, 12.0),
                (8.0, 9.5),
                (10.4, 12.0),
                (12.7, 9.5),
                (15.0, 12.0),
            ),
            ((1.0, 3.0), (1.0, 12.0)),
            ((5.6, 3.0), (5.6, 12.0)),
            ((10.4, 3.0), (10.4, 12.0)),
            ((15.0, 3.0), (15.0, 12.0)),
        )
    ),
    "shear crimping": ModeMark(
        (
            ((1.0, 3.0), (6.0, 3.0), (10.0, 7.0), (15.0, 7.0)),
            ((1.0, 9.0), (6.0, 9.0), (10.0, 13.0), (15.0, 13.0)),
        )
    ),
    "core crushing": ModeMark(
        (
            _level(4.0),
            _level(12.0),
            ((4.0, 4.0), (2.5, 6.7), (5.5, 9.3), (4.0, 12.0)),
            ((8.0, 4.0), (6.5, 6.7), (9.5, 9.3), (8.0, 12.0)),
            ((12.0, 4.0), (10.5, 6.7), (13.5, 9.3), (12.0, 12.0)),
        )
    ),
    "yield": ModeMark(
        (
            ((2.0, 2.0), (14.0, 2.0), (14.0, 14.0), (2.0, 14.0), (2.0, 2.0)),
            ((4.0, 10.0), (10.0, 4.0)),
            ((6.0, 12.0), (12.0, 6.0)),
        )
    ),
    "user criterion": ModeMark(
        (
            ((3.0, 14.0), (3.0, 2.0)),
            ((2.0, 13.0), (15.0, 13.0)),
            ((3.0, 4.0), (8.0, 4.6), (12.0, 7.6), (13.5, 13.0)),
        )
    ),
    "combined": ModeMark((_CRACK, *_ALONG)),
}
"""Drawings by the mode's words."""

NONE = ModeMark(
    (
        tuple(
            (8 + 5 * math.cos(a * math.pi / 12), 8 + 5 * math.sin(a * math.pi / 12))
            for a in range(25)
        ),
    )
)
"""For a mode that has no drawing, and where nothing fails."""


def mark_of(mode: str) -> ModeMark:
    """Drawing of a mode; an empty ring where there is none."""
    return MARKS.get(mode, NONE)
