"""Plies on regions become zones: elements of one sequence of plies share a section.

A ply of the lay-up covers elements; per element it can be turned and thickened or thinned, as
draping and winding do. Elements with the same sequence of (ply, turn, factor) are one zone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.stiffness import Laminate, make_laminates
from tartan.core.materials import Material
from tartan.core.stack.plies import Ply, Stack

Array = NDArray[np.float64]
Index = NDArray[np.int64]
TOLERANCE = 0.05
"""Turns within it are one [deg], and factors within as many per cent."""

_PAIR = 1 << 30
"""Steps of a factor that a pair of turn and factor holds."""


@dataclass(frozen=True, eq=False)
class LaidPly:
    """A ply on some elements.

    Attributes
    ----------
    ply : Ply
        Material, angle from the reference direction, thickness.
    elements : ndarray of int
        Where it lies.
    turn : ndarray of float, optional
        Angle added on each of them [deg].
    factor : ndarray of float, optional
        Thickness as a multiple of the ply's on each of them.
    """

    ply: Ply
    elements: Index
    turn: Array | None = None
    factor: Array | None = None


@dataclass(frozen=True, eq=False)
class Zones:
    """Sections of a part.

    Attributes
    ----------
    laminates : tuple of Laminate
        One a zone.
    zone : ndarray of int, shape (m,)
        Zone of every element.
    plies : tuple of tuple of int
        Plies of the lay-up in each zone, bottom to top.
    """

    laminates: tuple[Laminate, ...]
    zone: Index
    plies: tuple[tuple[int, ...], ...] = ()

    @cached_property
    def members(self) -> tuple[Index, ...]:
        """Elements of every zone in their order, each of shape (q,).

        Looking for them zone by zone would take the square of their number on draped parts.
        """
        count = np.bincount(self.zone, minlength=len(self.laminates))
        return tuple(np.split(np.argsort(self.zone, kind="stable"), np.cumsum(count)[:-1]))


def zones_of(
    lay_up: Sequence[LaidPly],
    count: int,
    materials: Mapping[str, Material],
    reference: float = 0.0,
    tolerance: float = TOLERANCE,
    offset: float = 0.0,
) -> Zones:
    """Find the zones of a lay-up.

    Parameters
    ----------
    lay_up : sequence of LaidPly
        In laying order.
    count : int
        Number of elements of the mesh.
    materials : mapping of str to Material
        Materials by name.
    reference : float
        Height of the reference surface in every laminate: 0 its middle, -1 its bottom, 1 its
        top, and between.
    tolerance : float
        Turns within this angle [deg], and factors within a hundredth of it, are one.
    offset : float
        Height of the laminates over their place so given, along the laying direction [m].

    Raises
    ------
    StackError
        When an element has no ply, or a ply names elements that do not exist.
    MaterialError
        As `make_laminate`.
    """
    codes = np.zeros((count, len(lay_up)), np.int32)
    forms: list[NDArray[np.float64]] = []
    for number, laid in enumerate(lay_up):
        if len(laid.elements) and not 0 <= laid.elements.min() <= laid.elements.max() < count:
            raise StackError(
                "A ply lies on elements that do not exist.",
                f"Ply {number + 1}",
                "Lay it on a region of this mesh.",
            )
        if laid.turn is None and laid.factor is None:
            forms.append(np.array([[0.0, 1.0]]))
            codes[laid.elements, number] = 1
            continue
        turn = _steps(laid.turn, len(laid.elements), tolerance, 0.0)
        factor = _steps(laid.factor, len(laid.elements), tolerance / 100, 1.0) + _PAIR // 2
        pairs, which = np.unique(turn * _PAIR + factor, return_inverse=True)
        # Factors are what is left over whole turns, counted from 1 so that it stays what it is.
        forms.append(
            np.stack(
                [
                    pairs // _PAIR * tolerance,
                    1 + (pairs % _PAIR - _PAIR // 2) * (tolerance / 100),
                ],
                axis=1,
            )
        )
        codes[laid.elements, number] = which + 1
    bare = np.flatnonzero(~codes.any(axis=1))
    if len(bare):
        raise StackError(
            f"{len(bare)} of {count} elements have no ply.",
            f"Lay-up, element {int(bare[0]) + 1}",
            "Lay a ply on their region.",
        )
    first, zone = _alike(codes)
    rows = codes[first]
    # Zones are numbered as they are met.
    order = np.argsort(first)
    rank = np.empty(len(order), np.int64)
    rank[order] = np.arange(len(order))
    steps = [[(n, code) for n, code in enumerate(row) if code] for row in rows[order].tolist()]
    # Plies turned and thickened alike, of which zones share many, are one.
    known = {
        (n, code): _formed(lay_up[n].ply, *forms[n][code - 1].tolist())
        for n, code in {step for each in steps for step in each}
    }
    stacks = [
        Stack(f"zone {i}", tuple(known[step] for step in each)) for i, each in enumerate(steps, 1)
    ]
    offsets = [offset - reference * s.thickness / 2 for s in stacks]
    laminates = make_laminates(stacks, materials, offsets)
    return Zones(laminates, rank[zone.ravel()], tuple(tuple(n for n, _ in k) for k in steps))


def _alike(codes: NDArray[np.int32]) -> tuple[Index, Index]:
    """First row of every kind of rows, and the kind of every row.

    Rows are told apart by one number each, of as many columns as it holds at a time: sorting whole
    rows takes ten times as long.
    """
    kind, size = np.zeros(len(codes), np.int64), 1
    for column in codes.T:
        radix = int(column.max()) + 1
        if size * radix >= 1 << 62:
            found, kind = np.unique(kind, return_inverse=True)
            size = len(found)
        kind, size = kind * radix + column, size * radix
    _, first, which = np.unique(kind, return_index=True, return_inverse=True)
    return first, which


def _steps(values: Array | None, count: int, step: float, usual: float) -> Index:
    """Values as whole steps off the usual one, shape (count,)."""
    if values is None:
        return np.zeros(count, np.int64)
    return np.round((np.asarray(values, float) - usual) / step).astype(np.int64)


def _formed(ply: Ply, turn: float, factor: float) -> Ply:
    """A ply turned [deg] and thickened by a factor."""
    if turn or factor != 1:
        return replace(ply, angle=ply.angle + turn, thickness=ply.thickness * factor)
    return ply
