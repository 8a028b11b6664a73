"""Exact derivatives of a part's answers by the thicknesses and angles of its plies.

Of every answer one adjoint solution is found with the factor that it was itself found with; any
number of variables then costs sums over zones. Frequencies and buckling factors are their own
adjoint but for the prestress.

Source: E. J. Haug, K. K. Choi, V. Komkov, Design Sensitivity Analysis of Structural Systems
(1986), chapter 1; buckling with the prestress' own change as in H. C. Rodrigues, J. M. Guedes,
M. P. Bendsøe, Struct. Optim. 9 (1995) 1–12.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.factor import factor
from tartan.core.shell.inertia import mass_moments
from tartan.core.shell.matrices import stiffness_matrix, unknowns_of
from tartan.core.shell.model import ShellModel
from tartan.core.shell.prestress import second_stiffness
from tartan.core.shell.sensitivity import zonesums
from tartan.core.shell.sensitivity.growth import through_growth
from tartan.core.shell.sensitivity.place import Place
from tartan.core.shell.sensitivity.sections import (
    FIGURES,
    HEAT,
    MOMENTS,
    SECOND,
    STIFFNESS,
    Change,
    Needs,
    figures,
    slope,
)
from tartan.core.shell.sensitivity.shear import unsettled
from tartan.project.analysis.buckling_and_modes import Shapes, State
from tartan.project.analysis.caseloads import Heat
from tartan.project.analysis.force_growth import fit_at
from tartan.project.analysis.gradients import (
    Buckles,
    Gradient,
    MovedAt,
    Question,
    ReserveAt,
    Swings,
    Variable,
)
from tartan.project.analysis.inputs import Layout, PartInputs
from tartan.project.analysis.jobs import Memory, PartAnswer
from tartan.project.analysis.laying import HEIGHTS
from tartan.project.analysis.places import place_of
from tartan.project.analysis.shellinputs import shell_model
from tartan.project.analysis.superposition import heats_in, scheme_of, sets_used
from tartan.project.document.partmodel import Acceleration

Array = NDArray[np.float64]

ALIKE = 1e-4
"""Eigenvalues nearer to each other than this share are one: their derivatives are not defined."""


@dataclass(frozen=True, eq=False)
class _Pull:
    """Gradient of an answer by one displacement field, before its adjoint solution."""

    answer: int
    u: Array
    heat: Heat | None
    driven: Array
    right: Array


@dataclass(frozen=True, eq=False)
class _Loaded:
    """What grows or is held of a case that buckles, or under which the part swings."""

    held: bool
    forces: Array
    strains: Array
    u: Array
    heat: Heat | None
    driven: Array


@dataclass(eq=False)
class Slopes:
    """Derivatives of a solved part.

    Attributes
    ----------
    answer : PartAnswer
        Solved with `memory`, which still has its factors.
    memory : Memory
        Of the solution.
    """

    answer: PartAnswer
    memory: Memory
    _models: dict[str, ShellModel] = field(default_factory=dict)

    @property
    def _inputs(self) -> PartInputs:
        return self.answer.inputs

    @property
    def _layout(self) -> Layout:
        return self.answer.layout()

    def model(self, supports: str) -> ShellModel:
        """Model on a set of supports."""
        if supports not in self._models:
            self._models[supports] = shell_model(self._inputs, supports)
        return self._models[supports]

    def of(self, questions: Sequence[Question]) -> list[Gradient]:
        """Gradients of answers, with one block of adjoint solutions a set of supports.

        Raises
        ------
        PartError
            Where nothing buckles or swings, so that there is no answer to derive.
        """
        found: list[Gradient] = []
        pulls: dict[str, list[_Pull]] = {}
        for number, each in enumerate(questions):
            supports = self._supports(each.case)
            if isinstance(each, ReserveAt):
                one, wanted = self._reserve(number, each)
            elif isinstance(each, MovedAt):
                one, wanted = self._moved(number, each)
            else:
                one, wanted = self._eigen(number, each)
            found.append(one)
            pulls.setdefault(supports, []).extend(wanted)
        for supports, some in pulls.items():
            if some:
                self._adjoint(supports, some, found)
        return found

    def by(
        self,
        gradients: Sequence[Gradient],
        variables: Sequence[Variable],
        sections: Array | None = None,
    ) -> Array:
        """Derivatives of answers by variables, shape (answers, variables).

        Parameters
        ----------
        gradients : sequence of Gradient
            Of the answers.
        variables : sequence of Variable
            What they are derived by.
        sections : ndarray, shape (variables, z, 103), optional
            As `sections` gives, with all that the gradients need.
        """
        every = np.array([g.zones for g in gradients]).reshape(len(gradients), -1, FIGURES)
        if sections is None:
            sections = self.sections(variables, self.needs(gradients))
        found = np.einsum("gzf,vzf->gv", every, sections, optimize=True)
        for g, gradient in enumerate(gradients):
            if gradient.place is None:
                continue
            for v, variable in enumerate(variables):
                change = self._change(gradient.zone, variable)
                if change is not None:
                    found[g, v] += gradient.place.by_change(change)
        return np.asarray(found)

    @staticmethod
    def needs(gradients: Sequence[Gradient]) -> Needs:
        """Which figures of sections gradients are by."""
        return Needs(
            *(any(bool(g.zones[:, s].any()) for g in gradients) for s in (SECOND, MOMENTS, HEAT))
        )

    def sections(self, variables: Sequence[Variable], needs: Needs) -> Array:
        """How variables change the figures of every zone's section, shape (variables, z, 103)."""
        laminates = self._layout.zones.laminates
        found = np.zeros((len(variables), len(laminates), FIGURES))
        for number, laminate in enumerate(laminates):
            for v, variable in enumerate(variables):
                change = self._change(number, variable)
                if change is not None:
                    found[v, number] = slope(laminate, change, lambda x: figures(x, needs))
        return found

    def _change(self, zone: int, variable: Variable) -> Change | None:
        """What a variable changes in a zone's laminate; None where that is nothing."""
        layout = self._layout
        plies = list(layout.zones.plies[zone])
        if not (variable.thickness[plies].any() or variable.angle[plies].any()):
            return None
        # Draped and wound plies are thicker or thinner there than they are laid.
        share = np.array(
            [
                p.thickness / layout.laid[n].ply.thickness
                for n, p in zip(plies, layout.zones.laminates[zone].stack.plies, strict=True)
            ]
        )
        height = HEIGHTS[self._inputs.part.reference_surface]
        return Change(share * variable.thickness[plies], variable.angle[plies], height)

    def _supports(self, case: int | None) -> str:
        if case is None:
            return sets_used(self._inputs)[0]
        return self._inputs.set_of(self._inputs.case_names[case])

    def _fields(self, case: int) -> list[tuple[Array, Heat | None, Array]]:
        """What grows and what is held of a case: displacements, temperature, acceleration."""
        scheme = scheme_of(self._inputs)
        columns = self.memory.kept[self._inputs.elastic()].solution.displacement
        found = []
        for rows, heat in zip(
            (scheme.growing, scheme.held), heats_in(self._inputs, case), strict=True
        ):
            driven = np.zeros(3)
            for share, column in zip(rows[case], scheme.columns, strict=True):
                for load in self._inputs.cases[column.case].loads:
                    if isinstance(load, Acceleration) and load.held == column.held:
                        driven += share * np.array(load.vector)
            found.append((np.tensordot(rows[case], columns, axes=1), heat, driven))
        return found

    def _blank(self, value: float) -> Gradient:
        return Gradient(value, np.zeros((len(self._layout.zones.laminates), FIGURES)))

    def _moved(self, number: int, asked: MovedAt) -> tuple[Gradient, list[_Pull]]:
        scheme, along = scheme_of(self._inputs), np.array(asked.along)
        pulls, value = [], 0.0
        for rows, (u, heat, driven) in zip(
            (scheme.growing, scheme.held), self._fields(asked.case), strict=True
        ):
            if rows[asked.case].any():
                right = np.zeros_like(u)
                right[asked.node, :3] = along
                value += float(u[asked.node, :3] @ along)
                pulls.append(_Pull(number, u, heat, driven, right))
        return self._blank(value), pulls

    def _reserve(self, number: int, asked: ReserveAt) -> tuple[Gradient, list[_Pull]]:
        layout, scheme = self._layout, scheme_of(self._inputs)
        model = self.model(self._supports(asked.case))
        place = self.place(asked)
        one = self._blank(place.value)
        one.place, one.zone = place, int(layout.zones.zone[asked.element])
        pulls = []
        for rows, (u, heat, driven), grad, grow in zip(
            (scheme.growing, scheme.held),
            self._fields(asked.case),
            place.by_strains(),
            place.by_growth(),
            strict=True,
        ):
            if not rows[asked.case].any():
                continue
            each = [unsettled(model, u, asked.element, asked.point, grad)]
            if grow.any():
                more, by_force = through_growth(
                    model, fit_at(layout, asked.element), u, asked.element, grow
                )
                each.append(more)
                if heat is not None:
                    self._heated(one, -by_force, heat)
            whole = np.zeros_like(u)
            for own in each:
                right, of_C = zonesums.pull_strains(model, u, own.which, own.strains)
                one.zones[:, STIFFNESS] += (of_C + own.stiffness).reshape(-1, 64)
                whole += right
            pulls.append(_Pull(number, u, heat, driven, whole))
        return one, pulls

    def place(self, asked: ReserveAt) -> Place:
        """The place of a reserve factor, with what stresses it."""
        return place_of(self.answer, asked)

    def _eigen(self, number: int, asked: Buckles | Swings) -> tuple[Gradient, list[_Pull]]:
        buckles = isinstance(asked, Buckles)
        name = "" if asked.case is None else self._inputs.case_names[asked.case]
        known = self.answer.buckling if buckles else self.answer.modes
        shapes = next((s for s in known if s.case == name), None)
        if shapes is None or not len(shapes.values) or shapes.first is None:
            raise PartError(
                f"Nothing {'buckles' if buckles else 'swings'} there, so nothing can be derived.",
                f"Case '{name}'" if name else "Frequency",
                "Ask it of a case that does.",
            )
        model, phi = self.model(self._supports(asked.case)), shapes.first
        value = float(shapes.values[0])
        one = self._blank(value)
        one.single = _single(shapes)
        one.zones[:, STIFFNESS] = zonesums.stiffness_work(model, phi[None], phi[None])[0].reshape(
            -1, 64
        )
        loaded = [] if asked.case is None else self._loaded(asked.case, model)
        work = zonesums.geometric_work(model, phi) if loaded else np.zeros(0)
        scale = 1.0
        if buckles:
            scale = -1.0 / float((work * loaded[0].forces).sum())
        else:
            square = (2 * np.pi * value) ** 2
            by_mass = zonesums.mass_work(model, phi[None], phi[None])[0]
            one.zones[:, MOMENTS] = -square * by_mass
            moments = np.array([mass_moments(x) for x in self._layout.zones.laminates])
            scale = 1.0 / (8 * np.pi**2 * value * float((by_mass * moments).sum()))
        one.zones *= scale
        pulls = []
        for part in loaded:
            if part.forces.any():
                factor = scale * (value if buckles and not part.held else 1.0)
                right = self._stressed(one, model, part, factor * work)
                pulls.append(_Pull(number, part.u, part.heat, part.driven, right))
        return one, pulls

    def _loaded(self, case: int, model: ShellModel) -> list[_Loaded]:
        """Prestress of a case: of what grows, then of what is held where anything is."""
        answer = self.answer
        state = State(self._inputs, self._layout, answer.solution.strains, answer.resting)
        whole, rest = answer.solution.strains[case], np.zeros(0)
        if scheme_of(self._inputs).held[case].any():
            rest = answer.resting[case]
            whole = whole - rest
        found = []
        for held, (stress, strains, fields) in enumerate(
            zip(state.stresses(model, case), (whole, rest), self._fields(case), strict=True)
        ):
            if stress is not None:
                found.append(_Loaded(bool(held), stress.forces, strains, *fields))
        return found

    def _stressed(self, one: Gradient, model: ShellModel, part: _Loaded, work: Array) -> Array:
        """Gradient through the prestress by displacements; that by the sections is added."""
        zone, laminates = self._layout.zones.zone, self._layout.zones.laminates
        C = model.section_of(np.arange(model.mesh.count))
        second = np.array([second_stiffness(x) for x in laminates])[zone]
        operator = np.concatenate([C[:, :6, :6], second], axis=1)
        strains = part.strains[..., :6]
        a = np.zeros((*work.shape[:2], 8))
        a[..., :6] = np.einsum("mps,mst->mpt", work, operator)
        right, of_C = zonesums.pull_strains(model, part.u, np.arange(len(work)), a)
        outer = np.einsum("mps,mpt->mst", work, strains)
        plain = np.zeros((len(laminates), 9, 6))
        np.add.at(plain, zone, outer)
        whole = of_C.copy()
        whole[:, :6, :6] += (plain[:, :6] + np.swapaxes(plain[:, :6], 1, 2)) / 2
        one.zones[:, STIFFNESS] += whole.reshape(-1, 64)
        one.zones[:, SECOND] += plain[:, 6:].reshape(-1, 18)
        if part.heat is not None:
            self._heated(one, -work.sum(axis=1), part.heat)
        return right

    def _heated(self, one: Gradient, work: Array, heat: Heat) -> None:
        """Add the gradient by free resultants, shape (m, 6 or 9), under a temperature."""
        layout = self._layout
        each = np.zeros((layout.mesh.count, 2, 9))
        grows = layout.signs * heat.front + heat.laying
        each[:, 0, : work.shape[1]] = heat.dT * work
        each[:, 1, : work.shape[1]] = grows[:, None] * work
        total = np.zeros((len(layout.zones.laminates), 2, 9))
        np.add.at(total, layout.zones.zone, each)
        one.zones[:, HEAT] += total.reshape(-1, 18)

    def _adjoint(self, supports: str, pulls: list[_Pull], found: list[Gradient]) -> None:
        """Add what the displacements' own change does."""
        model = self.model(supports)
        right = np.array([p.right for p in pulls]).reshape(len(pulls), -1)
        rules = model.constraints
        kept = right[:, ~model.fixed.ravel()] if rules is None else right @ rules.T
        v = unknowns_of(model, self._solver(supports, model)(kept.T).T)
        u = np.array([p.u for p in pulls])
        for p, work in zip(pulls, zonesums.stiffness_work(model, v, u), strict=True):
            found[p.answer].zones[:, STIFFNESS] -= work.reshape(-1, 64)
        hot = [i for i, p in enumerate(pulls) if p.heat is not None]
        for i, free in zip(hot, zonesums.heat_work(model, v[hot]) if hot else (), strict=True):
            heat = pulls[i].heat
            assert heat is not None
            self._heated(found[pulls[i].answer], free, heat)
        for i, p in enumerate(pulls):
            if p.driven.any():
                work = zonesums.driven_work(model, v[i : i + 1], p.driven)[0]
                found[p.answer].zones[:, MOMENTS] += work

    def _solver(self, supports: str, model: ShellModel) -> Callable[[Array], Array]:
        """What solves on a set of supports: the factor of the answer where it still stands."""
        if self.memory.factored == self._inputs.elastic():
            return self.memory.reuse[supports].factor.solve
        return factor(stiffness_matrix(model)).solve


def _single(shapes: Shapes) -> bool:
    """Whether the first value stands apart from the next."""
    values = shapes.values
    return len(values) < 2 or bool(values[1] - values[0] > ALIKE * abs(values[0]))
