"""Places, directions and lines as they are typed: by commas, points parted by semicolons."""

from __future__ import annotations

from collections.abc import Sequence

from tartan.core.errors import DocumentError
from tartan.project.document.partmodel import Vector
from tartan.project.wording import units


def vector_of(text: str, quantity: units.Quantity, where: str) -> Vector:
    """Three figures parted by commas.

    Raises
    ------
    TartanError
        When they are not three numbers.
    """
    cells = text.replace(";", ",").split(",")
    if len(cells) != 3:
        raise DocumentError(
            f"'{text}' is not three figures.", where, "Type three numbers, such as 1, 0, 0."
        )
    x, y, z = (units.parse(c, quantity) for c in cells)
    return x, y, z


def vector_text(vector: Vector, quantity: units.Quantity, digits: int = 4) -> str:
    """Vector as it is typed."""
    return ", ".join(units.show(v, quantity, unit=False, digits=digits) for v in vector)


def line_of(text: str, where: str) -> tuple[Vector, ...]:
    """Points of a line, two or more, from lengths such as "0, 10, 5; 20, 10, 5".

    Raises
    ------
    TartanError
        Naming the point that is none, or where there are less than two.
    """
    each = [words for words in text.split(";") if words.strip()]
    if len(each) < 2:
        raise DocumentError(
            "A line has two points or more.", where, "Type x, y, z; x, y, z; and so on."
        )
    return tuple(
        vector_of(words, units.LENGTH, f"{where}, point {number}")
        for number, words in enumerate(each, start=1)
    )


def line_text(points: Sequence[Vector]) -> str:
    """Points of a line as they are typed."""
    return "; ".join(vector_text(p, units.LENGTH, 6) for p in points)
