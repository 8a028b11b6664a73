"""Shear of a sandwich core in its two directions, each against its own strength.

Source: H. G. Allen, Analysis and Design of Structural Sandwich Panels (1969), chapter 2.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from tartan.core.criteria.base import Array, Outcome, Strengths, first_reach, least_of


class CoreShear:
    """Maximum transverse shear stress; reads the stresses 13 and 23."""

    key = "core_shear"
    title = "core shear"
    needs = ("S13", "S23")
    modes = ("core shear along 1", "core shear along 2")
    stress: Literal["in-plane", "transverse"] = "transverse"
    source = "Allen, Analysis and Design of Structural Sandwich Panels (1969), ch. 2"

    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate; the index is of first degree in the stress.

        Parameters
        ----------
        strengths : mapping of str to float
            `S13`, `S23` [Pa].
        applied : ndarray, shape (..., 2)
            Stress scaled by the reserve factor, 13, 23 [Pa].
        residual : ndarray, shape (..., 2), optional
            Stress held fixed [Pa].
        """
        held = np.zeros_like(applied) if residual is None else residual
        reserves, indices = [], []
        for axis, name in enumerate(("S13", "S23")):
            p, r = applied[..., axis] / strengths[name], held[..., axis] / strengths[name]
            whole = (np.zeros_like(p), np.full_like(p, np.inf))
            reserves.append(first_reach(p * p, 2 * p * r, r * r - 1, whole))
            indices.append(np.abs(p + r))
        return least_of(reserves, indices)
