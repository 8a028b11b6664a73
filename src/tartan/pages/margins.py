"""What the Margins station says beside its map: hot spots, requirements, drivers, a spot. No Qt.

Everything is derived from the stored section strains when asked.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import Criterion, criterion
from tartan.core.laminate.response import LEVELS
from tartan.core.shell.margins import Margins
from tartan.core.shell.mesh import Mesh
from tartan.exchange.maps.mapped import nearest, required
from tartan.exchange.tables import Table
from tartan.pages import stack_answers as answers
from tartan.pages.shown import Column
from tartan.pages.stack_answers import Question
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.shellinputs import where_all, where_words
from tartan.project.analysis.superposition import heats_in
from tartan.project.document.model import Project
from tartan.project.findings.chosen_margins import Ask, case_worst, hot_list, margins_for, worst_of
from tartan.project.findings.spot_laminate import drivers_at, spot_loads
from tartan.project.findings.verdict import Status, ply_words
from tartan.project.wording import units
from tartan.project.wording.document_words import requirement_words

Array = NDArray[np.float64]

COMPONENTS = ("σ₁", "σ₂", "τ₁₂")
SHEARS = ("τ₁₃", "τ₂₃")


def mesh_of(answer: PartAnswer) -> Mesh:
    """Mesh that an answer belongs to."""
    return answer.layout().mesh


def magnification(answer: PartAnswer, case: int) -> float:
    """Round factor that makes the largest displacement about 6 % of the part's size."""
    mesh = mesh_of(answer)
    largest = float(np.abs(answer.solution.displacement[case, :, :3]).max())
    if largest <= 0:
        return 1.0
    wanted = 0.06 * float(np.linalg.norm(np.ptp(mesh.nodes, axis=0))) / largest
    power = 10.0 ** np.floor(np.log10(wanted))
    return float(max(s for s in (1.0, 2.0, 5.0) if s * power <= wanted) * power)


def short_ply(answer: PartAnswer, ply: int, element: int | None = None) -> str:
    """A ply where space is short, such as "7  45°"."""
    return ply_words(answer, ply, element).removeprefix("ply ").replace(" (", "  ")[:-1]


@dataclass(frozen=True)
class Picked:
    """What is looked at: indices from 0, `ply` in the lay-up."""

    element: int
    ply: int
    case: int


def picked(
    project: Project, answer: PartAnswer, ask: Ask, element: int | None, ply: int | None, case: str
) -> Picked:
    """What a selection means; the governing place until something is selected."""
    margins, names = margins_for(answer, ask), answer.inputs.case_names
    if element is None or element >= len(margins.reserve):
        found = worst_of(answer, ask, project.left_out)
        element = 0 if found is None else found
        return Picked(element, int(margins.ply[element]), int(margins.case[element]))
    ply = int(margins.ply[element]) if ply is None else ply
    ply = min(ply, len(answer.layout().laid) - 1)
    return Picked(element, ply, names.index(case) if case in names else 0)


HEADS = ("RF", "where", "case", "ply", "mode", "level", "criterion", "element")


def hot_table(
    project: Project,
    answer: PartAnswer,
    ask: Ask,
    group: str,
    before: tuple[str, PartAnswer] | None = None,
) -> Table:
    """Hot spots with their whole address; with an earlier answer also what stood there.

    Parameters
    ----------
    project, answer : Project, PartAnswer
        The version at work.
    ask : Ask
        What the envelope is taken over.
    group : str
        What has one line: one of `GROUPS`.
    before : tuple of str and PartAnswer, optional
        An answer to compare with and its name; compared place by place.
    """
    m = margins_for(answer, ask)
    elements = hot_list(answer, ask, project.left_out, group)
    then = None
    if before is not None:
        then = margins_for(before[1], ask).reserve[nearest(answer, before[1])]
    centres = mesh_of(answer).centres() / units.LENGTH.scale
    rows = []
    for e, where in zip(elements, where_all(answer.inputs, elements), strict=True):
        mode = m.mode_label(e)
        old = () if then is None else (float(then[e]),)
        rows.append(
            (
                float(m.reserve[e]),
                *old,
                where,
                answer.inputs.case_names[int(m.case[e])],
                short_ply(answer, int(m.ply[e]), e),
                mode,
                LEVELS[int(m.level[e])],
                criterion(m.checks[int(m.check[e])]).title,
                e + 1,
                *(float(v) for v in centres[e]),
            )
        )
    places = tuple(f"{axis} [{units.LENGTH.unit}]" for axis in "xyz")
    named = () if before is None else (before[0],)
    return Table("hot spots", (HEADS[0], *named, *HEADS[1:], *places), tuple(rows))


def case_table(project: Project, answer: PartAnswer, ask: Ask) -> tuple[Table, list[int]]:
    """Load factor at which each case first fails a ply of the part, and the elements."""
    rows, elements = [], []
    for name, e, m in case_worst(answer, project.left_out, ask):
        elements.append(e)
        value = float(m.reserve[e])
        if not np.isfinite(value):
            rows.append((name, value, "", "", ""))
            continue
        mode = m.mode_label(e)
        rows.append(
            (name, value, where_words(answer.inputs, e), short_ply(answer, int(m.ply[e]), e), mode)
        )
    head = ("case", "× load", "where", "ply", "mode")
    return Table("first ply failure by case", head, tuple(rows)), elements


def requirement_table(statuses: Sequence[Status], answer: PartAnswer | None) -> Table:
    """Requirements with value, margin, case and place; the least met first."""
    rows = []
    for s in statuses:
        at = s.address
        case = answer.inputs.case_names[at.case] if at is not None and answer else s.case
        place = where_words(answer.inputs, at.element) if at is not None and answer else s.where
        rows.append((requirement_words(s.requirement), s.amount, s.ratio - 1, case, place))
    return Table("requirements", ("requirement", "value", "margin", "case", "where"), tuple(rows))


def _read(rule: Criterion) -> list[tuple[str, units.Quantity]]:
    """Names and quantities of what a criterion reads."""
    axes = ("x", "y", "xy")
    if rule.stress == "in-plane":
        return [(n, units.STRESS) for n in COMPONENTS]
    if rule.stress == "transverse":
        return [(n, units.STRESS) for n in SHEARS]
    reads = rule.reads  # type: ignore[attr-defined]
    if reads == "faces":
        return [(f"face stress {a}", units.STRESS) for a in axes]
    if reads == "forces":
        return [(f"N{a}", units.LINE_FORCE) for a in axes]
    return (
        [(f"M{a}", units.LINE_MOMENT) for a in axes]
        + [(f"k{a}", units.CURVATURE) for a in axes]
        + [("pressure on the faces", units.PRESSURE)]
    )


@dataclass(frozen=True)
class Driver:
    """A share of the governing criterion: what, how much of it, and whether it leads."""

    words: str
    share: float
    leads: bool


def driver_lines(
    project: Project, answer: PartAnswer, at: Picked, margins: Margins
) -> tuple[str, list[Driver]]:
    """What drives the margin at a place: heading, and shares with the largest first.

    Looks at the governing ply and level where the place is the governing one, else at the worst
    criterion and level of the ply.

    Raises
    ------
    TartanError
        When a strength is missing.
    """
    e = at.element
    key, level, point = _worst_at(project, answer, at, margins)
    _, found = drivers_at(answer, e, at.case, at.ply, level, key, point)
    rule = criterion(key)
    read = zip(_read(rule), found.stress, found.shares, strict=True)
    lines = [(f"{n} {units.show(float(s), q)}", float(v)) for (n, q), s, v in read]
    if found.held:
        _, stays = heats_in(answer.inputs, at.case)
        said = "what is held"
        if stays is not None:
            said = f"what is held, ΔT {units.show(stays.dT, units.TEMPERATURE)}"
        lines.append((said, found.held))
    if abs(found.rest) > 1e-9:
        lines.append(("without any stress", found.rest))
    lines.sort(key=lambda line: -abs(line[1]))
    level_ = "" if "core" in ply_words(answer, at.ply) else f" at the {LEVELS[level]}"
    words = f"{rule.title}{level_} of {ply_words(answer, at.ply, at.element)}"
    if not found.at_failure:
        words += f", index {units.number(found.index, 3)}, never fails"
    return words, [Driver(w, v, i == 0) for i, (w, v) in enumerate(lines)]


def _worst_at(
    project: Project, answer: PartAnswer, at: Picked, margins: Margins
) -> tuple[str, int, int]:
    """Criterion, level and sampling point at which a ply of an element is worst in a case."""
    e = at.element
    if at.ply == int(margins.ply[e]) and at.case == int(margins.case[e]) and margins.judged[e]:
        return margins.checks[int(margins.check[e])], int(margins.level[e]), int(margins.point[e])
    asked = question(project, answer, e, at.case)
    found = answers.reserves_of(asked.laminate, asked.loads, asked.criteria)
    place = answer.layout().plies(e).index(at.ply)
    level = int(found.reserve[0, place].argmin())
    check = found.checks[int(found.check[0, place, level])]
    return check.rule.key, level, int(answer.margins.point[e])


def question(project: Project, answer: PartAnswer, element: int, case: int) -> Question:
    """The laminate of an element under its section forces, as the Stacks station asks."""
    laminate = answer.layout().laminate(element)
    return Question(
        laminate, spot_loads(answer, element, case), answer.inputs.criteria, required(project)
    )


@dataclass(frozen=True, eq=False)
class Section:
    """Columns at the governing point of an element, and reserve factors a ply."""

    question: Question
    columns: tuple[Column, ...]
    reserve: Array
    words: str


def section_at(
    project: Project,
    answer: PartAnswer,
    element: int,
    case: int,
    keys: Sequence[str] = (*answers.DEFAULT_COLUMNS, "stress_12.2", "shear.0"),
    before: PartAnswer | None = None,
) -> Section:
    """Stresses and reserve factors through the thickness at an element's governing point.

    Parameters
    ----------
    project, answer : Project, PartAnswer
        The version at work.
    element, case : int
        From 0.
    keys : sequence of str
        Columns switched on.
    before : PartAnswer, optional
        Of the baseline; drawn beside where it has the element, the case and as many plies.

    Raises
    ------
    TartanError
        When a strength is missing.
    """
    asked = question(project, answer, element, case)
    columns = answers.columns(asked, keys, None)
    name = answer.inputs.case_names[case]
    if before is not None and name in before.inputs.case_names:
        old = int(nearest(answer, before)[element])
        if before.layout().laminate(old).count == asked.laminate.count:
            other = question(project, before, old, before.inputs.case_names.index(name))
            then = answers.columns(other, keys, None)
            columns = [replace(c, before=t.values) for c, t in zip(columns, then, strict=True)]
    reserve = answers.reserves_of(asked.laminate, asked.loads, asked.criteria).reserve[0]
    zone = int(answer.layout().zones.zone[element]) + 1
    words = f"{where_words(answer.inputs, element)} · zone {zone} · element {element + 1} · {name}"
    return Section(asked, tuple(columns), reserve.min(axis=1), words)
