"""Hashin's criterion for plane stress, four modes.

Source: Z. Hashin, Failure Criteria for Unidirectional Fiber Composites, J. Appl. Mech. 47
(1980) 329–334. The transverse shear strength S23 is a datum of its own.
"""

from __future__ import annotations

from typing import ClassVar

from tartan.core.criteria.base import Fibre, Strengths
from tartan.core.criteria.branches import IN_PLANE_STRENGTHS, Branch, BranchCriterion


class Hashin(BranchCriterion):
    """Hashin 1980: fibre tension and compression, matrix tension and compression."""

    formula = (
        "fibre tension (s1/Xt)² + α (t12/S12)²; fibre compression (s1/Xc)²; matrix tension "
        "(s2/Yt)² + (t12/S12)²; matrix compression (s2/2S23)² + ((Yc/2S23)² - 1) s2/Yc "
        "+ (t12/S12)²"
    )
    key = "hashin"
    fibre = Fibre("stress", ("matrix tension", "matrix compression"))
    title = "Hashin"
    needs = (*IN_PLANE_STRENGTHS, "S23", "hashin_alpha")
    modes = ("fibre tension", "fibre compression", "matrix tension", "matrix compression")
    # Without S23 the other three modes are judged, and what is not is said.
    needed_by: ClassVar = {"S23": ("matrix compression",)}
    source = "Hashin, J. Appl. Mech. 47 (1980) 329–334"

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """One branch a mode that there are data for."""
        s = strengths
        shear = 1 / s["S12"] ** 2
        found = (
            Branch((1 / s["Xt"] ** 2, 0.0, s["hashin_alpha"] * shear, 0.0), mode=0, signs=(1, 0)),
            Branch((1 / s["Xc"] ** 2, 0.0, 0.0, 0.0), mode=1, signs=(-1, 0)),
            Branch((0.0, 1 / s["Yt"] ** 2, shear, 0.0), mode=2, signs=(0, 1)),
        )
        if "S23" not in s:
            return found
        brittle = (s["Yc"] / (2 * s["S23"])) ** 2 - 1
        crushed = Branch(
            (0.0, 1 / (2 * s["S23"]) ** 2, shear, 0.0),
            (0.0, brittle / s["Yc"], 0.0),
            mode=3,
            signs=(0, -1),
        )
        return (*found, crushed)
