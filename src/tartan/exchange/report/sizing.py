"""The chapter on the sizing of the part: what was found, what it changed, and what stops it."""

from __future__ import annotations

import matplotlib as mpl
import numpy as np
from matplotlib.figure import Figure as Sheet

from tartan.exchange.report.figures import ACCENT, LOOK, SOFT, svg_of
from tartan.exchange.report.parts import Chapter, Figure
from tartan.exchange.sizing_tables import changes_table, requirements_table, zones_table
from tartan.project.document.model import Project
from tartan.project.document.sizingmodel import SizeFound
from tartan.project.findings.size_words import best_of, result_words


def sizing_chapter(project: Project) -> Chapter:
    """The sizing that was kept."""
    chapter = Chapter("Sizing")
    found = project.sizing.found
    if found is None:
        chapter.say("No sizing of the part was kept.")
        return chapter
    chapter.say(result_words(found))
    chosen = best_of(found) or found.nearest
    if chosen is None:
        return chapter
    chapter.say(
        "Every design that is said to hold was solved in full, of whole plies. With less of any "
        "one thing the requirement named beside it is missed."
    )
    chapter.show(changes_table(found, chosen))
    if found.zones:
        chapter.show(zones_table(found))
    chapter.show(requirements_table(found, chosen))
    if len(found.steps) > 1:
        sheet = _history(found)
        chapter.blocks.append(Figure(svg_of(sheet, for_page=True), "How the sizing went"))
    return chapter


def _history(found: SizeFound) -> Sheet:
    """What the best design weighs or costs over the designs that were solved."""
    heavy = [s.mass if found.least == "mass" else s.cost or 0.0 for s in found.steps]
    solves = np.array([s.solves for s in found.steps] + [found.solves], float)
    with mpl.rc_context(LOOK):
        sheet = Sheet(figsize=(4.6, 1.9))
        axes = sheet.subplots()
        axes.step(solves, np.append(heavy, heavy[-1]), where="post", color=ACCENT, lw=1.2)
        axes.plot(solves[:-1], heavy, "o", ms=3, color=ACCENT)
        before = found.before.mass if found.least == "mass" else found.before.cost or 0.0
        axes.axhline(before, color=SOFT, lw=0.8, ls="--")
        axes.set_xlabel("designs solved", fontsize=7)
        axes.set_ylabel("mass kg" if found.least == "mass" else "cost", fontsize=7)
        axes.tick_params(labelsize=6)
        sheet.subplots_adjust(0.12, 0.24, 0.98, 0.96)
    return sheet
