"""Loops in machine code: the compiler is loaded with the first call of one.

Loading it takes as long as all of SciPy, and neither the window's first painting nor a refused
file needs it. What is compiled is kept beside its source, and read from there by later processes
as long as all that went into it is the same: the function, those it calls and the numbers they
read. The compiler itself looks at the function's own file alone, though those that it calls from
others are part of its code: after an update they would have gone on as they were.
"""

from __future__ import annotations

import hashlib
import threading
from collections.abc import Callable, Iterator
from functools import update_wrapper
from importlib import import_module
from types import CodeType
from typing import Any, Generic, ParamSpec, TypeVar

import numpy as np

P = ParamSpec("P")
R = TypeVar("R")

prange = range
"""A range that a loop compiled with `parallel` shares out between threads."""

_making = threading.RLock()


class Compiled(Generic[P, R]):
    """A function that is compiled when it is first called.

    Parameters
    ----------
    body : callable
        What is compiled. It may call others of its kind and use `prange`, by the names that its
        module knows them by.
    options : dict
        As the compiler takes them.
    """

    def __init__(self, body: Callable[P, R], options: dict[str, Any]) -> None:
        update_wrapper(self, body)
        self._body, self._options = body, options
        self._machine: Callable[P, R] | None = None

    def __call__(self, *args: P.args, **kwargs: P.kwargs) -> R:
        """Call it; arguments are as those of the body."""
        return (self._machine or self.machine())(*args, **kwargs)

    def machine(self) -> Callable[P, R]:
        """What the compiler makes of it; others that it calls are made first."""
        with _making:
            if self._machine is None:
                numba = import_module("numba")
                known: dict[str, Any] = self._body.__globals__
                stamp = self._stamp()
                machine = numba.njit(cache=True, **self._options)(self._body)
                # Nothing is kept where the compiler is switched off.
                if hasattr(machine, "_cache"):
                    machine._cache._cache_file._source_stamp = stamp
                _stamps[id(machine)] = machine, stamp
                # Compiled code calls compiled code: it finds that by the names of its module.
                for name in _names(self._body.__code__):
                    other = known.get(name)
                    if isinstance(other, Compiled):
                        known[name] = machine if other is self else other.machine()
                    elif other is prange:
                        known[name] = numba.prange
                self._machine = machine
        return self._machine

    def _stamp(self, within: tuple[Compiled[Any, Any], ...] = ()) -> str:
        """Digest of all that goes into the compiled code; `within` are those that call it."""
        body, within = self._body, (*within, self)
        parts = [
            body.__name__,
            *sorted(f"{k}={_value(v)}" for k, v in self._options.items()),
            repr(body.__defaults__),
        ]
        parts += _said(body.__code__, body.__doc__)
        for name in sorted(set(_names(body.__code__)) & set(body.__globals__)):
            value = body.__globals__[name]
            if isinstance(value, Compiled):
                made_of = "itself" if value in within else value._stamp(within)
            else:
                made_of = _stamps[id(value)][1] if id(value) in _stamps else _value(value)
            parts.append(f"{name} = {made_of}")
        return hashlib.sha256("\n".join(parts).encode()).hexdigest()


_stamps: dict[int, tuple[Any, str]] = {}
"""What is compiled with its digest, by its number; as it is kept no other gets that number."""


def _said(code: CodeType, words: str | None = None) -> Iterator[str]:
    """What a function's code does, wherever it stands in its file and whatever its words are."""
    yield f"{code.co_argcount} {code.co_names} {code.co_freevars} {code.co_code.hex()}"
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from _said(constant)
        elif words is None or constant != words:
            yield _value(constant)


def _value(value: Any) -> str:
    """What the compiler sees in a constant: a number, an array, or a thing by its name."""
    if isinstance(value, np.ndarray | np.generic):
        return f"{value.dtype} {value.shape} {value.tobytes().hex()}"
    name = getattr(value, "__qualname__", None) or getattr(value, "__name__", None)
    if name is not None:
        return f"{getattr(value, '__module__', '')} {name} {getattr(value, '_fields', '')}"
    # Sets have another order in every process.
    return str(sorted(map(repr, value))) if isinstance(value, set | frozenset) else repr(value)


def compiled(**options: Any) -> Callable[[Callable[P, R]], Compiled[P, R]]:
    """Have a function compiled at its first call.

    Parameters
    ----------
    options
        Such as `parallel`, `nogil`, `fastmath` and `error_model`, as the compiler takes them.
    """

    def made(body: Callable[P, R]) -> Compiled[P, R]:
        return Compiled(body, options)

    return made


def _names(code: CodeType) -> Iterator[str]:
    """Names that a function reads, those of what stands within it too."""
    yield from code.co_names
    for constant in code.co_consts:
        if isinstance(constant, CodeType):
            yield from _names(constant)


__all__ = ["Compiled", "compiled", "prange"]
