"""Loops in machine code: the compiler is loaded with the first call of one.

Loading it takes as long as all of SciPy, and neither the window's first painting nor a refused
file needs it. What is compiled is kept beside its source, and read from there by later processes.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from functools import update_wrapper
from importlib import import_module
from types import CodeType
from typing import Any, Generic, ParamSpec, TypeVar

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
                machine = numba.njit(cache=True, **self._options)(self._body)
                # Compiled code calls compiled code: it finds that by the names of its module.
                for name in _names(self._body.__code__):
                    other = known.get(name)
                    if isinstance(other, Compiled):
                        known[name] = machine if other is self else other.machine()
                    elif other is prange:
                        known[name] = numba.prange
                self._machine = machine
        return self._machine


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
