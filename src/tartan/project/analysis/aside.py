"""One call in a process of its own, which can be given up at once.

For work that holds the interpreter while it factorises: a thread of the window's would hold the
window too.
"""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import Any

from tartan.core.errors import TartanError
from tartan.project.analysis.children import Child

ENDED = "The work ended before its answer, perhaps for want of memory."


class Aside:
    """A generator that runs apart: what it yields is heard, what it returns is its answer.

    Parameters
    ----------
    name : str
        Of the process.
    work : callable
        Makes the generator there; found again by its module and name.
    *given
        Its arguments.

    Attributes
    ----------
    said : str
        What it yielded last.
    answer : object
        What it returned; None until then.
    error : TartanError or None
        Why there is none.
    over : bool
        Whether it has ended.
    """

    def __init__(
        self, name: str, work: Callable[..., Generator[str, None, Any]], *given: Any
    ) -> None:
        self.said = ""
        self.answer: Any = None
        self.error: TartanError | None = None
        self.over = False
        self._name = name
        self._child = Child(name, _serve, work, given)

    def look(self) -> bool:
        """Take what has come; whether anything did."""
        came = False
        while not self.over:
            try:
                if not self._child.connection.poll():
                    break
                kind, what = self._child.connection.recv()
            except (EOFError, OSError):
                self._end(error=TartanError(ENDED, self._name, "Try a smaller one."))
                return True
            came = True
            if kind == "said":
                self.said = what
            elif kind == "answer":
                self._end(what)
            else:
                self._end(error=what)
        if not self.over and not self._child.is_alive() and not self._child.connection.poll():
            self._end(error=TartanError(ENDED, self._name, "Try a smaller one."))
            return True
        return came

    def _end(self, answer: Any = None, error: TartanError | None = None) -> None:
        self.over, self.answer, self.error = True, answer, error
        self.stop()

    def stop(self) -> None:
        """Give it up."""
        self.over = True
        self._child.kill()


def _serve(connection: Any, work: Callable[..., Generator[str, None, Any]], given: Any) -> None:
    steps = work(*given)
    try:
        while True:
            connection.send(("said", next(steps)))
    except StopIteration as end:
        connection.send(("answer", end.value))
    except TartanError as error:
        connection.send(("error", error))
    except MemoryError:
        words = "The memory of this machine does not hold it."
        connection.send(("error", TartanError(words, "Solid", "Take a smaller or coarser one.")))
    except Exception as error:  # noqa: BLE001 - whatever happens, who waits must hear of it
        words = f"It broke off ({type(error).__name__}: {error})."
        connection.send(("error", TartanError(words, "Solid", "Change what is asked.")))
