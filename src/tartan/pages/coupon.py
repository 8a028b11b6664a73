"""A coupon of the chosen stack as a question: fields, tables and words. No Qt."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tartan.core.solid.coupon import FOUR_POINT, LOADINGS, Coupon
from tartan.exchange.tables import Cell, Table
from tartan.pages.fields import Number, OneOf, Said, Unit, line
from tartan.pages.fields import Table as Fields
from tartan.pages.three_ways import (
    ASSUME,
    Ways,
    between_words,
    gap_words,
    reserve_words,
    same_words,
)
from tartan.project.analysis.solids import IDEALISED, Tried, at_edge
from tartan.project.wording import units

Array = NDArray[np.float64]

EDGE = ("τxz", "τyz", "σz")

TURNED = ("bending", "torsion")
"""Loaded by a moment; the others by a force."""


@dataclass(frozen=True)
class CouponAsk:
    """What is asked: as `Coupon`, with a load of each kind.

    Attributes
    ----------
    over : float
        Length from the free edge for means [m].
    assume : bool
        Whether missing constants are taken from transverse isotropy.
    """

    loading: str = "tension"
    force: float = 1000.0
    moment: float = 1.0
    length: float = 0.1
    width: float = 0.02
    outer: float = 0.08
    inner: float = 0.04
    over: float = 0.5e-3
    assume: bool = False

    @property
    def coupon(self) -> Coupon:
        """As the core reads it."""
        amount = self.moment if self.loading in TURNED else self.force
        return Coupon(self.length, self.width, self.loading, amount, self.outer, self.inner)


FIELDS: Fields = (
    line(
        OneOf("loading", lambda: LOADINGS, "how the coupon is loaded"),
        Number("force", units.FORCE, "force on the coupon"),
        Unit(units.FORCE),
        None,
        when=lambda a: a.loading not in TURNED,
    ),
    line(
        OneOf("loading", lambda: LOADINGS, "how the coupon is loaded"),
        Number("moment", units.MOMENT, "moment on the coupon"),
        Unit(units.MOMENT),
        None,
        when=lambda a: a.loading in TURNED,
    ),
    line(
        Said("length", "Between the grips"),
        Number("length", units.LENGTH, "length of the coupon", wide=54),
        Said("width"),
        Number("width", units.LENGTH, "width of the coupon", wide=54),
        Said(
            "edge over",
            "Stresses between plies grow without bound towards a free edge: they are told as "
            "means over this length (Kim and Soni, 1984)",
        ),
        Number("over", units.LENGTH, "length of the mean at the edge", wide=46),
        Unit(units.LENGTH),
        None,
    ),
    line(
        Said("lies on lines", "Distance of the two lines that it lies on"),
        Number("outer", units.LENGTH, "distance of the lines it lies on", wide=54),
        Said("pressed by lines", "Distance of the two lines that press it"),
        Number("inner", units.LENGTH, "distance of the lines that press it", wide=54),
        Unit(units.LENGTH),
        None,
        when=lambda a: a.loading == FOUR_POINT,
    ),
    ASSUME,
)


def about(found: Tried) -> str:
    """What was solved."""
    c = found.coupon
    load = units.show(c.amount, units.MOMENT if c.loading in TURNED else units.FORCE)
    size = f"{units.show(c.length, units.LENGTH)} × {units.show(c.width, units.LENGTH)}"
    return f"{found.stack.name}, {size}, {c.loading}, {load}"


def ways_of(found: Tried) -> Ways:
    """The middle of the coupon three ways."""
    a, count = found.answer, found.laminate.count
    return Ways(
        about(found),
        found.laminate,
        tuple(range(1, count + 1)),
        (a.shell.stress, a.homogenised.stress, a.plies.stress),
        found.reserves,
    )


def edge_table(found: Tried, over: float) -> Table:
    """Means over a length from the free edge, for every interface from the top.

    Raises
    ------
    PartError
        A length that is none, or more than half the width.
    """
    unit, scale = units.STRESS.unit, units.STRESS.scale
    rows: list[tuple[Cell, ...]] = []
    for ply, stress, reserve in at_edge(found, over):
        pair = found.stack.plies[ply : ply + 2]
        words = " / ".join(f"{units.number(p.angle)}°" for p in pair)
        figures = [float(v) / scale for v in stress]
        rows.append((ply + 1, words, *figures, reserve))
    rows.reverse()
    head = ("above ply", "plies", *(f"{s} [{unit}]" for s in EDGE), "RF")
    note = f"{about(found)}; means over {units.show(over, units.LENGTH)} from the free edge"
    return Table("coupon, free edge", head, tuple(rows), note)


def edge_lines(found: Tried, ply: int) -> tuple[Array, Array]:
    """Distance from the edge at +y and stresses above a ply over half the width, (3, lines)."""
    edge = found.answer.edge
    assert edge is not None
    half = len(edge.y) // 2
    distance = (edge.y[-1] - edge.y[half:]) / units.LENGTH.scale
    return distance, edge.between[ply, half:].T / units.STRESS.scale


def words(found: Tried) -> str:
    """The difference in words: reserve factors, which stresses differ, and how far it moves."""
    ways = ways_of(found)
    least = reserve_words(ways)
    parts = [f"Least reserve factor in the middle: {least}."] if least else []
    parts += [x for x in (between_words(ways), same_words(gap_words(ways))) if x]
    moved = [x.moved for x in (found.answer.shell, found.answer.homogenised, found.answer.plies)]
    turned = found.coupon.loading in TURNED
    figures = [
        f"{units.number(np.degrees(m))}°" if turned else units.show(m, units.LENGTH) for m in moved
    ]
    what = "goes down by" if found.coupon.loading == FOUR_POINT else "goes by"
    who = "Its middle" if found.coupon.loading == FOUR_POINT else "The loaded end"
    parts.append(
        f"{who} {'turns by' if turned else what} "
        + ", ".join(f"{f} ({n})" for f, n in zip(figures, IDEALISED, strict=True))
        + "."
    )
    return " ".join(parts)
