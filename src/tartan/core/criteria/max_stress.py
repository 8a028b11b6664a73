"""Maximum stress: every in-plane stress against its own strength.

Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., section 2.9.1.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from tartan.core.criteria.base import Array, Fibre, Outcome, Strengths, guarded, linear_limits

MODES = ("fibre tension", "fibre compression", "matrix tension", "matrix compression",
         "in-plane shear")  # fmt: skip


class MaxStress:
    """The index is of first degree in the stress."""

    formula = "max(s1/Xt, -s1/Xc, s2/Yt, -s2/Yc, |t12|/S12)"
    key = "max_stress"
    fibre: Fibre | None = Fibre("stress")
    title = "maximum stress"
    needs: tuple[str, ...] = ("Xt", "Xc", "Yt", "Yc", "S12")
    modes = MODES
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source = "Jones, Mechanics of Composite Materials, 2nd ed., section 2.9.1"

    @guarded
    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate.

        Parameters
        ----------
        strengths : mapping of str to float
            The fields of `needs` [Pa].
        applied : ndarray, shape (..., 3)
            Stress scaled by the reserve factor, 1, 2, 12 [Pa].
        residual : ndarray, shape (..., 3), optional
            Stress held fixed [Pa].
        """
        s = strengths
        limits = np.array([[s["Xt"], s["Xc"]], [s["Yt"], s["Yc"]], [s["S12"], s["S12"]]])
        return linear_limits(applied, residual, limits)


class MaxStrain:
    """Mechanical strains against allowables, entered or following from strength and modulus."""

    formula = "max(e1/eXt, -e1/eXc, e2/eYt, -e2/eYc, |g12|/eS12), e = S s"
    key = "max_strain"
    fibre: Fibre | None = Fibre("strain")
    title = "maximum strain"
    needs: tuple[str, ...] = ("E1", "E2", "nu12", "G12", "eXt", "eXc", "eYt", "eYc", "eS12")
    modes = MODES
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source = "Jones, Mechanics of Composite Materials, 2nd ed., section 2.9.2"

    @guarded
    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate on the strains that the stresses cause.

        Parameters
        ----------
        strengths : mapping of str to float
            Moduli [Pa], nu12 and strain allowables [1].
        applied : ndarray, shape (..., 3)
            Stress scaled by the reserve factor, 1, 2, 12 [Pa].
        residual : ndarray, shape (..., 3), optional
            Stress held fixed [Pa].
        """
        s = strengths
        compliance = np.array(
            [[1 / s["E1"], -s["nu12"] / s["E1"], 0], [-s["nu12"] / s["E1"], 1 / s["E2"], 0],
             [0, 0, 1 / s["G12"]]]
        )  # fmt: skip
        limits = np.array([[s["eXt"], s["eXc"]], [s["eYt"], s["eYc"]], [s["eS12"], s["eS12"]]])
        held = None if residual is None else residual @ compliance
        return linear_limits(applied @ compliance, held, limits)
