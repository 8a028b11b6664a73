"""Hashin's criterion for plane stress, four modes.

Source: Z. Hashin, Failure Criteria for Unidirectional Fiber Composites, J. Appl. Mech. 47
(1980) 329–334. The transverse shear strength S23 is a datum of its own.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from tartan.core.criteria import kernels
from tartan.core.criteria.base import (
    Array,
    Fibre,
    Outcome,
    Strengths,
    first_reach,
    guarded,
    least_of,
    positive_interval,
    quadratic_root,
)


class Hashin:
    """Hashin 1980: fibre tension and compression, matrix tension and compression."""

    formula = (
        "fibre tension (s1/Xt)² + α (t12/S12)²; fibre compression (s1/Xc)²; matrix tension "
        "(s2/Yt)² + (t12/S12)²; matrix compression (s2/2S23)² + ((Yc/2S23)² - 1) s2/Yc "
        "+ (t12/S12)²"
    )
    key = "hashin"
    fibre: Fibre | None = Fibre("stress")
    title = "Hashin"
    needs = ("Xt", "Xc", "Yt", "Yc", "S12", "S23", "hashin_alpha")
    modes = ("fibre tension", "fibre compression", "matrix tension", "matrix compression")
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source = "Hashin, J. Appl. Mech. 47 (1980) 329–334"

    @guarded
    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate mode by mode, each over the multipliers at which its sign condition holds.

        Parameters
        ----------
        strengths : mapping of str to float
            The fields of `needs` [Pa, 1].
        applied : ndarray, shape (..., 3)
            Stress scaled by the reserve factor, 1, 2, 12 [Pa].
        residual : ndarray, shape (..., 3), optional
            Stress held fixed [Pa].
        """
        if (large := kernels.prepared(applied, residual)) is not None:
            k = np.array(mode_rows(strengths))
            k[:, 4] /= strengths["S12"] ** 2
            found = kernels.outputs(applied.shape[:-1])
            kernels.hashin(*large, k, *(x.reshape(-1) for x in found))
            return Outcome(*found)
        if residual is None:
            return _without_residual(strengths, applied)
        held, s = residual, strengths
        reserves, indices = [], []
        for axis, sign, square, linear, shear in mode_rows(s):
            p, r = sign * applied[..., axis], sign * held[..., axis]
            pt, rt = applied[..., 2], held[..., 2]
            f = shear / s["S12"] ** 2
            a = square * p * p + f * pt * pt
            b = 2 * (square * p * r + f * pt * rt) + linear * p
            c = square * r * r + f * rt * rt + linear * r - 1
            reserves.append(first_reach(a, b, c, positive_interval(p, r)))
            indices.append(np.where(p + r >= 0, a + b + c + 1, -np.inf))
        return least_of(reserves, indices)


def mode_rows(s: Strengths) -> tuple[tuple[int, int, float, float, float], ...]:
    """Axis and sign of the stress, its quadratic and linear coefficients, and shear's weight."""
    brittle = (s["Yc"] / (2 * s["S23"])) ** 2 - 1
    return (
        (0, 1, 1 / s["Xt"] ** 2, 0.0, s["hashin_alpha"]),
        (0, -1, 1 / s["Xc"] ** 2, 0.0, 0.0),
        (1, 1, 1 / s["Yt"] ** 2, 0.0, 1.0),
        (1, -1, 1 / (2 * s["S23"]) ** 2, -brittle / s["Yc"], 1.0),
    )


def _without_residual(s: Strengths, applied: Array) -> Outcome:
    """The common case: signs do not change along the load, so each state has its two modes."""
    shear = (applied[..., 2] / s["S12"]) ** 2
    reserves, indices = [], []
    for axis, sign, square, linear, weight in mode_rows(s):
        p = sign * applied[..., axis]
        a, b = square * p * p + weight * shear, linear * p
        holds = p >= 0
        reserves.append(np.where(holds, quadratic_root(a, b, np.full_like(a, -1.0)), np.inf))
        indices.append(np.where(holds, a + b, -np.inf))
    return least_of(reserves, indices)
