"""What a design of a sizing comes to: every requirement, with its slopes by what may change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import TartanError
from tartan.core.shell.assembly import finished
from tartan.core.shell.sensitivity.sections import STIFFNESS
from tartan.project.analysis.gradients import (
    Buckles,
    Gradient,
    MovedAt,
    Question,
    ReserveAt,
    Swings,
    Variable,
)
from tartan.project.analysis.inputs import Layout, part_inputs
from tartan.project.analysis.jobs import Memory, PartAnswer, SolveRequest, run_solve
from tartan.project.analysis.sensitivity import Slopes
from tartan.project.analysis.sized import Made, effect, is_whole, made
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    BucklingRequirement,
    DisplacementRequirement,
    FrequencyRequirement,
    MassRequirement,
    Requirement,
    ReserveRequirement,
)
from tartan.project.document.sizingmodel import SizeVariable
from tartan.project.findings.chosen_margins import Ask, excluded, margins_for
from tartan.project.findings.verdict import DEFAULT_RESERVE, moved, statuses

Array = NDArray[np.float64]

MOST_ZONES = 24
"""Zones of which each has a row of its own for the reserve factor: those that are worst."""

CLEAR = 1.05
"""A merged design that exceeds a requirement by so much is not made solid to be seen to fail."""


@dataclass(frozen=True)
class Sizing:
    """What all points of one sizing share.

    Attributes
    ----------
    project : Project
        The design that the variables were read from.
    variables : tuple of SizeVariable
        All of them.
    groups : tuple of tuple of int
        Numbers of those that may change, linked ones together.
    """

    project: Project
    variables: tuple[SizeVariable, ...]
    groups: tuple[tuple[int, ...], ...]

    def changes(self, point: Sequence[float]) -> tuple[list[SizeVariable], list[float]]:
        """Variables that may change with their values, of one value a group."""
        chosen, values = [], []
        for group, value in zip(self.groups, point, strict=True):
            for number in group:
                chosen.append(self.variables[number])
                values.append(value)
        return chosen, values

    def design(self, point: Sequence[float], *, solid: bool) -> Made:
        """The design with one value a group."""
        return made(self.project, *self.changes(point), solid=solid)


@dataclass(frozen=True)
class Task:
    """A point to be answered: one value a group, and whether it is to be made solid."""

    point: tuple[float, ...]
    solid: bool


@dataclass(frozen=True)
class Judged:
    """How a design is judged.

    Attributes
    ----------
    holds : bool
        Whether the solid design meets every requirement; false of a merged one.
    worst : float
        The least ratio reached of a requirement, at least one where it holds.
    governs : str
        What that requirement is.
    figures : tuple of float
        What every requirement comes to, in the order of the project's.
    mass : float
        Of the part [kg].
    cost : float or None
        Of its materials.
    """

    holds: bool
    worst: float
    governs: str
    figures: tuple[float, ...]
    mass: float
    cost: float | None


@dataclass(frozen=True, eq=False)
class Answered:
    """What a design comes to.

    Attributes
    ----------
    values, slopes : ndarray, shape (c,) and (c, groups)
        Requirements, at most one where they hold, and their derivatives; empty where they could
        not be derived.
    beside : ndarray, shape (groups,)
        What else there is beside each group, in its units.
    judged : Judged or None
        How it is judged; none where there is no answer.
    fault : str
        Why there is none.
    """

    values: Array
    slopes: Array
    beside: Array
    judged: Judged | None
    fault: str = ""


_memory = Memory()


def answer_point(sizing: Sizing, task: Task) -> Answered:
    """Answer a point; what goes wrong is told in its stead.

    The ordering of the last matrix is kept in this process, so that the next point needs none.
    """
    try:
        return _answered(sizing, task)
    except TartanError as error:
        count = len(sizing.groups)
        none = np.zeros((0, count))
        return Answered(np.zeros(0), none, np.ones(count), None, str(error))


def _answered(sizing: Sizing, task: Task) -> Answered:
    chosen, values = sizing.changes(task.point)
    merged: Answered | None = None
    if task.solid and not is_whole(chosen, values, sizing.project):
        merged = _answered(sizing, Task(task.point, solid=False))
        if merged.values.max(initial=0.0) > CLEAR:
            return merged
    design = sizing.design(task.point, solid=task.solid)
    project = design.project
    answer = finished(run_solve(SolveRequest(0, part_inputs(project)), _memory))
    judged = _judged(project, answer, solid=task.solid)
    if merged is not None:
        return replace(merged, judged=judged)
    layout = answer.layout()
    variables = [
        effect(sizing.project, design, layout, [sizing.variables[n] for n in group])
        for group in sizing.groups
    ]
    rows, slopes, grows = derived(project, answer, _memory, variables)
    # What is beside a group makes up for the rest of the stiffness, in its units.
    beside = np.maximum(1 / grows - np.array(task.point), 0.1 / grows)
    return Answered(rows, slopes, beside, judged)


def _judged(project: Project, answer: PartAnswer, *, solid: bool) -> Judged:
    found = statuses(project, answer)
    values = {s.requirement: s.value for s in found}
    layout, least = answer.layout(), found[0]
    return Judged(
        solid and all(s.met for s in found),
        float(least.ratio),
        f"{least.figure}, {least.where}",
        tuple(float(values.get(r, np.nan)) for r in project.requirements),
        layout.needed_mass(),
        layout.cost(),
    )


def _asked(project: Project) -> list[Requirement]:
    asked = list(project.requirements)
    if not any(isinstance(r, ReserveRequirement) for r in asked):
        asked.insert(0, DEFAULT_RESERVE)
    return asked


def derived(
    project: Project, answer: PartAnswer, memory: Memory, variables: Sequence[Variable]
) -> tuple[Array, Array, Array]:
    """Requirements about a solved design, their slopes, and what each variable adds to stiffness.

    Parameters
    ----------
    project : Project
        Whose requirements.
    answer : PartAnswer
        Solved with `memory`.
    memory : Memory
        That still has its factors.
    variables : sequence of Variable
        What they are derived by.

    Returns
    -------
    tuple of ndarray
        Values, shape (c,), at most one where they hold; slopes, shape (c, variables); and shares
        by which one unit of each stiffens the zone that it stiffens most, shape (variables,).
    """
    asked = _asked(project)
    questions: list[Question] = []
    needs: list[tuple[Requirement, float]] = []
    for requirement in asked:
        for question in _questions(project, answer, requirement):
            questions.append(question)
            needs.append((requirement, float(requirement.value)))
    slopes = Slopes(answer, memory)
    gradients = slopes.of(questions)
    sections = slopes.sections(variables, slopes.needs(gradients))
    by = slopes.by(gradients, variables, sections)
    values = np.zeros(len(questions))
    rows = np.zeros((len(questions), len(variables)))
    for k, ((requirement, need), gradient) in enumerate(zip(needs, gradients, strict=True)):
        values[k], factor = _normal(requirement, need, gradient)
        rows[k] = factor * by[k]
    for requirement in asked:
        if isinstance(requirement, MassRequirement):
            layout = answer.layout()
            values = np.append(values, layout.needed_mass() / requirement.value)
            own = np.array([mass_of(layout, v, priced=False) for v in variables])
            rows = np.vstack([rows, own / requirement.value])
    return values, rows, _growth(answer.layout(), sections)


def _normal(requirement: Requirement, need: float, gradient: Gradient) -> tuple[float, float]:
    """A requirement as a number that must not exceed one, and its derivative by the answer.

    Reserve and buckling factors go about as a power of the thickness: their inverses are nearer
    to the terms that are made of them.
    """
    value = gradient.value
    if isinstance(requirement, DisplacementRequirement):
        return abs(value) / need, np.sign(value) / need
    if isinstance(requirement, FrequencyRequirement):
        return (need / value) ** 2, -2 * need**2 / value**3
    return need / value, -need / value**2


def _questions(project: Project, answer: PartAnswer, requirement: Requirement) -> list[Question]:
    """What a requirement's rows are made of."""
    names = answer.inputs.case_names
    if isinstance(requirement, ReserveRequirement):
        return _reserves(project, answer, requirement)
    if isinstance(requirement, DisplacementRequirement):
        wanted = [
            k for k, n in enumerate(answer.inputs.solved_names) if requirement.case in ("", n)
        ]
        return [q for k in wanted if (q := _farthest(answer, k, requirement)) is not None]
    if isinstance(requirement, BucklingRequirement):
        return [
            Buckles(names.index(s.case))
            for s in answer.buckling
            if requirement.case in ("", s.case) and len(s.values)
        ]
    if isinstance(requirement, FrequencyRequirement):
        return [
            Swings(names.index(s.case) if s.case else None)
            for s in answer.modes
            if s.case == requirement.case and len(s.values)
        ]
    return []


def _reserves(
    project: Project, answer: PartAnswer, requirement: ReserveRequirement
) -> list[Question]:
    """The worst place of every zone, of the zones that are worst."""
    if requirement.case and requirement.case not in answer.inputs.case_names:
        return []
    margins = margins_for(answer, Ask((requirement.case,)) if requirement.case else Ask())
    reserve = np.where(excluded(answer, project.left_out).mask, np.inf, margins.reserve)
    zone = answer.layout().zones.zone
    order = np.argsort(reserve, kind="stable")
    _, first = np.unique(zone[order], return_index=True)
    worst = order[np.sort(first)][:MOST_ZONES]
    return [
        ReserveAt(
            int(margins.case[e]),
            int(e),
            int(margins.point[e]),
            int(margins.ply[e]),
            int(margins.level[e]),
            margins.checks[int(margins.check[e])],
        )
        for e in worst
        if np.isfinite(reserve[e])
    ]


def _farthest(
    answer: PartAnswer, case: int, requirement: DisplacementRequirement
) -> MovedAt | None:
    """The node that moves farthest, along the way that counts."""
    size = moved(answer, case, requirement.measure)
    node = int(size.argmax())
    if not size[node] > 0:
        return None
    u = answer.solution.displacement[case, node, :3]
    along = u
    if requirement.measure == "normal":
        mesh = answer.layout().mesh
        normal = mesh.at_nodes(mesh.normals() * mesh.areas()[:, None])[node]
        along = normal * np.sign(normal @ u)
    along = along / np.linalg.norm(along)
    return MovedAt(case, node, (float(along[0]), float(along[1]), float(along[2])))


def mass_of(layout: Layout, variable: Variable, *, priced: bool) -> float:
    """Mass, or price, of one unit of a variable [kg or money]."""
    areas = layout.mesh.areas()
    materials = {m.name: m for s in layout.zones.laminates for m in s.materials}
    total = 0.0
    for laid, grows in zip(layout.laid, variable.thickness, strict=True):
        if grows == 0:
            continue
        material = materials[laid.ply.material]
        rho = material.need("rho", "the mass")
        factor = np.ones(len(laid.elements)) if laid.factor is None else laid.factor
        each = rho * (material.need("price", "the cost") if priced else 1.0)
        total += float(grows) * each * float(areas[laid.elements] @ factor)
    return layout.copies * total


def _growth(layout: Layout, sections: Array) -> Array:
    """By which share one unit of every group stiffens the zone that it stiffens most.

    In its plane or in bending, whichever is more; none of them nothing at all.
    """
    found = np.full(len(sections), 1e-9)
    for number, laminate in enumerate(layout.zones.laminates):
        A, D = (np.trace(x) for x in (laminate.A, laminate.D))
        C = sections[:, number, STIFFNESS].reshape(-1, 8, 8)
        grown = np.maximum(
            np.trace(C[:, :3, :3], axis1=1, axis2=2) / A,
            np.trace(C[:, 3:6, 3:6], axis1=1, axis2=2) / D,
        )
        found = np.maximum(found, grown)
    return found
