"""Tables of a project and its answer: shown in the report, written by `tartan export`."""

from __future__ import annotations

import numpy as np

from tartan.core.criteria import criterion
from tartan.core.errors import TartanError
from tartan.core.laminate.response import LEVELS
from tartan.core.materials import FIELD_NAMES
from tartan.exchange.maps.mapped import required
from tartan.exchange.tables import Table
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.shellinputs import laminate_for, ties_of, where_all, where_words
from tartan.project.document.model import Project
from tartan.project.findings.chosen_margins import Ask, case_worst, excluded, hot_list, margins_for
from tartan.project.findings.verdict import Status, ply_words
from tartan.project.wording import units
from tartan.project.wording.document_words import (
    QUANTITIES,
    SYMBOLS,
    load_words,
    notation,
    requirement_words,
    rung_words,
    support_words,
)


def _head(name: str, quantity: units.Quantity) -> str:
    return f"{name} [{quantity.unit}]" if quantity.unit not in ("", "1") else name


def materials_table(project: Project, *, used: set[str] | None = None) -> Table:
    """Materials in force, one column each, properties that any of them has as rows."""
    found = [project.in_force(m) for m in project.materials if used is None or m.name in used]
    rows = []
    for field in FIELD_NAMES:
        if field not in QUANTITIES or all(getattr(m, field) is None for m in found):
            continue
        quantity = QUANTITIES[field]
        values = [getattr(m, field) for m in found]
        rows.append(
            (
                _head(SYMBOLS[field], quantity),
                *(None if v is None else v / quantity.scale for v in values),
            )
        )
    return Table("materials", ("property", *(m.name for m in found)), tuple(rows))


def stacks_table(project: Project) -> Table:
    """Stacks in notation with thickness and mass."""
    head = (
        "stack",
        "plies",
        _head("thickness", units.LENGTH),
        _head("mass", units.AREAL_MASS),
        "stacking sequence",
    )
    rows = []
    for stack in project.stacks:
        mass = None
        try:
            mass = laminate_for(stack, project.materials_of(stack)).areal_mass
            mass /= units.AREAL_MASS.scale
        except TartanError:
            mass = None
        rows.append(
            (
                stack.name,
                len(stack.plies),
                stack.thickness / units.LENGTH.scale,
                mass,
                notation(project, stack),
            )
        )
    return Table("stacks", head, tuple(rows))


def lay_up_table(project: Project) -> Table:
    """Rungs of the lay-up in laying order."""
    rungs = project.part.lay_up if project.part else ()
    rows = tuple((i, rung_words(r)) for i, r in enumerate(rungs, 1))
    return Table("lay-up, in laying order", ("rung", "what is laid"), rows)


def zones_table(answer: PartAnswer) -> Table:
    """Zones with their plies, thickness, area and mass."""
    layout = answer.layout()
    areas = layout.mesh.areas()
    head = (
        "zone",
        "plies",
        _head("thickness", units.LENGTH),
        "area [m²]",
        "mass [kg]",
        "plies of the lay-up",
    )
    rows = []
    for k, (laminate, plies) in enumerate(
        zip(layout.zones.laminates, layout.zones.plies, strict=True)
    ):
        area = float(areas[layout.zones.members[k]].sum())
        weighed = all(m.rho is not None for m in laminate.materials)
        numbers = ", ".join(str(p + 1) for p in plies)
        rows.append(
            (
                k + 1,
                laminate.count,
                laminate.thickness / units.LENGTH.scale,
                area,
                area * laminate.areal_mass if weighed else None,
                numbers,
            )
        )
    return Table("zones", head, tuple(rows))


def cases_table(project: Project) -> Table:
    """Cases with their loads, combinations with their factors, outside forces with their file."""
    own = "the part's own"
    rows = [
        (c.name, ", ".join(load_words(x) for x in c.loads) or "no loads", c.supports or own)
        for c in project.cases
    ]
    sets = {c.name: c.supports for c in project.cases}
    for c in project.combinations:
        terms = [f"{units.number(f)} × {n}{' (held)' * (n in c.held)}" for n, f in c.factors]
        on = next((sets[n] for n, _ in c.factors), "") or own
        rows.append((c.name, " + ".join(terms), on))
    rows += [(x.name, f"section forces read from {x.source}", "") for x in project.outside]
    return Table("cases", ("case", "loads", "supports"), tuple(rows))


def supports_table(project: Project) -> Table:
    """Supports in words."""
    sets = [("the part's own", project.supports)]
    sets += [(x.name, x.supports) for x in project.support_sets]
    rows = tuple(
        (name, i, support_words(s)) for name, supports in sets for i, s in enumerate(supports, 1)
    )
    return Table("supports", ("set", "support", "what is held"), rows)


def ties_table(answer: PartAnswer) -> Table | None:
    """Ties with their length, area and gap; None without any."""
    part = answer.inputs.part
    ties = ties_of(answer.layout().mesh, part.tie_gap)
    if not ties:
        return None
    unit, scale = units.LENGTH.unit, units.LENGTH.scale
    rows = tuple(
        (i, t.length / scale, t.area, float(t.gaps.max()) / scale, len(t.nodes))
        for i, t in enumerate(ties, 1)
    )
    head = ("tie", f"edge [{unit}]", "face [m²]", f"greatest gap [{unit}]", "nodes that follow")
    return Table("ties", head, rows)


def requirements_table(statuses: list[Status], answer: PartAnswer) -> Table:
    """Requirements with value, margin, case and place."""
    rows = []
    for s in statuses:
        case = answer.inputs.case_names[s.address.case] if s.address else s.case
        place = where_words(answer.inputs, s.address.element) if s.address else s.where
        margin = s.ratio - 1
        rows.append(
            (
                requirement_words(s.requirement),
                s.amount,
                f"{margin:+.0%}".replace("-", "−") if np.isfinite(margin) else "∞",
                case,
                place,
            )
        )
    head = ("requirement", "value", "margin", "case", "where")
    return Table("requirements", head, tuple(rows))


def hot_spots_table(
    project: Project, answer: PartAnswer, group: str = "neighbourhood", ask: Ask | None = None
) -> Table:
    """Hot spots with their whole address."""
    asked = ask or Ask()
    elements = hot_list(answer, asked, project.left_out, group)
    return _addresses("hot spots", answer, asked, elements)


def brief_hot_spots(project: Project, answer: PartAnswer) -> Table:
    """Hot spots in the columns that a page has room for."""
    whole = hot_spots_table(project, answer)
    wanted = ("reserve factor", "where", "case", "ply", "level", "mode", "criterion", "element")
    at = [whole.head.index(n) for n in wanted]
    return Table(whole.title, wanted, tuple(tuple(r[j] for j in at) for r in whole.rows))


def margins_table(project: Project, answer: PartAnswer, ask: Ask | None = None) -> Table:
    """Governing reserve factor of every element with its address."""
    asked = ask or Ask()
    table = _addresses("margins", answer, asked, range(answer.layout().mesh.count))
    out = excluded(answer, project.left_out).mask
    rows = tuple((*r, "left out" if o else "") for r, o in zip(table.rows, out, strict=True))
    return Table("margins", (*table.head, "counts"), rows)


def _addresses(title: str, answer: PartAnswer, ask: Ask, elements: list[int] | range) -> Table:
    m, names = margins_for(answer, ask), answer.inputs.case_names
    centres = answer.layout().mesh.centres() / units.LENGTH.scale
    head = (
        "element",
        "reserve factor",
        "failure index",
        "where",
        "case",
        "ply",
        "level",
        "mode",
        "criterion",
        *(_head(a, units.LENGTH) for a in "xyz"),
    )
    plies = [ply_words(answer, i) for i in range(len(answer.layout().laid))]
    rows = []
    for e, where in zip(elements, where_all(answer.inputs, elements), strict=True):
        x, y, z = (float(v) for v in centres[e])
        rows.append(
            (
                e + 1,
                float(m.reserve[e]),
                float(m.index[e]),
                where,
                names[int(m.case[e])],
                plies[int(m.ply[e])],
                LEVELS[int(m.level[e])],
                m.mode_label(e),
                criterion(m.checks[int(m.check[e])]).title,
                x,
                y,
                z,
            )
        )
    return Table(title, head, tuple(rows))


def by_case_table(project: Project, answer: PartAnswer) -> Table:
    """Load factor at which each case first fails a ply."""
    rows = []
    for name, e, m in case_worst(answer, project.left_out):
        value = float(m.reserve[e])
        known = np.isfinite(value)
        rows.append(
            (
                name,
                value,
                where_words(answer.inputs, e) if known else "",
                ply_words(answer, int(m.ply[e]), e) if known else "",
                m.mode_label(e) if known else "",
            )
        )
    head = ("case", "load factor", "where", "ply", "mode")
    return Table(f"first ply failure by case, needs {required(project):.2f}", head, tuple(rows))
