"""Tsai–Hill and Hoffman: one quadratic expression each.

Sources: V. D. Azzi and S. W. Tsai, Exp. Mech. 5 (1965) 283–288; O. Hoffman, J. Compos. Mater. 1
(1967) 200–206.
"""

from __future__ import annotations

from tartan.core.criteria.base import Strengths
from tartan.core.criteria.branches import (
    IN_PLANE_MODES,
    IN_PLANE_STRENGTHS,
    Branch,
    BranchCriterion,
)


class TsaiHill(BranchCriterion):
    """Each strength is the tensile or compressive one by the sign of its total stress."""

    formula = "s1²/X² - s1 s2/X² + s2²/Y² + t12²/S12²"
    key = "tsai_hill"
    title = "Tsai–Hill"
    needs = IN_PLANE_STRENGTHS
    modes = IN_PLANE_MODES
    source = "Azzi & Tsai, Exp. Mech. 5 (1965) 283–288"
    by_share = True

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """One branch a quadrant of s1, s2."""
        s = strengths
        return tuple(
            Branch((1 / X**2, 1 / Y**2, 1 / s["S12"] ** 2, -0.5 / X**2), signs=(one, two))
            for one, X in ((1, s["Xt"]), (-1, s["Xc"]))
            for two, Y in ((1, s["Yt"]), (-1, s["Yc"]))
        )


class Hoffman(BranchCriterion):
    """Quadratic with linear terms and the interaction fixed by the fibre strengths."""

    formula = (
        "s1²/(Xt Xc) - s1 s2/(Xt Xc) + s2²/(Yt Yc) + (1/Xt - 1/Xc) s1 + (1/Yt - 1/Yc) s2 "
        "+ t12²/S12²"
    )
    key = "hoffman"
    title = "Hoffman"
    needs = IN_PLANE_STRENGTHS
    modes = IN_PLANE_MODES
    source = "Hoffman, J. Compos. Mater. 1 (1967) 200–206"
    by_share = True

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """One quadratic expression with linear terms."""
        s = strengths
        XX = s["Xt"] * s["Xc"]
        linear = (1 / s["Xt"] - 1 / s["Xc"], 1 / s["Yt"] - 1 / s["Yc"], 0.0)
        square = (1 / XX, 1 / (s["Yt"] * s["Yc"]), 1 / s["S12"] ** 2, -0.5 / XX)
        return (Branch(square, linear),)
