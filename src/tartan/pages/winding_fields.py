"""The form of a wound layer as a table of fields, two to a line."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from tartan.pages.fields import Number, OneOf, Piece, Said, Table, Unit, line
from tartan.project.document.partmodel import Wound
from tartan.project.wording import units

SORTS = ("helical", "polar", "hoop")
"""How a layer is wound."""

WIDE = 54
"""Pixels of a number."""


def _helical(wound: Wound) -> bool:
    return wound.sort != "hoop"


def _angled(wound: Wound) -> bool:
    return wound.sort == "helical"


def _hoop(wound: Wound) -> bool:
    return wound.sort == "hoop"


def _figure(
    key: str, words: str, name: str, tip: str = "", quantity: units.Quantity = units.LENGTH
) -> tuple[Piece, ...]:
    number = Number(key, quantity, name, tip, wide=WIDE)
    unit: tuple[Piece, ...] = () if quantity is units.RATIO else (Unit(quantity),)
    return (Said(words, tip), number, *unit)


def _count(key: str, words: str, name: str, tip: str) -> tuple[Piece, ...]:
    number = Number(key, units.RATIO, name, tip, whole=True, wide=WIDE)
    return (Said(words, tip), number)


def wound_fields(fillers: Callable[[], Sequence[str]]) -> Table:
    """Fields of `Wound`; those that its sort does not know are not shown.

    `fillers` gives the names of the materials that may fill beside a layer.
    """
    resin = "Resin beside the ends of the layer: a material of the kind 'resin filler'"
    return (
        *_WOUND,
        line(
            Said("filler", resin),
            OneOf(
                "filler", lambda: ("", *fillers()), name="filler", tip=resin, shown={"": "none"}
            ),
            None,
            *_figure(
                "run_out",
                "runs out 1 :",
                "runs out 1 to",
                "Length of the resin as a multiple of its height",
                units.RATIO,
            ),
        ),
    )


_WOUND: Table = (
    line(
        Said("wound as"),
        OneOf("sort", lambda: SORTS, name="wound as"),
        None,
        *_count("count", "pairs ±", "pairs ±", "How often the pair is laid"),
        when=_helical,
    ),
    line(
        Said("wound as"),
        OneOf("sort", lambda: SORTS, name="wound as"),
        None,
        *_count("count", "passes", "passes", "How many lie on each other"),
        when=_hoop,
    ),
    line(
        *_figure(
            "opening", "round", "winds round", "Radius of the opening; 0 for the vessel's own"
        ),
        None,
        Said("by its", "What of the band touches the opening"),
        OneOf("turning", lambda: ("edge", "centre"), name="touching by its"),
        when=_helical,
    ),
    line(
        *_figure(
            "angle",
            "angle",
            "angle on the cylinder",
            "On the cylinder; 0 for the geodesic, which needs no friction",
            units.ANGLE,
        ),
        None,
        when=_angled,
    ),
    line(
        *_figure("start", "lower end", "from lower end", "From the lower tangent line inwards"),
        None,
        *_figure("end", "upper end", "from upper end", "From the upper tangent line inwards"),
        when=_hoop,
    ),
    line(
        *_figure(
            "step_back", "step back", "step back", "Each pass ends so much before the one below"
        ),
        None,
        when=_hoop,
    ),
    line(
        *_figure("bandwidth", "band", "band width", "Width of all tows side by side"),
        None,
        *_count("tows", "of tows", "tows in the band", "Side by side in the band"),
    ),
    line(
        *_figure("coverage", "coverage", "coverage", "100 % covers all of it", units.SHARE),
        None,
        *_figure(
            "speed",
            "speed",
            "speed of winding",
            "At which the band is laid; gives the time of the layer",
            units.SPEED,
        ),
    ),
)
