"""Tsai–Wu quadratic criterion for plane stress.

``F1 s1 + F2 s2 + F11 s1² + F22 s2² + 2 F12 s1 s2 + F66 t12² = 1`` with
``F12 = F12* √(F11 F22)``. Source: S. W. Tsai and E. M. Wu, J. Compos. Mater. 5 (1971) 58–80.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from tartan.core.criteria import kernels
from tartan.core.criteria.base import Array, Fibre, Outcome, Strengths, guarded, quadratic_root

MODES = ("fibre tension", "fibre compression", "matrix tension", "matrix compression",
         "in-plane shear")  # fmt: skip


class TsaiWu:
    """Tsai–Wu; its one expression has no modes, so the dominant stress names the mode."""

    formula = "F1 s1 + F2 s2 + F11 s1² + F22 s2² + 2 F12 s1 s2 + F66 t12², F12 = F12* √(F11 F22)"
    key = "tsai_wu"
    fibre: Fibre | None = None
    title = "Tsai–Wu"
    needs = ("Xt", "Xc", "Yt", "Yc", "S12", "f12_star")
    modes = MODES
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source = "Tsai & Wu, J. Compos. Mater. 5 (1971) 58–80"

    @guarded
    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate; the mode is the stress whose share of its own strength is greatest at failure.

        Parameters
        ----------
        strengths : mapping of str to float
            The fields of `needs` [Pa, 1].
        applied : ndarray, shape (..., 3)
            Stress scaled by the reserve factor, 1, 2, 12 [Pa].
        residual : ndarray, shape (..., 3), optional
            Stress held fixed [Pa].
        """
        linear, f = coefficients(strengths)
        if (large := kernels.prepared(applied, residual)) is not None:
            names = ("Xt", "Xc", "Yt", "Yc", "S12")
            k = np.array([*linear, *f, *(1 / strengths[n] for n in names)])
            found = kernels.outputs(applied.shape[:-1])
            kernels.tsai_wu(*large, k, *(x.reshape(-1) for x in found))
            return Outcome(*found)
        a = square(f, applied, applied)
        if residual is None:
            b = applied[..., :2] @ linear
            c = np.full_like(a, -1.0)
        else:
            b = applied[..., :2] @ linear + 2 * square(f, applied, residual)
            c = residual[..., :2] @ linear + square(f, residual, residual) - 1
        index = a + b + c + 1
        failed = c >= 0
        reserve = np.where(failed, 0.0, quadratic_root(a, b, np.where(failed, -1.0, c)))
        scale = np.where(np.isfinite(reserve), reserve, 1.0)[..., None]
        total = applied * scale if residual is None else residual + scale * applied
        return Outcome(reserve, index, dominant(strengths, total))


def coefficients(s: Strengths) -> tuple[Array, Array]:
    """F1, F2 and F11, F22, F66, F12 [1/Pa, 1/Pa²]."""
    linear = np.array([1 / s["Xt"] - 1 / s["Xc"], 1 / s["Yt"] - 1 / s["Yc"]])
    f11, f22 = 1 / (s["Xt"] * s["Xc"]), 1 / (s["Yt"] * s["Yc"])
    return linear, np.array([f11, f22, 1 / s["S12"] ** 2, s["f12_star"] * np.sqrt(f11 * f22)])


def square(f: Sequence[Array | float] | Array, p: Array, q: Array) -> Array:
    """Symmetric bilinear form of the quadratic part."""
    p1, p2, p6 = p[..., 0], p[..., 1], p[..., 2]
    q1, q2, q6 = q[..., 0], q[..., 1], q[..., 2]
    total: Array = f[0] * p1 * q1 + f[1] * p2 * q2 + f[2] * p6 * q6 + f[3] * (p1 * q2 + p2 * q1)
    return total


def dominant(s: Strengths, total: Array) -> np.typing.NDArray[np.int8]:
    """Mode named by the stress whose share of its own strength is greatest."""
    s1, s2, t = total[..., 0], total[..., 1], np.abs(total[..., 2]) / s["S12"]
    fibre = np.where(s1 >= 0, s1 / s["Xt"], -s1 / s["Xc"])
    matrix = np.where(s2 >= 0, s2 / s["Yt"], -s2 / s["Yc"])
    mode = np.where(fibre >= matrix, np.where(s1 >= 0, 0, 1), np.where(s2 >= 0, 2, 3))
    return np.where(t > np.maximum(fibre, matrix), 4, mode).astype(np.int8)
