"""A working as numbered steps, each once: what goes in first, what comes out last."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from tartan.core.working import Given, Working
from tartan.exchange.report.typeset import typeset

Figure = Callable[[float, str], str]


@dataclass(frozen=True)
class Step:
    """A step with its number, value in the units on show, and the steps that it needs."""

    number: int
    title: str
    formula: str
    amount: str
    source: str
    needs: tuple[int, ...]
    given: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Derivation:
    """Figures that were given, each once with where it is from, and the steps in their order."""

    inputs: tuple[tuple[str, str, str], ...]
    steps: tuple[Step, ...]


def derive(working: Working, figure: Figure) -> Derivation:
    """Steps of a working; those that occur more than once are set once and referred to.

    Parameters
    ----------
    working : Working
        The whole tree.
    figure : callable
        Writes a value with its SI unit in the units on show.
    """
    numbers: dict[tuple[str, float], int] = {}
    steps: list[Step] = []
    inputs: dict[tuple[str, float, str], tuple[str, str, str]] = {}

    def enter(given: Given) -> None:
        key = (given.symbol, given.value, given.origin)
        inputs.setdefault(
            key, (typeset(given.symbol), figure(given.value, given.unit), given.origin)
        )

    def visit(step: Working) -> int:
        key = (step.title, step.value)
        if key in numbers:
            return numbers[key]
        needs = tuple(dict.fromkeys(visit(s) for s in step.steps))
        # Figures of the material and the load stand in one list; passing ones with their step.
        own = [g for g in step.given if not _passes(g)]
        for given in own:
            enter(given)
        passing = tuple(
            (typeset(g.symbol), figure(g.value, g.unit)) for g in step.given if _passes(g)
        )
        number = numbers[key] = len(steps) + 1
        steps.append(
            Step(
                number,
                step.title,
                typeset(step.formula),
                figure(step.value, step.unit),
                step.source,
                needs,
                passing,
            )
        )
        return number

    visit(working)
    return Derivation(tuple(inputs.values()), tuple(steps))


def _passes(given: Given) -> bool:
    """Whether a figure is of its step alone, such as a height or a strain of the middle."""
    return not given.origin.startswith(("material", "load"))
