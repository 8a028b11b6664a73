"""Compiled search for the governing ply point of every element.

Criteria that are tables of branches are read as they are. To find the least reserve factor it is
enough to ask of each point whether it fails at the least one found so far; only then a root is
worked out. The place is then evaluated by the criterion itself.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import inf
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.compiled import compiled, prange
from tartan.core.criteria.branches import COLUMNS, table_of
from tartan.core.criteria.kernels import least_root
from tartan.core.laminate.response import level_heights
from tartan.core.laminate.stiffness import Laminate
from tartan.core.strength.govern import Check

Array = NDArray[np.float64]
Index = NDArray[np.int64]

TIE = 1 - 1e-9
"""Places equal but for rounding: the first is kept."""

_FAR = 1e100


def rows_of(check: Check) -> Array | None:
    """Table of an in-plane criterion that is one of branches, shape (b, 10); None of another."""
    return table_of(check.rule, check.strengths) if check.rule.stress == "in-plane" else None


@dataclass(frozen=True, eq=False)
class Sections:
    """Sections of elements, of as many plies each.

    Attributes
    ----------
    operator : ndarray, shape (z, n, 3, 3)
        Stress in ply axes per strain in section axes, by section and ply [Pa].
    heights : ndarray, shape (z, n, 3)
        Bottom, middle and top of every ply [m].
    which : ndarray of int, shape (m,)
        Section of every element.
    """

    operator: Array
    heights: Array
    which: Index

    @classmethod
    def of(cls, laminates: Sequence[Laminate], which: Index) -> Sections:
        """Those of laminates of one ply count; `which` has shape (m,)."""
        return cls(
            np.array([x.Q @ x.T for x in laminates]),
            np.array([level_heights(x) for x in laminates]),
            np.ascontiguousarray(which, np.int64),
        )

    def stresses(self, strains: Array, which: Index) -> Array:
        """In-plane stresses in ply axes of elements of some sections, shape (q, k, p, n, 3, 3).

        Parameters
        ----------
        strains : ndarray, shape (q, k, p, 8)
            Section strains of k cases at p points.
        which : ndarray of int, shape (q,)
            Section of each.
        """
        own, z = self.operator[which], self.heights[which]
        even, bent = (
            np.einsum("qnij,qkpj->qkpni", own, strains[..., k : k + 3])[..., None, :]
            for k in (0, 3)
        )
        return np.asarray(even + z[:, None, None, :, :, None] * bent)

    def stress(self, strains: Array, places: tuple[Index, Index, Index]) -> Array:
        """In-plane stress in ply axes, shape (q, 3), at one place of some elements [Pa].

        Parameters
        ----------
        strains : ndarray, shape (q, 8)
            Section strains there.
        places : tuple of ndarray of int, shape (q,)
            Elements, plies and levels.
        """
        element, ply, level = places
        section = self.which[element]
        z = self.heights[section, ply, level]
        strain = strains[:, :3] + z[:, None] * strains[:, 3:6]
        return np.asarray(np.einsum("eij,ej->ei", self.operator[section, ply], strain))


def sweep(
    sections: Sections,
    checks: Sequence[Check],
    rows: Sequence[Array],
    strains: Array,
    levels: Index,
) -> tuple[Array, Index]:
    """Find where each element fails first.

    Parameters
    ----------
    sections : Sections
        Of the elements.
    checks : sequence of Check
        In-plane criteria with the plies they judge.
    rows : sequence of ndarray
        Rows of each, by `rows_of`.
    strains : ndarray, shape (k, m, p, 8)
        Section strains.
    levels : ndarray of int
        Levels looked at: 0, 1 and 2 are bottom, middle and top.

    Returns
    -------
    tuple of ndarray
        Reserve factors, shape (m,), and case, point, ply, level and check, shape (5, m).
    """
    joined: list[Array] = []
    plies = sections.operator.shape[1]
    starts = np.zeros(plies + 1, np.int64)
    owner: list[int] = []
    for ply in range(plies):
        for number, (check, own) in enumerate(zip(checks, rows, strict=True)):
            if ply in check.plies:
                joined.append(own)
                owner += [number] * len(own)
        starts[ply + 1] = len(owner)
    every = np.concatenate(joined) if joined else np.zeros((0, COLUMNS))
    count = strains.shape[1]
    reserve = np.full(count, np.inf)
    address = np.zeros((count, 5), np.int64)
    # Where nothing ever fails, some place is named at which something is judged.
    address[:, 2:4] = checks[0].plies[0], levels[0]
    _sweep(
        np.ascontiguousarray(strains),
        (sections.operator, sections.heights, sections.which),
        levels,
        starts,
        every,
        np.array(owner, np.int64),
        (reserve, address),
    )
    return reserve, address.T


def compile_all() -> None:
    """Compile the search, or load it from its cache, so that no first answer waits for it."""
    one = np.zeros((1, 1, 1, 8))
    sections = np.zeros((1, 1, 3, 3)), np.zeros((1, 1, 3)), np.zeros(1, np.int64)
    starts, owner = np.zeros(2, np.int64), np.zeros(1, np.int64)
    _sweep(
        one,
        sections,
        np.zeros(1, np.int64),
        starts,
        np.zeros((1, COLUMNS)),
        owner,
        (np.zeros(1), np.zeros((1, 5), np.int64)),
    )


@compiled(error_model="numpy", parallel=True, nogil=True, fastmath={"contract"})
def _sweep(
    strains: Array,
    sections: Any,
    levels: Index,
    starts: Index,
    rows: Array,
    owner: Index,
    out: Any,
) -> None:
    operator, heights, which = sections
    reserve, address = out
    cases, count, points, _ = strains.shape
    for e in prange(count):
        own, z = operator[which[e]], heights[which[e]]
        least = inf
        trial = _FAR
        for k in range(cases):
            for p in range(points):
                e0, e1, e2 = strains[k, e, p, 0], strains[k, e, p, 1], strains[k, e, p, 2]
                k0, k1, k2 = strains[k, e, p, 3], strains[k, e, p, 4], strains[k, e, p, 5]
                for n in range(own.shape[0]):
                    if starts[n] == starts[n + 1]:
                        continue
                    o = own[n]
                    a1 = o[0, 0] * e0 + o[0, 1] * e1 + o[0, 2] * e2
                    a2 = o[1, 0] * e0 + o[1, 1] * e1 + o[1, 2] * e2
                    a6 = o[2, 0] * e0 + o[2, 1] * e1 + o[2, 2] * e2
                    b1 = o[0, 0] * k0 + o[0, 1] * k1 + o[0, 2] * k2
                    b2 = o[1, 0] * k0 + o[1, 1] * k1 + o[1, 2] * k2
                    b6 = o[2, 0] * k0 + o[2, 1] * k1 + o[2, 2] * k2
                    for s in levels:
                        h = z[n, s]
                        s1, s2, s6 = a1 + h * b1, a2 + h * b2, a6 + h * b6
                        s11, s22, s66, s12 = s1 * s1, s2 * s2, s6 * s6, 2 * s1 * s2
                        for r in range(starts[n], starts[n + 1]):
                            c = rows[r]
                            if c[0] * s1 < 0 or c[1] * s2 < 0:
                                continue
                            a = c[2] * s11 + c[3] * s22 + c[4] * s66 + c[5] * s12
                            b = c[6] * s1 + c[7] * s2 + c[8] * s6
                            if (a * trial + b) * trial >= 1.0:
                                root = least_root(a, b, -1.0)
                                if root < least * TIE:
                                    least = root
                                    trial = least * TIE
                                    address[e, 0], address[e, 1], address[e, 2] = k, p, n
                                    address[e, 3], address[e, 4] = s, owner[r]
        reserve[e] = least
