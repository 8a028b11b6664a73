"""Tables of a search for the order of plies: goals, rules and history."""

from __future__ import annotations

from collections.abc import Sequence

from tartan.exchange.tables import Cell, Table
from tartan.project.analysis.ordering import broken_rules
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import OrderFound, OrderGoal, OrderStep
from tartan.project.findings.order_words import (
    FIGURE_TITLES,
    QUANTITIES,
    Plies,
    gain_words,
    notation_of,
    rule_words,
    value_words,
)
from tartan.project.wording import units

KEPT = "kept"
"""State of a rule that no ply breaks."""


def figures_table(found: OrderFound, goals: Sequence[OrderGoal], chosen: OrderStep) -> Table:
    """Every goal before and after."""
    start, rows = found.before, []
    for k, figure in enumerate(found.figures):
        limit = goals[k].limit if k < len(goals) else None
        rows.append(
            (
                FIGURE_TITLES[figure],
                value_words(figure, start.values[k]),
                value_words(figure, chosen.values[k]),
                gain_words(figure, start.values[k], chosen.values[k]),
                "" if limit is None else value_words(figure, limit),
            )
        )
    return Table("goals", ("goal", "before", "after", "change", "limit"), tuple(rows))


def rules_table(project: Project, before: Plies, after: Plies) -> Table:
    """Every shop rule in force: where it was broken before, and is after."""
    was = dict(broken_rules(project, tuple(before)))
    now = dict(broken_rules(project, tuple(after)))
    rows = []
    for rule in project.shop_rules:
        if not rule.active:
            continue
        cells = [_state(was.get(rule)), _state(now.get(rule))]
        kind = "must" if rule.weight is None else units.show(rule.weight, units.SHARE)
        rows.append((rule_words(rule), *cells, kind))
    return Table("shop rules", ("rule", "before", "after", "costs"), tuple(rows))


def _state(marks: tuple[int, ...] | None) -> str:
    if not marks:
        return KEPT
    return f"broken ×{len(marks)}" if len(marks) > 1 else "broken"


def steps_table(project: Project, found: OrderFound) -> Table:
    """The history of a search as a table."""
    head = ["tried", *(f"{FIGURE_TITLES[f]}{_unit(f)}" for f in found.figures), "costs", "stack"]
    rows: list[tuple[Cell, ...]] = [
        (
            step.tried,
            *(v / QUANTITIES[f].scale for f, v in zip(found.figures, step.values, strict=True)),
            step.cost,
            notation_of(project, step.plies),
        )
        for step in found.steps
    ]
    return Table("order of plies", tuple(head), tuple(rows))


def _unit(figure: str) -> str:
    unit = QUANTITIES[figure].unit
    return f" [{unit}]" if unit else ""
