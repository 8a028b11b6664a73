"""Many loads on one laminate, and many candidate laminates under one load.

Candidates are plies of one material and thickness at angles from a short list; a compiled loop
builds A, B, D from a table of turned stiffnesses, solves for the load and takes the least
Tsai–Wu reserve factor over plies at bottom and top, where stresses of a ply are extreme.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import inf
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.criteria.base import Outcome, strengths_of
from tartan.core.criteria.kernels import least_root
from tartan.core.criteria.tsai_wu import TsaiWu, coefficients
from tartan.core.errors import StackError
from tartan.core.laminate.response import Load, respond, stress_from_section
from tartan.core.laminate.stiffness import Laminate, reduced_stiffness, strain_rotation
from tartan.core.materials import Material, checked
from tartan.core.strength.reserve import plies_by_material

Array = NDArray[np.float64]

_compiled: Any = numba.njit(cache=True, error_model="numpy")


def reserve_of_loads(laminate: Laminate, loads: Array, keys: Sequence[str],
                     fixed: Load | None = None) -> dict[str, Outcome]:  # fmt: skip
    """Reserve factors of every ply and level under many loads by several in-plane criteria.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    loads : ndarray, shape (k, 6)
        Forces and moments [N/m, N].
    keys : sequence of str
        Criteria.
    fixed : Load, optional
        Temperature and moisture whose stresses stay.

    Returns
    -------
    dict of str to Outcome
        Arrays of shape (k, n, 3) by criterion.

    Raises
    ------
    StackError
        When the loads are not finite or not of this shape.
    CriterionError, MaterialError
        Unknown criterion or missing data.
    """
    loads = np.asarray(loads, float)
    if loads.ndim != 2 or loads.shape[1] != 6 or not np.isfinite(loads).all():
        raise StackError("Loads must be rows of six finite numbers.", "Loads",
                         "Give Nx, Ny, Nxy, Mx, My, Mxy.")  # fmt: skip
    section = np.zeros((len(loads), 8))
    section[:, :6] = loads @ laminate.compliance
    stress = stress_from_section(laminate, section)
    residual = None if fixed is None else respond(laminate, fixed).stress_12
    groups = plies_by_material(laminate.materials)
    found = {}
    for key in keys:
        rule = criterion(key)
        shape = stress.shape[:-1]
        whole = Outcome(np.empty(shape), np.empty(shape), np.empty(shape, np.int8))
        for material, plies in groups.items():
            one = len(groups) == 1
            part = stress if one else stress[:, plies]
            held = None if residual is None else np.broadcast_to(residual[plies], part.shape)
            outcome = rule.evaluate(strengths_of(material, rule), part, held)
            if one:
                whole = outcome
            else:
                whole.reserve[:, plies], whole.index[:, plies] = outcome.reserve, outcome.index
                whole.mode[:, plies] = outcome.mode
        found[key] = whole
    return found


def candidate_reserves(
    material: Material, thickness: float, angles: Array, candidates: NDArray[np.int64], load: Array
) -> tuple[Array, Array]:
    """A, B, D and least Tsai–Wu reserve factor of many stacks.

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

    Returns
    -------
    tuple of ndarray
        ABD, shape (m, 6, 6), and reserve factors, shape (m,).

    Raises
    ------
    MaterialError, StackError
        Missing strengths, or a thickness that is not positive.
    """
    checked(material)
    if not thickness > 0:
        raise StackError(f"thickness must be greater than zero, it is {thickness:g} m.", "Plies",
                         "Enter a positive thickness.")  # fmt: skip
    linear, square = coefficients(strengths_of(material, TsaiWu()))
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
        np.concatenate([linear, square]),
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
def _candidates(chosen: Any, t: float, Qbar: Array, operator: Array, F: Array, load: Array,
                out: Any) -> None:  # fmt: skip
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
        reserve[c] = _least(chosen[c], t, h, operator, F, x)


@_compiled  # type: ignore[untyped-decorator]
def _least(plies: Any, t: float, h: float, operator: Array, F: Array, x: Array) -> Any:
    """Least Tsai–Wu reserve factor over bottom and top of every ply."""
    least = inf
    for k in range(plies.shape[0]):
        for edge in range(2):
            z = ((k + edge) * t - h / 2) / h
            e0, e1, e2 = x[0] + z * x[3], x[1] + z * x[4], x[2] + z * x[5]
            o = operator[plies[k]]
            s1 = o[0, 0] * e0 + o[0, 1] * e1 + o[0, 2] * e2
            s2 = o[1, 0] * e0 + o[1, 1] * e1 + o[1, 2] * e2
            s6 = o[2, 0] * e0 + o[2, 1] * e1 + o[2, 2] * e2
            a = F[2] * s1 * s1 + F[3] * s2 * s2 + F[4] * s6 * s6 + 2 * F[5] * s1 * s2
            found = least_root(a, F[0] * s1 + F[1] * s2, -1.0)
            least = min(least, found)
    return least
