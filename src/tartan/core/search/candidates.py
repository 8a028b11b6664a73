"""Many candidate stacks under a few loads: reserve factors at the rate of a compiled loop.

Candidates are made of plies from a short list; the loop builds A, B, D from a table of turned
stiffnesses, solves for every load and takes the least reserve factor over plies at bottom and top,
where stresses of a ply are extreme. What does not fit it goes through `whatif`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import inf
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.compiled import compiled
from tartan.core.criteria import Criterion, criterion
from tartan.core.criteria.base import strengths_of
from tartan.core.criteria.branches import COLUMNS, table_of
from tartan.core.criteria.kernels import least_at
from tartan.core.errors import CriterionError, StackError
from tartan.core.laminate.stiffness import reduced_stiffness, strain_rotation
from tartan.core.materials import Material, checked
from tartan.core.stack.plies import Ply

Array = NDArray[np.float64]

_compiled = compiled(error_model="numpy", nogil=True)


@dataclass(frozen=True, eq=False)
class Layers:
    """Plies that candidates are made of, as the compiled loop takes them.

    Attributes
    ----------
    thickness : ndarray, shape (q,)
        Of each [m].
    Qbar, operator : ndarray, shape (q, 3, 3)
        Stiffness in laminate axes, and stress in ply axes by strain in laminate axes [Pa].
    rows : ndarray, shape (q, b, COLUMNS)
        Branches of the criteria of each.
    count : ndarray of int, shape (q,)
        How many branches each has.
    """

    thickness: Array
    Qbar: Array
    operator: Array
    rows: Array
    count: NDArray[np.int64]

    def reserves(self, candidates: NDArray[Any], loads: Array) -> Array:
        """Least reserve factor over loads, shape (L, 6) [N/m, N], of candidates (m, n): (m,)."""
        reserve = np.empty(len(candidates))
        chosen = np.ascontiguousarray(candidates, np.int64)
        _candidates(chosen, self._tables, np.ascontiguousarray(loads, float), reserve)
        return reserve

    @property
    def _tables(self) -> Any:
        return (self.thickness, self.Qbar, self.operator, self.rows, self.count)


def layers_of(
    plies: Sequence[Ply], materials: Sequence[Material], keys: Sequence[Sequence[str | Criterion]]
) -> Layers:
    """Plies, the material of each, and the criteria it is judged by.

    Raises
    ------
    MaterialError, StackError
        Missing strengths, or a thickness that is not positive.
    CriterionError
        A criterion that is no in-plane table of branches.
    """
    tables = []
    for ply, material, own in zip(plies, materials, keys, strict=True):
        checked(material)
        if not ply.thickness > 0:
            raise StackError(
                f"thickness must be greater than zero, it is {ply.thickness:g} m.",
                "Plies",
                "Enter a positive thickness.",
            )
        rows = [_rows(material, criterion(key)) for key in own]
        tables.append(np.concatenate(rows) if rows else np.zeros((0, COLUMNS)))
    padded = np.zeros((len(plies), max((len(t) for t in tables), default=0), COLUMNS))
    for place, table in zip(padded, tables, strict=True):
        place[: len(table)] = table
    T = strain_rotation(np.deg2rad([p.angle for p in plies]))
    Q = np.array([reduced_stiffness(m) for m in materials])
    return Layers(
        np.array([p.thickness for p in plies]),
        np.ascontiguousarray(np.swapaxes(T, 1, 2) @ Q @ T),
        np.ascontiguousarray(Q @ T),
        padded,
        np.array([len(t) for t in tables]),
    )


def compile_all() -> None:
    """Compile the loop beforehand, or read it from its cache."""
    one = np.ones(1)
    layers = Layers(
        one, np.eye(3)[None], np.eye(3)[None], np.ones((1, 1, COLUMNS)), np.ones(1, int)
    )
    layers.reserves(np.zeros((1, 1), int), np.ones((1, 6)))


def _rows(material: Material, rule: Criterion) -> Array:
    rows = table_of(rule, strengths_of(material, rule)) if rule.stress == "in-plane" else None
    if rows is None:
        raise CriterionError(
            f"{rule.title} cannot judge many stacks at once.",
            "Criteria",
            "Choose an in-plane criterion made of branches.",
        )
    return rows


@_compiled
def _factor6(K: Array, L: Array) -> None:
    """Cholesky's factor of a positive definite matrix of six."""
    for i in range(6):
        for j in range(i + 1):
            s = K[i, j]
            for k in range(j):
                s -= L[i, k] * L[j, k]
            L[i, j] = np.sqrt(s) if i == j else s / L[j, j]


@_compiled
def _solve6(L: Array, f: Array, x: Array) -> None:
    """Solve with a factor."""
    for i in range(6):
        s = f[i]
        for k in range(i):
            s -= L[i, k] * x[k]
        x[i] = s / L[i, i]
    for i in range(5, -1, -1):
        s = x[i]
        for k in range(i + 1, 6):
            s -= L[k, i] * x[k]
        x[i] = s / L[i, i]


@_compiled
def _candidates(chosen: Any, tables: Any, loads: Array, reserve: Array) -> None:
    thickness, Qbar = tables[0], tables[1]
    n = chosen.shape[1]
    L, x, f, K = np.zeros((6, 6)), np.zeros(6), np.zeros(6), np.zeros((6, 6))
    z = np.zeros(n + 1)
    for c in range(chosen.shape[0]):
        h = 0.0
        for k in range(n):
            h += thickness[chosen[c, k]]
        K[:] = 0.0
        z[0] = -0.5
        for k in range(n):
            # Heights and moments are scaled by the thickness, which conditions the system.
            q = chosen[c, k]
            t = thickness[q] / h
            z[k + 1] = z[k] + t
            middle = z[k] + t / 2
            b, d = t * middle, t * (middle * middle + t * t / 12)
            for i in range(3):
                for j in range(i + 1):
                    K[i, j] += Qbar[q, i, j] * t
                    K[i + 3, j] += Qbar[q, i, j] * b
                    K[i + 3, j + 3] += Qbar[q, i, j] * d
        for i in range(3):
            for j in range(i):
                K[j + 3, i] = K[i + 3, j]
        _factor6(K, L)
        least = inf
        for row in range(len(loads)):
            for i in range(3):
                f[i], f[i + 3] = loads[row, i] / h, loads[row, i + 3] / (h * h)
            _solve6(L, f, x)
            least = min(least, _least(chosen[c], z, tables, x))
        reserve[c] = least


@_compiled
def _least(plies: Any, z: Any, tables: Any, x: Array) -> Any:
    """Least reserve factor over bottom and top of every ply."""
    operator, rows, count = tables[2], tables[3], tables[4]
    least = inf
    for k in range(plies.shape[0]):
        q = plies[k]
        o = operator[q]
        for edge in range(2):
            h = z[k + edge]
            e0, e1, e2 = x[0] + h * x[3], x[1] + h * x[4], x[2] + h * x[5]
            s1 = o[0, 0] * e0 + o[0, 1] * e1 + o[0, 2] * e2
            s2 = o[1, 0] * e0 + o[1, 1] * e1 + o[1, 2] * e2
            s6 = o[2, 0] * e0 + o[2, 1] * e1 + o[2, 2] * e2
            least = min(least, least_at(s1, s2, s6, rows[q, : count[q]]))
    return least
