"""Answers from process to process: arrays in shared memory, and each array only once.

Both ends remember the arrays of the last few answers by number. What an answer shares with one
before it, such as the strains of a part that is only judged anew, is named and not sent.
"""

from __future__ import annotations

import itertools
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass, replace
from multiprocessing.shared_memory import SharedMemory
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

REMEMBERED = 3
"""Answers whose arrays both ends remember."""

Sent = TypeVar("Sent")
Parcel = tuple[Any, str]
"""A message with numbers in place of arrays, and the shared memory in which the new ones lie."""


@dataclass(frozen=True)
class _New:
    """Stands for an array that lies in shared memory."""

    number: int
    dtype: str
    shape: tuple[int, ...]
    start: int


@dataclass(frozen=True)
class _Known:
    """Stands for an array that was sent before."""

    number: int


def _replaced(value: Any, way: Callable[[Any], Any]) -> Any:
    """A value of nested dataclasses with what `way` makes of its leaves."""
    if isinstance(value, _New | _Known):
        return way(value)
    if is_dataclass(value) and not isinstance(value, type):
        changed = {f.name: _replaced(getattr(value, f.name), way) for f in fields(value) if f.init}
        if any(changed[k] is not getattr(value, k) for k in changed):
            return replace(value, **changed)
        return value
    # Long tables of plain numbers hold no arrays and are not gone through.
    if type(value) is tuple and value and (is_dataclass(value[0]) or type(value[0]) is np.ndarray):
        parts = tuple(_replaced(each, way) for each in value)
        return value if all(a is b for a, b in zip(parts, value, strict=True)) else parts
    return way(value)


class Sender:
    """Makes parcels of what is sent; its arrays must not change afterwards."""

    def __init__(self) -> None:
        self._numbers = itertools.count()
        self._recent: deque[dict[int, NDArray[Any]]] = deque(maxlen=REMEMBERED)

    def pack(self, value: object) -> Parcel:
        """Lay the arrays that the other end lacks in shared memory, which the receiver frees."""
        known = {id(a): n for each in self._recent for n, a in each.items()}
        used: dict[int, NDArray[Any]] = {}
        fresh: list[tuple[int, NDArray[Any]]] = []
        end = 0

        def place(leaf: object) -> object:
            nonlocal end
            if not isinstance(leaf, np.ndarray):
                return leaf
            number = known.get(id(leaf))
            if number is not None:
                used[number] = leaf
                return _Known(number)
            number = known[id(leaf)] = next(self._numbers)
            used[number] = leaf
            fresh.append((end, np.ascontiguousarray(leaf)))
            stored = _New(number, leaf.dtype.str, leaf.shape, end)
            end += -(-leaf.nbytes // 64) * 64
            return stored

        packed = _replaced(value, place)
        memory = SharedMemory(create=True, size=max(end, 1))
        buffer = memory.buf
        assert buffer is not None
        for start, array in fresh:
            view = np.frombuffer(buffer, array.dtype, array.size, start)
            view[:] = array.ravel()
            del view
        del buffer
        memory.close()
        self._recent.append(used)
        return packed, memory.name


class Receiver:
    """Unpacks the parcels of one sender, in the order in which they were sent."""

    def __init__(self) -> None:
        self._recent: deque[dict[int, NDArray[Any]]] = deque(maxlen=REMEMBERED)

    def unpack(self, parcel: Parcel) -> Any:
        """What was sent, with its arrays read-only; the shared memory is freed."""
        packed, name = parcel
        known = {n: a for each in self._recent for n, a in each.items()}
        used: dict[int, NDArray[Any]] = {}
        memory = SharedMemory(name)

        def fetch(leaf: object) -> object:
            if not isinstance(leaf, _New | _Known):
                return leaf
            if isinstance(leaf, _New):
                known[leaf.number] = _copied(memory, leaf)
            used[leaf.number] = known[leaf.number]
            return known[leaf.number]

        try:
            found = _replaced(packed, fetch)
        finally:
            memory.close()
            memory.unlink()
        self._recent.append(used)
        return found


def _copied(memory: SharedMemory, stored: _New) -> NDArray[Any]:
    """An array out of shared memory, read-only."""
    assert memory.buf is not None
    count = int(np.prod(stored.shape))
    found = np.frombuffer(memory.buf, np.dtype(stored.dtype), count, stored.start).copy()
    found.setflags(write=False)
    return found.reshape(stored.shape)
