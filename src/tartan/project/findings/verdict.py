"""The verdict: which requirement governs, at what address, in one sentence."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.errors import TartanError, Topic
from tartan.core.laminate.response import LEVELS
from tartan.core.shell.margins import Margins
from tartan.project.analysis.buckling_and_modes import Shapes
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.shellinputs import where_words
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    BucklingRequirement,
    DisplacementRequirement,
    FrequencyRequirement,
    MassRequirement,
    Requirement,
    ReserveRequirement,
)
from tartan.project.findings.chosen_margins import Ask, excluded, margins_for, worst_of
from tartan.project.findings.limits import limits
from tartan.project.wording import units

State = Literal["holds", "fails", "stale", "blocked", "idle"]

DEFAULT_RESERVE = ReserveRequirement(1.0)
"""What is asked of a project that states no reserve factor of its own."""


@dataclass(frozen=True)
class Address:
    """Where a margin is reached; indices from 0, `words` in the order of the sentence."""

    case: int
    element: int
    ply: int | None
    level: int | None
    words: str


@dataclass(frozen=True)
class Status:
    """A requirement with its value.

    Attributes
    ----------
    requirement : Requirement
        What is asked.
    value : float
        What is reached [1 or m].
    ratio : float
        At least 1 where it is met: reserve factor over its requirement, limit over displacement.
    address : Address or None
        Where; None when nothing is loaded, or the whole part is meant.
    case : str
        Case that is meant; empty for all.
    remark : str
        What there is to say where there is no figure, such as why nothing buckles.
    """

    requirement: Requirement
    value: float
    ratio: float
    address: Address | None
    case: str = ""
    remark: str = ""

    @property
    def met(self) -> bool:
        """Whether the requirement is met."""
        return self.ratio >= 1.0

    @property
    def figure(self) -> str:
        """Value in words, such as "Reserve factor 1.38"."""
        each = self.requirement
        what = {
            "reserve factor": "Reserve factor",
            "buckling": "Buckling factor",
            "mass": "Mass",
            "frequency": "First frequency",
            "displacement": "Displacement",
        }[each.kind]
        if isinstance(each, DisplacementRequirement) and each.measure == "normal":
            what = "Surface deviation"
        return f"{what} {self.amount}"

    @property
    def amount(self) -> str:
        """Value with its unit."""
        each = self.requirement
        if isinstance(each, BucklingRequirement) and np.isinf(self.value):
            return f"∞, does not buckle{f' ({self.remark})' if self.remark else ''}"
        if isinstance(each, ReserveRequirement | BucklingRequirement):
            remark = f" ({self.remark})" if self.remark else ""
            return f"{units.factor(self.value)}{remark}"
        if isinstance(each, DisplacementRequirement):
            return units.show(self.value, units.LENGTH)
        if np.isnan(self.value):
            return f"not known ({self.remark})"
        return f"{units.number(self.value)} {'kg' if each.kind == 'mass' else 'Hz'}"

    @property
    def need(self) -> str:
        """Limit in words."""
        each = self.requirement
        if isinstance(each, ReserveRequirement | BucklingRequirement):
            return f"Needs {each.value:.2f}."
        if isinstance(each, DisplacementRequirement):
            return f"Allowed {units.show(each.value, units.LENGTH)}."
        if isinstance(each, MassRequirement):
            return f"Allowed {units.number(each.value)} kg."
        return f"Needs {units.number(each.value)} Hz."

    @property
    def where(self) -> str:
        """Place of the value in words."""
        if self.address is not None:
            return self.address.words
        if isinstance(self.requirement, BucklingRequirement):
            return self.case or "all cases"
        if isinstance(self.requirement, FrequencyRequirement) and self.case:
            return f"whole part under {self.case}"
        whole = isinstance(self.requirement, MassRequirement | FrequencyRequirement)
        return "whole part" if whole else "nowhere loaded"


@dataclass(frozen=True)
class Verdict:
    """One sentence on the whole project.

    Attributes
    ----------
    state : {"holds", "fails", "stale", "blocked", "idle"}
        What the colour means; stale shows the last answer, blocked says what stands in the way,
        idle that no part has been begun of which there could be an answer.
    figure, sentence : str
        Head and body.
    station : str
        Where a click leads.
    address : Address or None
        The spot, when there is one.
    subject : str
        Name of the material, stack or case that stands in the way, when there is one.
    """

    state: State
    figure: str
    sentence: str
    station: str = "Margins"
    address: Address | None = None
    subject: str = ""


def statuses(project: Project, answer: PartAnswer) -> list[Status]:
    """Value of every requirement, the least met first.

    Parameters
    ----------
    project : Project
        Whose requirements.
    answer : PartAnswer
        Solution and margins of its part.
    """
    asked = list(project.requirements)
    if not any(isinstance(r, ReserveRequirement) for r in asked):
        asked.insert(0, DEFAULT_RESERVE)
    found = [s for r in asked if (s := status_of(project, r, answer)) is not None]
    return sorted(found, key=lambda s: s.ratio)


def status_of(project: Project, requirement: Requirement, answer: PartAnswer) -> Status | None:
    """Value of a requirement; None while the answer does not know of it."""
    if isinstance(requirement, ReserveRequirement):
        return _reserve(project, requirement, answer)
    if isinstance(requirement, DisplacementRequirement):
        return _displacement(requirement, answer)
    if isinstance(requirement, MassRequirement):
        layout = answer.layout()
        mass = layout.mass()
        if mass is None:
            # Not known is not met: whoever asks for a mass wants to rely on it.
            remark = f"{layout.weightless()} has no density"
            return Status(requirement, np.nan, 0.0, None, remark=remark)
        return Status(requirement, mass, requirement.value / mass, None)
    swings = isinstance(requirement, FrequencyRequirement)
    known = answer.modes if swings else answer.buckling
    over_all = not swings and not requirement.case
    found = [(_first(s), s) for s in known if over_all or s.case == requirement.case]
    if not found:
        return None
    value, shapes = min(found, key=lambda x: x[0])
    case = shapes.case if np.isfinite(value) or not over_all else ""
    return Status(requirement, value, value / requirement.value, None, case, shapes.remark)


def _first(shapes: Shapes) -> float:
    """First value of shapes; endless where there is none, zero where what is held buckles."""
    if len(shapes.values):
        return float(shapes.values[0])
    return 0.0 if shapes.held_fails else float("inf")


def _reserve(
    project: Project, requirement: ReserveRequirement, answer: PartAnswer
) -> Status | None:
    if requirement.case and requirement.case not in answer.inputs.case_names:
        return None
    ask = Ask((requirement.case,)) if requirement.case else Ask()
    element, margins = worst_of(answer, ask, project.left_out), margins_for(answer, ask)
    if element is None:
        return Status(requirement, float("inf"), float("inf"), None, requirement.case)
    value = float(margins.reserve[element])
    return Status(
        requirement,
        value,
        value / requirement.value,
        margin_address(answer, element, margins),
        requirement.case,
    )


def ply_words(answer: PartAnswer, ply: int, element: int | None = None) -> str:
    """A ply of the lay-up in words, such as "ply 7 'patch' (45°)"; its angle at an element."""
    layout = answer.layout()
    layer = layout.laid[ply].ply
    name = answer.inputs.part.lay_up[layout.laid[ply].rung].name
    called = f"ply {ply + 1}" + (f" '{name}'" if name else "")
    if element is not None and ply in layout.plies(element):
        layer = layout.local_plies(element)[layout.plies(element).index(ply)]
    kind = next(m.kind for m in answer.inputs.materials if m.name == layer.material)
    return f"{called} ({'core' if kind == 'core' else units.number(layer.angle) + '°'})"


def margin_address(answer: PartAnswer, element: int, margins: Margins | None = None) -> Address:
    """Whole address of an element's governing margin, in words; of given margins or all."""
    margins = answer.margins if margins is None else margins
    case, ply, level = (int(a[element]) for a in (margins.case, margins.ply, margins.level))
    name = ply_words(answer, ply, element)
    title = criterion(margins.checks[int(margins.check[element])]).title
    at = "" if "core" in name else f" at the {LEVELS[level]}"
    words = (
        f"{answer.inputs.case_names[case]}, {where_words(answer.inputs, element)}, "
        f"{name}, {margins.mode_label(element)}{at}, by {title}"
    )
    return Address(case, element, ply, level, words)


def moved(answer: PartAnswer, case: int, measure: str) -> NDArray[np.float64]:
    """Displacement of every node in a case: its size, or its share along the normal [m]."""
    u = answer.solution.displacement[case, :, :3]
    if measure == "size":
        return np.asarray(np.linalg.norm(u, axis=1))
    mesh = answer.layout().mesh
    normals = mesh.at_nodes(mesh.normals() * mesh.areas()[:, None])
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    return np.asarray(np.abs((u * normals / np.where(length > 0, length, 1)).sum(axis=1)))


def _displacement(requirement: DisplacementRequirement, answer: PartAnswer) -> Status | None:
    names = answer.inputs.solved_names
    wanted = [k for k, n in enumerate(names) if requirement.case in ("", n)]
    if not wanted:
        return None
    sizes = [moved(answer, k, requirement.measure) for k in wanted]
    at = int(np.argmax([x.max() for x in sizes]))
    case, size = wanted[at], sizes[at]
    node, mesh = int(size.argmax()), answer.layout().mesh
    element = int(np.argmax((mesh.corner_table == node).any(axis=1)))
    words = f"{names[case]}, {where_words(answer.inputs, element)}"
    value = float(size[node])
    ratio = requirement.value / value if value > 0 else float("inf")
    return Status(requirement, value, ratio, Address(case, element, None, None, words))


def verdict(project: Project, answer: PartAnswer, before: PartAnswer | None = None) -> Verdict:
    """Say what governs: the requirement that is least met.

    Parameters
    ----------
    project : Project
        Whose requirements.
    answer : PartAnswer
        Of the version at work.
    before : PartAnswer, optional
        Of the baseline; the change against it is said.
    """
    least = statuses(project, answer)[0]
    state: State = "holds" if least.met else "fails"
    where = least.where
    if least.address is None and isinstance(least.requirement, ReserveRequirement):
        return Verdict(
            "blocked", "Nothing to judge", "No case loads the part. Load one in Cases.", "Cases"
        )
    sentence = f"{where[0].upper()}{where[1:]}. {least.need}"
    out = excluded(answer, project.left_out)
    if out.words:
        sentence += f" Left out: {out.words} ({out.share:.1%} of the area)."
    told = limits(answer)
    if told:
        more = f" and {len(told) - 1} more" if len(told) > 1 else ""
        sentence += f" Not covered: {told[0].short}{more}."
    if before is not None:
        sentence += against_words(project, least, before)
    if np.isnan(least.value):
        lost = answer.layout().weightless()
        sentence += " Enter its density in Materials."
        return Verdict(state, least.figure, sentence, "Materials", None, lost)
    return Verdict(state, least.figure, sentence, "Margins", least.address)


def against_words(project: Project, status: Status, before: PartAnswer) -> str:
    """Change of a requirement's value against the baseline, such as " +0.06 against A."."""
    base = project.baseline
    if base is None:
        return ""
    # The baseline's own answer is asked today's question, areas left out and all.
    old = status_of(project, status.requirement, before)
    if old is None or not (np.isfinite(old.value) and np.isfinite(status.value)):
        return ""
    change = status.value - old.value
    if abs(change) <= 1e-9 * abs(old.value):
        return f" Same as {base.name}."
    return f" {signed(status, change)} against {base.name}."


def signed(status: Status, change: float) -> str:
    """Change of a requirement's value with its sign, in the unit of the value."""
    each = status.requirement
    if isinstance(each, DisplacementRequirement):
        text = units.show(change, units.LENGTH, digits=3)
    elif isinstance(each, MassRequirement | FrequencyRequirement):
        text = f"{units.number(change, 3)} {'kg' if each.kind == 'mass' else 'Hz'}"
    else:
        text = f"{change:.2f}".replace("-", "−")
    return text if text.startswith("−") else f"+{text}"


_STATIONS = {
    Topic.MATERIALS: "Materials",
    Topic.STACKS: "Stacks",
    Topic.PART: "Part",
    Topic.LOADS: "Cases",
    Topic.JUDGING: "Margins",
}


def station_of(error: TartanError) -> str:
    """Station at which an error is mended."""
    return _STATIONS[error.topic]


def is_begun(project: Project) -> bool:
    """Whether anything of a part is there: laminates alone are work of their own."""
    return project.part is not None or bool(project.cases or project.outside)


def blocked(error: TartanError, project: Project | None = None) -> Verdict:
    """Verdict of a project that cannot be answered, and where to mend it."""
    if project is not None and not is_begun(project):
        count = len(project.stacks)
        noun = "stack" if count == 1 else "stacks"
        words = f"{count} {noun}, each with its own answers. A part begins in Part."
        nothing = "Nothing is entered yet."
        return Verdict(
            "idle", "No part", words if count else nothing, "Stacks" if count else "Materials"
        )
    return Verdict(
        "blocked", "No answer yet", str(error), station_of(error), subject=error.subject
    )


def cancelled(last: Verdict | None, error: TartanError) -> Verdict:
    """Verdict after solving was given up: the last answer stays, and is said to be of before."""
    if last is None or last.state in ("blocked", "stale", "idle"):
        return blocked(error)
    sentence = f"{error.what} {error.mend} Last answer: {last.figure.lower()}, {last.sentence}"
    return Verdict("stale", "Stale, cancelled", sentence, last.station, last.address)


def stale(last: Verdict | None) -> Verdict:
    """Verdict while a changed project is being solved."""
    if last is None or last.state in ("blocked", "stale", "idle"):
        return Verdict("stale", "Solving", "The first answer is on its way.")
    sentence = f"The project has changed. Last answer: {last.figure.lower()}, {last.sentence}"
    return Verdict("stale", "Stale, solving again", sentence, last.station, last.address)
