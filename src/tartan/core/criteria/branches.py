"""Criteria as tables of branches: quadratic and linear forms of the stress, each with its guard.

A branch says ``f11 s1² + f22 s2² + f66 t12² + 2 f12 s1 s2 + l1 s1 + l2 s2 + l6 t12`` reaches 1 at
failure, where the stresses along 1 and 2 have the signs that it asks for. A criterion is the
worst of its branches. The same table serves single plies (here), millions of states
(`kernels.branches`), the search over a part (`shell.sweep`) and candidate stacks
(`search.candidates`), so that a criterion written as a table is fast everywhere.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import kernels
from tartan.core.criteria.base import (
    Array,
    Fibre,
    Outcome,
    Strengths,
    first_reach,
    guarded,
    intersect,
    least_of,
    positive_interval,
    quadratic_root,
)

COLUMNS = 10
"""Of a table: sign of s1 and of s2, f11, f22, f66, f12, l1, l2, l6, mode."""

IN_PLANE_MODES = (
    "fibre tension",
    "fibre compression",
    "matrix tension",
    "matrix compression",
    "in-plane shear",
)

IN_PLANE_STRENGTHS = ("Xt", "Xc", "Yt", "Yc", "S12")


@dataclass(frozen=True)
class Branch:
    """One expression of the stress that reaches 1 at failure.

    Attributes
    ----------
    square : tuple of float
        Coefficients of s1², s2², t12² and of twice s1 s2 [1/Pa²].
    linear : tuple of float
        Coefficients of s1, s2, t12 [1/Pa].
    mode : int
        Index into the criterion's modes.
    signs : tuple of int
        Signs that s1 and s2 must have, 0 for any.
    """

    square: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    linear: tuple[float, float, float] = (0.0, 0.0, 0.0)
    mode: int = 0
    signs: tuple[int, int] = (0, 0)


class BranchCriterion(ABC):
    """A criterion that is a table of branches; what is left to say of it is the table.

    One that reads the two transverse shears has them in the places of s1 and s2.
    """

    key: str
    title: str
    needs: tuple[str, ...]
    modes: tuple[str, ...]
    source: str
    formula: str
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    fibre: Fibre | None = None
    by_share: ClassVar[bool] = False
    """Whether the stress with the greatest share of its own strength names the mode."""

    @abstractmethod
    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """Branches for some strengths.

        Parameters
        ----------
        strengths : mapping of str to float
            The fields of `needs` [Pa, 1].
        """

    @guarded
    def evaluate(
        self, strengths: Strengths, applied: Array, residual: Array | None = None
    ) -> Outcome:
        """Evaluate branch by branch, each over the multipliers at which its signs hold.

        Parameters
        ----------
        strengths : mapping of str to float
            The fields of `needs` [Pa, 1].
        applied : ndarray, shape (..., 3) or (..., 2)
            Stress scaled by the reserve factor, 1, 2, 12 or 13, 23 [Pa].
        residual : ndarray, shape of `applied`, optional
            Stress held fixed [Pa].
        """
        shares = shares_of(strengths) if self.by_share else np.zeros(0)
        return evaluate_table(_rows(self.branches(strengths)), shares, applied, residual)


def table_of(rule: object, strengths: Strengths) -> Array | None:
    """Branches as rows of numbers, shape (b, `COLUMNS`); None of a criterion without any."""
    # A look at the protocol takes as long as the table: a draped part asks for thousands.
    branches = getattr(rule, "branches", None)
    found = None if branches is None else branches(strengths)
    return None if found is None else _rows(found)


def _rows(found: Sequence[Branch]) -> Array:
    return np.array([[*b.signs, *b.square, *b.linear, b.mode] for b in found], float)


def evaluate_table(rows: Array, shares: Array, applied: Array, residual: Array | None) -> Outcome:
    """Evaluate a table of rows, shape (b, `COLUMNS`), at states of stress, shape (..., 3) [Pa].

    Shares, shape (5,) [1/Pa], are empty where the rows name the modes.
    """
    if (large := kernels.prepared(applied, residual)) is not None:
        found = kernels.outputs(applied.shape[:-1])
        reserve, index, mode = found
        flat = (reserve.reshape(-1), index.reshape(-1), mode.reshape(-1))
        kernels.branches(*large, rows, shares, flat)
        return Outcome(*found)
    outcome = _evaluate(rows, applied, residual)
    if len(shares) == 0:
        return outcome
    scale = np.where(np.isfinite(outcome.reserve), outcome.reserve, 1.0)[..., None]
    total = applied * scale if residual is None else residual + scale * applied
    return Outcome(outcome.reserve, outcome.index, _greatest_share(shares, total))


def shares_of(strengths: Strengths) -> Array:
    """One over the in-plane strengths, shape (5,) [1/Pa]."""
    return np.array([1 / strengths[n] for n in IN_PLANE_STRENGTHS])


def both_signs(axis: int, limit: float, mode: int) -> tuple[Branch, Branch]:
    """A stress against one limit whatever its sign."""
    one = [0.0, 0.0, 0.0]
    one[axis] = 1 / limit
    other = [-x for x in one]
    return (
        Branch(linear=(one[0], one[1], one[2]), mode=mode),
        Branch(linear=(other[0], other[1], other[2]), mode=mode),
    )


def _evaluate(rows: Array, applied: Array, residual: Array | None) -> Outcome:
    """Least reserve factor and greatest index over branches, with their mode."""
    reserves, indices = [], []
    for row in rows:
        signs, f, linear = row[:2], row[2:6], row[6 : 6 + applied.shape[-1]]
        a, b = _form(f, applied, applied), applied @ linear
        guards = [axis for axis in (0, 1) if signs[axis]]
        if residual is None:
            # Signs do not change along the load: a branch holds at all multipliers or at none.
            holds = np.ones(a.shape, bool)
            for axis in guards:
                holds &= signs[axis] * applied[..., axis] >= 0
            root = quadratic_root(a, b, np.full_like(a, -1.0))
            reserves.append(np.where(holds, root, np.inf))
            indices.append(np.where(holds, a + b, -np.inf))
            continue
        b = b + 2 * _form(f, applied, residual)
        c = residual @ linear + _form(f, residual, residual) - 1
        between, holds = (np.zeros_like(a), np.full_like(a, np.inf)), np.ones(a.shape, bool)
        for axis in guards:
            p, r = signs[axis] * applied[..., axis], signs[axis] * residual[..., axis]
            between = intersect(between, positive_interval(p, r))
            holds &= p + r >= 0
        reserves.append(first_reach(a, b, c, between))
        indices.append(np.where(holds, a + b + c + 1, -np.inf))
    found = least_of(reserves, indices)
    return Outcome(found.reserve, found.index, rows[:, -1].astype(np.int8)[found.mode])


def _form(f: Sequence[float] | Array, p: Array, q: Array) -> Array:
    """Symmetric bilinear form of the quadratic part."""
    total: Array = f[0] * p[..., 0] * q[..., 0] + f[1] * p[..., 1] * q[..., 1]
    if f[3]:
        total = total + f[3] * (p[..., 0] * q[..., 1] + p[..., 1] * q[..., 0])
    return total if p.shape[-1] == 2 else total + f[2] * p[..., 2] * q[..., 2]


def _greatest_share(shares: Array, total: Array) -> NDArray[np.int8]:
    """Mode named by the stress whose share of its own strength is greatest."""
    s1, s2, t = total[..., 0], total[..., 1], np.abs(total[..., 2]) * shares[4]
    fibre = np.where(s1 >= 0, s1 * shares[0], -s1 * shares[1])
    matrix = np.where(s2 >= 0, s2 * shares[2], -s2 * shares[3])
    mode = np.where(fibre >= matrix, np.where(s1 >= 0, 0, 1), np.where(s2 >= 0, 2, 3))
    return np.where(t > np.maximum(fibre, matrix), 4, mode).astype(np.int8)
