"""Errors that say what is wrong, where, and how to mend it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from enum import Enum
from typing import Self

_spoken: list[Callable[[str], str]] = []


def speak_through(words: Callable[[str], str]) -> None:
    """Have errors say their figures through a function, such as one that knows display units.

    What the core itself says is in SI units, with their names.
    """
    _spoken[:] = [words]


class Topic(Enum):
    """What an error is about, so that whoever shows it can lead there."""

    MATERIALS = "materials"
    STACKS = "stacks"
    PART = "part"
    LOADS = "loads"
    JUDGING = "judging"


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

    Attributes
    ----------
    topic : Topic
        What it is about: that of its class, until `concerning` says otherwise.
    subject : str
        Name of the material, stack, case or region concerned, where it has one.
    passing : bool
        Whether nothing is wrong: what is asked for is under way, and comes by itself.
    """

    topic: Topic = Topic.JUDGING
    subject: str = ""
    passing: bool = False

    def __init__(self, what: str, where: str = "", mend: str = "") -> None:
        # All three go to args, so that the error survives pickling on its way out of a worker.
        super().__init__(what, where, mend)
        self.what = what
        self.where = where
        self.mend = mend

    def of(self, subject: str) -> Self:
        """Name the material, stack, case or region concerned; gives the error back."""
        self.subject = subject
        return self

    def __str__(self) -> str:
        head = f"{self.where}: {self.what}" if self.where else self.what
        text = f"{head} {self.mend}" if self.mend else head
        return _spoken[0](text) if _spoken else text


def fault_of(error: TartanError | None) -> str:
    """What is to be mended, in words; empty without an error, or where it passes by itself."""
    return "" if error is None or error.passing else str(error)


@contextmanager
def concerning(topic: Topic, subject: str = "") -> Iterator[None]:
    """Have errors raised within say what they are about; what was said further in stands."""
    try:
        yield
    except TartanError as error:
        if "subject" not in error.__dict__:
            error.topic, error.subject = topic, subject
        raise


class MaterialError(TartanError):
    """A material's data are missing, not finite or not admissible."""

    topic = Topic.MATERIALS


class StackError(TartanError):
    """A stack cannot be used as it stands."""

    topic = Topic.STACKS


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

    topic = Topic.PART


class LoadError(PartError):
    """A support, a load, or what is asked of a case is not usable."""

    topic = Topic.LOADS


class MechanismError(LoadError):
    """The supports leave a rigid motion free."""


class DocumentError(TartanError):
    """A project file or an edit of the project is not usable."""
