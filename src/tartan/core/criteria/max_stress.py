"""Maximum stress and maximum strain: every component against its own limit.

Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., section 2.9.
"""

from __future__ import annotations

from tartan.core.criteria.base import Fibre, Strengths
from tartan.core.criteria.branches import (
    IN_PLANE_MODES,
    IN_PLANE_STRENGTHS,
    Branch,
    BranchCriterion,
    both_signs,
)

_MATRIX = ("matrix tension", "matrix compression", "in-plane shear")


class MaxStress(BranchCriterion):
    """The index is of first degree in the stress."""

    formula = "max(s1/Xt, -s1/Xc, s2/Yt, -s2/Yc, |t12|/S12)"
    key = "max_stress"
    fibre = Fibre("stress", _MATRIX)
    title = "maximum stress"
    needs = IN_PLANE_STRENGTHS
    modes = IN_PLANE_MODES
    source = "Jones, Mechanics of Composite Materials, 2nd ed., section 2.9.1"

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """Each stress against its own limit by sign."""
        s = strengths
        return (
            Branch(linear=(1 / s["Xt"], 0.0, 0.0), mode=0),
            Branch(linear=(-1 / s["Xc"], 0.0, 0.0), mode=1),
            Branch(linear=(0.0, 1 / s["Yt"], 0.0), mode=2),
            Branch(linear=(0.0, -1 / s["Yc"], 0.0), mode=3),
            *both_signs(2, s["S12"], 4),
        )


class MaxStrain(BranchCriterion):
    """Mechanical strains against allowables, entered or following from strength and modulus."""

    formula = "max(e1/eXt, -e1/eXc, e2/eYt, -e2/eYc, |g12|/eS12), e = S s"
    key = "max_strain"
    fibre = Fibre("strain", _MATRIX)
    title = "maximum strain"
    needs = ("E1", "E2", "nu12", "G12", "eXt", "eXc", "eYt", "eYc", "eS12")
    modes = IN_PLANE_MODES
    source = "Jones, Mechanics of Composite Materials, 2nd ed., section 2.9.2"

    def branches(self, strengths: Strengths) -> tuple[Branch, ...]:
        """Each strain, as a linear form of the stresses."""
        s = strengths
        along = (1 / s["E1"], -s["nu12"] / s["E1"], 0.0)
        across = (-s["nu12"] / s["E1"], 1 / s["E2"], 0.0)
        limits = ((along, s["eXt"]), (along, -s["eXc"]), (across, s["eYt"]), (across, -s["eYc"]))
        return (
            *(
                Branch(linear=(e[0] / limit, e[1] / limit, 0.0), mode=mode)
                for mode, (e, limit) in enumerate(limits)
            ),
            *both_signs(2, s["eS12"] * s["G12"], 4),
        )
