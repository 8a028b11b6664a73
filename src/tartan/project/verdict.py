"""The verdict: which requirement governs, at what address, in one sentence."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from tartan.core.criteria import criterion
from tartan.core.errors import TartanError
from tartan.core.laminate.response import SPOTS
from tartan.core.shell.mesh import Mesh, place_words
from tartan.project import units
from tartan.project.jobs import PartAnswer
from tartan.project.model import DisplacementRequirement, Project, Requirement, ReserveRequirement
from tartan.project.shellinputs import mesh_for

State = Literal["holds", "fails", "stale", "blocked"]

DEFAULT_RESERVE = ReserveRequirement(1.0)
"""What is asked of a project that states no reserve factor of its own."""


@dataclass(frozen=True)
class Address:
    """Where a margin is reached; indices from 0, `words` in the order of the sentence."""

    case: int
    element: int
    ply: int | None
    spot: int | None
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
        Where; None when nothing is loaded.
    """

    requirement: Requirement
    value: float
    ratio: float
    address: Address | None

    @property
    def met(self) -> bool:
        """Whether the requirement is met."""
        return self.ratio >= 1.0

    @property
    def figure(self) -> str:
        """Value in words, such as "Reserve factor 1.38"."""
        if isinstance(self.requirement, ReserveRequirement):
            return f"Reserve factor {units.factor(self.value)}"
        return f"Displacement {units.show(self.value, units.LENGTH)}"

    @property
    def need(self) -> str:
        """Limit in words."""
        if isinstance(self.requirement, ReserveRequirement):
            return f"Needs {self.requirement.value:.2f}."
        return f"Allowed {units.show(self.requirement.value, units.LENGTH)}."


@dataclass(frozen=True)
class Verdict:
    """One sentence on the whole project.

    Attributes
    ----------
    state : {"holds", "fails", "stale", "blocked"}
        What the colour means; stale shows the last answer, blocked says what stands in the way.
    figure, sentence : str
        Head and body.
    station : str
        Where a click leads.
    address : Address or None
        The spot, when there is one.
    """

    state: State
    figure: str
    sentence: str
    station: str = "Margins"
    address: Address | None = None


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
    part = answer.inputs.part
    mesh = mesh_for(part.surface, part.mesh_size, part.laying_side)
    found = []
    for requirement in asked:
        if isinstance(requirement, ReserveRequirement):
            found.append(_reserve(requirement, answer, mesh))
        else:
            status = _displacement(requirement, answer, mesh)
            if status is not None:
                found.append(status)
    return sorted(found, key=lambda s: s.ratio)


def _reserve(requirement: ReserveRequirement, answer: PartAnswer, mesh: Mesh) -> Status:
    margins = answer.margins
    element = answer.spots[0] if answer.spots else int(np.argmin(margins.reserve))
    value = float(margins.reserve[element])
    ratio = value / requirement.value
    if not np.isfinite(value):
        return Status(requirement, value, ratio, None)
    return Status(requirement, value, ratio, margin_address(answer, mesh, element))


def margin_address(answer: PartAnswer, mesh: Mesh, element: int) -> Address:
    """Whole address of an element's governing margin, in words."""
    margins = answer.margins
    case, ply, spot = (int(a[element]) for a in (margins.case, margins.ply, margins.spot))
    layer = answer.inputs.stack.plies[ply]
    kind = next(m.kind for m in answer.inputs.materials if m.name == layer.material)
    which = "core" if kind == "core" else f"{units.number(layer.angle)}°"
    title = criterion(margins.checks[int(margins.check[element])]).title
    mode = margins.mode_label(element)
    at = "" if kind == "core" else f" at the {SPOTS[spot]}"
    words = (
        f"{answer.inputs.cases[case].name}, {place_words(mesh.places[element])}, "
        f"ply {ply + 1} ({which}), {mode}{at}, by {title}"
    )
    return Address(case, element, ply, spot, words)


def _displacement(requirement: DisplacementRequirement, answer: PartAnswer, mesh: Mesh
                  ) -> Status | None:  # fmt: skip
    names = [c.name for c in answer.inputs.cases]
    if requirement.case not in names:
        return None
    case = names.index(requirement.case)
    size = np.linalg.norm(answer.solution.displacement[case, :, :3], axis=1)
    node = int(size.argmax())
    element = int(np.argmax((mesh.quads == node).any(axis=1)))
    words = f"{requirement.case}, {place_words(mesh.places[element])}"
    value = float(size[node])
    ratio = requirement.value / value if value > 0 else float("inf")
    return Status(requirement, value, ratio, Address(case, element, None, None, words))


def verdict(project: Project, answer: PartAnswer) -> Verdict:
    """Say what governs: the requirement that is least met."""
    least = statuses(project, answer)[0]
    state: State = "holds" if least.met else "fails"
    if least.address is None:
        return Verdict(state, least.figure, f"No case loads the part. {least.need}", "Cases")
    where = least.address.words
    sentence = f"{where[0].upper()}{where[1:]}. {least.need}"
    return Verdict(state, least.figure, sentence, "Margins", least.address)


_STATIONS = (("Material", "Materials"), ("Stack", "Stacks"), ("Notation", "Stacks"),
             ("Surface", "Part"), ("Mesh", "Part"), ("Reference", "Part"), ("Part", "Part"),
             ("Support", "Cases"), ("Case", "Cases"), ("Load", "Cases"))  # fmt: skip


def station_of(error: TartanError) -> str:
    """Station at which an error is mended, from the head of its place."""
    return next((s for head, s in _STATIONS if error.where.startswith(head)), "Margins")


def blocked(error: TartanError) -> Verdict:
    """Verdict of a project that cannot be answered, and where to mend it."""
    return Verdict("blocked", "No answer yet", str(error), station_of(error))


def stale(last: Verdict | None) -> Verdict:
    """Verdict while a changed project is being solved."""
    if last is None or last.state in ("blocked", "stale"):
        return Verdict("stale", "Solving", "The first answer is on its way.")
    sentence = f"The project has changed. Last answer: {last.figure.lower()}, {last.sentence}"
    return Verdict("stale", "Stale, solving again", sentence, last.station, last.address)
