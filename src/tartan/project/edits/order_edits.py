"""Edits of shop rules and of searches for the order of plies."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace

from tartan.core.errors import DocumentError, StackError
from tartan.core.search.shoprules import ShopRule, checked_rule
from tartan.core.stack import Ply
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import FIGURES, OrderAsk, OrderFound
from tartan.project.edits.stack_edits import put_plies

MOST_RULES, MOST_GOALS = 40, 6


def put_rules(project: Project, rules: Iterable[ShopRule]) -> Project:
    """Replace the shop rules.

    Raises
    ------
    StackError
        A rule that cannot be, or too many.
    """
    rules = tuple(checked_rule(rule) for rule in rules)
    if len(rules) > MOST_RULES:
        raise StackError(f"There are more than {MOST_RULES} rules.", "Shop rules", "Remove some.")
    return replace(project, shop_rules=rules)


def ask_of(project: Project, stack: str) -> OrderAsk:
    """What is asked of a stack's order; the usual where nothing was."""
    return next((a for a in project.orders if a.stack == stack), OrderAsk(stack))


def put_ask(project: Project, ask: OrderAsk) -> Project:
    """Keep what is asked of a stack's order.

    Raises
    ------
    DocumentError, StackError
        No such stack, or what cannot be asked.
    """
    if project.stack(ask.stack) is None:
        raise DocumentError(
            f"There is no stack '{ask.stack}'.", "Order of plies", "Name one of the stacks."
        )
    _check_ask(ask)
    others = tuple(a for a in project.orders if a.stack != ask.stack)
    return replace(project, orders=(*others, ask))


def take_order(
    project: Project, stack: str, plies: Iterable[Ply], found: OrderFound | None = None
) -> Project:
    """Give a stack the plies that were found, and keep how.

    Raises
    ------
    DocumentError, StackError
        As `put_plies` and `put_ask`.
    """
    changed = put_plies(project, stack, plies)
    if found is None:
        return changed
    return put_ask(changed, replace(ask_of(changed, stack), found=found))


def check_orders(project: Project) -> Project:
    """Check rules and searches as a whole, as when a project is opened.

    Raises
    ------
    DocumentError, StackError
        On the first that cannot stand.
    """
    put_rules(project, project.shop_rules)
    seen: set[str] = set()
    for ask in project.orders:
        if ask.stack in seen:
            raise DocumentError(
                f"Two searches are of stack '{ask.stack}'.", "Order of plies", "Keep one."
            )
        seen.add(ask.stack)
        # A stack may be missing: another version has it.
        _check_ask(ask)
    return project


def _check_ask(ask: OrderAsk) -> None:
    where = f"Order of plies, stack '{ask.stack}'"
    if not 1 <= len(ask.goals) <= MOST_GOALS:
        raise StackError(
            f"It has {len(ask.goals)} goals.", where, f"Choose 1 to {MOST_GOALS} of them."
        )
    for goal in ask.goals:
        if goal.figure not in FIGURES:
            raise StackError(
                f"There is no figure '{goal.figure}'.", where, f"Use one of {', '.join(FIGURES)}."
            )
        if goal.limit is not None and not 0 < goal.limit < 1e30:
            raise StackError(
                f"A limit cannot be {goal.limit:g}.", where, "Enter a positive number, or none."
            )
    if len({g.figure for g in ask.goals if g.limit is None}) != sum(
        g.limit is None for g in ask.goals
    ):
        raise StackError("A goal stands twice.", where, "Remove one, or give one a limit.")
    ask.panel.measured()
    if not 0 <= ask.seed < 2**31:
        raise StackError("The seed is out of range.", where, "Enter 0 or a whole number above.")
    if any(i < 0 for i in ask.held) or len(set(ask.held)) != len(ask.held):
        raise StackError("A held ply is none of the stack's.", where, "Hold plies anew.")
    if ask.found is not None:
        _check_found(ask.found, where)


def _check_found(found: OrderFound, where: str) -> None:
    numbers = [found.total, found.limit or 0.0]
    for step in (found.before, *found.steps, *found.front):
        numbers += [step.merit, step.cost, *step.values]
        numbers += [x for p in step.plies for x in (p.angle, p.thickness)]
        if len(step.values) != len(found.figures) or not step.plies:
            raise StackError("What was found is not whole.", where, "Search anew.")
    known = set(found.figures) <= set(FIGURES)
    if not (known and all(math.isfinite(x) for x in numbers) and found.tried >= 0):
        raise StackError("What was found has figures that cannot be.", where, "Search anew.")
