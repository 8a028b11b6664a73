"""Text that no file or screen can hold is refused where it enters."""

from __future__ import annotations

import unicodedata
from dataclasses import fields, is_dataclass
from typing import Any

from tartan.core.errors import DocumentError

_LINES = "\n\t"
"""Control characters that longer texts may hold."""

_LONG = ("text", "notes", "note", "source")
"""Fields that may be of several lines."""


def refuse_odd_text(new: Any, old: Any = None, field: str = "") -> None:
    """Refuse control characters and half characters in any text of a project.

    Parameters
    ----------
    new, old : object
        The project after and before an edit; parts that are the same object are known.
    field : str
        Where it stands, for the message.

    Raises
    ------
    DocumentError
        Naming the character and the field.
    """
    if new is old:
        return
    if isinstance(new, str):
        _refuse(new, field)
    elif is_dataclass(new) and not isinstance(new, type):
        same = type(new) is type(old)
        for f in fields(new):
            refuse_odd_text(getattr(new, f.name), getattr(old, f.name) if same else None, f.name)
    elif isinstance(new, tuple):
        before = old if isinstance(old, tuple) else ()
        known = {id(x) for x in before}
        for each in new:
            # Rows of figures hold no text: the first entry tells.
            if isinstance(each, int | float):
                return
            if id(each) not in known:
                refuse_odd_text(each, None, field)


def _refuse(text: str, field: str) -> None:
    for c in text:
        if unicodedata.category(c) in ("Cc", "Cs") and not (c in _LINES and field in _LONG):
            place = f" ({field.replace('_', ' ')})" if field else ""
            raise DocumentError(
                f"A text holds the character U+{ord(c):04X}, which cannot be "
                f"shown or written{place}.",
                "Name",
                "Type it without that character.",
            )
