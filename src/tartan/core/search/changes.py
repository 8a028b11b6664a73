"""Every single change of a stack: add, drop, turn, move or swap one ply.

In a symmetric stack a change is made on both sides, so that it stays symmetric.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from tartan.core.materials import Material
from tartan.core.stack.groups import bare
from tartan.core.stack.plies import Ply, is_symmetric, normal_angle

Plies = tuple[Ply, ...]

STANDARD = (0.0, 45.0, -45.0, 90.0)
"""Angles offered for new and turned plies [deg]."""


@dataclass(frozen=True)
class Change:
    """A single change: what it does in words, the plies after it, and which of them changed."""

    words: str
    plies: Plies
    touched: tuple[int, ...]


def single_changes(
    plies: Sequence[Ply],
    materials: Sequence[Material],
    angles: Iterable[float] = STANDARD,
    moves: int = 3000,
) -> list[Change]:
    """All single changes that lead to a different stack, each result once.

    Parameters
    ----------
    plies : sequence of Ply
        The stack, first-laid ply first.
    materials : sequence of Material
        Materials that plies can be swapped for or added of; those with a cured ply thickness
        that are no cores.
    angles : iterable of float
        Angles of new and turned plies [deg].
    moves : int
        About how many moves are made: in long stacks plies are moved to near places only.
    """
    return list(each_change(plies, materials, angles, moves))


def each_change(
    plies: Sequence[Ply],
    materials: Sequence[Material],
    angles: Iterable[float] = STANDARD,
    moves: int = 3000,
) -> Iterator[Change]:
    """Yield the changes of `single_changes` one by one."""
    whole = bare(plies)
    if not whole:
        return
    seen = _Seen()
    seen.add(whole)
    maker = _Maker(whole, [m for m in materials if m.ply_thickness], tuple(angles), moves)
    for change in maker.all():
        if seen.add(change.plies):
            yield change


class _Seen:
    """Stacks met so far; plies are numbered, so that long stacks are cheap to compare."""

    def __init__(self) -> None:
        self._numbers: dict[Ply, int] = {}
        self._by_object: dict[int, tuple[int, Ply]] = {}
        self._stacks: set[tuple[int, ...]] = set()

    def add(self, plies: Plies) -> bool:
        """Remember a stack; false when it was met before."""
        key = tuple([self._number(p) for p in plies])
        if key in self._stacks:
            return False
        self._stacks.add(key)
        return True

    def _number(self, ply: Ply) -> int:
        found = self._by_object.get(id(ply))
        if found is None:
            found = (self._numbers.setdefault(ply, len(self._numbers)), ply)
            self._by_object[id(ply)] = found
        return found[0]


class _Maker:
    def __init__(
        self, plies: Plies, materials: list[Material], angles: tuple[float, ...], moves: int
    ) -> None:
        self.plies, self.angles = plies, angles
        self.last = len(plies) - 1
        self.far = max(3, moves // (2 * len(plies)))
        self.symmetric = is_symmetric(plies) and len(plies) > 1
        self.cores = {m.name for m in materials if m.kind == "core"}
        self.layers = [m for m in materials if m.kind != "core"]
        used = dict.fromkeys(p.material for p in plies)
        # A metal sheet is no exchange for a ply unless the stack already has one.
        fibre = ("ply", "woven")
        self.layers = [m for m in self.layers if m.kind in fibre or m.name in used]
        # The materials in use are offered for new plies; the others only in exchange.
        self.added = [m for m in self.layers if m.name in used]

    def all(self) -> Iterable[Change]:
        half = (len(self.plies) + 1) // 2 if self.symmetric else len(self.plies)
        for i in range(half):
            if self.plies[i].material not in self.cores:
                yield from self._turned(i)
                yield from self._swapped(i)
                yield from self._moved(i, half)
                yield from self._dropped(i)
        for at in range(half + 1 if self.symmetric else len(self.plies) + 1):
            yield from self._added(at)

    def _both(self, i: int) -> tuple[int, ...]:
        return tuple(sorted({i, self.last - i})) if self.symmetric else (i,)

    def _name(self, places: tuple[int, ...]) -> str:
        numbers = " and ".join(str(p + 1) for p in places)
        return f"{'ply' if len(places) == 1 else 'plies'} {numbers}"

    def _replaced(self, places: tuple[int, ...], **values: float | str) -> Plies:
        return tuple(
            replace(p, **values) if i in places else p  # type: ignore[arg-type]
            for i, p in enumerate(self.plies)
        )

    def _turned(self, i: int) -> Iterable[Change]:
        places, now = self._both(i), self.plies[i].angle
        for angle in self.angles:
            if normal_angle(angle - now):
                words = f"turn {self._name(places)} from {now:g}° to {angle:g}°"
                yield Change(words, self._replaced(places, angle=angle), places)

    def _swapped(self, i: int) -> Iterable[Change]:
        places, now = self._both(i), self.plies[i].material
        for m in self.layers:
            if m.name != now and m.ply_thickness:
                plies = self._replaced(places, material=m.name, thickness=m.ply_thickness)
                yield Change(f"make {self._name(places)} of {m.name}", plies, places)

    def _dropped(self, i: int) -> Iterable[Change]:
        places = self._both(i)
        if len(places) < len(self.plies):
            plies = tuple(p for k, p in enumerate(self.plies) if k not in places)
            yield Change(f"drop {self._name(places)}", plies, ())

    def _moved(self, i: int, half: int) -> Iterable[Change]:
        """The ply taken out and laid at another place of its half."""
        # The middle ply of an odd symmetric stack is its own mirror image and stays.
        if self.symmetric and i == self.last - i:
            return
        reach = half - (1 if self.symmetric and len(self.plies) % 2 else 0)
        # Next to each other, a move up and a move down give the same stack.
        for to in range(reach):
            if to in (i, i - 1) or abs(to - i) > self.far:
                continue
            order = list(range(len(self.plies)))
            order.insert(to, order.pop(i))
            if self.symmetric:
                mirrored = [self.last - k for k in reversed(order[:half])]
                order = order[:half] + mirrored[len(self.plies) % 2 :]
            if any(self.plies[k].material in self.cores for k in order[min(i, to) : max(i, to)]):
                continue
            where = self._both(to)
            words = (
                f"move {self._name(self._both(i))} to {' and '.join(str(w + 1) for w in where)}"
            )
            yield Change(words, tuple(self.plies[k] for k in order), where)

    def _added(self, at: int) -> Iterable[Change]:
        for m in self.added:
            assert m.ply_thickness
            for angle in self.angles:
                yield self._one_added(at, Ply(m.name, angle, m.ply_thickness))

    def _one_added(self, at: int, ply: Ply) -> Change:
        name = f"{ply.angle:g}° {ply.material}"
        if not self.symmetric:
            plies = (*self.plies[:at], ply, *self.plies[at:])
            return Change(f"add {name} as ply {at + 1}", plies, (at,))
        other = len(self.plies) - at
        if at > other:
            at, other = other, at
        plies = (*self.plies[:at], ply, *self.plies[at:other], ply, *self.plies[other:])
        touched = (at, other + 1)
        return Change(f"add {name} as plies {at + 1} and {other + 2}", plies, touched)
