"""Tables of a sizing: what changed and what stops it from being less, requirements, history."""

from __future__ import annotations

from tartan.exchange.tables import Cell, Table
from tartan.project.document.sizingmodel import SizeFound, SizeStep
from tartan.project.findings.size_words import (
    figure_words,
    thinner_words,
    value_words,
    weight_words,
)
from tartan.project.wording import units
from tartan.project.wording.document_words import requirement_words


def changes_table(found: SizeFound, chosen: SizeStep) -> Table:
    """Every variable before and after, and the requirement that stops it from being less."""
    stops = {s.variable: s for s in found.stops} if chosen in found.steps[-1:] else {}
    rows = []
    for k, variable in enumerate(found.variables):
        stop, why = stops.get(k), ""
        if stop is not None:
            why = f"{value_words(variable, stop.value)}: {stop.governs}"
        elif chosen.values[k] == variable.values[0]:
            why = "the least there is"
        rows.append(
            (
                found.names[k],
                value_words(variable, found.before.values[k]),
                value_words(variable, chosen.values[k]),
                why,
            )
        )
    return Table("sizing", ("what", "before", "after", "with less"), tuple(rows))


def zones_table(found: SizeFound) -> Table:
    """Every zone before and in the best design, and the requirement it cannot be thinner for."""
    rows = tuple(
        (
            zone.name,
            units.show(zone.before, units.LENGTH),
            units.show(zone.after, units.LENGTH),
            thinner_words(found, zone),
        )
        for zone in found.zones
    )
    return Table("zones", ("zone", "before", "after", "thinner"), rows)


def requirements_table(found: SizeFound, chosen: SizeStep) -> Table:
    """Every requirement of then before and after; the whole design's weight first."""
    rows = [
        (
            "mass",
            f"{units.number(found.before.mass)} kg",
            f"{units.number(chosen.mass)} kg",
        )
    ]
    if found.before.cost is not None and chosen.cost is not None:
        each = [units.number(s.cost) for s in (found.before, chosen) if s.cost is not None]
        rows.append(("cost of materials", each[0], each[1]))
    rows += [
        (requirement_words(asked), figure_words(asked, old), figure_words(asked, new))
        for asked, old, new in zip(
            found.requirements, found.before.figures, chosen.figures, strict=True
        )
    ]
    return Table("requirements", ("requirement", "before", "after"), tuple(rows))


def steps_table(found: SizeFound) -> Table:
    """Every design that was the best so far."""
    rows: list[tuple[Cell, ...]] = [
        (
            step.solves,
            weight_words(found.least, step),
            step.governs,
            *(value_words(v, x) for v, x in zip(found.variables, step.values, strict=True)),
        )
        for step in found.steps
    ]
    head = ("solved", "weighs" if found.least == "mass" else "costs", "governs", *found.names)
    return Table("sizing, step by step", head, tuple(rows))
