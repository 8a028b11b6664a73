"""Whole-stack operations as pure functions on plies, first-laid first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from tartan.core.stack.plies import Ply, normal_angle

Plies = tuple[Ply, ...]


def reverse(plies: Sequence[Ply]) -> Plies:
    """Lay the plies in the opposite order."""
    return tuple(plies)[::-1]


def mirror(plies: Sequence[Ply], *, middle: bool = False) -> Plies:
    """Add the mirror image on top; with `middle` the last ply is not doubled."""
    whole = tuple(plies)
    return whole + whole[::-1][1 if middle else 0 :]


def rotate(plies: Sequence[Ply], angle: float) -> Plies:
    """Turn every ply by an angle [deg], brought into (-90, 90]."""
    return tuple(replace(p, angle=normal_angle(p.angle + angle)) for p in plies)


def repeat(plies: Sequence[Ply], times: int) -> Plies:
    """Lay the sequence several times."""
    return tuple(plies) * times


def insert(plies: Sequence[Ply], at: int, new: Sequence[Ply]) -> Plies:
    """Lay plies before the one at an index; at the end with the count."""
    return (*plies[:at], *new, *plies[at:])
