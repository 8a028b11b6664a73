"""Reserve factors of every ply and level under many loads at once, by sets of criteria.

One pass over arrays serves the columns beside a stack, critical loads, envelopes and whatever
else asks for many loads on one laminate.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import cast

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS, Criterion, criterion
from tartan.core.criteria.base import (
    NEVER,
    Outcome,
    Strengths,
    data_of,
    lacking,
    mode_name,
    strengths_of,
    unjudged_modes,
)
from tartan.core.criteria.sandwich import SandwichCriterion
from tartan.core.errors import CriterionError
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.laminate.response import LEVELS
from tartan.core.laminate.stiffness import Laminate
from tartan.core.materials import Material
from tartan.core.strength.cores import cores_of, gather, sandwich_of
from tartan.core.strength.reserve import plies_by_material

Array = NDArray[np.float64]
Sets = Mapping[str, Sequence[str | Criterion]]
"""Criteria, or their keys, by the name of a material, or by its kind."""

TIE = 1e-9
"""Equal plies differ by rounding only: within this share the first of them is named."""


@dataclass(frozen=True, eq=False)
class Beside:
    """What acts on a core beside the stresses of the plies, by load or one for all.

    Attributes
    ----------
    press, held : ndarray, shape (k,) or ()
        Pressure on the faces that is scaled, and what stays of it [Pa].
    curved : ndarray, shape (k, 3) or (3,)
        Curvature xx, yy and twice xy of the unloaded surface, positive where it bulges to the
        laying side [1/m].
    """

    press: Array
    held: Array
    curved: Array

    @classmethod
    def of(cls, loads: LoadCase) -> Beside:
        """What a load case says of it."""
        press, held = loads.press, loads.held_press
        if loads.scales_temperature:
            press, held = press + held, 0.0
        return cls(np.array(press), np.array(held), np.array(loads.curved))


@dataclass(frozen=True, eq=False)
class Check:
    """One criterion for the plies of one material.

    Attributes
    ----------
    rule : Criterion
        The criterion.
    strengths : mapping
        Its data; of sandwich criteria arrays over plies and levels.
    plies : ndarray of int, shape (m,)
        Plies it judges.
    gather : ndarray, shape (m, 3, c, n, 3, 3), optional
        What a sandwich criterion reads, from the in-plane stresses of all plies.
    """

    rule: Criterion
    strengths: Strengths
    plies: NDArray[np.intp]
    gather: Array | None = None

    def on_surface(self, curved: Array) -> Check:
        """Return the check on a surface of some curvature, shape (..., 3) by place."""
        if self._reads != "bending":
            return self
        return replace(self, strengths={**self.strengths, "curved": curved[..., None, None, :]})

    @property
    def _reads(self) -> str:
        return "" if self.gather is None else cast("SandwichCriterion", self.rule).reads

    def fed(self, in_plane: Array, transverse: Array | None, press: Array | None = None) -> Array:
        """Stresses it reads at its plies and levels, shape (..., m, 3, c).

        Parameters
        ----------
        in_plane : ndarray, shape (..., n, 3, 3)
            By ply and level in ply axes [Pa].
        transverse : ndarray, shape (..., n, 3, 2), optional
            The same of tau_13, tau_23; zero when left out [Pa].
        press : ndarray, shape (...), optional
            Pressure on the faces; none when left out [Pa].
        """
        if self.gather is not None:
            found = np.einsum("mscnab,...nab->...msc", self.gather, in_plane, optimize=True)
            if self._reads != "bending":
                return np.asarray(found)
            on = np.asarray(0.0 if press is None else press)[..., None, None]
            return np.concatenate([found, np.broadcast_to(on, found.shape[:-1])[..., None]], -1)
        if self.rule.stress == "transverse":
            if transverse is None:
                return np.zeros((*in_plane.shape[:-3], len(self.plies), 3, 2))
            return np.asarray(transverse[..., self.plies, :, :])
        return np.asarray(in_plane[..., self.plies, :, :])

    def within(self, plies: NDArray[np.bool_], levels: Sequence[int] = (0, 1, 2)) -> Check:
        """Return the check at some of its plies, shape (n,); its data are cut to them."""
        if self.gather is None:
            return replace(self, plies=self.plies[plies])
        rows = np.flatnonzero(plies)
        cut = {k: np.asarray(v)[rows][:, list(levels)] for k, v in self.strengths.items()}
        return Check(self.rule, cut, self.plies[plies], self.gather[rows][:, list(levels)])

    def at(self, ply: int, level: int) -> Strengths:
        """Data at one ply and level."""
        if self.gather is None:
            return self.strengths
        row = int(np.flatnonzero(self.plies == ply)[0])
        return {k: np.asarray(v)[row, level] for k, v in self.strengths.items()}


@dataclass(frozen=True)
class Governing:
    """The least reserve factor with its address.

    Attributes
    ----------
    reserve : float
        Reserve factor [1].
    ply : int
        First of equals, from 0.
    level, criterion, mode : str
        Where in the ply, by which criterion, in which mode.
    angle : float or None
        Fracture angle where the criterion knows one [deg].
    """

    reserve: float
    ply: int
    level: str
    criterion: str
    mode: str
    angle: float | None

    @property
    def margin(self) -> float:
        """Margin of safety, one less than the reserve factor."""
        return self.reserve - 1


@dataclass(frozen=True, eq=False)
class Reserves:
    """Reserve factors under k loads.

    Attributes
    ----------
    checks : tuple of Check
        Criteria that were evaluated, material by material.
    by_check : tuple of ndarray, shape (k, m, 3)
        Reserve factor by each check, at its own m plies [1].
    reserve : ndarray, shape (k, n, 3)
        The least over the checks [1].
    check, mode : ndarray of int8, shape (k, n, 3)
        Which check that is, and its mode.
    angle : ndarray, shape (k, n, 3)
        Fracture angle of a criterion that knows one [deg], else NaN.
    """

    checks: tuple[Check, ...]
    by_check: tuple[Array, ...]
    reserve: Array
    check: NDArray[np.int8]
    mode: NDArray[np.int8]
    angle: Array

    def governing(self, load: int = 0) -> Governing:
        """What governs under one of the loads."""
        reserve = self.reserve[load]
        ply, level = np.argwhere(reserve <= float(reserve.min()) * (1 + TIE))[0]
        rule = self.checks[int(self.check[load, ply, level])].rule
        angle = float(self.angle[load, ply, level])
        mode = mode_name(rule.modes, int(self.mode[load, ply, level]))
        return Governing(
            float(reserve[ply, level]),
            int(ply),
            LEVELS[int(level)],
            rule.key,
            mode,
            None if np.isnan(angle) else angle,
        )

    def of_rule(self, key: str) -> Array:
        """Reserve factors by one criterion, shape (k, n, 3); NaN at plies it does not judge."""
        found = np.full(self.reserve.shape, np.nan)
        for check, values in zip(self.checks, self.by_check, strict=True):
            if check.rule.key == key:
                found[:, check.plies] = values
        return found

    @property
    def keys(self) -> tuple[str, ...]:
        """Criteria that were evaluated, each once."""
        return tuple(dict.fromkeys(c.rule.key for c in self.checks))


def checks_of(
    laminate: Laminate, sets: Sets = DEFAULT_SETS, skipped: Sequence[int] = ()
) -> list[Check]:
    """Criteria of every material of a laminate.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    sets : mapping
        Criteria by material name, which comes first, or kind.
    skipped : sequence of int
        Plies that are not judged, from 0.

    Raises
    ------
    CriterionError
        When a layer has no criterion that is no filler.
    MaterialError
        When data are missing for every criterion of a material. One that lacks some goes on with
        the modes it can judge, or leaves it to the others; `unchecked` says which.
    """
    found = []
    for material, every in plies_by_material(laminate.materials).items():
        plies = every[~np.isin(every, skipped)]
        if len(plies) == 0:
            continue
        chosen = sets.get(material.name, sets.get(material.kind, ()))
        if not chosen and material.kind == "filler":
            continue
        if not chosen:
            raise CriterionError(
                f"No failure criterion is chosen for {material.kind} layers.",
                f"Material '{material.name}'",
                "Choose one in the criteria set.",
            )
        own: list[Check] = []
        refused: Criterion | None = None
        for key in chosen:
            rule = criterion(key)
            if rule.stress == "sandwich":
                if not lacking(material, rule):
                    found += sandwich_checks(laminate, rule, material, plies)
            elif (data := data_of(material, rule)) is not None:
                own.append(Check(rule, data, plies))
            else:
                refused = refused or rule
        if refused is not None and not own:
            # Nothing else judges these plies: what is lacking is asked for by name.
            strengths_of(material, refused)
        found += own
    return found


def unchecked(laminate: Laminate, sets: Sets = DEFAULT_SETS) -> tuple[str, ...]:
    """What the sets ask for and no data are there for, in words; what stands beside an answer."""
    found = []
    for material in dict.fromkeys(laminate.materials):
        chosen = sets.get(material.name, sets.get(material.kind, ()))
        if not chosen and material.kind == "filler":
            found.append(f"the filler '{material.name}' (no criterion chosen for filler layers)")
        for key in chosen:
            rule = criterion(key)
            missing = lacking(material, rule)
            if missing and rule.stress != "sandwich":
                modes = unjudged_modes(material, rule)
                which = "" if modes == rule.modes else f", {' and '.join(modes)}"
                found.append(
                    f"{rule.title}{which} ({', '.join(missing)} of '{material.name}' is empty)"
                )
                continue
            # A foam has no cells to dimple into: it is as stiff along as across.
            foam = material.E3 is not None and material.E1 > 0.2 * material.E3
            if missing and cores_of(laminate) and not (foam and missing == ("cell_size",)):
                found.append(f"{rule.title} ({', '.join(missing)} of '{material.name}' is empty)")
    return tuple(dict.fromkeys(found))


def sandwich_checks(
    laminate: Laminate, rule: Criterion, material: Material, plies: NDArray[np.intp]
) -> list[Check]:
    """Checks of the cores of a material, plies of shape (q,); each is judged at its first ply."""
    form = cast("SandwichCriterion", rule)
    data = strengths_of(material, rule)
    rows: list[int] = []
    limits: list[dict[str, Array]] = []
    reads: list[Array] = []
    for core in cores_of(laminate):
        if core.plies.start in plies and (len(core.below) or len(core.above)):
            sandwich = sandwich_of(laminate, core)
            lost = sandwich.G is None and "G13" in rule.needs
            if lost or (sandwich.Ec is None and "E3" in rule.needs):
                continue
            rows.append(core.plies.start)
            limits.append(form.limits(sandwich, data))
            reads.append(gather(laminate, core, form.reads))
    if not rows:
        return []
    joined = {k: np.array([x[k] for x in limits]) for k in limits[0]}
    return [Check(rule, joined, np.array(rows), np.array(reads))]


def reserves(
    checks: Sequence[Check],
    in_plane: Array,
    transverse: Array | None = None,
    residual: Array | None = None,
    held_shear: Array | None = None,
    beside: Beside | None = None,
) -> Reserves:
    """Evaluate checks at ply stresses.

    Parameters
    ----------
    checks : sequence of Check
        As `checks_of` gives.
    in_plane : ndarray, shape (k, n, 3, 3)
        Stress that is scaled, by load, ply and level in ply axes [Pa].
    transverse : ndarray, shape (k, n, 3, 2), optional
        tau_13, tau_23, scaled too; zero when left out [Pa].
    residual : ndarray, shape (n, 3, 3) or (k, n, 3, 3), optional
        In-plane stress that stays [Pa].
    held_shear : ndarray, shape (n, 3, 2) or (k, n, 3, 2), optional
        tau_13, tau_23 that stay [Pa].
    beside : Beside, optional
        Pressure on the faces and curvature of the surface; none when left out.
    """
    shape = in_plane.shape[:-1]
    least = np.full(shape, np.inf)
    which, mode = np.zeros(shape, np.int8), np.full(shape, NEVER, np.int8)
    angle = np.full(shape, np.nan)
    judged = np.zeros(shape, bool)
    single = []
    for i, check in enumerate(checks):
        outcome = _evaluate(check, in_plane, transverse, (residual, held_shear), beside)
        single.append(outcome.reserve)
        place = (slice(None), check.plies)
        better = (outcome.reserve < least[place] * (1 - TIE)) | ~judged[place]
        judged[place] = True
        least[place] = np.where(better, outcome.reserve, least[place])
        which[place] = np.where(better, i, which[place])
        mode[place] = np.where(better, outcome.mode, mode[place])
        found = np.nan if outcome.angle is None else outcome.angle
        angle[place] = np.where(better, found, angle[place])
    return Reserves(tuple(checks), tuple(single), least, which, mode, angle)


def _evaluate(
    check: Check,
    in_plane: Array,
    transverse: Array | None,
    rests: tuple[Array | None, Array | None],
    beside: Beside | None,
) -> Outcome:
    residual, held_shear = rests
    press = kept = None
    if beside is not None:
        check, press, kept = check.on_surface(beside.curved), beside.press, beside.held
    applied = check.fed(in_plane, transverse, press)
    stays = held_shear if check.rule.stress == "transverse" else residual
    held = None
    if stays is not None or (kept is not None and np.any(kept)):
        still = np.broadcast_to(residual if residual is not None else 0.0, in_plane.shape)
        held = np.broadcast_to(check.fed(still, held_shear, kept), applied.shape)
    outcome = check.rule.evaluate(check.strengths, applied, held)
    lost = np.argwhere(np.isnan(outcome.reserve))
    if len(lost):
        _, ply, level = lost[0]
        raise CriterionError(
            f"The stress in ply {int(check.plies[ply]) + 1} at the "
            f"{LEVELS[level]} is not a number.",
            "Loads",
            "Check the loads and the materials.",
        )
    return outcome
