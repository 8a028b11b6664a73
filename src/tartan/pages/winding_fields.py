"""The form of a wound layer as a table of fields."""

from __future__ import annotations

from tartan.pages.fields import Line, Number, OneOf, Said, Table, Unit, line
from tartan.project.document.partmodel import Wound
from tartan.project.wording import units


def _helical(wound: Wound) -> bool:
    return wound.sort == "helical"


def _hoop(wound: Wound) -> bool:
    return wound.sort == "hoop"


def _length(key: str, words: str, tip: str, sort: str = "") -> Line:
    when = {"helical": _helical, "hoop": _hoop}.get(sort)
    field = Number(key, units.LENGTH, words, tip, wide=70)
    return line(Said(words, tip), None, field, Unit(units.LENGTH), when=when)


def _count(words: str, tip: str, sort: str) -> Line:
    field = Number("count", units.RATIO, words, tip, whole=True, wide=70)
    return line(Said(words, tip), None, field, when=_helical if sort == "helical" else _hoop)


WOUND: Table = (
    line(Said("wound as"), None, OneOf("sort", lambda: ("helical", "hoop"), name="wound as")),
    _length("opening", "winds round", "Radius of the opening; 0 for the vessel's own", "helical"),
    line(
        Said("touching by its", "What of the band touches the opening"),
        None,
        OneOf("turning", lambda: ("edge", "centre"), name="touching by its"),
        when=_helical,
    ),
    line(
        Said("angle", "On the cylinder; 0 for the geodesic, which needs no friction"),
        None,
        Number("angle", units.ANGLE, "angle on the cylinder", wide=70),
        Unit(units.ANGLE),
        when=_helical,
    ),
    _count("pairs ±", "How often the pair is laid", "helical"),
    _length("start", "from lower end", "From the lower tangent line inwards", "hoop"),
    _length("end", "from upper end", "From the upper tangent line inwards", "hoop"),
    _count("passes", "How many lie on each other", "hoop"),
    _length("step_back", "step back", "Each pass ends so much before the one below", "hoop"),
    _length("bandwidth", "band width", "Of all tows side by side"),
    line(
        Said("coverage", "Share of the surface that is covered"),
        None,
        Number("coverage", units.SHARE, "coverage", "100 % covers all of it", wide=70),
        Unit(units.SHARE),
    ),
)
"""Fields of `Wound`; those that its sort does not know are not shown."""
