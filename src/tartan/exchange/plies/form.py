"""The form of a ply layout (``*.plies.json``): what it holds, its units, and its schema.

Everything is given by places in space, nothing by elements; keys that are not known here are kept.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

Array = NDArray[np.float64]

FORMAT = "tartan ply layout"
SCHEMA = 1
"""Version of the form; raised when an older reader could misread it."""

SUFFIX = ".plies.json"

LENGTHS: dict[str, float] = {"mm": 1e-3, "m": 1.0, "in": 0.0254}
"""Units of length, each in metres."""

Number = Annotated[float, Field(allow_inf_nan=False)]
Point = Annotated[list[Number], Field(min_length=3, max_length=3)]
FlatPoint = Annotated[list[Number], Field(min_length=2, max_length=2)]


class Open(BaseModel):
    """A record that keeps what it does not know."""

    model_config = ConfigDict(extra="allow")


class Units(Open):
    """Units of the file; angles are degrees."""

    length: Literal["mm", "m", "in"] = "mm"
    angle: Literal["deg"] = "deg"


class Outline(Open):
    """A closed line on the surface; the ply lies to its left, seen from the laying side."""

    points: Annotated[list[Point], Field(min_length=3)]
    """Its corners in order, the first not repeated."""
    normals: list[Point]
    """Towards the laying side, at the stretch from each corner to the next; unit length."""


class Directions(Open):
    """Directions on the surface at some places inside the boundary."""

    at: list[Point]
    zero: list[Point]
    """The 0° that the entry's angles count from, unit length."""
    normals: list[Point]
    """Towards the laying side, unit length."""
    fibre: list[Point] = []
    """Real fibre directions of the first ply, where draping or winding makes them others."""


class Start(Open):
    """Where laying begins: a place, the 0° there that angles count from, and the laying side."""

    at: Point
    zero: Point
    normal: Point


class Ply(Open):
    """One ply: material by name, angle from 0° anticlockwise seen from the laying side."""

    material: Annotated[str, Field(min_length=1)]
    angle: Number
    thickness: Annotated[float, Field(gt=0, allow_inf_nan=False)]
    sub: str = ""


class SubLaminate(Open):
    """A sequence of plies that is laid as one, the first laid first."""

    name: Annotated[str, Field(min_length=1)]
    plies: Annotated[list[Ply], Field(min_length=1)]


class Draped(Open):
    """How the ply is draped, as a net from its start."""

    way: Literal["woven", "tape"] = "woven"
    cell: Annotated[float, Field(ge=0, allow_inf_nan=False)] = 0.0
    edge: str = ""
    line: list[Point] = []
    cuts: list[list[Point]] = []
    starts: list[Point] = []


class Pattern(Open):
    """The flat pattern of one ply: along warp and weft from the start, outline and openings."""

    angle: Number
    outline: list[FlatPoint]
    holes: list[list[FlatPoint]] = []


class Entry(Open):
    """A ply or a sub-laminate as it is laid; entries come in laying order."""

    name: str = ""
    region: str = ""
    ply: Ply | None = None
    laminate: str = ""
    turn: Number = 0.0
    active: bool = True
    boundary: list[Outline] = []
    directions: Directions
    start: Start | None = None
    draped: Draped | None = None
    wound: dict[str, Any] | None = None
    patterns: list[Pattern] = []


class Material(Open):
    """A material by name, with the nominal thickness of its plies where there is one."""

    name: Annotated[str, Field(min_length=1)]
    kind: str = ""
    thickness: Annotated[float, Field(gt=0, allow_inf_nan=False)] | None = None


class Reference(Open):
    """A rule for 0°, as its writer has it: for whoever knows the same edges and regions."""

    region: str = ""
    way: Literal["vector", "edge", "around", "along"] = "vector"
    vector: Point = [1.0, 0.0, 0.0]
    origin: Point = [0.0, 0.0, 0.0]
    edge: str = ""


class PlyLayout(Open):
    """A ply layout: what is laid where, in which direction and order."""

    format: Literal["tartan ply layout"]
    form: Annotated[int, Field(ge=1)] = Field(alias="schema")
    units: Units
    name: str = ""
    anchors: list[Point] = []
    """Three places of the part by which the layout can be moved onto another."""
    materials: list[Material] = []
    laminates: list[SubLaminate] = []
    reference: list[Reference] = []
    reference_surface: Literal["bottom", "middle", "top"] | None = None
    plies: list[Entry]

    @property
    def metres(self) -> float:
        """Metres to one unit of length."""
        return LENGTHS[self.units.length]


def json_schema() -> dict[str, Any]:
    """JSON Schema 2020-12 of the form."""
    schema = PlyLayout.model_json_schema(by_alias=True)
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Ply layout"
    return schema


def points_of(values: list[Any], scale: float = 1.0) -> Array:
    """Points as an array, shape (q, 3); lengths in metres where `scale` is those of a unit."""
    return np.asarray(values, float).reshape(-1, 3) * scale
