"""What each station of the route holds now, in one short line of words. No Qt."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

from tartan.core.errors import TartanError
from tartan.core.shell.mesh import Panel
from tartan.project.analysis.answers import CANCELLED
from tartan.project.analysis.inputs import layout_soon, part_inputs
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.meshes import MeshPending
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Case, Part, ReadSurface
from tartan.project.findings.verdict import Verdict, is_begun, station_of
from tartan.project.wording.units import counted

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
    unloaded: bool = False
    report: str = ""
    report_fresh: bool = False


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
    if project.part is not None:
        used |= {m for r in project.part.lay_up for m in r.materials()}
    begun = is_begun(project)
    later: Mark = "needs" if begun else "stale"
    found = {
        "Materials": StationLine(
            f"{counted(len(project.materials), 'material')}, {len(used)} in use",
            "complete" if project.materials else "needs",
        ),
        "Stacks": _stacks(project),
        "Part": _part(project, later),
        "Cases": _cases(project, later),
        "Margins": _margins(project, answer, later),
        "Versions": _versions(project),
        "Report": StationLine(
            answer.report or "not made yet", "complete" if answer.report_fresh else "stale"
        ),
    }
    if answer.error not in (None, CANCELLED) and begun:
        station = station_of(answer.error)
        found[station] = StationLine(found[station].words, "needs")
    return found


def _stacks(project: Project) -> StationLine:
    if not project.stacks:
        return StationLine("none yet", "needs")
    counts = sorted(len(s.plies) for s in project.stacks)
    few, many = counts[0], counts[-1]
    span = f"{few}–{many} plies" if few != many else counted(few, "ply", "plies")
    mark: Mark = "complete" if few else "needs"
    return StationLine(f"{counted(len(counts), 'stack')}, {span}", mark)


def _part(project: Project, later: Mark) -> StationLine:
    part = project.part
    if part is None:
        return StationLine("no surface yet", later)
    try:
        count = meshed(part).mesh.count
        zones = 0
        if any(rung.active for rung in part.lay_up):
            # Zones are of what is laid, whether a case loads it or none.
            cases = project.cases or (Case("none"),)
            zones = len(layout_soon(part_inputs(replace(project, cases=cases))).zones.laminates)
    except MeshPending:
        return StationLine(f"{shape_words(part)},\nbeing worked out", later)
    except TartanError:
        return StationLine("not usable yet", "needs")
    elements = f"{count:,}".replace(",", THIN_SPACE)
    laid = counted(zones, "zone") if zones else "nothing laid"
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


def _cases(project: Project, later: Mark) -> StationLine:
    asked = counted(len(project.requirements), "requirement")
    ready = bool(project.cases) and all(project.supports_of(c.supports) for c in project.cases)
    words = f"{counted(len(project.cases), 'case')},\n{asked}"
    return StationLine(words, "complete" if ready else later)


def _versions(project: Project) -> StationLine:
    words = counted(1 + len(project.versions), "version")
    base = f",\nbaseline {project.against}" if project.against else ""
    return StationLine(f"{words}{base}", "complete")


def _margins(project: Project, answer: Freshness, later: Mark) -> StationLine:
    if answer.error is CANCELLED:
        return StationLine("cancelled", "stale")
    if answer.error is not None:
        return StationLine("no answer" if later == "needs" else "no part yet", later)
    if not answer.fresh:
        return StationLine("solving again" if answer.asked else "solving", "stale")
    whole = answer.met == answer.asked and not answer.unloaded
    if answer.unloaded:
        met = "nothing is loaded"
    elif not project.requirements:
        # Without a requirement the reserve factor is held against 1.
        met = "holds" if whole else "does not hold"
    else:
        met = "all met" if whole else f"{answer.met} of {answer.asked} met"
    return StationLine(met, "complete" if whole else "needs")


def leads_to(verdict: Verdict, answer: PartAnswer | None) -> dict[str, Any]:
    """What is selected when a verdict is followed: its station, and the spot or thing it names."""
    found: dict[str, Any] = {"station": verdict.station}
    if verdict.address is not None and answer is not None:
        case = answer.inputs.case_names[verdict.address.case]
        found |= {"element": verdict.address.element, "case": case}
        if verdict.address.ply is not None:
            found["spot_ply"] = verdict.address.ply
    of = {"Materials": "material", "Stacks": "stack", "Cases": "case"}.get(verdict.station)
    if of is not None and verdict.subject:
        found[of] = verdict.subject
    return found
