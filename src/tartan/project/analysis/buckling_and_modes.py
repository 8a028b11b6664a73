"""Buckling and natural modes that are asked of a solved part.

Buckling takes what a case holds as it is and scales the rest; modes may be those of the part under
a case's loads, whose stress stiffens or softens it.
"""

from __future__ import annotations

from collections.abc import Generator
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import MechanismError
from tartan.core.shell import eigen
from tartan.core.shell.matrices import (
    geometric_matrix,
    mass_matrix,
    stiffness_matrix,
    unknowns_of,
)
from tartan.core.shell.model import ShellModel
from tartan.core.shell.prestress import Prestress, prestress
from tartan.core.shell.solve import Solution
from tartan.project.analysis.caseloads import Heat
from tartan.project.analysis.inputs import Layout, PartInputs
from tartan.project.analysis.superposition import heats_in, scheme_of, sets_used

Array = NDArray[np.float64]
Found = TypeVar("Found")

MODES = 6
"""Natural modes worked out."""

FACTORS = 4
"""Buckling factors worked out."""


@dataclass(frozen=True)
class Progress:
    """What is being done, the share of the whole that is behind, and the seconds left if known."""

    doing: str
    share: float
    left: float | None = None

    def timed(self, spent: float) -> Progress:
        """The same with the time left [s], once enough is behind to judge it.

        Parameters
        ----------
        spent : float
            Time since it began [s].
        """
        if self.share < 0.08 or spent < 0.5:
            return self
        return replace(self, left=spent * (1 - self.share) / self.share)

    @property
    def words(self) -> str:
        """What is being done, how far it is, and how long it will take."""
        if not self.share:
            return self.doing
        text = f"{self.doing} · {self.share:.0%}"
        if self.left is None:
            return text
        minutes = self.left >= 100
        count = max(1, round(self.left / 60 if minutes else self.left))
        return f"{text} · {count} {'min' if minutes else 's'} left"


@dataclass(frozen=True, eq=False)
class Shapes:
    """Natural modes, or buckling shapes of a case.

    Attributes
    ----------
    case : str
        The case that buckles, or under whose loads the part swings; empty when unloaded.
    values : ndarray, shape (q,)
        Frequencies [Hz] or load factors [1]; empty where nothing buckles.
    shapes : ndarray, shape (q, n, 3)
        Displacements, the largest of each 1.
    complete : bool
        Whether a count of pivots agrees that none was missed.
    remark : str
        What there is to say where nothing buckles, or the held loads buckle it alone.
    held_fails : bool
        Whether the held loads buckle the part by themselves.
    first : ndarray, shape (n, 6), optional
        All unknowns of the first.
    """

    case: str
    values: Array
    shapes: Array
    complete: bool
    remark: str = ""
    held_fails: bool = False
    first: Array | None = None


@dataclass
class Kept:
    """A solution with its buckling shapes and natural modes, and what was superposed last."""

    solution: Solution
    shown: tuple[object, Solution, Array] | None = None
    shapes: dict[str, Shapes] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class State:
    """Section strains of all cases, whole and held, shape (k, m, 4, 8) or empty."""

    inputs: PartInputs
    layout: Layout
    strains: Array
    resting: Array

    def stresses(self, model: ShellModel, case: int) -> tuple[Prestress, Prestress | None]:
        """Prestress of what grows and of what is held."""
        grows, stays = heats_in(self.inputs, case)
        if not scheme_of(self.inputs).held[case].any():
            return self._of(model, self.strains[case], grows), None
        held = self.resting[case]
        return (self._of(model, self.strains[case] - held, grows), self._of(model, held, stays))

    def _of(self, model: ShellModel, strains: Array, heat: Heat | None) -> Prestress:
        if heat is None:
            return prestress(model, strains)
        signs = self.layout.signs
        return prestress(model, strains, heat.dT, signs * heat.front + heat.laying)


def told(
    steps: Generator[tuple[str, float], None, Found], start: float, end: float
) -> Generator[Progress, None, Found]:
    """Steps of the core as progress between two shares of the whole."""
    while True:
        try:
            doing, share = next(steps)
        except StopIteration as stop:
            found: Found = stop.value
            return found
        yield Progress(doing, start + (end - start) * share)


Asked = tuple[tuple[Shapes, ...], tuple[Shapes, ...]]


def asked_steps(
    state: State, models: dict[str, ShellModel], kept: Kept, start: float
) -> Generator[Progress, None, Asked]:
    """Buckling and modes that were asked for, kept while the solution stands."""
    inputs = state.inputs
    wanted = [("buckling", n) for n in inputs.buckling] + [("modes", n) for n in inputs.modes]
    found: dict[str, list[Shapes]] = {"buckling": [], "modes": []}
    matrices: dict[str, Any] = {}
    for number, (kind, name) in enumerate(wanted):
        scheme = scheme_of(inputs)
        rows = [scheme.growing, scheme.held] if name else []
        at = inputs.case_names.index(name) if name else 0
        key = kind + repr([r[at].tolist() for r in rows])
        if key not in kept.shapes:
            low = start + (0.78 - start) * number / len(wanted)
            high = start + (0.78 - start) * (number + 1) / len(wanted)
            yield Progress("assembling", low)
            supports = inputs.set_of(name) if name else sets_used(inputs)[0]
            model = models[supports]
            if supports not in matrices:
                matrices[supports] = stiffness_matrix(model)
            make = _buckling if kind == "buckling" else _modes
            kept.shapes[key] = yield from told(
                make(state, model, matrices[supports], at if name else None), low, high
            )
        found[kind].append(replace(kept.shapes[key], case=name))
    return tuple(found["buckling"]), tuple(found["modes"])


def _buckling(
    state: State, model: ShellModel, K: Any, case: int | None
) -> Generator[tuple[str, float], None, Shapes]:
    assert case is not None
    grows, stays = state.stresses(model, case)
    held = None
    if stays is not None and stays.forces.any():
        held = geometric_matrix(model, stays.forces)
    if not grows.forces.any():
        return _none(model, "nothing stresses the part")
    G = geometric_matrix(model, grows.forces)
    found = yield from eigen.buckling(
        K, G, FACTORS, held=held, most=grows.most, compresses=grows.compresses
    )
    if found.held_fails:
        return _none(model, "the held loads buckle it by themselves", fails=True)
    if len(found.values) == 0:
        back = found.reversed_at
        words = "nothing compresses" if not grows.compresses else ""
        if back is not None:
            words = f"under the reversed load at {-back:.4g} times it"
        return _none(model, words)
    return _shapes(model, found, found.values)


def _none(model: ShellModel, remark: str, *, fails: bool = False) -> Shapes:
    nothing = np.zeros((0, len(model.mesh.nodes), 3))
    return Shapes("", np.zeros(0), nothing, complete=True, remark=remark, held_fails=fails)


def _modes(
    state: State, model: ShellModel, K: Any, case: int | None
) -> Generator[tuple[str, float], None, Shapes]:
    if case is not None:
        grows, stays = state.stresses(model, case)
        for each in (grows, stays):
            if each is not None and each.forces.any():
                K = K + geometric_matrix(model, each.forces)
    try:
        found = yield from eigen.modes(K, mass_matrix(model), MODES)
    except MechanismError:
        if case is None:
            raise
        return _none(model, "the loads buckle it, so that it does not swing", fails=True)
    return _shapes(model, found, found.frequencies)


def _shapes(model: ShellModel, found: eigen.Modes, values: Array) -> Shapes:
    """Shapes by their displacements, the largest of each 1."""
    whole = unknowns_of(model, found.shapes)
    moved = whole[..., :3]
    peak = np.linalg.norm(moved, axis=2).max(axis=1)
    moved = moved / np.where(peak > 0, peak, 1.0)[:, None, None]
    return Shapes("", values, moved, found.complete, first=whole[0] if len(whole) else None)
