"""Words on stacks: their cards, what changed against the baseline, and remarks."""

from __future__ import annotations

from tartan.core.errors import TartanError
from tartan.core.stack import Stack
from tartan.core.stack.rules import Advice
from tartan.desktop.stacks.context import Chosen
from tartan.pages import stack_answers as answers
from tartan.pages import stacks as state
from tartan.pages.ordering import shop_remarks
from tartan.pages.rows import rows_of, stack_words
from tartan.pages.shown import Card
from tartan.project.document.model import Project
from tartan.project.wording import units


def remarks_on(project: Project, plies: state.Plies) -> list[Advice]:
    """What good practice and the rules of the shop say of a stack."""
    return [*state.remarks(plies, state.practice(project)), *shop_remarks(project, plies)]


def card_of(project: Project, stack: Stack) -> Card:
    """Card of a stack: its words, swatch, and the least reserve factor over its load cases."""
    on_part = project.part is not None and stack.name in project.part.stacks()
    words = stack_words(stack)
    laminate, _ = state.laminate_or_error(project, stack)
    loads = project.loads_on(stack.name)
    if laminate is not None and loads:
        try:
            worst = answers.worst_of(laminate, loads, project.criteria[0])
        except TartanError:
            worst = None
        if worst is not None:
            noun = "ply" if len(stack.plies) == 1 else "plies"
            words = f"{len(stack.plies)} {noun} · RF {units.factor(worst.found.reserve)}"
    return Card(stack.name, words, rows_of(project, stack.plies), "part" if on_part else "")


def change_words(project: Project, here: Chosen) -> str:
    """Change against the baseline in one line."""
    base = project.baseline
    if base is None:
        return ""
    if here.before is None or here.laminate is None:
        return f"not in {base.name}"
    words = []
    now, then = state.mass_of(here.laminate), state.mass_of(here.before)
    if now is not None and then is not None:
        change = state.change_words(now, then, units.AREAL_MASS)
        words.append(f"{change} {units.AREAL_MASS.unit}" if change else "same mass")
    loads = project.loads_on(here.stack.name)
    try:
        new = answers.worst_of(here.laminate, loads, here.criteria)
        old = answers.worst_of(here.before, loads, here.criteria)
    except TartanError:
        new = old = None
    if new is not None and old is not None:
        change = state.change_words(new.found.reserve, old.found.reserve, units.RATIO)
        words.append(f"RF {change}" if change else "same RF")
    return f"against {base.name}: {', '.join(words)}"
