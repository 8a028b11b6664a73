"""Puck's criterion for plane stress, after VDI 2014 Part 3 (2006).

Fibre failure by the stress along the fibre; inter-fibre failure in modes A, B and C, each as an
exposure of first degree in the stress. The inclinations p_nl_t, p_nl_c (p⊥∥) are entered; p⊥⊥
follows from the usual coupling ``p⊥⊥ / R⊥⊥A = p⊥∥c / R⊥∥``. No weakening by the fibre stress.

Source: A. Puck, H. Schürmann, Compos. Sci. Technol. 58 (1998) 1045–1067; VDI 2014-3, section 2.
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from tartan.core.criteria import kernels
from tartan.core.criteria.base import Array, Fibre, Outcome, Strengths, guarded

_EDGE = 1e-9
"""Roots that lie this near to the border of two modes, as a share, count for both."""


class Puck:
    """Fibre fracture and inter-fibre modes A, B, C with the fracture angle."""

    formula = (
        "fibre s1/Xt, -s1/Xc; A √((t12/S12)² + (1 - p_t Yt/S12)² (s2/Yt)²) + p_t s2/S12; "
        "B (√(t12² + (p_c s2)²) + p_c s2)/S12; C ((t12/(2(1 + p⊥⊥)S12))² + (s2/Yc)²) Yc/(-s2)"
    )
    key = "puck"
    fibre: Fibre | None = Fibre("stress", ("IFF A", "IFF B", "IFF C"))
    title = "Puck"
    needs: tuple[str, ...] = ("Xt", "Xc", "Yt", "Yc", "S12", "p_nl_t", "p_nl_c")
    modes = ("fibre tension", "fibre compression", "IFF A", "IFF B", "IFF C")
    stress: Literal["in-plane", "transverse", "sandwich"] = "in-plane"
    source = "VDI 2014-3 (2006); Puck & Schürmann, Compos. Sci. Technol. 58 (1998) 1045–1067"

    @guarded
    def evaluate(
        self, strengths: Strengths, applied: Array, residual: Array | None = None
    ) -> Outcome:
        """Evaluate; along the load every mode's border is a quadratic in the multiplier.

        Parameters
        ----------
        strengths : mapping of str to float
            The fields of `needs` [Pa, 1].
        applied : ndarray, shape (..., 3)
            Stress scaled by the reserve factor, 1, 2, 12 [Pa].
        residual : ndarray, shape (..., 3), optional
            Stress held fixed [Pa].
        """
        if (large := kernels.prepared(applied, residual)) is not None:
            return _compiled(strengths, large, applied.shape[:-1])
        held = np.zeros_like(applied) if residual is None else residual
        start = _exposures(strengths, held)
        reserves = []
        for mode in range(5):
            roots = _roots(strengths, mode, applied, held)
            valid = [_valid(strengths, mode, held + r[..., None] * applied, r) for r in roots]
            found = np.min(
                [np.where(v, r, np.inf) for r, v in zip(roots, valid, strict=True)], axis=0
            )
            reserves.append(np.where(start[mode] >= 1, 0.0, found))
        stacked = np.stack(reserves)
        reserve = stacked.min(axis=0)
        index = _exposures(strengths, held + applied)
        mode_at = np.where(np.isfinite(reserve), stacked.argmin(axis=0), index.argmax(axis=0))
        scale = np.where(np.isfinite(reserve), reserve, 1.0)
        s2 = held[..., 1] + scale * applied[..., 1]
        angle = _angle(strengths, s2, mode_at)
        return Outcome(reserve, index.max(axis=0), mode_at.astype(np.int8), angle)


def parameters(s: Strengths) -> tuple[float, float, float]:
    """R⊥⊥A [Pa], p⊥⊥c [1] and the shear stress at the border of B and C [Pa]."""
    S, p = s["S12"], s["p_nl_c"]
    # As p → 0 the expression tends to Yc/2.
    RA = S / (2 * p) * (np.sqrt(1 + 2 * p * s["Yc"] / S) - 1) if p > 0 else s["Yc"] / 2
    pnn = p * RA / S
    return float(RA), float(pnn), float(S * np.sqrt(1 + 2 * pnn))


def _exposures(s: Strengths, stress: Array) -> Array:
    """Exposure of every mode, shape (5, ...); zero where a mode's sign condition fails."""
    s1, s2, t = stress[..., 0], stress[..., 1], np.abs(stress[..., 2])
    S, Yt, Yc = s["S12"], s["Yt"], s["Yc"]
    RA, pnn, tc = parameters(s)
    pull, push = np.maximum(s2, 0.0), np.minimum(s2, 0.0)
    p = s["p_nl_t"]
    A = np.sqrt((t / S) ** 2 + ((1 - p * Yt / S) * pull / Yt) ** 2) + p * pull / S
    q = s["p_nl_c"]
    B = (np.sqrt(t**2 + (q * push) ** 2) + q * push) / S
    with np.errstate(divide="ignore", invalid="ignore"):
        C = ((t / (2 * (1 + pnn) * S)) ** 2 + (push / Yc) ** 2) * Yc / -push
    steep = -push * tc > t * RA
    return np.stack(
        [
            np.maximum(s1, 0) / s["Xt"],
            np.maximum(-s1, 0) / s["Xc"],
            np.where(s2 >= 0, A, 0.0),
            np.where((s2 < 0) & ~steep, B, 0.0),
            np.where((s2 < 0) & steep, C, 0.0),
        ]
    )


def _roots(s: Strengths, mode: int, applied: Array, held: Array) -> tuple[Array, Array]:
    """Multipliers at which the border of a mode is met, its conditions aside."""
    p1, p2, pt = np.moveaxis(applied, -1, 0)
    r1, r2, rt = np.moveaxis(held, -1, 0)
    zero = np.zeros_like(p1)
    if mode < 2:
        sign, X = (1, s["Xt"]) if mode == 0 else (-1, s["Xc"])
        return _solve(zero, sign * p1 / X, sign * r1 / X - 1)
    tt, ss, lin, const = _borders(s)[mode - 2]
    a = tt * pt * pt + ss * p2 * p2
    b = 2 * (tt * pt * rt + ss * p2 * r2) + lin * p2
    c = tt * rt * rt + ss * r2 * r2 + lin * r2 + const
    return _solve(a, b, c)


def _borders(s: Strengths) -> tuple[tuple[float, float, float, float], ...]:
    """Borders of modes A, B, C as coefficients of t12², s2², s2 and one."""
    S, Yt, Yc, p, q = s["S12"], s["Yt"], s["Yc"], s["p_nl_t"], s["p_nl_c"]
    _, pnn, _ = parameters(s)
    return (
        (1 / S**2, (1 / Yt - 2 * p / S) / Yt, 2 * p / S, -1.0),
        (1 / S**2, 0.0, 2 * q / S, -1.0),
        (1 / (2 * (1 + pnn) * S) ** 2, 1 / Yc**2, 1 / Yc, 0.0),
    )


def _compiled(s: Strengths, large: tuple[Array, Array], shape: tuple[int, ...]) -> Outcome:
    """Evaluate many states by the compiled loop."""
    k = np.array([*(s[n] for n in Puck.needs), *parameters(s)])
    reserve, index, mode = kernels.outputs(shape)
    angle = np.empty(shape)
    out = tuple(x.reshape(-1) for x in (reserve, index, mode, angle))
    kernels.puck(*large, k, np.array(_borders(s)), out)
    return Outcome(reserve, index, mode, angle)


def _solve(a: Array, b: Array, c: Array) -> tuple[Array, Array]:
    """Both real roots, NaN where there are none; stable for either sign of b."""
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        q = -(b + np.copysign(np.sqrt(b * b - 4 * a * c), b)) / 2
        return np.where(a != 0, q / a, np.nan), np.where(q != 0, c / q, np.nan)


def _valid(s: Strengths, mode: int, stress: Array, root: Array) -> Array:
    """Whether a root is positive and its total stress lies in the mode's own range."""
    s2, t = stress[..., 1], np.abs(stress[..., 2])
    RA, _, tc = parameters(s)
    with np.errstate(invalid="ignore"):
        positive = np.isfinite(root) & (root > 0)
        slack = _EDGE * (np.abs(s2) + t)
        steep = -s2 * tc - t * RA
        if mode == 2:
            return np.asarray(
                positive & (s2 >= -slack) & (s2 <= s["S12"] / max(s["p_nl_t"], 1e-9))
            )
        if mode == 3:
            return np.asarray(positive & (s2 <= slack) & (steep <= slack * RA))
        if mode == 4:
            return np.asarray(positive & (s2 < 0) & (steep >= -slack * RA))
        return np.asarray(positive)


def _angle(s: Strengths, s2: Array, mode: Array) -> Array:
    """Fracture angle [deg]: zero in A and B, steep in C, NaN where the fibre fails."""
    RA, _, _ = parameters(s)
    with np.errstate(divide="ignore", invalid="ignore"):
        steep = np.rad2deg(np.arccos(np.sqrt(np.clip(RA / -s2, 0.0, 1.0))))
    return np.where(mode == 4, steep, np.where(mode >= 2, 0.0, np.nan))
