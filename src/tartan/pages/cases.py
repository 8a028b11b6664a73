"""What the Cases page says of loads: resultants, and how tables and outside forces lie."""

from __future__ import annotations

import numpy as np

from tartan.core.errors import TartanError
from tartan.core.shell.loads import resultant
from tartan.pages.shown import Card
from tartan.project.analysis.caseloads import case_forces, map_soon, map_table
from tartan.project.analysis.inputs import layout_soon, part_inputs
from tartan.project.analysis.part_ring import whole_total
from tartan.project.analysis.section_forces import match
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Case, Combination, MappedPressure, OutsideForces
from tartan.project.wording import units
from tartan.project.wording.document_words import load_words


def case_cards(project: Project) -> list[Card]:
    """Cases, combinations and outside forces as cards."""
    cards = [Card(c.name, case_words(c)) for c in project.cases]
    cards += [Card(c.name, combination_words(c)) for c in project.combinations]
    return cards + [Card(x.name, f"section forces of {x.source}") for x in project.outside]


def case_words(case: Case) -> str:
    """Loads of a case in one line, and what it stands on where that is not usual."""
    on = f" · on {case.supports}" if case.supports else ""
    return (", ".join(load_words(x) for x in case.loads) or "no loads") + on


def combination_words(both: Combination) -> str:
    """A combination in one line."""
    terms = []
    for name, factor in both.factors:
        times = "" if factor == 1 else f"{units.number(factor)} × "
        terms.append(f"{times}{name}{' (held)' if name in both.held else ''}")
    return " + ".join(terms) or "no cases"


def resultant_words(project: Project, name: str) -> str:
    """Total force of a case or combination, or how outside forces lie."""
    if not name:
        return "No case yet."
    read = next((x for x in project.outside if x.name == name), None)
    if read is not None:
        return match_words(project, read)
    try:
        inputs = part_inputs(project)
        layout = layout_soon(inputs)
        parts = dict(
            next((c.factors for c in inputs.combinations if c.name == name), ((name, 1.0),))
        )
        total = np.zeros(6)
        for case in (c for c in inputs.cases if c.name in parts):
            map_soon(layout, case.loads, inputs.tables)
            forces = case_forces(layout, case, inputs.tables)
            total += parts[case.name] * resultant(layout.mesh, forces)
    except TartanError as error:
        return str(error)
    total = whole_total(inputs.part, total)
    total = np.where(np.abs(total) < 1e-6 * max(np.abs(total).max(), 1e-30), 0.0, total)
    force, moment = (
        [units.show(float(v), q, unit=False) for v in t]
        for t, q in ((total[:3], units.FORCE), (total[3:], units.MOMENT))
    )
    return (
        f"Total force x, y, z  {',  '.join(force)} {units.FORCE.unit}\n"
        f"about the origin  {',  '.join(moment)} {units.MOMENT.unit}"
    )


def match_words(project: Project, read: OutsideForces) -> str:
    """How many elements have forces of another analysis, and how they were found."""
    try:
        mesh = layout_soon(part_inputs(project)).mesh
        found = match(mesh, read)
    except TartanError as error:
        return str(error)
    share = f"{int(found.found.sum())} of {mesh.count} elements have section forces"
    if read.by == "element":
        return f"{share}, matched by their numbers; those of the others are zero."
    return (
        f"{share}, matched by position, at most {units.show(found.farthest, units.LENGTH)}"
        " from an element's centre; those of the others are zero."
    )


def mapping_words(project: Project, load: MappedPressure) -> str:
    """Resultant of a table before and after mapping, and how much of the part lay outside it."""
    try:
        inputs = part_inputs(project)
        layout = layout_soon(inputs)
        map_soon(layout, (load,), inputs.tables)
        found = map_table(layout, load, inputs.tables, "Load")
    except TartanError as error:
        return str(error)
    given, mapped = (float(np.linalg.norm(f)) for f in (found.given, found.force[:3]))
    known = bool(np.isfinite(given))
    before = f"table {units.show(given, units.FORCE)}" if known else "points on a line"
    share = f", {found.outside:.1%} of the area outside it" if found.outside > 5e-4 else ""
    return f"{before} → part {units.show(mapped, units.FORCE)}{share}"
