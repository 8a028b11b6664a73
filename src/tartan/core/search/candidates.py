"""Many candidate laminates under one load.

Candidates are plies of one material and thickness at angles from a short list; a compiled loop
builds A, B, D from a table of turned stiffnesses, solves for the load and takes the least reserve
factor over plies at bottom and top, where stresses of a ply are extreme.
"""

from __future__ import annotations

from math import inf
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import Criterion, criterion
from tartan.core.criteria.base import strengths_of
from tartan.core.criteria.branches import table_of
from tartan.core.criteria.kernels import least_at
from tartan.core.errors import CriterionError, StackError
from tartan.core.laminate.stiffness import reduced_stiffness, strain_rotation
from tartan.core.materials import Material, checked

Array = NDArray[np.float64]

_compiled: Any = numba.njit(cache=True, error_model="numpy")


def candidate_reserves(
    material: Material,
    thickness: float,
    angles: Array,
    candidates: NDArray[np.int64],
    load: Array,
    key: str | Criterion = "tsai_wu",
) -> tuple[Array, Array]:
    """A, B, D and least reserve factor of many stacks.

    Parameters
    ----------
    material : Material
        Of every ply.
    thickness : float
        Of every ply [m].
    angles : ndarray, shape (q,)
        Angles to choose from [deg].
    candidates : ndarray of int, shape (m, n)
        Index into `angles` of every ply, first-laid first.
    load : ndarray, shape (6,)
        Forces and moments about the middle [N/m, N].
    key : str or Criterion
        An in-plane criterion that is a table of branches.

    Returns
    -------
    tuple of ndarray
        ABD, shape (m, 6, 6), and reserve factors, shape (m,).

    Raises
    ------
    MaterialError, StackError
        Missing strengths, or a thickness that is not positive.
    CriterionError
        Another criterion.
    """
    checked(material)
    if not thickness > 0:
        raise StackError(
            f"thickness must be greater than zero, it is {thickness:g} m.",
            "Plies",
            "Enter a positive thickness.",
        )
    rule = criterion(key)
    rows = table_of(rule, strengths_of(material, rule)) if rule.stress == "in-plane" else None
    if rows is None:
        raise CriterionError(
            f"{rule.title} cannot judge many stacks at once.",
            "Criteria",
            "Choose an in-plane criterion made of branches.",
        )
    T = strain_rotation(np.deg2rad(angles))
    Q = reduced_stiffness(material)
    Qbar = np.ascontiguousarray(np.swapaxes(T, 1, 2) @ Q @ T)
    ABD = np.empty((len(candidates), 6, 6))
    reserve = np.empty(len(candidates))
    operator = np.ascontiguousarray(Q @ T)
    _candidates(
        np.ascontiguousarray(candidates, np.int64),
        thickness,
        Qbar,
        operator,
        rows,
        np.asarray(load, float),
        (ABD, reserve),
    )
    return ABD, reserve


@_compiled  # type: ignore[untyped-decorator]
def _solve6(K: Array, f: Array, x: Array, L: Array) -> None:
    """Solve a positive definite system of six by Cholesky."""
    for i in range(6):
        for j in range(i + 1):
            s = K[i, j]
            for k in range(j):
                s -= L[i, k] * L[j, k]
            L[i, j] = np.sqrt(s) if i == j else s / L[j, j]
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


@_compiled  # type: ignore[untyped-decorator]
def _candidates(
    chosen: Any, t: float, Qbar: Array, operator: Array, rows: Array, load: Array, out: Any
) -> None:
    ABD, reserve = out
    n = chosen.shape[1]
    h = n * t
    L, x, f, K = np.zeros((6, 6)), np.zeros(6), np.zeros(6), np.zeros((6, 6))
    for i in range(3):
        # Moments and curvatures are scaled by the thickness, which conditions the system.
        f[i], f[i + 3] = load[i], load[i + 3] / h
    for c in range(chosen.shape[0]):
        K[:] = 0.0
        for k in range(n):
            q = chosen[c, k]
            z = (k + 0.5) * t - h / 2
            b, d = t * z, t * (z * z + t * t / 12)
            for i in range(3):
                for j in range(i + 1):
                    K[i, j] += Qbar[q, i, j] * t
                    K[i + 3, j] += Qbar[q, i, j] * b
                    K[i + 3, j + 3] += Qbar[q, i, j] * d
        for i in range(3):
            for j in range(i):
                K[j, i], K[j + 3, i + 3], K[j + 3, i] = K[i, j], K[i + 3, j + 3], K[i + 3, j]
        for i in range(3):
            for j in range(3):
                K[i, j + 3] = K[j + 3, i]
        ABD[c] = K
        for i in range(3):
            for j in range(3):
                K[i + 3, j] /= h
                K[i, j + 3] /= h
                K[i + 3, j + 3] /= h * h
        _solve6(K, f, x, L)
        reserve[c] = _least(chosen[c], t, h, operator, rows, x)


@_compiled  # type: ignore[untyped-decorator]
def _least(plies: Any, t: float, h: float, operator: Array, rows: Array, x: Array) -> Any:
    """Least reserve factor over bottom and top of every ply."""
    least = inf
    for k in range(plies.shape[0]):
        for edge in range(2):
            z = ((k + edge) * t - h / 2) / h
            e0, e1, e2 = x[0] + z * x[3], x[1] + z * x[4], x[2] + z * x[5]
            o = operator[plies[k]]
            s1 = o[0, 0] * e0 + o[0, 1] * e1 + o[0, 2] * e2
            s2 = o[1, 0] * e0 + o[1, 1] * e1 + o[1, 2] * e2
            s6 = o[2, 0] * e0 + o[2, 1] * e1 + o[2, 2] * e2
            least = min(least, least_at(s1, s2, s6, rows))
    return least
