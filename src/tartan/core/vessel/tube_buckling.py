"""Buckling of a layered tube: waves along a helix, on a thin shell under membrane forces.

Displacements u, v, w = (U, V, W) exp i(λx + ny/R) buckle the perfect tube when

    K + μ G = 0,    K = Bᴴ ABD B,    G of the membrane forces and the pressure that stays normal,

with the strains of Sanders' shell and the rotations −w,x, v/R − w,y and (v,x − u,y)/2. Ends that
stay round while the wall may lengthen fit m half waves, λ = mπ/L, which are exact where neither
the wall nor a torque couples shear with stretching; otherwise many of them join (Ritz). A long
tube has no ends: λ is free. n = 1 is the tube as a column.

Sources: J. L. Sanders, Q. Appl. Math. 21 (1963) 21–36 (the shell); NASA SP-8007 (1968), section
4.2 (layered cylinders; knock-down factors); D. O. Brush and B. O. Almroth, Buckling of Bars,
Plates, and Shells (1975), ch. 5 (pressure that stays normal). Transverse shear is neglected.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy.linalg
from numpy.typing import NDArray

from tartan.core.laminate.stiffness import Laminate
from tartan.core.laminate.tube import TubeLoad

Array = NDArray[np.float64]
Complex = NDArray[np.complex128]

MOST_STRAIN = 0.2
"""Strain of the unbuckled wall beyond which nothing is said of its buckling."""

MOST_WAVES = 400
"""Waves round the tube that are looked at."""

LONG_STEPS = 240
"""Wave lengths of a long tube that are looked at before the least is closed in on."""

WAVES = 24
"""Half waves that join where shear is coupled."""

CHUNK = 40_000
"""Waves solved at once."""


@dataclass(frozen=True)
class TubeBuckling:
    """The least multiple of a load at which a tube buckles.

    Attributes
    ----------
    factor : float
        Multiple of the load, with the knock-down; infinite where it never buckles.
    around : int
        Whole waves round the tube; 1 is the tube as a column, 0 rings of one shape.
    half_waves : int
        Along the tube; 0 where it is long.
    wave : float
        Half a wave along the tube [m]; infinite where it does not vary along it.
    """

    factor: float
    around: int
    half_waves: int
    wave: float

    @property
    def words(self) -> str:
        """The shape in words."""
        if not np.isfinite(self.factor):
            return "never buckles"
        round_ = {0: "rings", 1: "as a column"}.get(self.around, f"{self.around} waves round")
        if self.around == 1 or not np.isfinite(self.wave):
            return round_
        if not self.half_waves:
            return f"{round_}, in waves along"
        noun = "half wave" if self.half_waves == 1 else "half waves"
        return f"{round_}, {self.half_waves} {noun} along"


@dataclass(frozen=True)
class _Loads:
    """Membrane forces [N/m], and the pressure that stays normal to the wall [Pa]."""

    N: Array
    pressure: float


def loads_of(tube: TubeLoad, thickness: float) -> _Loads:
    """What a tube is under, as its buckling reads it.

    Raises
    ------
    StackError
        Where the wall has no room within its mean radius.
    """
    return _Loads(tube.resultants(thickness), tube.pressure)


def tube_buckling(
    laminate: Laminate, tube: TubeLoad, ends: Literal["long", "finite"] = "finite"
) -> TubeBuckling:
    """Least multiple of a tube's load at which it buckles.

    Parameters
    ----------
    laminate : Laminate
        The wall, from inside out, about its middle.
    tube : TubeLoad
        Radius, length and load; all of it is scaled.
    ends : {"long", "finite"}
        A long tube has no ends; a finite one has `tube.length` between ends that stay round.

    Raises
    ------
    StackError
        Where the wall has no room within its mean radius.
    """
    loads, R = loads_of(tube, laminate.thickness), tube.mean(laminate.thickness)
    if not (loads.N.any() or loads.pressure):
        return TubeBuckling(np.inf, 0, 0, np.inf)
    shell = _Shell(laminate.ABD, R, loads)
    round_, along = _reach(laminate.ABD, R)
    if ends == "finite" and tube.length > 0:
        found = _finite(shell, tube.length, round_, along)
    else:
        found = _long(shell, round_, along)
    strain = np.linalg.solve(laminate.A, loads.N) * found.factor
    if not np.abs(strain).max() < MOST_STRAIN:
        # Such as a pressure inside: what small strains say of it there means nothing.
        return TubeBuckling(np.inf, 0, 0, np.inf)
    return TubeBuckling(found.factor * tube.knock_down, found.around, found.half_waves, found.wave)


class _Shell:
    """Stiffness and load of waves (λ, n) of a tube."""

    def __init__(self, ABD: Array, R: float, loads: _Loads) -> None:
        self.R, self.loads = R, loads
        # Of one size: membrane strains and R times curvatures, forces over A.
        self._size = float(np.trace(ABD[:3, :3])) / 3
        scale = np.array([1.0, 1.0, 1.0, 1 / R, 1 / R, 1 / R])
        self._ABD = ABD * np.outer(scale, scale) / self._size
        Nx, Ny, Nxy = loads.N / self._size
        self._weight = np.array([[Nx, Nxy, 0.0], [Nxy, Ny, 0.0], [0.0, 0.0, Nx + Ny]])

    def strains(self, along: Array, around: Array) -> Complex:
        """ε and R κ of unit U, V, W over R, shape (q, 6, 3); a = λR and n are numbers."""
        a, n = along * 1j, around * 1j
        B = np.zeros((len(a), 6, 3), complex)
        B[:, 0, 0] = a
        B[:, 1, 1], B[:, 1, 2] = n, 1.0
        B[:, 2, 0], B[:, 2, 1] = n, a
        B[:, 3, 2] = -a * a
        B[:, 4, 1], B[:, 4, 2] = n, -n * n
        B[:, 5, 0], B[:, 5, 1], B[:, 5, 2] = -n / 2, 1.5 * a, -2 * a * n
        return B

    def load(self, along: Array, around: Array) -> Complex:
        """Second-order work of the load at unit U, V, W over R, shape (q, 3, 3)."""
        a, n = along * 1j, around * 1j
        turn = np.zeros((len(a), 3, 3), complex)
        turn[:, 0, 2] = -a
        turn[:, 1, 1], turn[:, 1, 2] = 1.0, -n
        turn[:, 2, 0], turn[:, 2, 1] = -n / 2, a / 2
        G: Complex = turn.conj().transpose(0, 2, 1) @ self._weight @ turn
        # The volume inside to second order, R(w² + v² + w v,θ − v w,θ)/2 + R² w u,x, for the
        # pressure that follows the wall.
        p = self.loads.pressure * self.R / self._size
        H = np.zeros((len(a), 3, 3), complex)
        H[:, 1, 1] = H[:, 2, 2] = 1.0
        H[:, 2, 1] = n
        H[:, 1, 2] = -n
        H[:, 2, 0], H[:, 0, 2] = a, -a
        return G - p * H

    def factors(self, along: Array, around: Array) -> Array:
        """Least positive multiple of the load for every wave, shape (q,)."""
        found = [
            self._factors(along[k : k + CHUNK], around[k : k + CHUNK])
            for k in range(0, len(along), CHUNK)
        ]
        return np.concatenate(found) if found else np.zeros(0)

    def _factors(self, along: Array, around: Array) -> Array:
        B = self.strains(along, around)
        K = B.conj().transpose(0, 2, 1) @ self._ABD @ B
        # Amplitudes of one size: those of short waves would swamp the rest.
        with np.errstate(divide="ignore", invalid="ignore"):
            size = 1 / np.sqrt(np.einsum("qii->qi", K).real)
            each = size[:, :, None] * size[:, None, :]
            K = K * each
            G = self.load(along, around) * each
        found = np.full(len(along), np.inf)
        good = np.isfinite(K).all(axis=(1, 2))
        if not good.any():
            return found
        K, G = K[good], G[good]
        # −G x = x/μ K x: the greatest 1/μ, by the root of K.
        values, axes = np.linalg.eigh(K)
        whole = values[:, 0] > 1e-13 * values[:, 2]
        root = axes / np.sqrt(np.where(values > 0, values, 1.0))[:, None, :]
        greatest = np.linalg.eigvalsh(-(root.conj().transpose(0, 2, 1) @ G @ root))[:, -1]
        # Next to no load: a factor beyond all numbers is none.
        with np.errstate(divide="ignore", over="ignore"):
            factor = np.where(greatest > 0, 1 / np.where(greatest > 0, greatest, 1.0), np.inf)
        found[good] = np.where(whole, factor, np.inf)
        return found

    @property
    def skew(self) -> bool:
        """Whether shear is coupled with stretching, or sheared by the load itself."""
        A = self._ABD
        coupled = np.abs(A[np.ix_([0, 1, 3, 4], [2, 5])])
        size = np.sqrt(np.outer(np.diag(A)[[0, 1, 3, 4]], np.diag(A)[[2, 5]]))
        forces = self.loads.N
        return bool((coupled > 1e-6 * size).any() or abs(forces[2]) > 1e-9 * np.abs(forces).max())

    def together(self, halves: NDArray[np.int64], around: int, unit: float) -> tuple[float, int]:
        """Least factor of half waves joined, u = Σ U cos, v and w = Σ sin, and the chief one.

        Parameters
        ----------
        halves : ndarray of int, shape (k,)
            Numbers of half waves.
        around : int
            Waves round the tube.
        unit : float
            λR of one half wave.
        """
        mu, n, count = halves * unit, 1j * around, len(halves)
        S, C = np.zeros((count, 6, 3), complex), np.zeros((count, 6, 3), complex)
        S[:, 0, 0] = -mu
        S[:, 1, 1], S[:, 1, 2] = n, 1.0
        S[:, 3, 2] = mu**2
        S[:, 4, 1], S[:, 4, 2] = n, -n * n
        C[:, 2, 0], C[:, 2, 1] = n, mu
        C[:, 5, 0], C[:, 5, 1], C[:, 5, 2] = -n / 2, 1.5 * mu, -2 * mu * n
        K = _coupled(S, C, self._ABD, halves)
        # Rotations: that about y goes with cosines, that about x with sines.
        turn_s, turn_c = np.zeros((count, 3, 3), complex), np.zeros((count, 3, 3), complex)
        turn_s[:, 1, 1], turn_s[:, 1, 2] = 1.0, -n
        turn_c[:, 0, 2] = -mu
        turn_c[:, 2, 0], turn_c[:, 2, 1] = -n / 2, mu / 2
        G = _coupled(turn_s, turn_c, self._weight, halves)
        p = self.loads.pressure * self.R / self._size
        for k in range(count):
            H = np.array([[0, 0, -mu[k]], [0, 1, -n], [-mu[k], n, 1]], complex)
            G[3 * k : 3 * k + 3, 3 * k : 3 * k + 3] -= p * H
        kept = np.diag(K).real > 0
        K, G = K[np.ix_(kept, kept)], G[np.ix_(kept, kept)]
        size = 1 / np.sqrt(np.diag(K).real)
        K, G = K * np.outer(size, size), G * np.outer(size, size)
        try:
            values, axes = scipy.linalg.eigh(-G, K, subset_by_index=[len(K) - 1, len(K) - 1])
        except np.linalg.LinAlgError:
            # Round-off has made the stiffness of the shortest waves indefinite.
            return np.inf, 1
        if not values[0] > 0:
            return np.inf, 1
        shape = np.zeros(3 * count, complex)
        shape[kept] = axes[:, 0] * size
        chief = int(halves[int(np.abs(shape[2::3]).argmax())])
        return float(1 / values[0]), chief


def _coupled(S: Complex, C: Complex, weight: Array, halves: NDArray[np.int64]) -> Complex:
    """∫ (S sin + C cos)ᴴ W (S sin + C cos) over a length, of which half is one, (3k, 3k)."""
    m = halves[:, None].astype(float)
    with np.errstate(divide="ignore", invalid="ignore"):
        J = np.where((m + m.T) % 2 == 1, 4 * m / (np.pi * (m**2 - m.T**2)), 0.0)
    WS, WC = weight @ S, weight @ C
    both = np.einsum("mai,kaj,mk->mikj", S.conj(), WC, J)
    count = len(halves)
    found: Complex = (both + both.transpose(2, 3, 0, 1).conj()).reshape(3 * count, 3 * count)
    own = S.conj().transpose(0, 2, 1) @ WS + C.conj().transpose(0, 2, 1) @ WC
    for k in range(count):
        found[3 * k : 3 * k + 3, 3 * k : 3 * k + 3] += own[k]
    return found


def _reach(ABD: Array, R: float) -> tuple[int, float]:
    """Waves round the tube, and λR along it, beyond which nothing buckles first."""
    A, D = ABD[:3, :3], ABD[3:, 3:] - ABD[3:, :3] @ np.linalg.solve(ABD[:3, :3], ABD[:3, 3:])
    hoop = 1 / np.linalg.inv(A)[1, 1]
    axial = 1 / np.linalg.inv(A)[0, 0]
    # A ring's stretch against its bending, λ⁴ = A / (D R²), and the same round the tube.
    stiffest = max(hoop, axial)
    along = 2.5 * (stiffest * R**2 / D[0, 0]) ** 0.25
    around = 2.5 * (stiffest * R**2 / D[1, 1]) ** 0.25
    return int(min(MOST_WAVES, max(6, np.ceil(around)))), float(along)


def _best(shell: _Shell, along: Array, around: Array) -> tuple[float, int]:
    factors = shell.factors(along, around)
    at = int(factors.argmin())
    return float(factors[at]), at


def _finite(shell: _Shell, length: float, most_round: int, reach: float) -> TubeBuckling:
    """Between ends that stay round, over half waves along and waves round."""
    unit = np.pi * shell.R / length
    most = max(1, int(np.ceil(reach / unit)))
    # Beyond some hundred, half waves are so close that every so manieth tells where to look.
    marks = np.unique(np.round(np.geomspace(1, most, min(most, 160))).astype(int))
    turns = np.arange(most_round + 1)
    m, n = (x.ravel() for x in np.meshgrid(marks, turns, indexing="ij"))
    factors = shell.factors(m * unit, n.astype(float)).reshape(len(marks), -1)
    if shell.skew:
        return _joined(shell, length, factors, marks)
    at, around = divmod(int(factors.argmin()), len(turns))
    least, half = float(factors[at, around]), int(marks[at])
    if len(marks) < most:
        low, high = marks[max(0, at - 1)], marks[min(len(marks) - 1, at + 1)]
        near = np.unique(np.round(np.linspace(low, high, min(400, high - low + 1))).astype(int))
        rounds = np.arange(max(0, around - 2), around + 3)
        m, n = (x.ravel() for x in np.meshgrid(near, rounds, indexing="ij"))
        least, place = _best(shell, m * unit, n.astype(float))
        half, around = int(m[place]), int(n[place])
    return TubeBuckling(least, around, half, length / half)


def _joined(
    shell: _Shell, length: float, factors: Array, marks: NDArray[np.int64]
) -> TubeBuckling:
    """Waves of several lengths together, where shear makes none of them a shape of its own."""

    def least(around: int) -> tuple[float, int]:
        middle = int(marks[int(factors[:, around].argmin())])
        chosen = {*range(1, WAVES + 1), *range(max(1, middle - WAVES // 2), middle + WAVES // 2)}
        return shell.together(np.array(sorted(chosen)), around, np.pi * shell.R / length)

    turns = factors.shape[1]
    tried = {
        int(n): least(int(n))
        for n in np.unique(np.round(np.geomspace(1, turns, min(turns, 14)) - 1))
    }
    for _ in range(5):
        order = sorted(tried)
        at = order.index(min(tried, key=lambda n: tried[n][0]))
        around = order[max(0, at - 1) : at + 2]
        between = {(a + b) // 2 for a, b in itertools.pairwise(around)} - set(tried)
        between |= {order[at] + s for s in (-1, 1) if 0 <= order[at] + s < turns} - set(tried)
        if not between:
            break
        tried |= {n: least(n) for n in between}
    best = min(tried, key=lambda n: tried[n][0])
    factor, half = tried[best]
    return TubeBuckling(factor, best, half, length / half)


def _long(shell: _Shell, most_round: int, reach: float) -> TubeBuckling:
    """Over any wave length; that of no change along the tube among them."""
    # A column that is long enough buckles under anything: only the wall's own waves are meant.
    turns = np.array([0, *range(2, most_round + 1)])
    marks = np.concatenate([[0.0], np.geomspace(1e-4, reach, LONG_STEPS)])
    marks = np.concatenate([-marks[:0:-1], marks])
    a, n = (x.ravel() for x in np.meshgrid(marks, turns, indexing="ij"))
    least, at = _best(shell, a, n.astype(float))
    best, around = float(a[at]), int(n[at])
    step = reach / LONG_STEPS if best == 0 else abs(best) * 0.1
    for _ in range(6):
        near = best + step * np.linspace(-1, 1, 41)
        here, at = _best(shell, near, np.full(len(near), float(around)))
        if here <= least:
            least, best = here, float(near[at])
        step /= 12
    wave = np.inf if abs(best) < 1e-3 else float(np.pi * shell.R / abs(best))
    return TubeBuckling(least, around, 0, wave)
