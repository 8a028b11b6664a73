"""The chapter on the order of plies: what was asked, what was found, and what that proves."""

from __future__ import annotations

import matplotlib as mpl
import numpy as np
from matplotlib.figure import Figure as Sheet
from matplotlib.patches import Rectangle

from tartan.core.stack.groups import bare
from tartan.exchange.maps import colours
from tartan.exchange.order_tables import figures_table, rules_table, steps_table
from tartan.exchange.report.figures import ACCENT, LINE, LOOK, SOFT, svg_of
from tartan.exchange.report.parts import Chapter, Figure
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import OrderAsk, OrderFound, OrderStep
from tartan.project.findings.order_words import (
    FIGURE_TITLES,
    QUANTITIES,
    Plies,
    best_of,
    moved_words,
    moves,
    notation_of,
    result_words,
)

MOST_STEPS = 24
"""Steps of a history in its table; of more, the last."""


def orders_chapter(project: Project) -> Chapter:
    """Every search that was kept."""
    chapter = Chapter("Order of plies")
    kept = [a for a in project.orders if a.found is not None]
    if not kept:
        chapter.say("No search for an order of plies was kept.")
    for ask in kept:
        assert ask.found is not None
        _tell(chapter, project, ask, ask.found)
    return chapter


def _tell(chapter: Chapter, project: Project, ask: OrderAsk, found: OrderFound) -> None:
    before = found.before.plies
    chapter.say(f"{ask.stack}: {result_words(found, ask.goals)}")
    at_work = _at_work(project, ask, found)
    chosen = at_work or best_of(found)
    if chosen is None:
        return
    which = "The best" if at_work is None else "The order at work"
    chapter.say(
        f"Before {notation_of(project, before)}. {which} {notation_of(project, chosen.plies)}; "
        f"{moved_words(before, chosen.plies)}."
    )
    chapter.show(figures_table(found, ask.goals, chosen))
    chapter.show(rules_table(project, before, chosen.plies))
    cores = {m.name for m in project.materials if m.kind == "core"}
    sheet = _both(before, chosen.plies, cores)
    chapter.blocks.append(
        Figure(svg_of(sheet, for_page=True), f"{ask.stack}: before, and what was chosen")
    )
    if len(found.steps) > 1:
        chapter.blocks.append(
            Figure(svg_of(_history(found), for_page=True), f"{ask.stack}: how the search went")
        )
    table = steps_table(project, found)
    chapter.show(type(table)(table.title, table.head, table.rows[-MOST_STEPS:]))


def _at_work(project: Project, ask: OrderAsk, found: OrderFound) -> OrderStep | None:
    """The stack as it is now, where the search came upon it."""
    stack = project.stack(ask.stack)
    if stack is None:
        return None
    now = bare(stack.plies)
    return next((s for s in (*reversed(found.steps), *found.front) if s.plies == now), None)


def _both(before: Plies, after: Plies, cores: set[str]) -> Sheet:
    """Two stacks side by side, with a line from where each ply lay to where it lies."""
    count = max(len(before), len(after))
    high = min(7.0, 0.4 + 0.13 * max(count, 6))
    with mpl.rc_context(LOOK):
        sheet = Sheet(figsize=(4.6, high))
        axes = sheet.subplots()
        axes.set_xlim(0, 1)
        axes.set_ylim(0, count)
        axes.axis("off")
        for left, plies, words in ((0.0, before, "before"), (0.6, after, "after")):
            axes.text(left, count + 0.2, words, fontsize=7, color=SOFT, va="bottom")
            for i, ply in enumerate(plies):
                core = ply.material in cores
                band = colours.CORE_BAND if core else colours.ply_band(ply.angle)
                solid = colours.CORE_SOLID if core else colours.ply_solid(ply.angle)
                axes.add_patch(Rectangle((left, i + 0.04), 0.4, 0.92, color=band, lw=0))
                axes.add_patch(Rectangle((left, i + 0.04), 0.015, 0.92, color=solid, lw=0))
                name = "core" if core else f"{ply.angle:g}°"
                axes.text(left + 0.03, i + 0.5, name, fontsize=6, va="center")
        for move in moves(before, after):
            stays = move.before == move.after
            ends = ([0.405, 0.595], [move.before + 0.5, move.after + 0.5])
            axes.plot(*ends, color=LINE if stays else ACCENT, lw=0.7 if stays else 1.0)
        sheet.subplots_adjust(0.01, 0.02, 0.99, 1 - 0.25 / high)
    return sheet


def _history(found: OrderFound) -> Sheet:
    """The first goal over the orders that were looked at."""
    figure = found.figures[0]
    scale = QUANTITIES[figure].scale
    tried = np.array([s.tried for s in found.steps] + [found.tried], float)
    value = np.array([s.values[0] for s in found.steps]) / scale
    with mpl.rc_context(LOOK):
        sheet = Sheet(figsize=(4.6, 1.9))
        axes = sheet.subplots()
        axes.step(tried, np.append(value, value[-1]), where="post", color=ACCENT, lw=1.2)
        axes.plot(tried[:-1], value, "o", ms=3, color=ACCENT)
        axes.axhline(found.before.values[0] / scale, color=SOFT, lw=0.8, ls="--")
        axes.set_xlabel("orders looked at", fontsize=7)
        unit = QUANTITIES[figure].unit
        axes.set_ylabel(f"{FIGURE_TITLES[figure]} {unit}".strip(), fontsize=7)
        axes.tick_params(labelsize=6)
        sheet.subplots_adjust(0.12, 0.24, 0.98, 0.96)
    return sheet
