"""Figures that are asked of a project by name: of a stack alone, or of the part once it is solved.

``stacks[feed strut].reserve`` is the least reserve factor of a stack over its load cases;
``part.reserve[wind]`` that of the part in a case, ``part.displacement[wind]`` the greatest
displacement, ``part.requirement[2]`` what a requirement comes to, in the order of the project.
Figures are in SI.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from tartan.core.errors import DocumentError, StackError
from tartan.core.laminate.constants import flexural, membrane
from tartan.core.strength.under import least_under
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.shellinputs import laminate_for
from tartan.project.document.model import Project
from tartan.project.edits.figures import nameable, steps_of
from tartan.project.findings.chosen_margins import case_worst
from tartan.project.findings.verdict import statuses
from tartan.project.wording import units
from tartan.project.wording.units import Quantity

OF_A_STACK: dict[str, tuple[str, Quantity]] = {
    "reserve": ("reserve factor", units.RATIO),
    "Ex": ("Ex", units.MODULUS),
    "Ey": ("Ey", units.MODULUS),
    "Gxy": ("Gxy", units.MODULUS),
    "nuxy": ("νxy", units.RATIO),
    "Efx": ("flexural Ex", units.MODULUS),
    "Efy": ("flexural Ey", units.MODULUS),
    "A11": ("A11", units.MEMBRANE),
    "A22": ("A22", units.MEMBRANE),
    "A66": ("A66", units.MEMBRANE),
    "D11": ("D11", units.BENDING),
    "D22": ("D22", units.BENDING),
    "D66": ("D66", units.BENDING),
    "thickness": ("thickness", units.LENGTH),
    "mass": ("mass per area", units.AREAL_MASS),
}
"""Figures of a stack: words and quantity."""

OF_THE_PART: dict[str, tuple[str, Quantity]] = {
    "reserve": ("reserve factor", units.RATIO),
    "displacement": ("displacement", units.LENGTH),
    "requirement": ("requirement", units.RATIO),
    "mass": ("mass", units.MASS),
}
"""Figures of the part: words and quantity. One of a case stands in brackets, or of all."""

WHERE = "Answers"


def needs_part(name: str) -> bool:
    """Whether the part has to be solved for an answer."""
    return steps_of(name)[0] == "part"


def offered(project: Project) -> list[str]:
    """Answers that a project can give."""
    named = [s.name for s in project.stacks if nameable(s.name)]
    found = [f"stacks[{name}].{key}" for name in named for key in OF_A_STACK]
    if project.part is not None:
        found += ["part.reserve", "part.displacement", "part.mass"]
        for name in filter(nameable, project.case_names):
            found += [f"part.reserve[{name}]", f"part.displacement[{name}]"]
        found += [f"part.requirement[{i + 1}]" for i in range(len(project.requirements))]
    return found


def check_answer(project: Project, name: str) -> None:
    """See that a project has an answer of that name.

    Raises
    ------
    DocumentError
        Where it has not.
    """
    if name.strip() not in offered(project):
        raise DocumentError(
            f"There is no answer '{name}'.",
            WHERE,
            "Use one such as stacks[feed strut].reserve, part.reserve[wind] or part.mass.",
        )


def words_of(project: Project, name: str) -> tuple[str, Quantity]:
    """An answer in words, and its quantity."""
    root, *rest = steps_of(name)
    if root == "stacks":
        words, quantity = OF_A_STACK[rest[1]]
        return f"{words} of {rest[0][1:]}", quantity
    words, quantity = OF_THE_PART[rest[0]]
    if len(rest) == 1:
        return f"{words} of the part", quantity
    if rest[0] != "requirement":
        return f"{words}, {rest[1][1:]}", quantity
    asked = project.requirements[int(rest[1][1:]) - 1]
    kinds = {"mass": units.MASS, "frequency": units.FREQUENCY, "displacement": units.LENGTH}
    return f"{asked.kind} (requirement {rest[1][1:]})", kinds.get(asked.kind, units.RATIO)


@dataclass(frozen=True)
class Need:
    """A limit of an answer, in SI, and whether it is the least or the most."""

    limit: float
    least: bool = True

    def met(self, value: float) -> bool:
        """Whether a value keeps it."""
        return value >= self.limit if self.least else value <= self.limit


def need_of(project: Project, name: str) -> Need | None:
    """What is required of an answer, if anything."""
    root, *rest = steps_of(name)
    if root == "part" and rest[0] == "requirement":
        asked = project.requirements[int(rest[1][1:]) - 1]
        return Need(float(asked.value), asked.kind not in ("displacement", "mass"))
    if rest[-1 if root == "stacks" else 0] == "reserve":
        every = [r.value for r in project.requirements if r.kind == "reserve factor"]
        return Need(float(every[0]) if every else 1.0)
    return None


def answers(
    project: Project, names: Sequence[str], solve: Callable[[Project], PartAnswer]
) -> list[float]:
    """Values of answers, solving the part once where one asks for it.

    Raises
    ------
    TartanError
        What cannot be answered.
    """
    solved = solve(project) if any(needs_part(n) for n in names) else None
    found = []
    for name in names:
        root, *rest = steps_of(name)
        if root == "stacks":
            found.append(_of_stack(project, rest[0][1:], rest[1]))
        else:
            assert solved is not None
            found.append(_of_part(project, solved, rest))
    return found


def _of_stack(project: Project, name: str, key: str) -> float:
    stack = project.stack(name)
    if stack is None:
        raise StackError(f"There is no stack '{name}'.", WHERE, "Name one of the stacks.")
    laminate = laminate_for(stack, project.materials_of(stack))
    if key == "reserve":
        return least_under(laminate, project.loads_on(name), project.governing_sets)
    if key == "thickness":
        return laminate.thickness
    if key == "mass":
        return laminate.areal_mass
    if key[0] in "AD":
        block = laminate.ABD[:3, :3] if key[0] == "A" else laminate.ABD[3:, 3:]
        i, j = ({"1": 0, "2": 1, "6": 2}[c] for c in key[1:])
        return float(block[i, j])
    found = flexural(laminate) if key.startswith("Ef") else membrane(laminate)
    value = getattr(found, {"Efx": "Ex", "Efy": "Ey"}.get(key, key))
    return float(value)


def _of_part(project: Project, solved: PartAnswer, rest: list[str]) -> float:
    key, case = rest[0], rest[1][1:] if len(rest) > 1 else ""
    if key == "mass":
        return solved.layout().needed_mass()
    if key == "requirement":
        asked = project.requirements[int(case) - 1]
        for status in statuses(project, solved):
            if status.requirement == asked:
                return float(status.value)
        raise DocumentError("The requirement has no value.", WHERE, "Solve it once in Cases.")
    if key == "reserve":
        each = {n: float(m.reserve[e]) for n, e, m in case_worst(solved, project.left_out)}
        return each[case] if case else min(each.values())
    moved = np.linalg.norm(solved.solution.displacement[..., :3], axis=-1).max(axis=-1)
    by_case = dict(zip(solved.inputs.case_names, moved, strict=False))
    return float(by_case[case] if case else max(by_case.values()))
