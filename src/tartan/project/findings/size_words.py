"""A sizing in words: what may change, what it was and became, what that proves."""

from __future__ import annotations

from tartan.project.document.model import Project
from tartan.project.document.partmodel import Requirement
from tartan.project.document.sizingmodel import SizeFound, SizeStep, SizeVariable, SizeZone
from tartan.project.wording import units

LEFT_OUT, LAID = "left out", "laid"


def variable_words(project: Project, variable: SizeVariable) -> str:
    """What a variable is, such as "UD carbon 0° in dish face"."""
    v = variable
    if v.rung < 0:
        what = "core" if v.kind == "core" else f"{units.number(v.angle)}°"
        angle = "angle of " if v.kind == "angle" else ""
        return f"{angle}{v.material} {what} in {v.stack}"
    part = project.part
    rung = part.lay_up[v.rung] if part is not None and v.rung < len(part.lay_up) else None
    where = "" if rung is None else f" on {rung.region or 'the whole part'}"
    named = rung.name if rung is not None and rung.name else ""
    ply = None if rung is None else rung.ply
    what = named or v.stack or v.material
    if ply is not None and v.kind == "plies" and not named:
        what = f"{v.material} {units.number(ply.angle)}°"
    head = {"plies": "", "core": "core ", "laid": "", "angle": "angle of "}[v.kind]
    return f"{head}{what}{where} (rung {v.rung + 1})"


def value_words(variable: SizeVariable, value: float) -> str:
    """A value of a variable as it is shown."""
    if variable.kind == "plies":
        count = units.number(value)
        return f"{count} {'ply' if value == 1 else 'plies'}"
    if variable.kind == "core":
        return units.show(value, units.LENGTH)
    if variable.kind == "laid":
        return LAID if value else LEFT_OUT
    return f"{units.number(value)}°"


def figure_words(requirement: Requirement, value: float | None) -> str:
    """What a requirement comes to, as it is shown."""
    if value is None:
        return "∞"
    if requirement.kind in ("reserve factor", "buckling"):
        return units.factor(value)
    if requirement.kind == "displacement":
        return units.show(value, units.LENGTH)
    return f"{units.number(value)} {'kg' if requirement.kind == 'mass' else 'Hz'}"


def met(requirement: Requirement, value: float | None) -> bool:
    """Whether a requirement is met by what it comes to; nothing at all is met."""
    if value is None:
        return True
    if requirement.kind in ("displacement", "mass"):
        return value <= requirement.value
    return value >= requirement.value


def weight_words(least: str, step: SizeStep) -> str:
    """What is to be small, of a design."""
    if least == "cost":
        return "no price" if step.cost is None else f"cost {units.number(step.cost)}"
    return f"{units.number(step.mass)} kg"


def best_of(found: SizeFound) -> SizeStep | None:
    """The lightest or cheapest design that holds, if any was found."""
    return found.steps[-1] if found.steps else None


def result_words(found: SizeFound) -> str:
    """What a sizing found, and what that is worth as a statement."""
    least = found.least
    kind = "lighter" if least == "mass" else "cheaper"
    count = f"{found.solves} design{'s' * (found.solves != 1)} solved"
    best = best_of(found)
    if best is None:
        if found.nearest is None:
            return f"No design was tried; {count}."
        return (
            f"No design holds that was tried ({count}). The nearest reaches "
            f"{found.nearest.worst:.0%} of what is needed: {found.nearest.governs}."
        )
    words = f"{weight_words(least, best)}"
    if best.values != found.before.values:
        words += f", {weight_words(least, found.before)} before"
        if not found.before.holds:
            words += " and that did not hold"
    else:
        words += ", as it is"
    if found.proved:
        return (
            f"{words}. Proved: whatever is {kind} was solved and misses a requirement ({count})."
        )
    words += f". Best found, not proved ({count})"
    if found.relaxed is not None:
        own = best.mass if least == "mass" else best.cost
        if own:
            above = (own - found.relaxed) / own
            words += (
                f"; of plies of any thickness it would be {units.number(above * 100, 2)} % less, "
                "which is a guide and no bound"
            )
    return words + "."


def thinner_words(found: SizeFound, zone: SizeZone) -> str:
    """Which requirement keeps a zone from being thinner.

    Of everything that could be less there, what misses its requirement by least is told: the
    others are farther away.
    """
    if not zone.variables:
        return "nothing may change"
    stops = [s for s in found.stops if s.variable in zone.variables]
    best = best_of(found)
    if not stops:
        least_of_all = best is not None and all(
            best.values[n] == found.variables[n].values[0] for n in zone.variables
        )
        return "the least there is" if least_of_all else "the rules, or not tried"
    nearest = max(stops, key=lambda s: s.worst)
    least = value_words(found.variables[nearest.variable], nearest.value)
    return f"{found.names[nearest.variable]}, {least}: {nearest.governs}"
