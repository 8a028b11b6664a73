"""Layered cylinders, thin by membrane theory and thick in three dimensions.

x is axial, y hoop, z radial outward; the stack is laid from inside out.

Thin: ``Ny = p R``, ``Nx = p R / 2`` (closed ends) ``+ F / (2πR)``, ``Nxy = T / (2πR²)`` with no
change of curvature. Thick: generalised plane strain with uniform axial strain and twist; the
radial displacement is solved by Chebyshev collocation in every layer, which converges
exponentially and knows no special exponents.

Sources: S. G. Lekhnitskii, Theory of Elasticity of an Anisotropic Body (1963), section 44; J. P.
Boyd, Chebyshev and Fourier Spectral Methods, 2nd ed., chapter 6.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.laminate.stiffness import Laminate
from tartan.core.materials import Material

Array = NDArray[np.float64]

ORDER = 24
"""Collocation points a layer."""


def thin_resultants(R: float, p: float, closed: bool, F: float = 0.0, T: float = 0.0) -> Array:
    """Membrane forces Nx, Ny, Nxy [N/m], shape (3,).

    Raises
    ------
    PartError
        When the radius is not positive.
    """
    if not R > 0:
        raise PartError(f"The radius must be greater than zero, it is {R:g} m.", "Cylinder, R",
                        "Enter a positive radius.")  # fmt: skip
    axial = (p * R / 2 if closed else 0.0) + F / (2 * np.pi * R)
    return np.array([axial, p * R, T / (2 * np.pi * R**2)])


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
    S = np.array([[1 / m.E1, -m.nu12 / m.E1, -n13 / m.E1, 0],
                  [-m.nu12 / m.E1, 1 / m.E2, -n23 / m.E2, 0],
                  [-n13 / m.E1, -n23 / m.E2, 1 / E3, 0],
                  [0, 0, 0, 1 / m.G12]])  # fmt: skip
    c, s = np.cos(angle), np.sin(angle)
    T = np.array([[c * c, s * s, 0, c * s], [s * s, c * c, 0, -c * s], [0, 0, 1, 0],
                  [-2 * c * s, 2 * c * s, 0, c * c - s * s]])  # fmt: skip
    alpha = np.array([m.alpha1, m.alpha2, m.alpha2 if m.alpha3 is None else m.alpha3, 0.0])
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


def _chebyshev(count: int) -> tuple[Array, Array]:
    """Points from -1 to 1 and the differentiation matrix on them."""
    k = np.arange(count)
    x = -np.cos(np.pi * k / (count - 1))
    c = np.where((k == 0) | (k == count - 1), 2.0, 1.0) * (-1.0) ** k
    D = np.outer(c, 1 / c) / (x[:, None] - x[None, :] + np.eye(count))
    return x, D - np.diag(D.sum(axis=1))


class _Layer:
    """One layer: radii, derivative, and stress as a linear map of (u, ε, twist) plus free part."""

    def __init__(self, inner: float, outer: float, C: Array, free: Array) -> None:
        x, D = _chebyshev(ORDER)
        self.r = (inner + outer) / 2 + (outer - inner) / 2 * x
        self.D = D * 2 / (outer - inner)
        n = ORDER
        strain = np.zeros((4, n, n + 2))
        strain[0, :, n] = 1.0
        strain[1, :, :n] = np.diag(1 / self.r)
        strain[2, :, :n] = self.D
        strain[3, :, n + 1] = self.r
        self.stress = np.einsum("ij,jkl->ikl", C, strain)
        self.free = -(C @ free)
        # σr' + (σr - σy)/r = 0 at every point; the ends are taken for continuity.
        radial, hoop = self.stress[2], self.stress[1]
        self.balance = self.D @ radial + (radial - hoop) / self.r[:, None]
        self.balance_free = (self.free[2] - self.free[1]) / self.r


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
        When the inner radius is not positive.
    MaterialError
        When a three-dimensional constant is missing.
    """
    if not inner > 0:
        raise PartError(f"The inner radius must be greater than zero, it is {inner:g} m.",
                        "Cylinder, ri", "Enter a positive radius.")  # fmt: skip
    radii = inner + laminate.z - laminate.z[0]
    layers = []
    for m, angle, low, high in zip(laminate.materials, laminate.angles, radii[:-1], radii[1:],
                                   strict=True):  # fmt: skip
        C, alpha = stiffness_3d(m, float(angle))
        layers.append(_Layer(float(low), float(high), C, alpha * load.dT))
    solution = _solve(layers, radii, load)
    return _collect(laminate, layers, solution)


def _solve(layers: list[_Layer], radii: Array, load: CylinderLoad) -> Array:
    """Displacements at all points, then axial strain and twist."""
    n, count = ORDER, len(layers)
    size = n * count + 2
    # Rows are scaled by a modulus, so that displacements and strains meet at one size.
    modulus = float(np.abs(layers[0].stress[2]).max())
    K, f = np.zeros((size, size)), np.zeros(size)

    def put(row: int, layer: int, values: Array, sign: float = 1.0) -> None:
        K[row, layer * n : (layer + 1) * n] += sign * values[:n]
        K[row, -2:] += sign * values[n:]

    row = 0
    for i, layer in enumerate(layers):
        for k in range(1, n - 1):
            put(row, i, layer.balance[k] / modulus)
            f[row] = -layer.balance_free[k] / modulus
            row += 1
    for i, (a, b) in enumerate(pairwise(layers)):
        put(row, i, a.stress[2, -1] / modulus)
        put(row, i + 1, b.stress[2, 0] / modulus, -1.0)
        f[row] = (b.free[2] - a.free[2]) / modulus
        K[row + 1, i * n + n - 1], K[row + 1, (i + 1) * n] = 1.0, -1.0
        row += 2
    put(row, 0, layers[0].stress[2, 0] / modulus)
    f[row] = (-load.inside - layers[0].free[2]) / modulus
    put(row + 1, count - 1, layers[-1].stress[2, -1] / modulus)
    f[row + 1] = (-load.outside - layers[-1].free[2]) / modulus
    caps = np.pi * (load.inside * radii[0] ** 2 - load.outside * radii[-1] ** 2)
    force = load.force + (caps if load.closed else 0.0)
    _resultant_row(K, f, size - 2, layers, (0, 1, load.axial_held, force, modulus))
    _resultant_row(K, f, size - 1, layers, (3, 2, load.twist_held, load.torque, modulus))
    return np.asarray(np.linalg.solve(K, f))


def _resultant_row(K: Array, f: Array, row: int, layers: list[_Layer],
                   what: tuple[int, int, bool, float, float]) -> None:  # fmt: skip
    """Force or torque over the wall, or the strain or twist held at zero."""
    component, power, held, value, modulus = what
    if held:
        K[row, -2 if component == 0 else -1] = 1.0
        return
    area = 0.0
    for i, layer in enumerate(layers):
        weights = 2 * np.pi * _weights(layer) * layer.r**power
        total = weights @ layer.stress[component]
        K[row, i * ORDER : (i + 1) * ORDER] += total[:ORDER]
        K[row, -2:] += total[ORDER:]
        f[row] -= float(weights.sum() * layer.free[component])
        area += float(weights.sum())
    f[row] += value
    K[row] /= modulus * area
    f[row] /= modulus * area


def _weights(layer: _Layer) -> Array:
    """Clenshaw–Curtis weights on a layer's points [m]."""
    n = ORDER - 1
    theta = np.pi * np.arange(ORDER) / n
    w = np.ones(ORDER)
    for k in range(1, n // 2 + 1):
        b = 1.0 if 2 * k == n else 2.0
        w -= b * np.cos(2 * k * theta) / (4 * k * k - 1)
    w *= 2.0 / n
    w[[0, -1]] /= 2
    return np.asarray(w * (layer.r[-1] - layer.r[0]) / 2)


def _collect(laminate: Laminate, layers: list[_Layer], solution: Array) -> ThickCylinder:
    n = ORDER
    stresses, force = [], 0.0
    for i, layer in enumerate(layers):
        local = np.concatenate([solution[i * n : (i + 1) * n], solution[-2:]])
        stress = np.einsum("ikl,l->ki", layer.stress, local) + layer.free
        force += float(2 * np.pi * (_weights(layer) * layer.r) @ stress[:, 0])
        # The middle radius lies between points; the polynomial through all of them gives it.
        fit = np.polynomial.chebyshev.chebfit(_chebyshev(n)[0], stress, n - 1)
        mid = np.polynomial.chebyshev.chebval(0.0, fit)
        stresses.append([stress[0], mid, stress[-1]])
    found = np.array(stresses)
    c, s = np.cos(laminate.angles)[:, None], np.sin(laminate.angles)[:, None]
    fibre = c * c * found[..., 0] + s * s * found[..., 1] + 2 * c * s * found[..., 3]
    last = n * len(layers) - 1
    eps, twist = float(solution[-2]), float(solution[-1])
    return ThickCylinder(
        float(solution[0]), float(solution[last]), eps, twist, force, found, fibre
    )
