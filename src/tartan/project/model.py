"""The Project: frozen records of scalars and tuples, so equality and hash are sound.

SI units throughout; angles of plies in degrees.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from tartan.core.conditions import Condition, under
from tartan.core.criteria import DEFAULT_SETS
from tartan.core.laminate.loadset import LoadSet
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
class CriteriaSet:
    """Failure criteria by the kind or the name of a material; the worst governs."""

    name: str
    rules: tuple[tuple[str, tuple[str, ...]], ...]

    @property
    def sets(self) -> Mapping[str, tuple[str, ...]]:
        """As the core reads them."""
        return dict(self.rules)


USUAL = CriteriaSet("usual", tuple(DEFAULT_SETS.items()))
"""Criteria of a new project."""


@dataclass(frozen=True)
class AppliedCondition:
    """A knock-down condition, the materials it is applied to, and whether it is switched on."""

    name: str
    factors: tuple[tuple[str, float], ...]
    materials: tuple[str, ...] = ()
    active: bool = True


class Design:
    """Materials and stacks, of a project or a baseline: what laminate answers depend on."""

    materials: tuple[Material, ...]
    stacks: tuple[Stack, ...]
    conditions: tuple[AppliedCondition, ...]

    def material(self, name: str) -> Material | None:
        """Material of that name as entered, if any."""
        return next((m for m in self.materials if m.name == name), None)

    def stack(self, name: str) -> Stack | None:
        """Stack of that name, if any."""
        return next((s for s in self.stacks if s.name == name), None)

    def in_force(self, material: Material) -> Material:
        """Material with the factors of its active conditions."""
        chosen = tuple(Condition(c.name, c.factors) for c in self.conditions
                       if c.active and material.name in c.materials)  # fmt: skip
        return _under(material, chosen) if chosen else material

    def materials_of(self, stack: Stack) -> tuple[Material, ...]:
        """Materials in force that a stack uses, in order of first use; unknown ones left out."""
        used = dict.fromkeys(p.material for p in stack.plies)
        return tuple(self.in_force(m) for name in used if (m := self.material(name)) is not None)

    def stacks_using(self, material: str) -> tuple[str, ...]:
        """Names of the stacks that a change of a material touches."""
        return tuple(s.name for s in self.stacks if any(p.material == material for p in s.plies))


@lru_cache(maxsize=256)
def _under(material: Material, conditions: tuple[Condition, ...]) -> Material:
    return under(material, conditions)


@dataclass(frozen=True)
class Baseline(Design):
    """A design that others are compared with, under the name of its version."""

    name: str
    materials: tuple[Material, ...] = ()
    stacks: tuple[Stack, ...] = ()
    conditions: tuple[AppliedCondition, ...] = ()


@dataclass(frozen=True)
class KeptWorking:
    """A working kept for the report: its title, and its text with figures as they were then."""

    title: str
    text: str


@dataclass(frozen=True)
class Project(Design):
    """Everything the engineer has entered."""

    name: str
    materials: tuple[Material, ...] = ()
    stacks: tuple[Stack, ...] = ()
    part: Part | None = None
    supports: tuple[Support, ...] = ()
    cases: tuple[Case, ...] = ()
    requirements: tuple[Requirement, ...] = ()
    load_sets: tuple[LoadSet, ...] = ()
    conditions: tuple[AppliedCondition, ...] = ()
    criteria: tuple[CriteriaSet, ...] = (USUAL,)
    version: str = "A"
    baseline: Baseline | None = None
    workings: tuple[KeptWorking, ...] = ()

    @property
    def governing_sets(self) -> Mapping[str, tuple[str, ...]]:
        """Criteria in force: those of the first set."""
        return self.criteria[0].sets if self.criteria else USUAL.sets

    def loads_on(self, stack: str) -> tuple[LoadSet, ...]:
        """Load sets that apply to a stack."""
        return tuple(s for s in self.load_sets if s.stack in ("", stack))
