"""Compiled loops for millions of ply points: tables of branches, and Puck, one state at a time.

The array forms in `branches` and `puck` say what is computed and serve small inputs; these say
the same for large ones, without temporaries (measured: `make bench`, criteria_*). A test holds
both against each other. Compiled code is cached beside this file; `compile_all` fills the cache.
"""

from __future__ import annotations

from math import acos, degrees, inf, isnan, nan, sqrt
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tartan.core.compiled import compiled, prange

Array = NDArray[np.float64]

LARGE = 8192
"""States from which on the compiled loop is used."""

# Reordering and reciprocals are allowed; infinities and NaN keep their meaning.
_FAST = {"contract", "reassoc", "arcp", "nsz"}
_compiled = compiled(fastmath=_FAST, error_model="numpy")
_parallel = compiled(fastmath=_FAST, error_model="numpy", parallel=True, nogil=True)
_EDGE = 1e-9


@_compiled
def least_root(a: float, b: float, c: float) -> float:
    """Least positive root of a λ² + b λ + c for c < 0."""
    inside = b * b - 4 * a * c
    if inside < 0 or (a <= 0 and b <= 0):
        return inf
    r = sqrt(inside)
    # Chosen without a branch: signs of real data cannot be foretold.
    over = -2 * c if b > 0 else r - b
    under = b + r if b > 0 else 2 * a
    value = over / under
    return inf if isnan(value) else value


@_compiled
def least_at(s1: float, s2: float, s6: float, table: Array) -> float:
    """Least reserve factor over a table, shape (b, 10), at one state [Pa] with nothing held."""
    least = inf
    for m in range(table.shape[0]):
        k = table[m]
        if k[0] * s1 < 0 or k[1] * s2 < 0:
            continue
        a = k[2] * s1 * s1 + k[3] * s2 * s2 + k[4] * s6 * s6 + 2 * k[5] * s1 * s2
        least = min(least, least_root(a, k[6] * s1 + k[7] * s2 + k[8] * s6, -1.0))
    return least


@_compiled
def _reach(a: float, b: float, c: float, low: float, high: float) -> float:
    """Least λ in a closed interval at which a λ² + b λ + c ≥ 0; infinite when there is none."""
    value = a * low * low + b * low + c
    found = low if value >= 0 else low + least_root(a, b + 2 * a * low, value)
    return found if found <= high else inf


@_compiled
def _guard(sign: float, p: float, r: float, low: float, high: float) -> Any:
    """Narrow an interval of multipliers to where ``sign (r + λ p) ≥ 0``."""
    p, r = sign * p, sign * r
    if p > 0:
        return max(low, -r / p), high
    if p < 0:
        return low, min(high, -r / p)
    return (low, high) if r >= 0 else (inf, -inf)


@_compiled
def _share(t1: float, t2: float, t6: float, k: Array) -> int:
    """Mode named by the stress whose share of its own strength is greatest."""
    t6 = abs(t6) * k[4]
    fibre = max(t1 * k[0], -t1 * k[1])
    matrix = max(t2 * k[2], -t2 * k[3])
    along = 0 if t1 >= 0 else 1
    across = 2 if t2 >= 0 else 3
    return 4 if t6 > max(fibre, matrix) else (along if fibre >= matrix else across)


@_parallel
def _branches(
    s: Array, table: Array, shares: Array, reserve: Array, index: Array, mode: Any
) -> None:
    shear = s.shape[1] > 2
    named = shares.shape[0] > 0
    for i in prange(s.shape[0]):
        p1, p2, p6 = s[i, 0], s[i, 1], s[i, 2] if shear else 0.0
        p11, p22, p66, p12 = p1 * p1, p2 * p2, p6 * p6, 2 * p1 * p2
        least, by_reserve, greatest, by_index = inf, 0, -inf, 0
        for m in range(table.shape[0]):
            if table[m, 0] * p1 < 0 or table[m, 1] * p2 < 0:
                continue
            a = table[m, 2] * p11 + table[m, 3] * p22 + table[m, 4] * p66 + table[m, 5] * p12
            b = table[m, 6] * p1 + table[m, 7] * p2 + table[m, 8] * p6
            found = least_root(a, b, -1.0)
            if found < least:
                least, by_reserve = found, m
            if a + b > greatest:
                greatest, by_index = a + b, m
        reserve[i], index[i] = least, greatest
        if named:
            # Nothing is held: the shares at failure stand to each other as they do here.
            mode[i] = _share(p1, p2, p6, shares)
        else:
            mode[i] = int(table[by_reserve if least < inf else by_index, 9])


@_parallel
def _branches_held(
    s: Array, rest: Array, table: Array, shares: Array, reserve: Array, index: Array, mode: Any
) -> None:
    shear = s.shape[1] > 2
    for i in prange(s.shape[0]):
        p1, p2, p6 = s[i, 0], s[i, 1], s[i, 2] if shear else 0.0
        r1, r2, r6 = rest[i, 0], rest[i, 1], rest[i, 2] if shear else 0.0
        least, by_reserve, greatest, by_index = inf, 0, -inf, 0
        for m in range(table.shape[0]):
            k = table[m]
            a = k[2] * p1 * p1 + k[3] * p2 * p2 + k[4] * p6 * p6 + 2 * k[5] * p1 * p2
            b = k[6] * p1 + k[7] * p2 + k[8] * p6
            b += 2 * (k[2] * p1 * r1 + k[3] * p2 * r2 + k[4] * p6 * r6)
            b += 2 * k[5] * (p1 * r2 + p2 * r1)
            c = k[2] * r1 * r1 + k[3] * r2 * r2 + k[4] * r6 * r6 + 2 * k[5] * r1 * r2
            c += k[6] * r1 + k[7] * r2 + k[8] * r6 - 1
            low, high = 0.0, inf
            if k[0] != 0.0:
                low, high = _guard(k[0], p1, r1, low, high)
            if k[1] != 0.0:
                low, high = _guard(k[1], p2, r2, low, high)
            found = _reach(a, b, c, low, high) if low <= high else inf
            if found < least:
                least, by_reserve = found, m
            holds = k[0] * (p1 + r1) >= 0 and k[1] * (p2 + r2) >= 0
            if holds and a + b + c + 1 > greatest:
                greatest, by_index = a + b + c + 1, m
        reserve[i], index[i] = least, greatest
        if shares.shape[0] > 0:
            scale = least if least < inf else 1.0
            mode[i] = _share(r1 + scale * p1, r2 + scale * p2, r6 + scale * p6, shares)
        else:
            mode[i] = int(table[by_reserve if least < inf else by_index, 9])


def branches(
    s: Array, rest: Array, table: Array, shares: Array, out: tuple[Array, Array, NDArray[np.int8]]
) -> None:
    """Fill reserve, index, mode, shape (n,), at states, shape (n, 3) [Pa], by a table (b, 10).

    Shares, shape (5,) [1/Pa], are empty where the branches name the modes.
    """
    if len(rest):
        _branches_held(s, rest, table, shares, *out)
    else:
        _branches(s, table, shares, *out)


@_compiled
def _exposure(m: int, s1: float, s2: float, t: float, k: Any) -> Any:
    """Exposure of a Puck mode; k: Xt Xc Yt Yc S12 p_t p_c R⊥⊥A p⊥⊥ t21c."""
    t = abs(t)
    if m == 0:
        return max(s1, 0.0) / k[0]
    if m == 1:
        return max(-s1, 0.0) / k[1]
    if m == 2:
        if s2 < 0:
            return 0.0
        return (
            sqrt((t / k[4]) ** 2 + ((1 - k[5] * k[2] / k[4]) * s2 / k[2]) ** 2) + k[5] * s2 / k[4]
        )
    if s2 >= 0:
        return 0.0
    steep = -s2 * k[9] > t * k[7]
    if m == 3:
        return 0.0 if steep else (sqrt(t * t + (k[6] * s2) ** 2) + k[6] * s2) / k[4]
    if not steep:
        return 0.0
    return ((t / (2 * (1 + k[8]) * k[4])) ** 2 + (s2 / k[3]) ** 2) * k[3] / -s2


@_compiled
def _valid(m: int, s2: float, t: float, root: float, k: Any) -> Any:
    """Whether a root is positive and its stress lies in the mode's own range."""
    if not (root > 0 and root < inf):
        return False
    t = abs(t)
    slack = _EDGE * (abs(s2) + t)
    steep = -s2 * k[9] - t * k[7]
    if m == 2:
        return s2 >= -slack and s2 <= k[4] / max(k[5], 1e-9)
    if m == 3:
        return s2 <= slack and steep <= slack * k[7]
    if m == 4:
        return s2 < 0 and steep >= -slack * k[7]
    return True


@_compiled
def _crossing(m: int, p: Any, r: Any, k: Any, c2: Any) -> Any:
    """Least multiplier at which a Puck mode is met; p, r: stresses 1, 2, 12."""
    if m < 2:
        sign = 1.0 if m == 0 else -1.0
        rate, start = sign * p[0] / k[m], sign * r[0] / k[m]
        return (1 - start) / rate if rate > 0 else inf
    tt, ss, lin = c2[m - 2, 0], c2[m - 2, 1], c2[m - 2, 2]
    a = tt * p[2] * p[2] + ss * p[1] * p[1]
    b = 2 * (tt * p[2] * r[2] + ss * p[1] * r[1]) + lin * p[1]
    c = tt * r[2] * r[2] + ss * r[1] * r[1] + lin * r[1] + c2[m - 2, 3]
    inside = b * b - 4 * a * c
    if inside < 0:
        return inf
    q = -(b + (sqrt(inside) if b >= 0 else -sqrt(inside))) / 2
    least = inf
    for root in (q / a if a != 0 else nan, c / q if q != 0 else nan):
        if root < least and _valid(m, r[1] + root * p[1], r[2] + root * p[2], root, k):
            least = root
    return least


@_compiled
def puck(s: Array, rest: Array, k: Array, c2: Array, out: Any) -> None:
    """Fill reserve, index, mode, angle, shape (n,), at states, shape (n, 3) [Pa].

    c2 has a row an inter-fibre mode, shape (q, 4): t², s2², s2, one.
    """
    reserve, index, mode, angle = out
    held = rest.shape[0] > 0
    for i in range(s.shape[0]):
        p = (s[i, 0], s[i, 1], s[i, 2])
        r = (rest[i, 0], rest[i, 1], rest[i, 2]) if held else (0.0, 0.0, 0.0)
        least, by_reserve, greatest, by_index = inf, 0, -1.0, 0
        for m in range(5):
            exposed = _exposure(m, r[0] + p[0], r[1] + p[1], r[2] + p[2], k)
            if exposed > greatest:
                greatest, by_index = exposed, m
            if held:
                failed = _exposure(m, r[0], r[1], r[2], k) >= 1
                found = 0.0 if failed else _crossing(m, p, r, k, c2)
                if found < least:
                    least, by_reserve = found, m
        if not held and greatest > 0:
            # Exposures are of first degree: without a residual part they invert.
            least, by_reserve = 1 / greatest, by_index
        chosen = by_reserve if least < inf else by_index
        reserve[i], index[i], mode[i] = least, greatest, chosen
        angle[i] = 0.0 if chosen >= 2 else nan
        if chosen == 4:
            s2 = r[1] + (least if least < inf else 1.0) * p[1]
            angle[i] = degrees(acos(sqrt(min(1.0, k[7] / -s2))))


def prepared(applied: Array, residual: Array | None) -> tuple[Array, Array] | None:
    """Flat contiguous states, shape (n, 3), where the compiled loop pays, else None."""
    width = applied.shape[-1]
    if applied.size < width * LARGE:
        return None
    # Writable arrays only: for others the loops would be compiled once more.
    flat = np.require(applied, np.float64, ["C", "W"]).reshape(-1, width)
    if residual is None:
        return flat, np.empty((0, width))
    rest = np.require(np.broadcast_to(residual, applied.shape), np.float64, ["C", "W"])
    return flat, rest.reshape(-1, width)


def outputs(shape: tuple[int, ...]) -> tuple[Array, Array, NDArray[np.int8]]:
    """Empty reserve factors, indices and modes, each of a shape."""
    return np.empty(shape), np.empty(shape), np.empty(shape, np.int8)


def compile_all() -> None:
    """Compile and cache every loop."""
    s, r, i, m = np.ones((1, 3)), *outputs((1,))
    for rest in (s, s[:0]):
        branches(s, rest, np.ones((1, 10)), np.ones(5), (r, i, m))
    puck(s, s, np.ones(10), np.ones((3, 4)), (r, i, m, np.empty(1)))
