"""Thick layered cylinders in generalised plane strain, exact in every layer.

With s = ln r the radial displacement u and p = r σr obey a linear system with constant
coefficients in every layer,

    du/ds = (p − C23 u − r (C13 ε − β3) − r² C36 ϑ) / C33
    dp/ds = C22 u + C23 du/ds + r (C12 ε − β2) + r² C26 ϑ,

whose increments over short steps are summed from their power series, so that thin walls lose no
digits and steep solutions (large exponents) no bound. Steps are joined as one system in u and p
at all radii, the axial strain ε and the twist per length ϑ.

Source: S. G. Lekhnitskii, Theory of Elasticity of an Anisotropic Body (1963), section 44.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.laminate.stiffness import Laminate
from tartan.core.materials import Material
from tartan.core.solid.constants import expansion, normal_compliance

Array = NDArray[np.float64]

STEP = 1.0
"""Greatest growth exponent over a step; its series then needs few terms."""

TERMS = 26
"""Terms of the series: 1/26! is far below rounding."""

MOST_STEPS = 1500
"""Steps through the whole wall."""

_POINTS, _WEIGHTS = np.polynomial.legendre.leggauss(10)


def stiffness_3d(material: Material, angle: float) -> tuple[Array, Array]:
    """Three-dimensional stiffness and free thermal strain in cylinder axes.

    Parameters
    ----------
    material : Material
        With E3, nu13, nu23 and, for temperature, alpha3.
    angle : float
        From x towards y [rad].

    Returns
    -------
    tuple of ndarray
        C, shape (4, 4), for x, y, z, xy [Pa] (the transverse shears do not take part), and the
        thermal expansion, shape (4,) [1/K].

    Raises
    ------
    MaterialError
        When E3, nu13 or nu23 is missing.
    """
    m = material
    E3, n13, n23 = (m.need(f, "the thick cylinder") for f in ("E3", "nu13", "nu23"))
    S = np.zeros((4, 4))
    S[:3, :3], S[3, 3] = normal_compliance(m, E3, n13, n23), 1 / m.G12
    c, s = np.cos(angle), np.sin(angle)
    T = np.array(
        [
            [c * c, s * s, 0, c * s],
            [s * s, c * c, 0, -c * s],
            [0, 0, 1, 0],
            [-2 * c * s, 2 * c * s, 0, c * c - s * s],
        ]
    )
    alpha = np.array([*expansion(m), 0.0])
    return T.T @ np.linalg.inv(S) @ T, np.linalg.solve(T, alpha)


@dataclass(frozen=True)
class CylinderLoad:
    """Pressures inside and outside [Pa], axial force [N], torque [N·m], temperature change [K].

    Attributes
    ----------
    closed : bool
        Whether end caps pass the pressures on as axial force.
    axial_held, twist_held : bool
        Whether the axial strain or the twist is kept at zero; the force or torque is then a
        reaction.
    """

    inside: float = 0.0
    outside: float = 0.0
    force: float = 0.0
    torque: float = 0.0
    dT: float = 0.0
    closed: bool = False
    axial_held: bool = False
    twist_held: bool = False


@dataclass(frozen=True, eq=False)
class ThickCylinder:
    """Solution of a thick cylinder.

    Attributes
    ----------
    u_inner, u_outer : float
        Radial displacement [m].
    eps_axial, twist : float
        Axial strain [1] and twist per length [1/m].
    force : float
        Axial force carried by the wall [N].
    stress : ndarray, shape (n, 3, 4)
        Stresses x, y, z, xy at inner, middle and outer radius of every layer [Pa].
    fibre : ndarray, shape (n, 3)
        Stress along the fibre [Pa].
    """

    u_inner: float
    u_outer: float
    eps_axial: float
    twist: float
    force: float
    stress: Array
    fibre: Array


class _Layer:
    """One layer: its stiffness, free stress, and how u and p grow with ln r."""

    def __init__(self, C: Array, free: Array) -> None:
        self.C, self.beta = C, C @ free

    @cached_property
    def scale(self) -> float:
        """Size of p against u: √(C22 C33) [Pa]."""
        return float(np.sqrt(self.C[1, 1] * self.C[2, 2]))

    @cached_property
    def growth(self) -> Array:
        """Derivative by ln r of u, p, r ε, r, r² ϑ, shape (5, 5)."""
        C, beta = self.C, self.beta
        A = np.zeros((5, 5))
        A[0] = np.array([-C[1, 2], 1.0, -C[0, 2], beta[2], -C[2, 3]]) / C[2, 2]
        A[1] = C[1, 2] * A[0] + np.array([C[1, 1], 0.0, C[0, 1], -beta[1], C[1, 3]])
        A[2, 2] = A[3, 3] = 1.0
        A[4, 4] = 2.0
        return A

    @cached_property
    def exponent(self) -> float:
        """Greatest growth of the scaled system."""
        size = np.array([1.0, self.scale, 1.0, 1.0, 1.0])
        return float(
            np.abs(self.growth[:2, :2] * size[None, :2] / size[:2, None]).sum(axis=1).max()
        )

    def increment(self, step: float) -> Array:
        """exp(growth · step) − 1 from its series, shape (5, 5)."""
        total = term = self.growth * step
        for k in range(2, TERMS):
            term = term @ self.growth * (step / k)
            total = total + term
        return total

    def stresses(self, r: Array, state: Array) -> Array:
        """Stresses x, y, z, xy at radii r (q,) from u, p, r ε, r, r² ϑ, shape (q, 5) → (q, 4)."""
        slope = state @ self.growth[0]
        strain = np.stack([state[:, 2], state[:, 0], slope, state[:, 4]], axis=1) / r[:, None]
        found: Array = strain @ self.C.T - self.beta
        found[:, 2] = state[:, 1] / r
        return found


@dataclass(frozen=True, eq=False)
class _Step:
    layer: _Layer
    low: float
    high: float

    @property
    def size(self) -> float:
        return float(np.log1p((self.high - self.low) / self.low))


def thick_cylinder(laminate: Laminate, inner: float, load: CylinderLoad) -> ThickCylinder:
    """Solve a layered thick cylinder.

    Parameters
    ----------
    laminate : Laminate
        Layers from inside out.
    inner : float
        Inner radius [m].
    load : CylinderLoad
        Pressures, force, torque, temperature and what is held.

    Raises
    ------
    PartError
        When the inner radius is not positive, or the wall is too steep to be resolved.
    MaterialError
        When a three-dimensional constant is missing.
    """
    if not (np.isfinite(inner) and inner > 0):
        raise PartError(
            f"The inner radius must be greater than zero, it is {inner:g} m.",
            "Cylinder, ri",
            "Enter a positive radius.",
        )
    # Heights over the first face add without a loss, also where the wall is thin.
    heights = np.concatenate([[0.0], np.cumsum([p.thickness for p in laminate.stack.plies])])
    steps: list[_Step] = []
    ends = []
    for m, angle, low, high in zip(
        laminate.materials, laminate.angles, heights[:-1], heights[1:], strict=True
    ):
        C, alpha = stiffness_3d(m, float(angle))
        layer = _Layer(C, alpha * load.dT)
        half = []
        for a, b in ((low, (low + high) / 2), ((low + high) / 2, high)):
            reach = layer.exponent * np.log1p((b - a) / (inner + a))
            count = max(1, int(np.ceil(reach / STEP)))
            half.append(count)
            marks = inner + a + (b - a) * np.linspace(0.0, 1.0, count + 1)
            steps += [_Step(layer, float(r), float(s)) for r, s in pairwise(marks)]
        ends.append(half)
    if len(steps) > MOST_STEPS:
        raise PartError(
            "The wall is too steep to be resolved.",
            "Cylinder",
            "Check the moduli along and across the wall.",
        )
    return _collect(laminate, steps, ends, _solve(steps, load))


def _solve(steps: list[_Step], load: CylinderLoad) -> Array:
    """U and p at all radii, then axial strain and twist, scaled by `_sizes`."""
    n = len(steps) + 1
    K, f = np.zeros((2 * n + 2, 2 * n + 2)), np.zeros(2 * n + 2)
    modulus, radius = steps[0].layer.scale, steps[0].low
    # Unknowns: u / r, p / (E r), ε and r ϑ are all strains.
    sizes = _sizes(n, modulus, radius)
    for j, step in enumerate(steps):
        grow = step.layer.increment(step.size)[:2]
        rows = slice(2 * j, 2 * j + 2)
        K[rows, 2 * j + 2 : 2 * j + 4] = np.eye(2)
        K[rows, 2 * j : 2 * j + 2] = -np.eye(2) - grow[:, :2]
        K[rows, -2] = -grow[:, 2] * step.low
        K[rows, -1] = -grow[:, 4] * step.low**2
        f[rows] = grow[:, 3] * step.low
    K[2 * n - 2, 1] = 1.0
    f[2 * n - 2] = -load.inside * radius
    K[2 * n - 1, 2 * n - 1] = 1.0
    f[2 * n - 1] = -load.outside * steps[-1].high
    caps = np.pi * (load.inside * radius**2 - load.outside * steps[-1].high ** 2)
    force = load.force + (caps if load.closed else 0.0)
    axial, torque = _resultants(steps, n)
    scale = sizes[:, None] * np.ones(2 * n + 2)
    K *= sizes[None, :]
    K[: 2 * n] /= scale[: 2 * n]
    f[: 2 * n] /= sizes[: 2 * n]
    # Two of the 2n + 2 rows are left for the wall's force and torque.
    for row, (held, total, value) in enumerate(
        ((load.axial_held, axial, force), (load.twist_held, torque, load.torque)), start=2 * n
    ):
        if held:
            K[row], f[row] = 0.0, 0.0
            K[row, row] = 1.0
            continue
        weights, constant = total
        scaled = weights * sizes
        size = np.abs(scaled).max()
        K[row], f[row] = scaled / size, (value - constant) / size
    return np.asarray(np.linalg.solve(K, f) * sizes)


def _sizes(n: int, modulus: float, radius: float) -> Array:
    found = np.tile([radius, modulus * radius], n)
    return np.concatenate([found, [1.0, 1 / radius]])


def _within(step: _Step) -> tuple[Array, Array, Array]:
    """Radii and weights ∫ … ds at points of a step, and the state there per start, (q, 5, 5)."""
    s = (1 + _POINTS) / 2 * step.size
    r = step.low * np.exp(s)
    maps = np.array([np.eye(5) + step.layer.increment(float(v)) for v in s])
    return r, _WEIGHTS / 2 * step.size, maps


def _resultants(steps: list[_Step], n: int) -> tuple[tuple[Array, float], tuple[Array, float]]:
    """Axial force and torque of the wall as rows over the unknowns, and their constant parts."""
    rows = np.zeros((2, 2 * n + 2))
    constant = np.zeros(2)
    for j, step in enumerate(steps):
        r, w, maps = _within(step)
        unit = np.zeros((len(r), 4, 5))
        for k in range(5):
            state = maps[:, :, k]
            unit[:, :, k] = step.layer.stresses(r, state) + step.layer.beta * (
                1 - np.array([0.0, 0.0, 1.0, 0.0])
            )
        free = -step.layer.beta
        for i, (component, power) in enumerate(((0, 2), (3, 3))):
            weight = 2 * np.pi * w * r**power
            total = weight @ unit[:, component]
            rows[i, 2 * j : 2 * j + 2] += total[:2]
            rows[i, -2] += total[2] * step.low
            rows[i, -1] += total[4] * step.low**2
            constant[i] += total[3] * step.low + weight.sum() * free[component]
    return (rows[0], float(constant[0])), (rows[1], float(constant[1]))


def _collect(
    laminate: Laminate, steps: list[_Step], halves: list[list[int]], solution: Array
) -> ThickCylinder:
    eps, twist = float(solution[-2]), float(solution[-1])

    def at(node: int, layer: _Layer, r: float) -> Array:
        state = np.array([solution[2 * node], solution[2 * node + 1], r * eps, r, r * r * twist])
        return np.asarray(layer.stresses(np.array([r]), state[None])[0])

    found, node, force = [], 0, 0.0
    for counts in halves:
        layer = steps[node].layer
        places = [
            (node, steps[node].low),
            (node + counts[0], steps[node + counts[0]].low),
            (node + sum(counts), steps[node + sum(counts) - 1].high),
        ]
        found.append([at(n, layer, r) for n, r in places])
        node += sum(counts)
    for j, step in enumerate(steps):
        r, w, maps = _within(step)
        start = np.array(
            [solution[2 * j], solution[2 * j + 1], step.low * eps, step.low, step.low**2 * twist]
        )
        force += float(2 * np.pi * (w * r * r) @ step.layer.stresses(r, maps @ start)[:, 0])
    stress = np.array(found)
    c, s = np.cos(laminate.angles)[:, None], np.sin(laminate.angles)[:, None]
    fibre = c * c * stress[..., 0] + s * s * stress[..., 1] + 2 * c * s * stress[..., 3]
    return ThickCylinder(
        float(solution[0]), float(solution[2 * len(steps)]), eps, twist, force, stress, fibre
    )
