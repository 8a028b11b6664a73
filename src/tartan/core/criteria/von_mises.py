"""Von Mises in plane stress, for isotropic layers.

Source: R. von Mises, Nachr. Ges. Wiss. Göttingen (1913) 582–592.
"""

from __future__ import annotations

from tartan.core.criteria.base import Strengths
from tartan.core.criteria.branches import Branch, BranchCriterion


class VonMises(BranchCriterion):
    """Equivalent stress against one strength, the tensile one; the index is its square."""

    formula = "(s1² - s1 s2 + s2² + 3 t12²) / Xt²"
    key = "von_mises"
    title = "von Mises"
    needs = ("Xt",)
    modes = ("yield",)
    source = "von Mises, Nachr. Ges. Wiss. Göttingen (1913) 582–592"

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """One quadratic expression."""
        one = 1 / strengths["Xt"] ** 2
        return (Branch((one, one, 3 * one, -one / 2)),)
