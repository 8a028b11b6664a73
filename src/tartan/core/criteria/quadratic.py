"""Tsai–Hill and Hoffman: one quadratic expression each.

Sources: V. D. Azzi and S. W. Tsai, Exp. Mech. 5 (1965) 283–288; O. Hoffman, J. Compos. Mater. 1
(1967) 200–206.
"""

from __future__ import annotations

from typing import Any, Literal

import numpy as np

from tartan.core.criteria.base import (
    Array,
    Fibre,
    Outcome,
    Strengths,
    first_reach,
    guarded,
    intersect,
    positive_interval,
    quadratic_root,
)
from tartan.core.criteria.tsai_wu import MODES, dominant, square


class TsaiHill:
    """Each strength is the tensile or compressive one by the sign of its total stress."""

    formula = "s1²/X² - s1 s2/X² + s2²/Y² + t12²/S12²"
    key = "tsai_hill"
    fibre: Fibre | None = None
    title = "Tsai–Hill"
    needs: tuple[str, ...] = ("Xt", "Xc", "Yt", "Yc", "S12")
    modes = MODES
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source = "Azzi & Tsai, Exp. Mech. 5 (1965) 283–288"

    @guarded
    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate quadrant by quadrant, each over the multipliers at which its signs hold.

        Parameters
        ----------
        strengths : mapping of str to float
            The fields of `needs` [Pa].
        applied : ndarray, shape (..., 3)
            Stress scaled by the reserve factor, 1, 2, 12 [Pa].
        residual : ndarray, shape (..., 3), optional
            Stress held fixed [Pa].
        """
        held = np.zeros_like(applied) if residual is None else residual
        reserve = np.full(applied.shape[:-1], np.inf)
        for s1, X in ((1, strengths["Xt"]), (-1, strengths["Xc"])):
            first = positive_interval(s1 * applied[..., 0], s1 * held[..., 0])
            for s2, Y in ((1, strengths["Yt"]), (-1, strengths["Yc"])):
                second = positive_interval(s2 * applied[..., 1], s2 * held[..., 1])
                f = _hill(X, Y, strengths["S12"])
                a = square(f, applied, applied)
                b = 2 * square(f, applied, held)
                c = square(f, held, held) - 1
                found = first_reach(a, b, c, intersect(first, second))
                reserve = np.minimum(reserve, found)
        total = held + applied
        Xs = np.where(total[..., 0] >= 0, strengths["Xt"], strengths["Xc"])
        Ys = np.where(total[..., 1] >= 0, strengths["Yt"], strengths["Yc"])
        index = square(_hill(Xs, Ys, strengths["S12"]), total, total)
        scale = np.where(np.isfinite(reserve), reserve, 1.0)[..., None]
        return Outcome(reserve, index, dominant(strengths, held + scale * applied))


def _hill(X: Any, Y: Any, S: float) -> tuple[Array | float, ...]:
    """Coefficients of s1², s2², t12² and of twice s1 s2."""
    return 1 / X**2, 1 / Y**2, 1 / S**2, -0.5 / X**2


class Hoffman:
    """Quadratic with linear terms and the interaction fixed by the fibre strengths."""

    formula = (
        "s1²/(Xt Xc) - s1 s2/(Xt Xc) + s2²/(Yt Yc) + (1/Xt - 1/Xc) s1 + (1/Yt - 1/Yc) s2 "
        "+ t12²/S12²"
    )
    key = "hoffman"
    fibre: Fibre | None = None
    title = "Hoffman"
    needs: tuple[str, ...] = ("Xt", "Xc", "Yt", "Yc", "S12")
    modes = MODES
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source = "Hoffman, J. Compos. Mater. 1 (1967) 200–206"

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
        held = np.zeros_like(applied) if residual is None else residual
        linear = np.array([1 / s["Xt"] - 1 / s["Xc"], 1 / s["Yt"] - 1 / s["Yc"]])
        XX = s["Xt"] * s["Xc"]
        f = (1 / XX, 1 / (s["Yt"] * s["Yc"]), 1 / s["S12"] ** 2, -0.5 / XX)
        a = square(f, applied, applied)
        b = applied[..., :2] @ linear + 2 * square(f, applied, held)
        c = held[..., :2] @ linear + square(f, held, held) - 1
        failed = c >= 0
        reserve = np.where(failed, 0.0, quadratic_root(a, b, np.where(failed, -1.0, c)))
        scale = np.where(np.isfinite(reserve), reserve, 1.0)[..., None]
        return Outcome(reserve, a + b + c + 1, dominant(strengths, held + scale * applied))
