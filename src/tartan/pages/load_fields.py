"""Loads as tables of fields: what each kind is called, how a new one begins, what is typed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

from tartan.pages.fields import (
    Finding,
    Flag,
    Line,
    Number,
    OneOf,
    Remove,
    Said,
    Several,
    Table,
    Unit,
    Vector,
    line,
)
from tartan.project.document.partmodel import (
    POINT,
    Acceleration,
    EdgeForce,
    Force,
    Load,
    MappedPressure,
    Movement,
    Pressure,
    Side,
    Temperature,
)
from tartan.project.wording import units

ALL = "whole part"

HELD_TIP = "Held: it stays as it is while reserve factors and buckling scale the rest"

SIDES: dict[str, str] = {"front": "front", "back": "back", "laying": "laying side"}
"""Sides of the surface, and how a choice shows them."""

ALSO = "Further places that it acts on"

NO_TABLE = "There is no pressure table yet: read one from CSV or XLSX first."

_END = (Flag("held", "held", "{} is held", HELD_TIP), Remove("Remove this load"))
_LOCAL = Flag("local", "local", "axes of {}", "Axes along 0°, across it and along the normal")


class Offer(Protocol):
    """What the part and the project have to choose from."""

    def places(self) -> list[str]:
        """Places where loads can stand."""
        ...

    def edges(self) -> list[str]:
        """Named edges."""
        ...

    def region_values(self) -> list[str]:
        """Regions by name, the whole part first."""
        ...

    def tables(self) -> list[str]:
        """Pressure tables by name."""
        ...

    def laying_side(self) -> Side:
        """Side from which the part is laid now."""
        ...

    def held_place(self) -> str:
        """Place of a support."""
        ...

    def mapping_words(self, load: MappedPressure) -> str:
        """What a table comes to on the part."""
        ...


def _at_point(load: Force | Movement) -> bool:
    return load.place == POINT


def fields_of(kind: str, offer: Offer) -> Table:
    """Table of a kind of load."""
    side = OneOf(
        "side",
        lambda: list(SIDES),
        tip="Front and back of the surface as it came; turning the laying side does not swap them",
        shown=SIDES,
    )
    region = OneOf("region", offer.region_values, shown={"": ALL}, widest=126)
    regions = Several("also", "region", offer.region_values, tip=ALSO)
    place = OneOf("place", offer.places, widest=190)
    places = Several("also", "place", offer.places, tip=ALSO)
    tables: dict[str, Callable[[], Table]] = {
        "pressure": lambda: (
            line(
                Said("pressure on", "Positive presses on that side, negative sucks at it"),
                side,
                region,
                regions,
                None,
                Number("value", units.PRESSURE, "pressure"),
                Unit(units.PRESSURE),
                *_END,
            ),
        ),
        "pressure table": lambda: (
            line("table", OneOf("table", offer.tables), None, *_END),
            line(
                "times",
                Number("factor", units.RATIO, "factor of the table", wide=50),
                "on",
                side,
                region,
                regions,
                None,
            ),
            line(Finding(offer.mapping_words)),
        ),
        "edge force": lambda: (
            line(
                "force per length",
                OneOf("edge", offer.edges, widest=170),
                Several("also", "edge", offer.edges, tip=ALSO),
                None,
                *_END,
            ),
            _vector("x, y, z", "force", units.LINE_FORCE, "force per length"),
        ),
        "force": lambda: (
            line("total on", place, places, None, *_END),
            _vector("force x, y, z", "force", units.FORCE),
            _vector("moment x, y, z", "moment", units.MOMENT),
            _vector("at x, y, z", "at", units.LENGTH, when=_at_point),
            line(
                "spread within",
                None,
                Number("reach", units.LENGTH, "spread within"),
                Unit(units.LENGTH),
                22,
                when=_at_point,
            ),
        ),
        "acceleration": lambda: (
            line(
                Said("mass driven", "Force is mass times this: 0, 0, −9.81 is own weight, z up"),
                None,
                Vector("vector", units.ACCELERATION, "acceleration"),
                Unit(units.ACCELERATION),
                *_END,
            ),
        ),
        "temperature": lambda: (
            line(
                "temperature change",
                None,
                Number("dT", units.TEMPERATURE, "temperature change"),
                Unit(units.TEMPERATURE),
                *_END,
            ),
            line(
                "growing towards the",
                side,
                None,
                Number("gradient", units.GRADIENT, "gradient"),
                Unit(units.GRADIENT),
                22,
            ),
        ),
        "movement": lambda: (
            line(
                Said("movement of", "Of what a support holds; it scales and adds as a load"),
                place,
                places,
                _LOCAL,
                None,
                *_END,
            ),
            _vector("by x, y, z", "move", units.LENGTH),
            _vector("point x, y, z", "at", units.LENGTH, when=_at_point),
        ),
    }
    return tables[kind]()


def _vector(
    words: str,
    key: str,
    quantity: units.Quantity,
    name: str = "",
    when: Callable[[Force | Movement], bool] | None = None,
) -> Line:
    return line(words, None, Vector(key, quantity, name), Unit(quantity), 22, when=when)


@dataclass(frozen=True)
class NewLoad:
    """A load that can be added: how it begins, and what must be there for it."""

    make: Callable[[Offer], Load]
    lacks: Callable[[Offer], str] = lambda _: ""


NEW: dict[str, NewLoad] = {
    "pressure": NewLoad(lambda o: Pressure(0.0, side=o.laying_side())),
    "pressure table": NewLoad(
        lambda o: MappedPressure(o.tables()[-1], side=o.laying_side()),
        lambda o: (
            ""
            if o.tables()
            else "There is no pressure table yet: read one from CSV or XLSX first."
        ),
    ),
    "force per length": NewLoad(
        lambda o: EdgeForce(o.edges()[-1], (0.0, 0.0, 0.0)),
        lambda o: "" if o.edges() else "This surface has no edges.",
    ),
    "force or moment": NewLoad(lambda o: Force((*o.places()[1:], POINT)[0])),
    "own weight": NewLoad(lambda _: Acceleration((0.0, 0.0, -9.81))),
    "acceleration": NewLoad(lambda _: Acceleration((0.0, 0.0, 0.0))),
    "temperature": NewLoad(lambda o: Temperature(0.0, side=o.laying_side())),
    "movement": NewLoad(lambda o: Movement(o.held_place())),
}
"""Loads that can be added, by the words of the choice; figures begin at zero, to be typed."""
