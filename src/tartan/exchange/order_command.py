"""A search for the order of plies without a window: by the command line, or from Python."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from tartan.core.errors import StackError
from tartan.core.search.judging import Question
from tartan.core.search.ordering import MOST_TRIES, Found, search
from tartan.exchange.order_tables import figures_table, rules_table
from tartan.project.analysis.ordering import kept_found, question_for, stack_as_it_is
from tartan.project.analysis.part_order import Answer, searched, slots_of
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import (
    FIGURES,
    OF_THE_PART,
    OrderAsk,
    OrderFound,
    OrderGoal,
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
