"""The sorts of surface, their openings, pads and refinements as tables of fields."""

from __future__ import annotations

from collections.abc import Callable

from tartan.core.shell.mesh import Panel
from tartan.core.shell.shapes import Cone, Dome, StiffenedPanel, Tube
from tartan.core.shell.vessel_shape import DOME_SORTS, Vessel
from tartan.pages.fields import (
    Line,
    Number,
    OneOf,
    Remove,
    Said,
    Table,
    Text,
    Unit,
    Vector,
    line,
)
from tartan.project.document.partmodel import Surface
from tartan.project.wording import units


def _figure(key: str, words: str, tip: str = "", *, optional: bool = False) -> Line:
    empty = "flat" if optional else ""
    field = Number(key, units.LENGTH, words, optional=optional, empty=empty, wide=88)
    return line(Said(words, tip), None, field, Unit(units.LENGTH))


_STRAIGHT = "Straight between the edges"
_CURVED = "Empty is flat; positive is concave seen from +z"


def _dome(end: str) -> Table:
    """Lines of one end's dome."""

    def of(*sorts: str) -> Callable[[object], bool]:
        return lambda vessel: getattr(vessel, f"{end}_dome") in sorts

    def figure(key: str, words: str, tip: str, *sorts: str) -> Line:
        field = Number(f"{end}_{key}", units.LENGTH, f"{end} {words}", tip, wide=88)
        return line(Said(words, tip), None, field, Unit(units.LENGTH), when=of(*sorts))

    sort = OneOf(f"{end}_dome", lambda: DOME_SORTS, name=f"{end} dome")
    return (
        line(Said(f"{end} dome"), None, sort),
        figure("opening", "opening radius", "Radius of the boss", *DOME_SORTS),
        figure("turn", "fibres turn at", "Radius; 0 for at the opening", "isotensoid"),
        figure("height", "height", "Of the whole half ellipse, without the opening", "ellipsoid"),
        figure("crown", "crown radius", "Of the sphere", "torisphere"),
        figure("knuckle", "knuckle radius", "Between sphere and cylinder", "torisphere"),
    )


FIGURES: dict[str, Table] = {
    "panel": (
        _figure("length", "length along x", _STRAIGHT),
        _figure("width", "width along y", _STRAIGHT),
        _figure("radius_x", "radius along x", _CURVED, optional=True),
        _figure("radius_y", "radius along y", _CURVED, optional=True),
    ),
    "tube": (_figure("radius", "radius"), _figure("length", "length along z")),
    "cone": (
        _figure("lower_radius", "lower radius"),
        _figure("upper_radius", "upper radius"),
        _figure("height", "height along z"),
    ),
    "dome": (
        _figure("radius", "radius"),
        _figure("height", "height along z"),
        _figure("opening", "opening radius", "Zero closes the dome"),
    ),
    "vessel": (
        _figure("radius", "radius"),
        _figure("length", "length along z", "Of the cylinder, between the tangent lines"),
        *_dome("lower"),
        *_dome("upper"),
        line(
            Said(
                "parts of the ring",
                "One of so many equal parts is meshed and solved: loads that are alike all round "
                "need no more; 1 for the whole ring",
            ),
            None,
            Number("parts", units.RATIO, "parts of the ring", whole=True, wide=88),
        ),
    ),
    "stiffened panel": (
        _figure("length", "length along x"),
        _figure("width", "width along y"),
        _figure("height", "stiffener height"),
        _figure("foot", "hat foot", "Zero makes blades"),
        line("stiffeners", None, Number("count", units.RATIO, "stiffeners", whole=True, wide=88)),
    ),
}
"""Figures of each sort of surface that is made here."""

STARTS: dict[str, Surface] = {
    "panel": Panel(0.8, 0.5),
    "tube": Tube(0.1, 0.4),
    "cone": Cone(0.2, 0.1, 0.3),
    "dome": Dome(0.2, 0.15, 0.03),
    "vessel": Vessel(0.15, 0.4),
    "stiffened panel": StiffenedPanel(0.8, 0.5, 3, 0.04),
}
"""Surface of each sort to begin with."""


def cut_fields(kind: str) -> Table:
    """Table of an opening or a pad, by the panel's field that holds it."""
    keys = ("x", "y", "length", "width") if kind == "openings" else ("x", "y", "diameter")
    numbers = (Number(k, units.LENGTH, f"{k} of {{}}", tip=k, wide=58) for k in keys)
    return (
        line(Text("name"), Remove("Remove it")),
        line(", ".join(keys), None),
        line(None, *numbers, Unit(units.LENGTH)),
    )


POINT_TEXT = "point"


def _place(edges: Callable[[], list[str]]) -> Table:
    """Lines of a record that is near an edge, or near a point where no edge is named."""
    return (
        line(
            OneOf("edge", lambda: ["", *edges()], shown={"": POINT_TEXT}),
            None,
            Remove("Remove it"),
        ),
        line(
            "at x, y, z",
            None,
            Vector("at", units.LENGTH, "point of {}"),
            Unit(units.LENGTH),
            when=lambda one: not one.edge,
        ),
    )


def finer_fields(edges: Callable[[], list[str]]) -> Table:
    """Table of a refinement around an edge or a point."""
    return (
        *_place(edges),
        line(
            "size, within",
            None,
            Number("size", units.LENGTH, "size of {}", wide=58),
            Number("reach", units.LENGTH, "reach of {}", wide=58),
            Unit(units.LENGTH),
        ),
    )


def near_fields(edges: Callable[[], list[str]]) -> Table:
    """Table of a region's distance from an edge or a point."""
    within = Number("distance", units.LENGTH, "within", wide=58)
    return (*_place(edges), line("within", None, within, Unit(units.LENGTH)))


TRIM: Table = (
    line(
        Said("along", "Direction in which the curve is projected"),
        Vector("along", units.RATIO, "direction of the trim", wide=44),
    ),
    line(
        Said("keeps what is"),
        None,
        OneOf("keep", lambda: ("inside", "outside"), "side that the trim keeps"),
    ),
)
"""Fields of `Trim`."""
