"""Transverse shear: a sandwich core by direction, and the layers of a laminate.

Source: H. G. Allen, Analysis and Design of Structural Sandwich Panels (1969), chapter 2.
"""

from __future__ import annotations

from typing import Literal

from tartan.core.criteria.base import Strengths
from tartan.core.criteria.branches import Branch, BranchCriterion, both_signs


class CoreShear(BranchCriterion):
    """Maximum transverse shear stress; reads the stresses 13 and 23."""

    formula = "max(|t13|/S13, |t23|/S23)"
    key = "core_shear"
    title = "core shear"
    needs = ("S13", "S23")
    modes = ("core shear along 1", "core shear along 2")
    stress: Literal["in-plane", "transverse", "sandwich"] = "transverse"
    source = "Allen, Analysis and Design of Structural Sandwich Panels (1969), ch. 2"

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """Each direction with either sign."""
        return (*both_signs(0, strengths["S13"], 0), *both_signs(1, strengths["S23"], 1))


class Interlaminar(BranchCriterion):
    """Quadratic in the two interlaminar shears: ``(t13 / S13)² + (t23 / S23)²``.

    Source: J. C. Brewer and P. A. Lagace, J. Compos. Mater. 22 (1988) 1141–1155, without the
    through-thickness stress, which a laminate's equilibrium does not give.
    """

    formula = "(t13/S13)² + (t23/S23)²"
    key = "interlaminar"
    title = "interlaminar shear"
    needs = ("S13", "S23")
    modes = ("interlaminar shear",)
    stress: Literal["in-plane", "transverse", "sandwich"] = "transverse"
    source = "Brewer & Lagace, J. Compos. Mater. 22 (1988) 1141–1155"

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """One quadratic expression."""
        return (Branch((1 / strengths["S13"] ** 2, 1 / strengths["S23"] ** 2, 0.0, 0.0)),)
