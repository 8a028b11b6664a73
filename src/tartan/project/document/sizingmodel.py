"""Sizing as the project keeps it: what may change, what is asked, and what was found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tartan.project.document.partmodel import Requirement

Kind = Literal["plies", "core", "laid", "angle"]

Least = Literal["mass", "cost"]

KINDS: tuple[Kind, ...] = ("plies", "core", "laid", "angle")


@dataclass(frozen=True)
class SizeVariable:
    """Something of the lay-up that sizing may change.

    Attributes
    ----------
    kind : {"plies", "core", "laid", "angle"}
        How many whole plies, how thick a core, whether a rung is laid, or at which angle.
    stack : str
        Stack whose plies are meant; empty where a rung is meant.
    rung : int
        Rung, from 0; −1 where plies of a stack are meant, wherever it is laid.
    material : str
        Of a stack's plies: their material.
    angle, thickness : float
        Of a stack's plies as they are: angle [deg] and thickness [m] of each.
    values : tuple of float
        What it may be: numbers of plies, thicknesses [m], 0 and 1, or angles [deg].
    link : str
        Variables of one link take the same value; empty for none.
    active : bool
        Whether it may change; what may not stays as it is.
    """

    kind: Kind
    stack: str = ""
    rung: int = -1
    material: str = ""
    angle: float = 0.0
    thickness: float = 0.0
    values: tuple[float, ...] = ()
    link: str = ""
    active: bool = True


@dataclass(frozen=True)
class SizeStep:
    """A design that was solved in full.

    Attributes
    ----------
    solves : int
        Designs solved until then.
    values : tuple of float
        Of the variables, in their order.
    mass : float
        Mass of the part [kg].
    cost : float or None
        Price of its materials, where all have one.
    holds : bool
        Whether it meets every requirement.
    figures : tuple of float or None
        What every requirement comes to, in the order of the project's, in SI; None where that is
        no number, as of what never buckles.
    worst : float
        The least ratio of a requirement reached; at least one where it holds.
    governs : str
        What that requirement is, in words.
    """

    solves: int
    values: tuple[float, ...]
    mass: float
    cost: float | None
    holds: bool
    figures: tuple[float | None, ...]
    worst: float
    governs: str


@dataclass(frozen=True)
class SizeStop:
    """Why a variable is not less: with one step less, that requirement is missed."""

    variable: int
    value: float
    worst: float
    governs: str


@dataclass(frozen=True)
class SizeZone:
    """What the best design makes of a zone.

    Attributes
    ----------
    name : str
        The zone, and where it is.
    before, after : float
        Its thickness, of a zone of changing thickness the mean [m].
    variables : tuple of int
        What may change there and could make it thinner.
    """

    name: str
    before: float
    after: float
    variables: tuple[int, ...]


@dataclass(frozen=True)
class SizeFound:
    """What a sizing found, as it was then.

    Attributes
    ----------
    variables : tuple of SizeVariable
        What was free to change; of linked ones the first.
    names : tuple of str
        What they were called, in the lay-up as it was.
    least : {"mass", "cost"}
        What was made small.
    requirements : tuple of Requirement
        What was required then, in the order of the figures.
    before : SizeStep
        The design as it was.
    steps : tuple of SizeStep
        Every lightest one that holds, in the order in which it was found.
    nearest : SizeStep or None
        Where none holds: the one that comes nearest.
    relaxed : float or None
        What the relaxed design costs, in kilogrammes or money.
    proved : bool
        Whether everything that would cost less was solved and misses a requirement.
    solves : int
        Designs solved.
    stops : tuple of SizeStop
        What keeps each variable from being less.
    zones : tuple of SizeZone
        Zones of the best design.
    """

    variables: tuple[SizeVariable, ...]
    names: tuple[str, ...]
    least: Least
    requirements: tuple[Requirement, ...]
    before: SizeStep
    steps: tuple[SizeStep, ...] = ()
    nearest: SizeStep | None = None
    relaxed: float | None = None
    proved: bool = False
    solves: int = 0
    stops: tuple[SizeStop, ...] = ()
    zones: tuple[SizeZone, ...] = ()


@dataclass(frozen=True)
class SizeAsk:
    """What is asked of the sizing of the part.

    Attributes
    ----------
    variables : tuple of SizeVariable
        What may change.
    least : {"mass", "cost"}
        What shall be small.
    most_dropped : int or None
        Plies that may end at one border of two neighbouring zones; None for any number.
    covers : bool
        Whether the outermost plies have to stay.
    most_solves : int
        Designs that are solved at most.
    found : SizeFound or None
        What was found last and kept.
    """

    variables: tuple[SizeVariable, ...] = ()
    least: Least = "mass"
    most_dropped: int | None = None
    covers: bool = False
    most_solves: int = 60
    found: SizeFound | None = None


NO_SIZING = SizeAsk()
"""Nothing is asked of it yet."""
