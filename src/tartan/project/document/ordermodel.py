"""Searches for the order of plies as the project keeps them: what is asked, and what was found."""

from __future__ import annotations

from dataclasses import dataclass

from tartan.core.search.plate import Panel
from tartan.core.stack import Ply

OF_THE_PART = ("part-displacement", "part-frequency")
"""Figures that ask for the part: its greatest displacement, and its first frequency."""

FIGURES = ("reserve", "buckling", "deflection", "frequency", "D11", "D22", "D66", *OF_THE_PART)
"""Figures that can be a goal."""

LESS = ("deflection", "part-displacement")
"""Figures that are the better the less they are."""

OF_A_PANEL = ("buckling", "deflection", "frequency")
"""Figures that ask for a panel."""


NO_PANEL = Panel()
"""A panel of which nothing is entered."""


@dataclass(frozen=True)
class OrderGoal:
    """A figure that is made as good as can be; or kept to a limit, in SI, where it has one."""

    figure: str = "reserve"
    limit: float | None = None


@dataclass(frozen=True)
class OrderStep:
    """A stack that a search came upon, after how many tries, and what it is worth."""

    tried: int
    plies: tuple[Ply, ...]
    merit: float
    values: tuple[float, ...]
    cost: float = 0.0


@dataclass(frozen=True)
class OrderFound:
    """What a search found, as it was then.

    Attributes
    ----------
    figures : tuple of str
        Figures of its goals, in the order of the values.
    before : OrderStep
        The stack as it was.
    steps : tuple of OrderStep
        Every stack that keeps the rules and was better than those before it; the first is the
        stack as it was where that keeps them.
    method : str
        As `tartan.core.search.ordering.Found` has it.
    proved : bool
        Whether no order can be better.
    total, tried : int
        Different orders without rules, and those looked at. Floats where they are too many to
        count one by one.
    admissible : int or None
        Orders that keep the rules, where all were looked at.
    limit : float or None
        What no order's goal can be better than.
    front : tuple of OrderStep
        Stacks of which none is better in all goals, where several are improved.
    """

    figures: tuple[str, ...]
    before: OrderStep
    steps: tuple[OrderStep, ...]
    method: str
    proved: bool
    total: float
    tried: int
    admissible: int | None = None
    limit: float | None = None
    front: tuple[OrderStep, ...] = ()


@dataclass(frozen=True)
class OrderAsk:
    """What is asked of the order of a stack's plies.

    Attributes
    ----------
    stack : str
        The stack.
    goals : tuple of OrderGoal
        What it is judged by.
    symmetric : bool
        Whether what is found shall be symmetric.
    held : tuple of int
        Plies that stay where they are, from 0.
    panel : Panel
        What buckling, deflection and frequency are those of.
    seed : int
        Of what is left to chance.
    found : OrderFound or None
        What was found last and kept.
    """

    stack: str
    goals: tuple[OrderGoal, ...] = (OrderGoal(),)
    symmetric: bool = True
    held: tuple[int, ...] = ()
    panel: Panel = NO_PANEL
    seed: int = 0
    found: OrderFound | None = None
