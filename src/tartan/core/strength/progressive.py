"""First-ply to last-ply failure by ply discount.

At each step the reserve factor of every ply that still carries is taken for the whole load from
zero with the stiffness as it is then; all plies at the least one are degraded. Residual stresses
follow the degraded stiffness.

Sources: R. M. Jones, Mechanics of Composite Materials, 2nd ed., section 4.5.4 (full discount);
A. Puck and H. Schürmann, Compos. Sci. Technol. 58 (1998) 1045–1067 (by mode).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import Criterion, criterion
from tartan.core.criteria.base import Strengths, mode_name, strengths_of
from tartan.core.errors import CriterionError
from tartan.core.laminate.loadcase import LoadCase, answer
from tartan.core.laminate.response import Load, PlyResponse, respond_split
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.reserve import plies_by_material

Array = NDArray[np.float64]
Rule = Literal["full", "mode"]

SAME = 1e-6
"""Plies whose reserve factors agree to this share fail together."""

COLLAPSE = 1e4
"""The laminate no longer carries the load when it gives this many times more than intact."""

MOST_STEPS = 4000


@dataclass(frozen=True)
class Step:
    """One event of the history.

    Attributes
    ----------
    reserve : float
        Multiplier of the load at which it happens.
    plies : tuple of int
        Plies degraded, from 0.
    modes : tuple of str
        Mode of each.
    strain : tuple of float
        Strains and curvatures of the reference surface just before [1, 1/m].
    """

    reserve: float
    plies: tuple[int, ...]
    modes: tuple[str, ...]
    strain: tuple[float, ...]


@dataclass(frozen=True)
class History:
    """Events in order; first and last ply failure as load multipliers."""

    steps: tuple[Step, ...]

    @property
    def first(self) -> float:
        """First-ply failure; infinite when nothing fails."""
        return self.steps[0].reserve if self.steps else float("inf")

    @property
    def last(self) -> float:
        """Largest load that was carried."""
        return max((s.reserve for s in self.steps), default=float("inf"))


def ply_discount(
    laminate: Laminate,
    load: Load | LoadCase,
    key: str | Criterion,
    rule: Rule = "full",
    eta: float = 1e-6,
) -> History:
    """Degrade ply by ply until the laminate can carry no more.

    Parameters
    ----------
    laminate : Laminate
        The intact laminate.
    load : Load or LoadCase
        Forces and moments are scaled; temperature and moisture stay. Of a load case what it
        prescribes is scaled, and a strain that it keeps at zero stays there as plies degrade.
    key : str or Criterion
        The criterion.
    rule : {"full", "mode"}
        Full takes all stiffness of a failed ply. By mode, failure of the matrix takes E2, G12
        and nu12 and leaves the fibre, which alone is checked from then on, by stress or by strain
        as the criterion does. When it fails too the ply degrades a second time: E1, E2 and G12,
        as they are by then, are multiplied by eta, and nothing of the ply is checked any more.
    eta : float
        What is left of a lost stiffness [1].

    Raises
    ------
    CriterionError, MaterialError
        Unknown criterion or missing data, or a stress that is not in-plane.
    """
    return History(tuple(ply_discount_steps(laminate, load, key, rule, eta)))


def ply_discount_steps(
    laminate: Laminate,
    load: Load | LoadCase,
    key: str | Criterion,
    rule: Rule = "full",
    eta: float = 1e-6,
) -> Iterator[Step]:
    """Yield the events of `ply_discount` one by one, so that long histories can be followed.

    Raises
    ------
    TartanError
        As `ply_discount` does.
    """
    checked = criterion(key)
    if checked.stress != "in-plane":
        raise CriterionError(
            f"{checked.title} has no in-plane history.",
            "Criteria",
            "Choose an in-plane criterion.",
        )
    strengths = [strengths_of(m, checked) for m in laminate.materials]
    state = _State(laminate, checked, strengths, rule, eta)
    intact = _work(laminate, load)
    for _ in range(MOST_STEPS):
        if not state.carrying or _work(state.laminate, load) > COLLAPSE * intact:
            return
        step = state.next_event(load)
        if step is None:
            return
        yield step


def _split(
    laminate: Laminate, load: Load | LoadCase
) -> tuple[PlyResponse, tuple[Array, Array] | None]:
    """What is scaled, and the ply stresses and section strains of what stays."""
    if isinstance(load, LoadCase):
        found = answer(laminate, load)
        if found.residual is None:
            return found.applied, None
        held = [np.concatenate([r.eps0, r.kappa]) for r in (found.total, found.applied)]
        return found.applied, (found.residual, held[0] - held[1])
    growing, rest = respond_split(laminate, load)
    if rest is None:
        return growing, None
    return growing, (rest.stress_12, np.concatenate([rest.eps0, rest.kappa]))


def _work(laminate: Laminate, load: Load | LoadCase) -> float:
    """Work of what is scaled, per area: it grows beyond bounds as the laminate gives way."""
    if not isinstance(load, LoadCase):
        v = np.concatenate([load.N, load.M])
        return float(v @ laminate.compliance @ v)
    forces = np.where(load.is_strain, 0.0, load.prescribed(laminate.thickness))
    response = answer(laminate, load).applied
    return float(forces @ np.concatenate([response.eps0, response.kappa]))


class _State:
    """Stiffness and what is still checked of every ply: whole, fibre only, or nothing."""

    def __init__(
        self,
        laminate: Laminate,
        rule_of: Criterion,
        strengths: list[Strengths],
        rule: Rule,
        eta: float,
    ) -> None:
        self.laminate = laminate
        self.checked = ["whole"] * laminate.count
        self._alike = plies_by_material(laminate.materials)
        self._criterion, self._strengths = rule_of, strengths
        self._rule, self._eta = rule, eta
        self._limits = self._fibre_limits() if rule == "mode" else []

    def _fibre_limits(self) -> list[tuple[float, float]]:
        """Limits of the fibre of every ply, taken before anything degrades."""
        rule = self._criterion.fibre
        if rule is None:
            return []
        pull, push = rule.needs
        return [(s.get(pull, np.inf), s.get(push, np.inf)) for s in self._strengths]

    @property
    def carrying(self) -> bool:
        """Whether any ply is still checked."""
        return any(c != "nothing" for c in self.checked)

    def next_event(self, load: Load | LoadCase) -> Step | None:
        """Degrade the plies that fail next; None when none ever does."""
        applied, held = _split(self.laminate, load)
        residual = None if held is None else held[0]
        found = self._plies(applied.stress_12, residual)
        least = min(reserve for reserve, _ in found)
        if not np.isfinite(least):
            return None
        failing = tuple(i for i, (reserve, _) in enumerate(found) if reserve <= least * (1 + SAME))
        modes = tuple(found[i][1] for i in failing)
        strain = np.concatenate([applied.eps0, applied.kappa]) * least
        strain += 0.0 if held is None else held[1]
        for i, mode in zip(failing, modes, strict=True):
            self._degrade(i, mode)
        return Step(least, failing, modes, tuple(float(s) for s in strain))

    def _plies(self, applied: Array, residual: Array | None) -> list[tuple[float, str]]:
        """Least reserve factor of every ply over its levels, and the mode."""
        found = [(float("inf"), "")] * self.laminate.count
        for rows in self._alike.values():
            whole = [i for i in rows if self.checked[i] == "whole"]
            if not whole:
                continue
            rest = None if residual is None else residual[whole]
            outcome = self._criterion.evaluate(self._strengths[whole[0]], applied[whole], rest)
            levels = outcome.reserve.argmin(axis=1)
            for k, i in enumerate(whole):
                mode = mode_name(self._criterion.modes, int(outcome.mode[k, levels[k]]))
                found[i] = (float(outcome.reserve[k, levels[k]]), mode)
        for i, state in enumerate(self.checked):
            if state == "fibre":
                rest = None if residual is None else residual[i]
                found[i] = self._fibre(i, applied[i], rest)
        return found

    def _fibre(self, i: int, applied: Array, rest: Array | None) -> tuple[float, str]:
        rule, material = self._criterion.fibre, self.laminate.materials[i]
        assert rule is not None
        pull, push = rule.evaluate(self._limits[i], applied, rest, (material.E1, material.nu12))
        tension, compression = float(pull.min()), float(push.min())
        if tension <= compression:
            return tension, "fibre tension" if np.isfinite(tension) else ""
        return compression, "fibre compression"

    def _degrade(self, i: int, mode: str) -> None:
        material, eta = self.laminate.materials[i], self._eta
        fibre = self._criterion.fibre
        if self._rule == "mode" and fibre is not None and mode in fibre.matrix:
            less = replace(
                material, E2=material.E2 * eta, G12=material.G12 * eta, nu12=material.nu12 * eta
            )
            self.checked[i] = "fibre"
        else:
            less = replace(
                material, E1=material.E1 * eta, E2=material.E2 * eta, G12=material.G12 * eta
            )
            self.checked[i] = "nothing"
        materials = list(self.laminate.materials)
        materials[i] = less
        self.laminate = Laminate(self.laminate.stack, tuple(materials), self.laminate.offset)
