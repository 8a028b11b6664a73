"""Response of a laminate to forces, moments, temperature and moisture; ply recovery.

Source: R. M. Jones, Mechanics of Composite Materials, 2nd ed., section 4.4 and eqs. 4.98–4.104
(thermal resultants).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.laminate.shear import growth_distribution, shear_distribution
from tartan.core.laminate.stiffness import Laminate, of_one_count, strain_rotation

Array = NDArray[np.float64]

LEVELS = ("bottom", "middle", "top")
"""Where in a ply results are given; the order of every level axis."""

_PLACES = np.array([-1.0, 0.0, 1.0])


def _zeros() -> Array:
    return np.zeros(3)


@dataclass(frozen=True, eq=False)
class Load:
    """Mechanical resultants with changes of temperature and moisture.

    Attributes
    ----------
    N, M : ndarray, shape (3,)
        Forces [N/m] and moments [N] per width about the reference surface, order x, y, xy.
    dT : float
        Temperature change from the stress-free state at mid-thickness [K].
    dT_gradient : float
        Its growth along z [K/m].
    dC : float
        Change of moisture content [1].
    """

    N: Array = field(default_factory=_zeros)
    M: Array = field(default_factory=_zeros)
    dT: float = 0.0
    dT_gradient: float = 0.0
    dC: float = 0.0


@dataclass(frozen=True, eq=False)
class PlyResponse:
    """Strains and stresses of every ply at its three levels.

    Attributes
    ----------
    eps0, kappa : ndarray, shape (3,)
        Strain [1] and curvature [1/m] of the reference surface.
    z : ndarray, shape (n, 3)
        Height of every level [m].
    strain_12, mechanical_12 : ndarray, shape (n, 3, 3)
        Total strain, and total less free expansion, in ply axes [1].
    stress_12, stress_xy : ndarray, shape (n, 3, 3)
        Stress in ply and in laminate axes [Pa].
    """

    eps0: Array
    kappa: Array
    z: Array
    strain_12: Array
    mechanical_12: Array
    stress_12: Array
    stress_xy: Array


def level_heights(laminate: Laminate) -> Array:
    """Heights of bottom, middle and top of every ply, shape (n, 3) [m]."""
    low, high = laminate.z[:-1], laminate.z[1:]
    return np.stack([low, (low + high) / 2, high], axis=-1)


def _expansion(laminate: Laminate) -> tuple[Array, Array]:
    """Free expansion per kelvin and per moisture content in ply axes, shape (n, 3) each."""
    alpha = np.array([[m.alpha1, m.alpha2, 0.0] for m in laminate.materials])
    beta = np.array([[m.beta1, m.beta2, 0.0] for m in laminate.materials])
    return alpha, beta


def free_resultants(laminate: Laminate, load: Load) -> Array:
    """Resultants that temperature and moisture would need to be held, shape (6,) [N/m, N]."""
    x = laminate
    return _free(x.Qbar, x.T, x.z, x.offset, _expansion(x), (load.dT, load.dT_gradient, load.dC))


def free_resultants_of(laminates: Sequence[Laminate], loads: Sequence[Load]) -> Array:
    """The same of many laminates, all worked out together.

    Parameters
    ----------
    laminates : sequence of Laminate
        Sections, such as the zones of a draped part.
    loads : sequence of Load
        Temperature and moisture of each.

    Returns
    -------
    ndarray, shape (k, 6)
        [N/m, N].
    """
    found = np.empty((len(laminates), 6))
    for rows, some in of_one_count(laminates):
        Qbar, T, z = (np.array([getattr(x, name) for x in some]) for name in ("Qbar", "T", "z"))
        alpha, beta = (np.array(x) for x in zip(*map(_expansion, some), strict=True))
        changes = np.array([(x.dT, x.dT_gradient, x.dC) for x in (loads[k] for k in rows)])
        offset = np.array([[x.offset] for x in some])
        found[rows] = _free(Qbar, T, z, offset, (alpha, beta), tuple(changes.T[..., None]))
    return found


def _free(
    Qbar: Array,
    T: Array,
    z: Array,
    offset: Array | float,
    expansion: tuple[Array, Array],
    changes: tuple[Array | float, ...],
) -> Array:
    """Resultants of held expansion, shape (..., 6): of one laminate, or of many of one count."""
    dT, gradient, dC = changes
    back = np.linalg.inv(T)
    a, b = ((Qbar @ (back @ x[..., None]))[..., 0] for x in expansion)
    low, high = z[..., :-1], z[..., 1:]
    t, mean = high - low, (high + low) / 2
    second = t * (mean**2 + t**2 / 12)
    base = dT - gradient * offset
    N = a * (base * t + gradient * t * mean)[..., None] + b * (dC * t)[..., None]
    M = a * (base * t * mean + gradient * second)[..., None] + b * (dC * t * mean)[..., None]
    return np.asarray(np.concatenate([N.sum(axis=-2), M.sum(axis=-2)], axis=-1))


def respond(laminate: Laminate, load: Load) -> PlyResponse:
    """Solve ``[N; M] + [N_T; M_T] = ABD [eps0; kappa]`` and recover every ply.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    load : Load
        Prescribed resultants, temperature and moisture.

    Raises
    ------
    StackError
        When a load is not finite.
    """
    total = np.concatenate([np.asarray(load.N, float), np.asarray(load.M, float)])
    _check_finite(total, load)
    return recover(laminate, laminate.compliance @ (total + free_resultants(laminate, load)), load)


def respond_split(laminate: Laminate, load: Load) -> tuple[PlyResponse, PlyResponse | None]:
    """Response to what is scaled, forces and moments, and to what stays, temperature and moisture.

    Returns
    -------
    tuple of PlyResponse
        The second is None where there is neither temperature nor moisture.

    Raises
    ------
    StackError
        When a load is not finite.
    """
    growing = respond(laminate, replace(load, dT=0.0, dT_gradient=0.0, dC=0.0))
    if not (load.dT or load.dT_gradient or load.dC):
        return growing, None
    return growing, respond(laminate, replace(load, N=np.zeros(3), M=np.zeros(3)))


def respond_mixed(
    laminate: Laminate, is_strain: NDArray[np.bool_], values: Array, load: Load
) -> tuple[PlyResponse, Array]:
    """Solve with either the deformation or the resultant prescribed in each component.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    is_strain : ndarray of bool, shape (6,)
        Whether a component's strain or curvature is prescribed, in the order x, y, xy, then
        curvatures; otherwise its force or moment is.
    values : ndarray, shape (6,)
        The prescribed values [1, 1/m, N/m, N].
    load : Load
        Temperature and moisture; its resultants are not read.

    Returns
    -------
    tuple of PlyResponse and ndarray, shape (6,)
        Ply results, and all six mechanical resultants [N/m, N].

    Raises
    ------
    StackError
        When a value is not finite.
    """
    _check_finite(values, load)
    free = free_resultants(laminate, load)
    known = np.asarray(is_strain, bool)
    # Strains and thickness times curvatures are of one size, which conditions the system.
    s = np.concatenate([np.ones(3), np.full(3, laminate.thickness)])
    K = laminate.ABD / np.outer(s, s)
    strain = np.where(known, values, 0.0) * s
    right = (values + free) / s - K @ strain
    open_ = ~known
    strain[open_] = np.linalg.solve(K[np.ix_(open_, open_)], right[open_])
    strain = strain / s
    return recover(laminate, strain, load), laminate.ABD @ strain - free


def _check_finite(values: Array, load: Load) -> None:
    if not np.all(np.isfinite([*values, load.dT, load.dT_gradient, load.dC])):
        raise StackError("A load is not a finite number.", "Loads", "Enter a number.")


def recover(laminate: Laminate, strain: Array, load: Load) -> PlyResponse:
    """Ply results of a known deformation.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    strain : ndarray, shape (6,)
        Strain [1] and curvature [1/m] of the reference surface.
    load : Load
        Temperature and moisture, whose free expansion causes no stress.
    """
    z = level_heights(laminate)
    strain_xy = strain[:3] + z[..., None] * strain[3:]
    strain_12 = np.einsum("nij,nsj->nsi", laminate.T, strain_xy)
    alpha, beta = _expansion(laminate)
    dT = load.dT + load.dT_gradient * (z - laminate.offset)
    free = dT[..., None] * alpha[:, None] + load.dC * beta[:, None]
    mechanical = strain_12 - free
    stress_12 = np.einsum("nij,nsj->nsi", laminate.Q, mechanical)
    stress_xy = np.einsum("nji,nsj->nsi", laminate.T, stress_12)
    return PlyResponse(strain[:3], strain[3:], z, strain_12, mechanical, stress_12, stress_xy)


def free_stress(laminate: Laminate, load: Load) -> Array:
    """Stress that temperature and moisture would cause if all strain were held at zero.

    Returns
    -------
    ndarray, shape (n, 3, 3)
        By ply and level in ply axes [Pa]; its negative adds to the stress of the total strain.
    """
    alpha, beta = _expansion(laminate)
    dT = load.dT + load.dT_gradient * (level_heights(laminate) - laminate.offset)
    free = dT[..., None] * alpha[:, None] + load.dC * beta[:, None]
    return np.asarray(np.einsum("nij,nsj->nsi", laminate.Q, free))


def mean_stress_load(laminate: Laminate, membrane: Array, flexural: Array) -> Load:
    """Load given as mean stresses N/h and flexural stresses 6M/h², each of shape (3,) [Pa]."""
    h = laminate.thickness
    return Load(np.asarray(membrane, float) * h, np.asarray(flexural, float) * h**2 / 6)


def principal(stress: Array) -> tuple[Array, Array]:
    """Principal in-plane stresses, greater first, and the angle of the greater.

    Parameters
    ----------
    stress : ndarray, shape (..., 3)
        x, y, xy or 1, 2, 12 [Pa].

    Returns
    -------
    tuple of ndarray
        Shape (..., 2) [Pa], and shape (...) from the first axis [rad].
    """
    x, y, t = stress[..., 0], stress[..., 1], stress[..., 2]
    middle, radius = (x + y) / 2, np.hypot((x - y) / 2, t)
    return np.stack([middle + radius, middle - radius], axis=-1), np.arctan2(2 * t, x - y) / 2


def expansion(laminate: Laminate) -> tuple[Array, Array]:
    """Free strain and curvature per kelvin and per moisture content.

    Returns
    -------
    tuple of ndarray, shape (6,)
        By temperature [1/K, 1/(m·K)] and by moisture [1, 1/m], order x, y, xy, then curvatures.
    """
    return (
        laminate.compliance @ free_resultants(laminate, Load(dT=1.0)),
        laminate.compliance @ free_resultants(laminate, Load(dC=1.0)),
    )


def stress_from_section(laminate: Laminate, section: Array) -> Array:
    """Ply stresses from section strains, vectorised.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    section : ndarray, shape (..., 8)
        eps0 (3), kappa (3) [1, 1/m] and transverse shear strain (2) [1] in laminate axes.

    Returns
    -------
    ndarray, shape (..., n, 3, 3)
        In-plane stress in ply axes by ply and level [Pa].
    """
    operator = np.einsum("nij,njk->nik", laminate.Q, laminate.T)
    z = level_heights(laminate)
    membrane = np.einsum("nij,...j->...ni", operator, section[..., :3])
    bending = np.einsum("nij,...j->...ni", operator, section[..., 3:6])
    stress: Array = membrane[..., None, :] + z[..., None] * bending[..., None, :]
    return stress


def shear_from_section(laminate: Laminate, section: Array, growth: Array | None = None) -> Array:
    """Interlaminar shear stresses from section strains, by equilibrium.

    Parameters
    ----------
    laminate : Laminate
        The laminate.
    section : ndarray, shape (..., 8)
        As in `stress_from_section`.
    growth : ndarray, shape (..., 8), optional
        Gradients of the section forces beside Q, in the order of `shear.GROWTH` [N/m², N/m];
        zero when left out.

    Returns
    -------
    ndarray, shape (..., n, 3, 2)
        tau_13, tau_23 in ply axes by ply and level [Pa]; zero at both faces.
    """
    force = section[..., 6:] @ laminate.shear.T
    f = _turned(laminate, shear_distribution)
    if growth is not None:
        f = np.concatenate([f, _turned(laminate, growth_distribution)], axis=-1)
        shape = np.broadcast_shapes(force.shape[:-1], growth.shape[:-1])
        both = (np.broadcast_to(x, (*shape, x.shape[-1])) for x in (force, growth))
        force = np.concatenate(tuple(both), axis=-1)
    # As one product of matrices, which is many times faster than a sum over named axes.
    stress: Array = force @ f.reshape(-1, f.shape[-1]).T
    return stress.reshape(*force.shape[:-1], *f.shape[:-1])


def _turned(laminate: Laminate, distribution: Callable[..., Array]) -> Array:
    """A distribution of xz and yz by ply and level, in ply axes, shape (n, 3, 2, c)."""
    f = distribution(laminate.Qbar, laminate.z, laminate.compliance, _PLACES)
    c, s = np.cos(laminate.angles), np.sin(laminate.angles)
    turn = np.moveaxis(np.array([[c, s], [-s, c]]), -1, 0)
    return np.asarray(np.einsum("nij,nsjk->nsik", turn, f))


__all__ = [
    "LEVELS",
    "Load",
    "PlyResponse",
    "level_heights",
    "recover",
    "respond",
    "respond_mixed",
    "shear_from_section",
    "strain_rotation",
    "stress_from_section",
]
