"""A search for the order of plies without a window: by the command line, or from Python."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from tartan.core.errors import StackError
from tartan.core.search.judging import Question
from tartan.core.search.ordering import MOST_TRIES, TRIED, Found, search
from tartan.exchange.order_tables import figures_table, rules_table
from tartan.project.analysis.engine import Engine
from tartan.project.analysis.ordering import kept_found, question_for, stack_as_it_is
from tartan.project.analysis.part_order import Answer, searched, slots_of
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import (
    FIGURES,
    LESS,
    OF_THE_PART,
    OrderAsk,
    OrderFound,
    OrderGoal,
    OrderStep,
)
from tartan.project.edits import order_edits
from tartan.project.findings.order_words import best_of, notation_of, result_words


def ordered(
    project: Project,
    stack: str,
    goals: tuple[str, ...] = (),
    seed: int | None = None,
    tries: int = MOST_TRIES,
) -> Iterator[tuple[float, OrderFound]]:
    """Search as the project asks for a stack, or by other goals.

    Yields the share of the work that is done, and what was found until then; the last is the
    result.

    Raises
    ------
    DocumentError, StackError, MaterialError, CriterionError
        No such stack or figure, or what is missing for the search.
    """
    ask = order_edits.ask_of(project, stack)
    if seed is not None:
        ask = replace(ask, seed=seed)
    if goals:
        strange = [g for g in goals if g not in FIGURES]
        if strange:
            raise StackError(
                f"There is no figure '{strange[0]}'.", "--goal", f"Use {', '.join(FIGURES)}."
            )
        ask = replace(ask, goals=tuple(OrderGoal(g) for g in goals))
    order_edits.put_ask(project, ask)
    before = None
    for question, found in asked_steps(project, ask, tries):
        if before is None:
            before = stack_as_it_is(project, ask, question)
        yield found.share, kept_found(ask, question.plies, before, found)


def asked_steps(
    project: Project, ask: OrderAsk, tries: int = MOST_TRIES, answer: Answer = slots_of
) -> Iterator[tuple[Question, Found]]:
    """A search with the question as it stands: of the part where a goal is, by whoever answers.

    Raises
    ------
    TartanError
        What is missing for it, in words.
    """
    if any(goal.figure in OF_THE_PART for goal in ask.goals):
        yield from searched(project, ask, answer, tries)
        return
    question = question_for(project, ask)
    for found in search(question, tries):
        yield question, found


@dataclass(frozen=True)
class _Asked:
    """What workers share when they search each from a seed of its own."""

    project: Project
    stack: str
    goals: tuple[str, ...]
    tries: int


def _from_seed(asked: _Asked, seed: int) -> OrderFound:
    """One search to its end, on a worker."""
    *_, (_, found) = ordered(asked.project, asked.stack, asked.goals, seed, asked.tries)
    return found


def ordered_by_seeds(
    project: Project,
    stack: str,
    goals: tuple[str, ...],
    seeds: Sequence[int],
    engine: Engine,
    tries: int = MOST_TRIES,
) -> Iterator[tuple[float, OrderFound]]:
    """Search from several seeds on workers, and keep the best that any of them found.

    Yields the share of the seeds that are done, and what was found until then. Where all orders
    can be looked at, or a bound proves the best, one seed says it all.

    Raises
    ------
    TartanError
        As `ordered`, and as `Engine.run`.
    """
    asked = _Asked(project, stack, goals, tries)
    best = _from_seed(asked, seeds[0])
    yield 1 / len(seeds), best
    if best.method != TRIED:
        return
    with engine:
        results = engine.run(_from_seed, asked, list(seeds[1:]))
        for done, (_, found) in enumerate(results, start=2):
            better = found.steps and (
                not best.steps or found.steps[-1].merit > best.steps[-1].merit
            )
            tried, front = best.tried + found.tried, _joined(best, found)
            best = replace(found if better else best, tried=tried, front=front)
            yield done / len(seeds), best


def _joined(one: OrderFound, other: OrderFound) -> tuple[OrderStep, ...]:
    """Both fronts as one: what is in either and no worse in all goals than anything of both."""
    every = list(dict.fromkeys((*one.front, *other.front)))
    signs = [-1.0 if f in LESS else 1.0 for f in one.figures]

    def beaten(step: OrderStep) -> bool:
        mine = [s * v for s, v in zip(signs, step.values, strict=True)]
        for rival in every:
            theirs = [s * v for s, v in zip(signs, rival.values, strict=True)]
            if theirs != mine and all(a >= b for a, b in zip(theirs, mine, strict=True)):
                return True
        return False

    return tuple(s for s in every if not beaten(s))


def report_lines(project: Project, stack: str, found: OrderFound) -> list[str]:
    """The result in lines: what it is worth, before and after, goals and rules."""
    ask = order_edits.ask_of(project, stack)
    goals = ask.goals if tuple(g.figure for g in ask.goals) == found.figures else ()
    lines = [result_words(found, goals or tuple(OrderGoal(f) for f in found.figures))]
    best = best_of(found)
    if best is None:
        return lines
    lines += [
        f"before  {notation_of(project, found.before.plies)}",
        f"after   {notation_of(project, best.plies)}",
    ]
    for table in (
        figures_table(found, goals, best),
        rules_table(project, found.before.plies, best.plies),
    ):
        lines += ["  ".join(str(cell) for cell in row if cell != "") for row in table.rows]
    return lines
