"""The Project: frozen records of scalars and tuples, so equality and hash are sound.

SI units throughout; angles of plies in degrees.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tartan.core.materials import Material
from tartan.core.shell.mesh import EDGES, Panel
from tartan.core.stack import Stack

Vector = tuple[float, float, float]
Side = Literal["up", "down"]
Level = Literal["bottom", "middle", "top"]

CORNERS = ("lower left corner", "lower right corner", "upper left corner", "upper right corner")
PLACES = (*EDGES, *CORNERS)
"""Where supports can stand."""


@dataclass(frozen=True)
class Part:
    """The shell: a surface with one stack laid on it.

    Attributes
    ----------
    surface : Panel
        Shape [m].
    stack : str
        Name of the stack laid on it.
    mesh_size : float
        Element size [m].
    reference : tuple of float
        Reference direction: the 0° of the plies, projected on the surface.
    laying_side : {"up", "down"}
        Side towards which plies are added: up is +z.
    reference_surface : {"bottom", "middle", "top"}
        Which face of the laminate the surface is.
    """

    surface: Panel
    stack: str
    mesh_size: float
    reference: Vector = (1.0, 0.0, 0.0)
    laying_side: Side = "up"
    reference_surface: Level = "middle"


@dataclass(frozen=True)
class Support:
    """A support at a named edge or corner; `kind` is a key of the core's support kinds."""

    place: str
    kind: str


@dataclass(frozen=True)
class Pressure:
    """Uniform pressure on the laying side; positive presses on it, negative sucks [Pa]."""

    value: float
    kind: Literal["pressure"] = "pressure"


@dataclass(frozen=True)
class EdgeForce:
    """Force per length along an edge [N/m]."""

    edge: str
    force: Vector
    kind: Literal["edge force"] = "edge force"


@dataclass(frozen=True)
class Acceleration:
    """Mass times acceleration; (0, 0, -9.81) is own weight [m/s²]."""

    vector: Vector
    kind: Literal["acceleration"] = "acceleration"


Load = Pressure | EdgeForce | Acceleration


@dataclass(frozen=True)
class Case:
    """A load case."""

    name: str
    loads: tuple[Load, ...] = ()


@dataclass(frozen=True)
class ReserveRequirement:
    """Least reserve factor over all cases."""

    value: float
    kind: Literal["reserve factor"] = "reserve factor"


@dataclass(frozen=True)
class DisplacementRequirement:
    """Greatest displacement in a case [m]."""

    value: float
    case: str
    kind: Literal["displacement"] = "displacement"


Requirement = ReserveRequirement | DisplacementRequirement


@dataclass(frozen=True)
class Project:
    """Everything the engineer has entered."""

    name: str
    materials: tuple[Material, ...] = ()
    stacks: tuple[Stack, ...] = ()
    part: Part | None = None
    supports: tuple[Support, ...] = ()
    cases: tuple[Case, ...] = ()
    requirements: tuple[Requirement, ...] = ()

    def material(self, name: str) -> Material | None:
        """Material of that name, if any."""
        return next((m for m in self.materials if m.name == name), None)

    def stack(self, name: str) -> Stack | None:
        """Stack of that name, if any."""
        return next((s for s in self.stacks if s.name == name), None)

    def materials_of(self, stack: Stack) -> tuple[Material, ...]:
        """Materials that a stack uses, in order of first use; unknown names are left out."""
        used = dict.fromkeys(p.material for p in stack.plies)
        return tuple(m for name in used if (m := self.material(name)) is not None)

    def stacks_using(self, material: str) -> tuple[str, ...]:
        """Names of the stacks that a change of a material touches."""
        return tuple(s.name for s in self.stacks if any(p.material == material for p in s.plies))
