"""A search for the order of plies in words: rules, figures, what it found and what that proves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

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
from tartan.core.stack.notation import Context
from tartan.core.stack.notation_written import context_for, write
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import LESS, OF_THE_PART, OrderFound, OrderGoal, OrderStep
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

Plies = Sequence[Ply]

RULE_TITLES = {
    RUN: "plies in a row",
    COVER: "cover plies",
    PAIRS: "± as neighbours",
    STEP: "step of angle",
    MIDDLE: "beside the middle",
    SEQUENCE: "never in sequence",
    SHARE: "share of a direction",
    TWIST: "bending twists",
    COUPLED: "stretching bends",
}

FIGURE_TITLES = {
    "reserve": "reserve factor",
    "buckling": "buckling of the panel",
    "deflection": "deflection of the panel",
    "frequency": "frequency of the panel",
    "D11": "bending stiffness D11",
    "D22": "bending stiffness D22",
    "D66": "twisting stiffness D66",
    "part-displacement": "displacement of the part",
    "part-frequency": "frequency of the part",
}

QUANTITIES: dict[str, Quantity] = {
    "reserve": units.RATIO,
    "buckling": units.RATIO,
    "deflection": units.LENGTH,
    "frequency": units.FREQUENCY,
    "D11": units.BENDING,
    "D22": units.BENDING,
    "D66": units.BENDING,
    "part-displacement": units.LENGTH,
    "part-frequency": units.FREQUENCY,
}


def angle_text(angles: tuple[float, ...]) -> str:
    """Angles as they are shown."""
    return " / ".join(units.number(a).replace("−", "-") for a in angles)


def rule_words(rule: ShopRule) -> str:
    """A rule in words."""
    whose = "one direction" if rule.angle is None else f"{units.number(rule.angle)}°"
    limit = units.number(rule.limit)
    angles = angle_text(rule.angles)
    return {
        RUN: f"at most {limit} plies of {whose} in a row",
        COVER: f"outermost plies of {angles}°",
        PAIRS: "every +θ beside its −θ",
        STEP: f"at most {limit}° between neighbours",
        MIDDLE: f"at most {limit} of {whose} on each side of the middle",
        SEQUENCE: f"never {angles}° in sequence",
        SHARE: f"at least {units.show(rule.limit, units.SHARE)} of {whose}",
        TWIST: f"D16 and D26 within {limit}",
        COUPLED: f"B within {limit}",
    }[rule.kind]


def value_words(figure: str, value: float) -> str:
    """A figure of a goal as it is shown."""
    if figure == "reserve":
        return units.factor(value)
    return units.show(value, QUANTITIES[figure])


def gain_words(figure: str, before: float, after: float) -> str:
    """By how much a figure changed."""
    if not before:
        return ""
    share = after / before - 1
    if abs(share) < 5e-5:
        return "same"
    return f"{'+' if share > 0 else '−'}{units.number(abs(share) * 100, 3)} %"


def count_words(count: float) -> str:
    """A number of orders, which may be beyond counting."""
    if count < 1e6:
        return f"{int(count):,}".replace(",", " ")
    mantissa, exponent = f"{count:.1e}".split("e")
    power = str(int(exponent)).translate(str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹"))
    return f"{mantissa} · 10{power}"


def result_words(found: OrderFound, goals: Sequence[OrderGoal]) -> str:
    """What a search found, and what that is worth as a statement."""
    best = best_of(found)
    total = count_words(found.total)
    if best is None:
        return (
            f"No order of {total} keeps the rules."
            if found.proved
            else f"None of {count_words(found.tried)} orders tried keeps the rules."
        )
    if found.front:
        return f"{_front_words(found, goals)}. {_proof_words(found, total)}"
    figure = found.figures[0]
    title = FIGURE_TITLES[figure]
    words = f"{title[0].upper()}{title[1:]} {value_words(figure, best.values[0])}"
    was = value_words(figure, found.before.values[0])
    against = "" if found.steps[0].plies == found.before.plies else ", against the rules"
    words += f" ({was} before{against})"
    if not _meets(best, goals):
        words += "; no order meets every limit" if found.proved else "; a limit is missed"
    return f"{words}. {_proof_words(found, total)}"


def _front_words(found: OrderFound, goals: Sequence[OrderGoal]) -> str:
    """Of several goals no order need be the best: what can be chosen from."""
    spans = []
    for k, figure in enumerate(found.figures):
        if k < len(goals) and goals[k].limit is None:
            each = [s.values[k] for s in found.front]
            low, high = (value_words(figure, x) for x in (min(each), max(each)))
            spans.append(f"{FIGURE_TITLES[figure]} {low} to {high}")
    count = len(found.front)
    if count == 1:
        return f"One order is the best in every goal: {', '.join(spans)}"
    return f"{count} orders to choose from, none better in all goals: {', '.join(spans)}"


def _proof_words(found: OrderFound, total: str) -> str:
    if found.proved and found.admissible is not None:
        every = count_words(found.admissible)
        proved = "Proved" if found.front else "Proved best"
        return f"{proved}: all {every} of {total} orders that keep the rules were looked at."
    if found.proved:
        return f"Proved best of {total} orders by a bound; {count_words(found.tried)} looked at."
    words = f"Best found, not proved: {count_words(found.tried)} of {total} orders tried"
    last = found.steps[-1].tried if found.steps else 0
    words += f", last better at {count_words(last)}"
    if set(found.figures) & set(OF_THE_PART):
        words += "; the part was solved for each that is told"
    if found.limit is not None:
        figure = found.figures[0]
        words += f"; none can be better than {value_words(figure, found.limit)}"
    return words + "."


def _meets(step: OrderStep, goals: Sequence[OrderGoal]) -> bool:
    for goal, value in zip(goals, step.values, strict=False):
        if goal.limit is None:
            continue
        more = goal.figure not in LESS
        if (value < goal.limit * (1 - 1e-9)) if more else (value > goal.limit * (1 + 1e-9)):
            return False
    return True


def best_of(found: OrderFound) -> OrderStep | None:
    """The best stack of a search: the last of its steps."""
    return found.steps[-1] if found.steps else None


@dataclass(frozen=True)
class Moved:
    """A ply of the stack before, and where it lies after, from 0."""

    before: int
    after: int


def moves(before: Plies, after: Plies) -> list[Moved]:
    """Plies paired from one stack to the other: the first of a kind with the first of it."""
    free: dict[tuple[str, float, float], list[int]] = {}
    for i, ply in enumerate(after):
        free.setdefault((ply.material, ply.angle, ply.thickness), []).append(i)
    found = []
    for i, ply in enumerate(before):
        places = free.get((ply.material, ply.angle, ply.thickness))
        if places:
            found.append(Moved(i, places.pop(0)))
    return found


def moved_words(before: Plies, after: Plies) -> str:
    """How many plies lie elsewhere."""
    changed = sum(1 for m in moves(before, after) if before[m.before] != after[m.before])
    return "nothing moved" if not changed else f"{units.counted(changed, 'ply', 'plies')} moved"


def notation_of(project: Project, plies: Plies) -> str:
    """A stack in notation."""
    thickness = {m.name: m.ply_thickness for m in project.materials}
    context: Context = replace(context_for(tuple(plies), thickness, units.LENGTH.unit), stacks={})
    return write(tuple(plies), context)
