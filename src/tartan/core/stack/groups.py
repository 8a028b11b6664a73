"""Sub-laminates within a stack: runs of plies that still are what their name says.

A ply remembers the sub-laminate it was laid with; a run counts as one only while its plies equal
those of the named stack, in order or reversed (as in the mirrored half of a symmetric stack).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from tartan.core.stack.plies import Ply

Stacks = Mapping[str, Sequence[Ply]]


@dataclass(frozen=True)
class Group:
    """A sub-laminate in a stack: its name, first ply (from 0), ply count, and order."""

    name: str
    first: int
    count: int
    reversed: bool

    @property
    def plies(self) -> range:
        """Indices of its plies."""
        return range(self.first, self.first + self.count)


def bare(plies: Sequence[Ply]) -> tuple[Ply, ...]:
    """Plies without the memory of a sub-laminate."""
    return tuple(replace(p, sub="") if p.sub else p for p in plies)


def sub_laminates(plies: Sequence[Ply], stacks: Stacks) -> list[Group]:
    """Sub-laminates of a stack, first-laid first.

    Parameters
    ----------
    plies : sequence of Ply
        The stack.
    stacks : Mapping of str to sequence of Ply
        Stacks that may have been laid as sub-laminates.
    """
    found: list[Group] = []
    i = 0
    while i < len(plies):
        name = plies[i].sub
        if not name:
            i += 1
            continue
        whole = bare(stacks.get(name, ()))
        run = bare(plies[i : i + len(whole)])
        tagged = all(p.sub == name for p in plies[i : i + len(whole)])
        if whole and tagged and run in (whole, whole[::-1]):
            found.append(Group(name, i, len(whole), run != whole))
            i += len(whole)
        else:
            i += 1
    return found


def relay(
    plies: Sequence[Ply], name: str, before: Sequence[Ply], after: Sequence[Ply]
) -> tuple[Ply, ...]:
    """Lay a sub-laminate's new plies wherever its old ones stand.

    Parameters
    ----------
    plies : sequence of Ply
        The stack that uses it.
    name : str
        The sub-laminate.
    before, after : sequence of Ply
        Its plies as they were and are.
    """
    if not any(p.sub == name for p in plies):
        return tuple(plies)
    new = tuple(replace(p, sub=name) for p in after)
    whole = list(plies)
    for group in reversed(sub_laminates(plies, {name: before})):
        whole[group.first : group.first + group.count] = new[::-1] if group.reversed else new
    return tuple(whole)
