"""What is said of a search for the order of plies: its result, what moved, rule by rule. No Qt."""

from __future__ import annotations

from collections.abc import Sequence

from tartan.core.search.ordering import ALL, BOUNDED, Found
from tartan.core.search.shoprules import (
    COUPLED,
    COVER,
    MIDDLE,
    PAIRS,
    RUN,
    SEQUENCE,
    SHARE,
    STEP,
    TWIST,
    ShopRule,
)
from tartan.core.stack import Ply
from tartan.core.stack.rules import Advice
from tartan.exchange.order_tables import KEPT
from tartan.exchange.tables import Table
from tartan.pages.shown import Look
from tartan.project.analysis.ordering import broken_rules
from tartan.project.document.model import Project
from tartan.project.findings.order_words import RULE_TITLES, count_words, rule_words

_MENDS = {
    RUN: "Part them by a ply of another direction.",
    COVER: "Lay one of these outside.",
    PAIRS: "Lay its opposite beside it.",
    STEP: "Lay a ply of an angle between them.",
    MIDDLE: "Move one of them outwards.",
    SEQUENCE: "Part them, or turn them round.",
    SHARE: "Add plies of it.",
    TWIST: "Bring plies of +θ and −θ to like distances from the middle.",
    COUPLED: "Make the stack symmetric.",
}


def shop_remarks(project: Project, plies: tuple[Ply, ...]) -> list[Advice]:
    """What the rules of the shop say of a stack."""
    whole = (TWIST, COUPLED, SHARE)
    return [
        Advice(
            f"shop: {RULE_TITLES[rule.kind]}",
            () if rule.kind in whole else marks,
            f"Shop rule: {rule_words(rule)}{_where(rule, marks)}.",
            _MENDS[rule.kind],
        )
        for rule, marks in broken_rules(project, plies)
    ]


def _where(rule: ShopRule, marks: tuple[int, ...]) -> str:
    if rule.kind in (TWIST, COUPLED, SHARE):
        return ", broken"
    shown = ", ".join(str(i + 1) for i in marks[:6]) + (" …" if len(marks) > 6 else "")
    return f", broken at {'ply' if len(marks) == 1 else 'plies'} {shown}"


def standing_words(found: Found) -> str:
    """Where a search stands, in a line."""
    total = count_words(float(found.total))
    if found.method == ALL:
        return f"{count_words(found.tried)} of {total} orders looked at"
    how = "by a bound" if found.method == BOUNDED else "by chance"
    return f"{count_words(found.tried)} tried of {total} orders, {how}"


def rules_looks(table: Table) -> Sequence[Sequence[Look | None]]:
    """How the table of rules is shown: what is broken in the ink of what fails."""
    return [
        [
            Look(str(rule), tip=str(rule)),
            *(Look(str(c), "ink" if c == KEPT else "fails") for c in states),
            None,
        ]
        for rule, *states, _ in table.rows
    ]
