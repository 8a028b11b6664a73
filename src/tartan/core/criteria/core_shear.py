"""Transverse shear: a sandwich core by direction, and the layers of a laminate.

Source: H. G. Allen, Analysis and Design of Structural Sandwich Panels (1969), chapter 2.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from tartan.core.criteria.base import (
    Array,
    Fibre,
    Outcome,
    Strengths,
    first_reach,
    guarded,
    least_of,
)


class CoreShear:
    """Maximum transverse shear stress; reads the stresses 13 and 23."""

    formula = "max(|t13|/S13, |t23|/S23)"
    key = "core_shear"
    fibre: Fibre | None = None
    title = "core shear"
    needs = ("S13", "S23")
    modes = ("core shear along 1", "core shear along 2")
    stress: Literal["in-plane", "transverse", "sandwich"] = "transverse"
    source = "Allen, Analysis and Design of Structural Sandwich Panels (1969), ch. 2"

    @guarded
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


class Interlaminar:
    """Quadratic in the two interlaminar shears: ``(t13 / S13)² + (t23 / S23)²``.

    Source: J. C. Brewer and P. A. Lagace, J. Compos. Mater. 22 (1988) 1141–1155, without the
    through-thickness stress, which a laminate's equilibrium does not give.
    """

    formula = "(t13/S13)² + (t23/S23)²"
    key = "interlaminar"
    fibre: Fibre | None = None
    title = "interlaminar shear"
    needs: tuple[str, ...] = ("S13", "S23")
    modes: tuple[str, ...] = ("interlaminar shear",)
    stress: Literal["in-plane", "transverse", "sandwich"] = "transverse"
    source = "Brewer & Lagace, J. Compos. Mater. 22 (1988) 1141–1155"

    @guarded
    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate.

        Parameters
        ----------
        strengths : mapping of str to float
            `S13`, `S23` [Pa].
        applied : ndarray, shape (..., 2)
            Stress scaled by the reserve factor, 13, 23 [Pa].
        residual : ndarray, shape (..., 2), optional
            Stress held fixed [Pa].
        """
        limits = np.array([strengths["S13"], strengths["S23"]])
        p = applied / limits
        r = np.zeros_like(p) if residual is None else residual / limits
        a, b, c = (p * p).sum(-1), 2 * (p * r).sum(-1), (r * r).sum(-1) - 1
        whole = (np.zeros_like(a), np.full_like(a, np.inf))
        return least_of([first_reach(a, b, c, whole)], [a + b + c + 1])
