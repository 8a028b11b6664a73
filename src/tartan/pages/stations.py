"""What each station of the route holds now, in one short line of words. No Qt."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Panel
from tartan.project.analysis.partmesh import meshed
from tartan.project.analysis.shellinputs import layout_of, part_inputs
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Part, ReadSurface
from tartan.project.findings.verdict import station_of

Mark = Literal["complete", "needs", "stale"]

THIN_SPACE = "\u202f"

STATIONS = ("Materials", "Stacks", "Part", "Cases", "Margins", "Versions", "Report")


@dataclass(frozen=True)
class StationLine:
    """A station's line and whether it is complete, needs something or is stale."""

    words: str
    mark: Mark


@dataclass(frozen=True)
class Freshness:
    """State of the part's answer as far as the route shows it."""

    fresh: bool
    error: TartanError | None
    met: int
    asked: int
    report: str = ""
    report_fresh: bool = False


def _count(number: int, noun: str, plural: str = "") -> str:
    return f"{number} {noun if number == 1 else plural or noun + 's'}"


def lines(project: Project, answer: Freshness) -> dict[str, StationLine]:
    """Line of every station.

    Parameters
    ----------
    project : Project
        The document.
    answer : Freshness
        State of its answer.
    """
    used = {p.material for s in project.stacks for p in s.plies}
    found = {
        "Materials": StationLine(
            f"{len(project.materials)} materials, {len(used)} in use",
            "complete" if project.materials else "needs",
        ),
        "Stacks": _stacks(project),
        "Part": _part(project),
        "Cases": _cases(project),
        "Margins": _margins(answer),
        "Versions": _versions(project),
        "Report": StationLine(
            answer.report or "not made yet", "complete" if answer.report_fresh else "stale"
        ),
    }
    if answer.error is not None:
        station = station_of(answer.error)
        found[station] = StationLine(found[station].words, "needs")
    return found


def _stacks(project: Project) -> StationLine:
    if not project.stacks:
        return StationLine("none yet", "needs")
    counts = sorted(len(s.plies) for s in project.stacks)
    few, many = counts[0], counts[-1]
    span = f"{few}–{many} plies" if few != many else _count(few, "ply", "plies")
    mark: Mark = "complete" if few else "needs"
    return StationLine(f"{_count(len(counts), 'stack')}, {span}", mark)


def _part(project: Project) -> StationLine:
    part = project.part
    if part is None:
        return StationLine("no surface yet", "needs")
    try:
        inputs = part_inputs(project) if project.cases else None
        count = meshed(part).mesh.count
        zones = len(layout_of(inputs).zones.laminates) if inputs else 0
    except TartanError:
        return StationLine("not usable yet", "needs")
    elements = f"{count:,}".replace(",", THIN_SPACE)
    laid = _count(zones, "zone") if zones else "nothing laid"
    return StationLine(
        f"{shape_words(part)}, {laid},\n{elements} elements", "complete" if zones else "needs"
    )


def shape_words(part: Part) -> str:
    """Sort of surface in a word or two."""
    surface = part.surface
    if isinstance(surface, ReadSurface):
        return surface.file
    if not isinstance(surface, Panel):
        return surface.kind
    curved = sum(r is not None for r in (surface.radius_x, surface.radius_y))
    return ("flat panel", "curved panel", "dish")[curved]


def _cases(project: Project) -> StationLine:
    asked = _count(len(project.requirements), "requirement")
    ready = bool(project.cases) and all(project.supports_of(c.supports) for c in project.cases)
    words = f"{_count(len(project.cases), 'case')},\n{asked}"
    return StationLine(words, "complete" if ready else "needs")


def _versions(project: Project) -> StationLine:
    words = _count(1 + len(project.versions), "version")
    base = f",\nbaseline {project.against}" if project.against else ""
    return StationLine(f"{words}{base}", "complete")


def _margins(answer: Freshness) -> StationLine:
    if answer.error is not None:
        return StationLine("no answer", "needs")
    if not answer.fresh:
        return StationLine("solving again" if answer.asked else "solving", "stale")
    met = "all met" if answer.met == answer.asked else f"{answer.met} of {answer.asked} met"
    return StationLine(met, "complete" if answer.met == answer.asked else "needs")
