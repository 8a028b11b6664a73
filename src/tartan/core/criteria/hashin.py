"""Hashin's criterion for plane stress, four modes.

Source: Z. Hashin, Failure Criteria for Unidirectional Fiber Composites, J. Appl. Mech. 47
(1980) 329–334. The transverse shear strength S23 is a datum of its own.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from tartan.core.criteria.base import (
    Array,
    Outcome,
    Strengths,
    first_reach,
    least_of,
    positive_interval,
)


class Hashin:
    """Hashin 1980: fibre tension and compression, matrix tension and compression."""

    key = "hashin"
    title = "Hashin"
    needs = ("Xt", "Xc", "Yt", "Yc", "S12", "S23", "hashin_alpha")
    modes = ("fibre tension", "fibre compression", "matrix tension", "matrix compression")
    stress: Literal["in-plane", "transverse"] = "in-plane"
    source = "Hashin, J. Appl. Mech. 47 (1980) 329–334"

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
        held = np.zeros_like(applied) if residual is None else residual
        s = strengths
        reserves, indices = [], []
        brittle = (s["Yc"] / (2 * s["S23"])) ** 2 - 1
        for axis, sign, square, linear, shear in (
            (0, 1, 1 / s["Xt"] ** 2, 0.0, s["hashin_alpha"]),
            (0, -1, 1 / s["Xc"] ** 2, 0.0, 0.0),
            (1, 1, 1 / s["Yt"] ** 2, 0.0, 1.0),
            (1, -1, 1 / (2 * s["S23"]) ** 2, -brittle / s["Yc"], 1.0),
        ):
            p, r = sign * applied[..., axis], sign * held[..., axis]
            pt, rt = applied[..., 2], held[..., 2]
            f = shear / s["S12"] ** 2
            a = square * p * p + f * pt * pt
            b = 2 * (square * p * r + f * pt * rt) + linear * p
            c = square * r * r + f * rt * rt + linear * r - 1
            reserves.append(first_reach(a, b, c, positive_interval(p, r)))
            indices.append(np.where(p + r >= 0, a + b + c + 1, -np.inf))
        return least_of(reserves, indices)
