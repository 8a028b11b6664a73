"""Von Mises in plane stress, for isotropic layers.

Source: R. von Mises, Nachr. Ges. Wiss. Göttingen (1913) 582–592.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from tartan.core.criteria.base import Array, Fibre, Outcome, Strengths, guarded, quadratic_root


class VonMises:
    """Equivalent stress against one strength, the tensile one."""

    formula = "(s1² - s1 s2 + s2² + 3 t12²) / Xt²"
    key = "von_mises"
    fibre: Fibre | None = None
    title = "von Mises"
    needs = ("Xt",)
    modes = ("yield",)
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source = "von Mises, Nachr. Ges. Wiss. Göttingen (1913) 582–592"

    @guarded
    def evaluate(self, strengths: Strengths, applied: Array, residual: Array | None = None
                 ) -> Outcome:  # fmt: skip
        """Evaluate; the index is the square of equivalent stress over strength.

        Parameters
        ----------
        strengths : mapping of str to float
            `Xt` [Pa].
        applied : ndarray, shape (..., 3)
            Stress scaled by the reserve factor, 1, 2, 12 [Pa].
        residual : ndarray, shape (..., 3), optional
            Stress held fixed [Pa].
        """
        held = np.zeros_like(applied) if residual is None else residual
        limit = strengths["Xt"] ** 2
        a = _square(applied, applied) / limit
        b = 2 * _square(applied, held) / limit
        c = _square(held, held) / limit - 1
        failed = c >= 0
        reserve = np.where(failed, 0.0, quadratic_root(a, b, np.where(failed, -1.0, c)))
        return Outcome(reserve, a + b + c + 1, np.zeros(reserve.shape, np.int8))


def _square(p: Array, q: Array) -> Array:
    cross = p[..., 0] * q[..., 1] + p[..., 1] * q[..., 0]
    return np.asarray(
        p[..., 0] * q[..., 0] + p[..., 1] * q[..., 1] - cross / 2 + 3 * p[..., 2] * q[..., 2]
    )
