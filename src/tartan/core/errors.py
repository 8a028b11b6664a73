"""Errors that say what is wrong, where, and how to mend it."""

from __future__ import annotations

from collections.abc import Callable

_spoken: list[Callable[[str], str]] = []


def speak_through(words: Callable[[str], str]) -> None:
    """Have errors say their figures through a function, such as one that knows display units.

    What the core itself says is in SI units, with their names.
    """
    _spoken[:] = [words]


class TartanError(ValueError):
    """Root of all errors meant for the engineer.

    Parameters
    ----------
    what : str
        What is wrong, as a sentence.
    where : str
        The object concerned ("material 'UD carbon', S12", "ply 3 of 'Face'"); may be empty.
    mend : str
        What to do about it; may be empty.
    """

    def __init__(self, what: str, where: str = "", mend: str = "") -> None:
        # All three go to args, so that the error survives pickling on its way out of a worker.
        super().__init__(what, where, mend)
        self.what = what
        self.where = where
        self.mend = mend

    def __str__(self) -> str:
        head = f"{self.where}: {self.what}" if self.where else self.what
        text = f"{head} {self.mend}" if self.mend else head
        return _spoken[0](text) if _spoken else text


class MaterialError(TartanError):
    """A material's data are missing, not finite or not admissible."""


class StackError(TartanError):
    """A stack cannot be used as it stands."""


class NotationError(StackError):
    """A stacking sequence could not be read.

    Parameters
    ----------
    what, where, mend : str
        As in `TartanError`.
    position : int
        Index of the offending character in the text, 0 for the first.
    """

    def __init__(self, what: str, where: str = "", mend: str = "", position: int = 0) -> None:
        super().__init__(what, where, mend)
        self.args = (what, where, mend, position)
        self.position = position


class CriterionError(TartanError):
    """A failure criterion cannot be evaluated with the data given."""


class PartError(TartanError):
    """A surface, mesh, support or load is not usable."""


class MechanismError(PartError):
    """The supports leave a rigid motion free."""


class DocumentError(TartanError):
    """A project file or an edit of the project is not usable."""
