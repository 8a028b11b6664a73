"""What the core is asked when plies of a stack are put in order, and what it found, as plies."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

import numpy as np

from tartan.core.errors import StackError
from tartan.core.materials import Material
from tartan.core.search import goals
from tartan.core.search.goals import Goal, Slots
from tartan.core.search.judging import Judged, Question
from tartan.core.search.ordering import Found
from tartan.core.search.plyset import PlySet, Stiffness, set_of
from tartan.core.search.shoprules import ShopRule, breaks, costs
from tartan.core.stack import Ply, Stack
from tartan.core.stack.groups import bare
from tartan.core.stack.plies import check_stack, is_symmetric
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import (
    LESS,
    OF_THE_PART,
    OrderAsk,
    OrderFound,
    OrderGoal,
    OrderStep,
)


def plies_of(project: Project, ask: OrderAsk) -> PlySet:
    """The plies that are put in order.

    Raises
    ------
    StackError
        A stack that is missing or cannot be, or plies that cannot be ordered.
    """
    stack = _stack(project, ask)
    kinds = _by_kind(project.materials)
    # Cores stay where they are: faces belong on their sides.
    held = {i for i in ask.held if i < len(stack.plies)}
    cores = {i for i, p in enumerate(stack.plies) if p.material in kinds["core"]}
    return set_of(
        bare(stack.plies),
        symmetric=ask.symmetric,
        held=held | cores,
        cores=kinds["core"],
        woven=kinds["woven"],
    )


def _stack(project: Project, ask: OrderAsk) -> Stack:
    stack = project.stack(ask.stack)
    if stack is None:
        raise StackError(
            f"There is no stack '{ask.stack}'.", "Order of plies", "Name one of the stacks."
        )
    return check_stack(stack, [m.name for m in project.materials])


def _by_kind(materials: Iterable[Material]) -> dict[str, frozenset[str]]:
    every = tuple(materials)
    return {k: frozenset(m.name for m in every if m.kind == k) for k in ("core", "woven")}


def question_for(
    project: Project, ask: OrderAsk, slots: Mapping[str, Slots] | None = None
) -> Question:
    """The question for the core: plies, goals, rules, and the order as it is.

    `slots` says what goals of the part come to; see `part_order`.

    Raises
    ------
    StackError, MaterialError, CriterionError
        What is missing for it, in words.
    """
    plies = plies_of(project, ask)
    stack = _stack(project, ask)
    used = {p.material for p in stack.plies}
    materials = {m.name: project.in_force(m) for m in project.materials if m.name in used}
    stiff = Stiffness.of(plies, materials)
    start = None
    if not ask.symmetric or is_symmetric(stack.plies):
        start = plies.order_of(bare(stack.plies))
    known = slots or {}
    every = tuple(
        goals.slots_goal(g.figure, known[g.figure], g.limit, more=g.figure not in LESS)
        if g.figure in OF_THE_PART
        else _goal(project, ask, g, stiff, materials)
        for g in ask.goals
    )
    return Question(stiff, every, project.shop_rules, start, ask.seed)


def _goal(
    project: Project,
    ask: OrderAsk,
    goal: OrderGoal,
    stiff: Stiffness,
    materials: dict[str, Material],
) -> Goal:
    name, limit = goal.figure, goal.limit
    if name == "reserve":
        loads = [load for load in project.loads_on(ask.stack) if load.loaded]
        return goals.reserve_goal(stiff, materials, loads, project.governing_sets, limit)
    if name == "buckling":
        return goals.buckling_goal(stiff, ask.panel, limit)
    if name == "deflection":
        return goals.deflection_goal(stiff, ask.panel, limit)
    if name == "frequency":
        stack = _stack(project, ask)
        mass = math.fsum((materials[p.material].rho or 0.0) * p.thickness for p in stack.plies)
        if any(materials[p.material].rho is None for p in stack.plies):
            mass = 0.0
        return goals.frequency_goal(stiff, ask.panel, mass, limit)
    return goals.bending_goal(stiff, name, limit)


def step_of(plies: PlySet, judged: Judged) -> OrderStep:
    """An order as a stack with its figures."""
    return OrderStep(
        judged.tried, plies.plies(judged.order), judged.merit, judged.values, judged.cost
    )


def stack_as_it_is(project: Project, ask: OrderAsk, question: Question) -> OrderStep:
    """The stack as it is with its figures, whether or not it is one of those searched."""
    plies = bare(_stack(project, ask).plies)
    full = np.array([question.plies.kinds_of(plies)])
    values = question.values(full)
    cost = costs(question.rules, question.stiff, full)[1]
    merit = question.merits(values, cost)[0]
    return OrderStep(0, plies, float(merit[0]), tuple(map(float, values[0])), float(cost[0]))


def kept_found(ask: OrderAsk, plies: PlySet, before: OrderStep, found: Found) -> OrderFound:
    """What was found as the project keeps it."""
    return OrderFound(
        tuple(g.figure for g in ask.goals),
        before,
        tuple(step_of(plies, j) for j in found.history if j.kept),
        found.method,
        found.proved,
        float(found.total),
        found.tried,
        found.admissible,
        found.limit,
        tuple(step_of(plies, j) for j in found.front),
    )


def broken_rules(
    project: Project, plies: tuple[Ply, ...]
) -> list[tuple[ShopRule, tuple[int, ...]]]:
    """Shop rules in force that a stack breaks, each with the plies that need not be so.

    Empty where the stack cannot be.
    """
    kinds = _by_kind(project.materials)
    by_name = {m.name: project.in_force(m) for m in project.materials}
    rules = [r for r in project.shop_rules if r.active]
    if not plies or not rules or any(p.material not in by_name for p in plies):
        return []
    one = set_of(bare(plies), symmetric=False, cores=kinds["core"], woven=kinds["woven"])
    stiff = Stiffness.of(one, by_name)
    row = np.array([one.order_of(bare(plies))])
    found = []
    for rule in rules:
        marks = breaks(rule, stiff, row)[0]
        if marks.any():
            found.append((rule, tuple(int(i) for i in marks.nonzero()[0])))
    return found
