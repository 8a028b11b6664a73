"""Tsai–Wu quadratic criterion for plane stress.

``F1 s1 + F2 s2 + F11 s1² + F22 s2² + 2 F12 s1 s2 + F66 t12² = 1`` with
``F12 = F12* √(F11 F22)``. Source: S. W. Tsai and E. M. Wu, J. Compos. Mater. 5 (1971) 58–80.
"""

from __future__ import annotations

import numpy as np

from tartan.core.criteria.base import Strengths
from tartan.core.criteria.branches import (
    IN_PLANE_MODES,
    IN_PLANE_STRENGTHS,
    Branch,
    BranchCriterion,
)


class TsaiWu(BranchCriterion):
    """Tsai–Wu; its one expression has no modes, so the dominant stress names the mode."""

    formula = "F1 s1 + F2 s2 + F11 s1² + F22 s2² + 2 F12 s1 s2 + F66 t12², F12 = F12* √(F11 F22)"
    key = "tsai_wu"
    title = "Tsai–Wu"
    needs = (*IN_PLANE_STRENGTHS, "f12_star")
    modes = IN_PLANE_MODES
    source = "Tsai & Wu, J. Compos. Mater. 5 (1971) 58–80"
    by_share = True

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """One quadratic expression with linear terms."""
        s = strengths
        f11, f22 = 1 / (s["Xt"] * s["Xc"]), 1 / (s["Yt"] * s["Yc"])
        f12 = float(s["f12_star"] * np.sqrt(f11 * f22))
        linear = (1 / s["Xt"] - 1 / s["Xc"], 1 / s["Yt"] - 1 / s["Yc"], 0.0)
        return (Branch((f11, f22, 1 / s["S12"] ** 2, f12), linear),)
