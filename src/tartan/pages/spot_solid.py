"""A spot of the part checked in three dimensions: fields and words. No Qt."""

from __future__ import annotations

from dataclasses import dataclass

from tartan.core.errors import PartError
from tartan.pages.fields import Flag, Number, Parsed, Said, Unit, line
from tartan.pages.fields import Table as Fields
from tartan.pages.three_ways import (
    ASSUME,
    Ways,
    between_words,
    gap_words,
    reserve_words,
    same_words,
)
from tartan.project.findings.spot_cut import WHERE
from tartan.project.findings.spot_solid import SpotAsk, SpotFound
from tartan.project.wording import units


@dataclass(frozen=True)
class SolidAsk:
    """What is asked of any spot; as `SpotAsk`."""

    distance: float | None = None
    per_ply: int = 1
    assume: bool = False
    whole: bool = False

    def at(self, element: int, case: int) -> SpotAsk:
        """Of one spot."""
        return SpotAsk(
            element,
            case,
            0.0 if self.whole else self.distance or 0.0,
            self.per_ply,
            assume=self.assume,
            whole=self.whole,
        )


def _count(text: str) -> int:
    if not text.strip().isdecimal() or not 1 <= int(text) <= 8:
        raise PartError(f"'{text}' solids a ply cannot be.", WHERE, "Enter 1 to 8.")
    return int(text)


_SOLIDS = (
    Parsed("per_ply", _count, str, "solids through every ply", "1 to 8, more in a core", 30),
    Said("solids a ply", "At least; none is thicker than an eighth of the laminate"),
)

FIELDS: Fields = (
    line(
        Said(
            "cut",
            "How far from the spot the part is cut through; the faces of the cut move as "
            "the shell does",
        ),
        Number(
            "distance", units.LENGTH, "distance of the cut", optional=True, empty="usual", wide=58
        ),
        Unit(units.LENGTH),
        Said("away,"),
        *_SOLIDS,
        None,
        when=lambda ask: not ask.whole,
    ),
    line(*_SOLIDS, None, when=lambda ask: ask.whole),
    line(
        Flag(
            "whole",
            "the whole part",
            "make all of the part solid that has these plies",
            "For small parts. What is held, tied or pushed moves as the shell does there",
        ),
        *ASSUME.pieces,
    ),
)


def ways_of(found: SpotFound, where: str) -> Ways:
    """The spot three ways."""
    q = found.question
    return Ways(where, q.laminate, tuple(n + 1 for n in q.plies), found.stresses, found.reserves)


def words(found: SpotFound) -> str:
    """The difference in words, and what the distance of the cut does."""
    q, ways = found.question, ways_of(found, "")
    least = reserve_words(ways)
    lines = [f"Reserve factor: {least}."] if least else []
    lines += [x for x in (between_words(ways), same_words(gap_words(ways))) if x]
    if q.ask.whole:
        cut = (
            "All of the part with these plies is solid; what is held or pushed, "
            f"{units.show(q.reach, units.LENGTH)} away, moves as the shell does"
        )
    else:
        cut = f"The cut is {units.show(q.reach, units.LENGTH)} away"
    if q.words:
        cut += f" ({'; '.join(q.words)})"
    mine = found.reserves[-1]
    if found.nearer is not None and mine is not None:
        cut += f"; at half the distance the solids say {units.factor(found.nearer.value)}"
    elif q.nearer is None and not q.ask.whole:
        cut += "; half of that is too near to try"
    lines.append(f"{cut}.")
    if q.held is not None:
        lines.append("What the case holds is the shell's in all of them.")
    return " ".join(lines)
