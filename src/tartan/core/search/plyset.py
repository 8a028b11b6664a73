"""Plies that are to be put in order: which there are, how many, and where some of them stay."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.stiffness import reduced_stiffness, strain_rotation
from tartan.core.materials import Material
from tartan.core.stack.plies import Ply, normal_angle

Array = NDArray[np.float64]
Orders = NDArray[np.int8]

MOST_PLACES, MOST_KINDS = 60, 100
"""Places that a search fills at most, those of half a stack where it is symmetric; and kinds."""

WHERE = "Order of plies"


@dataclass(frozen=True)
class PlySet:
    """Plies to put in order.

    Attributes
    ----------
    kinds : tuple of Ply
        The different plies.
    counts : tuple of int
        How many of each lie at the places that are filled: those of the outer half of a symmetric
        stack, read from outside to the mid-plane, or of the whole stack, first-laid first.
    symmetric : bool
        Whether the other half mirrors the first.
    middle : int
        Kind of a single ply on the mid-plane of a symmetric stack; -1 where there is none.
    held : tuple of int
        Kind that stays at each place; -1 where any may lie.
    cores, woven : frozenset of str
        Materials that are cores, and those with as much fibre across as along.
    """

    kinds: tuple[Ply, ...]
    counts: tuple[int, ...]
    symmetric: bool = True
    middle: int = -1
    held: tuple[int, ...] = ()
    cores: frozenset[str] = field(default_factory=frozenset)
    woven: frozenset[str] = field(default_factory=frozenset)

    def __post_init__(self) -> None:
        if len(self.kinds) != len(self.counts) or not self.kinds:
            raise StackError("Plies and counts are not as many.", WHERE, "Give a count to each.")
        if len({_key(p) for p in self.kinds}) != len(self.kinds):
            raise StackError("A ply stands twice.", WHERE, "Add its counts up.")
        if any(c < 0 for c in self.counts) or not sum(self.counts):
            raise StackError("There are no plies to order.", WHERE, "Lay some.")
        if self.held and len(self.held) != self.places:
            raise StackError("What is held is not as long as the stack.", WHERE, "Hold it anew.")

    def searchable(self) -> PlySet:
        """Return a set that is small enough to be searched.

        Raises
        ------
        StackError
            Where it is not.
        """
        if self.places > MOST_PLACES or len(self.kinds) > MOST_KINDS:
            raise StackError(
                f"{self.length} plies of {len(self.kinds)} kinds are too many to be ordered.",
                WHERE,
                f"At most {MOST_PLACES} plies, or {2 * MOST_PLACES} of a symmetric stack, and "
                f"{MOST_KINDS} kinds can be.",
            )
        return self

    @property
    def places(self) -> int:
        """Places that are filled."""
        return sum(self.counts)

    @property
    def length(self) -> int:
        """Plies of the full stack."""
        return (2 * self.places if self.symmetric else self.places) + int(self.middle >= 0)

    @property
    def total(self) -> int:
        """Different orders without rules, with what is held where it is."""
        free = list(self.counts)
        for kind in self.held:
            if kind >= 0:
                free[kind] -= 1
        return math.factorial(sum(free)) // math.prod(math.factorial(c) for c in free)

    def full(self, orders: Orders) -> Orders:
        """Full stacks of orders, shapes (k, places) and (k, length)."""
        if not self.symmetric:
            return orders
        centre = np.full((len(orders), int(self.middle >= 0)), self.middle, np.int8)
        return np.concatenate([orders, centre, orders[:, ::-1]], axis=1)

    def plies(self, order: Sequence[int]) -> tuple[Ply, ...]:
        """Plies of the full stack of an order, first-laid first."""
        return tuple(self.kinds[k] for k in self.full(np.array([order], np.int8))[0])

    def order_of(self, plies: Sequence[Ply]) -> tuple[int, ...]:
        """The order that a stack of these plies has."""
        return self.kinds_of(plies)[: self.places]

    def kinds_of(self, plies: Sequence[Ply]) -> tuple[int, ...]:
        """Kind of every ply of a stack."""
        index = {_key(p): k for k, p in enumerate(self.kinds)}
        return tuple(index[_key(p)] for p in plies)

    @property
    def directions(self) -> NDArray[np.int64]:
        """Number of the direction of every kind; -1 of a core."""
        angles = [round(normal_angle(p.angle), 9) for p in self.kinds]
        known = {a: i for i, a in enumerate(dict.fromkeys(angles))}
        each = zip(self.kinds, angles, strict=True)
        return np.array([-1 if p.material in self.cores else known[a] for p, a in each])

    @property
    def thickness(self) -> Array:
        """Thickness of every kind [m]."""
        return np.array([p.thickness for p in self.kinds])


def _key(ply: Ply) -> tuple[str, float, float]:
    return (ply.material, round(normal_angle(ply.angle), 9), ply.thickness)


def set_of(
    plies: Sequence[Ply],
    *,
    symmetric: bool,
    held: Collection[int] = (),
    cores: Iterable[str] = (),
    woven: Iterable[str] = (),
) -> PlySet:
    """The plies of a stack as what is put in order.

    Parameters
    ----------
    plies : sequence of Ply
        The stack as it is, first-laid first.
    symmetric : bool
        Whether what is found shall be symmetric.
    held : collection of int
        Plies that stay where they are, from 0; in a symmetric stack a ply holds its image too.
    cores, woven : iterable of str
        As `PlySet` has them.

    Raises
    ------
    StackError
        No plies or too many, plies that make no symmetric stack, or held ones that are not
        alike on both sides.
    """
    bare = [replace(p, sub="") for p in plies]
    first: dict[tuple[str, float, float], Ply] = {}
    for p in bare:
        first.setdefault(_key(p), p)
    kinds = tuple(first.values())
    index = {_key(p): k for k, p in enumerate(kinds)}
    row = [index[_key(p)] for p in bare]
    counts = Counter(row)
    sides: dict[str, frozenset[str]] = {"cores": frozenset(cores), "woven": frozenset(woven)}
    if not symmetric:
        stays = tuple(k if i in held else -1 for i, k in enumerate(row))
        whole = tuple(counts[k] for k in range(len(kinds)))
        return PlySet(kinds, whole, False, -1, stays, **sides)
    odd = [k for k in range(len(kinds)) if counts[k] % 2]
    if len(odd) > 1:
        named = " and ".join(words_of(kinds[k]) for k in odd[:3])
        raise StackError(
            f"No symmetric stack can be made of an odd number each of {named}.",
            WHERE,
            "Add or remove a ply, or search without symmetry.",
        )
    half = len(row) // 2
    stays_half = [-1] * half
    for i in sorted(held):
        place = min(i, len(row) - 1 - i)
        if place == half:
            continue
        if stays_half[place] not in (-1, row[i]):
            raise StackError(
                f"Plies {place + 1} and {len(row) - place} are held and differ.",
                WHERE,
                "Hold like plies, or search without symmetry.",
            )
        stays_half[place] = row[i]
    halves = tuple(counts[k] // 2 for k in range(len(kinds)))
    for k, n in enumerate(halves):
        if stays_half.count(k) > n:
            raise StackError(
                f"More of {words_of(kinds[k])} are held than a symmetric stack has on a side.",
                WHERE,
                "Hold fewer, or search without symmetry.",
            )
    return PlySet(kinds, halves, True, odd[0] if odd else -1, tuple(stays_half), **sides)


def words_of(ply: Ply) -> str:
    """A ply in words: its angle and material."""
    return f"{ply.angle:g}° {ply.material}"


@dataclass(frozen=True, eq=False)
class Stiffness:
    """What makes A, B and D of orders of a set: turned stiffnesses of the kinds."""

    plies: PlySet
    Qbar: Array

    @classmethod
    def of(cls, plies: PlySet, materials: Mapping[str, Material]) -> Stiffness:
        """From the materials in force."""
        Q = np.array([reduced_stiffness(materials[p.material]) for p in plies.kinds])
        T = strain_rotation(np.deg2rad([p.angle for p in plies.kinds]))
        return cls(plies, np.swapaxes(T, 1, 2) @ Q @ T)

    def abd(self, full: Orders) -> tuple[Array, Array, Array]:
        """A, B and D of full stacks (k, n), each of shape (k, 3, 3) [N/m, N, N·m]."""
        each = np.moveaxis(self.weights(full), 0, 1)
        A, B, D = np.moveaxis(np.einsum("kwa,aij->kwij", each, self.Qbar), 1, 0)
        return A, B, D

    def weights(self, full: Orders) -> Array:
        """Integrals of 1, z and z² over every kind, shape (3, k, kinds) [m, m², m³]."""
        t = self.plies.thickness[full]
        z = np.cumsum(t, axis=1)
        z = z - z[:, -1:] / 2
        low = z - t
        powers = (t, (z**2 - low**2) / 2, (z**3 - low**3) / 3)
        kinds = range(len(self.plies.kinds))
        return np.stack(
            [np.stack([(p * (full == k)).sum(axis=1) for k in kinds], axis=1) for p in powers]
        )
