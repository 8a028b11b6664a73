"""The trade's stacking-sequence notation, read and written.

Read::

    [0/±45/90]s          symmetric about the mid-surface
    [(0/90)2/±45]s       a group laid twice
    [0_2/90]             two 0° plies, then 90°
    [0/90]2s             the sequence twice, then mirrored
    [45/-45/0 mid]s      odd symmetric: the last ply is the middle one (also 0̅, with overline)
    [45 woven/0 core 12 mm/45 woven]   material name and thickness after the angle
    [{face}/0 core 12 mm mid]s         a sub-laminate by its name, in braces

A ply without a material name is of the default material; a ply without a thickness has its
material's cured ply thickness. Separators are ``/`` or ``,``. Names with signs of the notation go
in double quotes, in which a quotation mark stands twice. Thicknesses are in mm, in, mil or µm.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from tartan.core.errors import NotationError
from tartan.core.stack.plies import Ply

MOST_PLIES = 2000
"""Longest stack that notation may unfold to; a slip such as (0)20000 is refused."""

OVERLINE = "\N{COMBINING OVERLINE}"
SUBSCRIPTS = str.maketrans("₀₁₂₃₄₅₆₇₈₉", "0123456789")
_NUMBER = re.compile(r"\d+(?:\.\d*)?|\.\d+")
_COUNT = re.compile(r"_?\s*(\d+)|([₀-₉]+)")
_PLY_COUNT = re.compile(r"_\s*(\d+)|([₀-₉]+)")
LENGTHS = {"mm": 1e-3, "in": 25.4e-3, "mil": 25.4e-6, "µm": 1e-6, "um": 1e-6}
"""Units in which a thickness may be typed [m]."""
_THICKNESS = re.compile(rf"(\d+(?:\.\d*)?|\.\d+)\s*({'|'.join(LENGTHS)})(?!\w)")
_SIGNS = {
    "±": (1, -1),
    "+-": (1, -1),
    "+/-": (1, -1),
    "∓": (-1, 1),
    "-+": (-1, 1),
    "+": (1,),
    "-": (-1,),
    "−": (-1,),
    "–": (-1,),
}
_SEPARATORS = "/,"


@dataclass(frozen=True)
class Context:
    """What notation leaves out.

    Attributes
    ----------
    thickness : Mapping of str to float or None
        Cured ply thickness [m] by material name; its keys are the known materials.
    default : str
        Material of a ply that names none.
    stacks : Mapping of str to sequence of Ply
        Sub-laminates that can be named in braces.
    unit : str
        Of thicknesses that are written, one of `LENGTHS`; any of them is read.
    """

    thickness: Mapping[str, float | None]
    default: str
    stacks: Mapping[str, Sequence[Ply]] = field(default_factory=dict)
    unit: str = "mm"


def parse(text: str, context: Context) -> tuple[Ply, ...]:
    """Read a stacking sequence.

    Parameters
    ----------
    text : str
        The notation, as the module describes it.
    context : Context
        Known materials and the default one.

    Returns
    -------
    tuple of Ply
        First-laid ply first.

    Raises
    ------
    NotationError
        With the position of the character that could not be read.
    """
    return _Reader(text, context).whole()


_PLAIN = re.compile(r"[^\W\d_](?:[\w +.:%-]*[\w.+:%])?")
"""Names that need no quotes: they begin with a letter and hold no sign of the notation."""


def spelled(name: str) -> str:
    """A material's name as it is typed in notation."""
    plain = _PLAIN.fullmatch(name) and not re.match(r"mid\b|[sS]$|[tT]$", name)
    if plain and not _THICKNESS.search(name):
        return name
    return '"' + name.replace('"', '""') + '"'


def braced(name: str) -> str:
    """A sub-laminate's name as it is typed in notation, braces and all."""
    plain = name == name.strip() and not re.search(r'[{}"]', name)
    return f"{{{name}}}" if plain else '{"' + name.replace('"', '""') + '"}'


class _Reader:
    """Recursive descent over the text; `at` is the index of the next character."""

    def __init__(self, text: str, context: Context) -> None:
        self.text = text
        self.context = context
        self.at = 0
        self.mid_at: int | None = None
        self.depth = 0

    def fail(self, what: str, mend: str = "", at: int | None = None) -> NotationError:
        position = self.at if at is None else at
        return NotationError(what, f"Notation, character {position + 1}", mend, position)

    def peek(self) -> str:
        while self.at < len(self.text) and self.text[self.at].isspace():
            self.at += 1
        return self.text[self.at] if self.at < len(self.text) else ""

    def match(self, pattern: re.Pattern[str]) -> re.Match[str] | None:
        found = pattern.match(self.text, self.at)
        if found:
            self.at = found.end()
        return found

    def whole(self) -> tuple[Ply, ...]:
        if not self.peek():
            raise self.fail("The notation is empty.", "Type a sequence such as [0/±45/90]s.")
        plies = self.sequence("")
        if self.peek():
            raise self.fail(
                f"'{self.peek()}' is not expected here.",
                "Separate plies with / and close every bracket once.",
            )
        if self.mid_at is not None:
            raise self.mid_error()
        return tuple(plies)

    def mid_error(self) -> NotationError:
        return self.fail(
            "Only the last ply of a symmetric sequence can be the middle one.",
            "Write it last and close the bracket with ]s.",
            self.mid_at,
        )

    def sequence(self, closing: str) -> list[Ply]:
        """Items up to `closing`, which is left unread."""
        plies: list[Ply] = []
        while True:
            if self.mid_at is not None:
                raise self.mid_error()
            plies += self.item()
            if len(plies) > MOST_PLIES:
                raise self.fail(
                    f"This unfolds to more than {MOST_PLIES} plies.", "Check the repeat counts."
                )
            if self.peek() and self.peek() in _SEPARATORS:
                self.at += 1
                continue
            if closing and self.peek() != closing:
                found = f"found '{self.peek()}'" if self.peek() else "the text ends"
                raise self.fail(
                    f"A '{closing}' is missing here, {found}.",
                    "Close the bracket or separate plies with /.",
                )
            return plies

    def item(self) -> list[Ply]:
        char = self.peek()
        if char and char in "([":
            opened = self.at
            self.at += 1
            self.depth += 1
            if self.depth > 20:
                raise self.fail("Brackets are nested too deeply.", "Write the groups out.", opened)
            plies = self.sequence(")" if char == "(" else "]")
            self.at += 1
            self.depth -= 1
            return self.suffix(plies, opened)
        return self.named() if char == "{" else self.ply()

    def named(self) -> list[Ply]:
        """A sub-laminate in braces, perhaps with a count."""
        opened = self.at
        self.at += 1
        if self.peek() == '"':
            name = self.quoted()
            self.peek()
            end = self.at if self.text.startswith("}", self.at) else -1
        else:
            end = self.text.find("}", opened)
            name = self.text[opened + 1 : end].strip()
        if end < 0:
            raise self.fail("The brace is not closed.", "Close the name with }.", opened)
        if name not in self.context.stacks:
            known = ", ".join(map(braced, self.context.stacks)) or "none"
            raise self.fail(f"There is no stack '{name}'.", f"Known stacks: {known}.", opened)
        self.at = end + 1
        plies = [replace(p, sub=name) for p in self.context.stacks[name]]
        return plies * self.count(_COUNT)

    def suffix(self, plies: list[Ply], opened: int) -> list[Ply]:
        """Apply the count and the s or T after a closing bracket."""
        count = self.count(_COUNT)
        letter = self.peek().lower()
        word = self.text[self.at : self.at + 2]
        has_letter = letter in ("s", "t") and not word[1:].isalnum() if letter else False
        if has_letter:
            self.at += 1
        if len(plies) * count > MOST_PLIES:
            raise self.fail(
                f"This unfolds to more than {MOST_PLIES} plies.",
                "Check the repeat counts.",
                opened,
            )
        middle = self.mid_at is not None
        if middle and (letter != "s" or count != 1):
            raise self.mid_error()
        self.mid_at = None
        plies = plies * count
        if has_letter and letter == "s":
            plies = plies + plies[::-1][1 if middle else 0 :]
        return plies

    def count(self, pattern: re.Pattern[str]) -> int:
        self.peek()
        start = self.at
        found = self.match(pattern)
        if not found:
            return 1
        digits = found.group(1) or found.group(2).translate(SUBSCRIPTS)
        value = int(digits) if len(digits) < 6 else MOST_PLIES + 1
        if not 0 < value <= MOST_PLIES:
            raise self.fail(
                f"A repeat count must lie between 1 and {MOST_PLIES}.", "Check the number.", start
            )
        return value

    def ply(self) -> list[Ply]:
        self.peek()
        start = self.at
        signs: tuple[int, ...] = (1,)
        for mark in sorted(_SIGNS, key=len, reverse=True):
            if self.text.startswith(mark, self.at):
                signs = _SIGNS[mark]
                self.at += len(mark)
                break
        self.peek()
        number = self.match(_NUMBER)
        if not number:
            found = f"found '{self.peek()}'" if self.peek() else "the text ends"
            raise self.fail(
                f"An angle is expected here, {found}.",
                "Write an angle in degrees, such as 45, -45 or ±45.",
            )
        angle = float(number.group())
        if angle > 360:
            raise self.fail(f"{angle:g}° is not a ply angle.", "Use -90 to 90.", start)
        self.match(re.compile("°"))
        count = self.count(_PLY_COUNT)
        self.middle_mark(start)
        material, thickness = self.layer(start)
        if self.mid_at is None:
            self.middle_mark(start)
        if self.mid_at is not None and count * len(signs) != 1:
            raise self.fail("The middle ply must be a single one.", "Write it out.", start)
        return [Ply(material, sign * angle + 0.0, thickness) for sign in signs] * count

    def middle_mark(self, start: int) -> None:
        self.peek()
        if self.match(re.compile(rf"[{OVERLINE}\u0304]|mid\b")):
            self.mid_at = start

    def layer(self, start: int) -> tuple[str, float]:
        """Material and thickness after an angle."""
        self.peek()
        name_at = self.at
        material = self.name()
        if material not in self.context.thickness:
            known = ", ".join(map(spelled, sorted(self.context.thickness)))
            raise self.fail(
                f"There is no material '{material}'.", f"Known materials: {known}.", name_at
            )
        self.peek()
        given = self.match(_THICKNESS)
        if given:
            thickness = float(given.group(1)) * LENGTHS[given.group(2)]
            if thickness <= 0:
                raise self.fail("A ply needs a thickness greater than zero.", "", given.start())
            return material, thickness
        nominal = self.context.thickness[material]
        if nominal is None:
            raise self.fail(
                f"'{material}' has no cured ply thickness.",
                "Write the thickness, such as 0.125 mm, after the name.",
                start,
            )
        return material, nominal

    def quoted(self) -> str:
        """A name in double quotes; a quotation mark in it stands twice."""
        found = self.match(re.compile(r'"((?:[^"]|"")*)"'))
        if not found:
            raise self.fail("The quotation mark is not closed.", 'Close the name with ".')
        return found.group(1).replace('""', '"')

    def name(self) -> str:
        if self.peek() == '"':
            return self.quoted()
        stop = re.compile(r"[/,()\[\]]").search(self.text, self.at)
        text = self.text[self.at : stop.start() if stop else len(self.text)]
        if _THICKNESS.match(text):
            # Before the names: one may be a number, as the 0 of 0.6 mm.
            return self.context.default
        # The longest known name wins, so that a name may itself end in a number.
        for name in sorted(self.context.thickness, key=len, reverse=True):
            rest = text[len(name) :]
            if text.startswith(name) and not rest[:1].isalnum():
                self.at += len(name)
                return name
        if not text.strip() or text.startswith("mid"):
            return self.context.default
        cut = re.search(rf"\s*(?:{_THICKNESS.pattern}|\bmid)?\s*$", text)
        return text[: cut.start() if cut else None]
