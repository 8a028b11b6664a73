"""What one ply bears in each of many sections, all worked out together.

Draping makes a section of every few elements of a part, and what each takes by itself adds up.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate.response import Load
from tartan.core.laminate.shear import growth_distribution, shear_distribution
from tartan.core.laminate.stiffness import Laminate, of_one_count, shears_of

Array = NDArray[np.float64]

_PLACES = np.array([-1.0, 0.0, 1.0])


def strains_at(laminates: Sequence[Laminate], places: Sequence[int], level: int) -> Array:
    """Strains of one ply in its own axes per section strain.

    Parameters
    ----------
    laminates : sequence of Laminate
        Sections.
    places : sequence of int
        The ply's place in each, from 0.
    level : int
        0, 1 and 2 are its bottom, middle and top.

    Returns
    -------
    ndarray, shape (k, 3, 8)
        eps_1, eps_2, gamma_12 per section strain in the order of `stress_from_section`
        [1; curvatures m]; shear strains across the section have no part in them.
    """
    each = list(zip(laminates, places, strict=True))
    T = np.array([x.T[p] for x, p in each]).reshape(-1, 3, 3)
    z = _heights(laminates, places, level)
    return np.concatenate([T, z[:, None, None] * T, np.zeros((len(each), 3, 2))], axis=2)


def stresses_at(laminates: Sequence[Laminate], places: Sequence[int], level: int) -> Array:
    """Stresses of one ply in its own axes per section strain, as `strains_at`.

    Returns
    -------
    ndarray, shape (k, 3, 8)
        sigma_1, sigma_2, tau_12 [Pa; curvatures Pa m].
    """
    return _own_stiffness(laminates, places) @ strains_at(laminates, places, level)


def free_stresses_at(
    laminates: Sequence[Laminate], places: Sequence[int], level: int, loads: Sequence[Load]
) -> Array:
    """Stresses of one ply that temperature and moisture would cause if all strain were held.

    Parameters
    ----------
    laminates, places, level
        As of `strains_at`.
    loads : sequence of Load
        Temperature and moisture of each section.

    Returns
    -------
    ndarray, shape (k, 3)
        As `free_stress` gives them [Pa].
    """
    materials = [x.materials[p] for x, p in zip(laminates, places, strict=True)]
    alpha = np.array([(m.alpha1, m.alpha2, 0.0) for m in materials]).reshape(-1, 3)
    beta = np.array([(m.beta1, m.beta2, 0.0) for m in materials]).reshape(-1, 3)
    above = _heights(laminates, places, level) - [x.offset for x in laminates]
    dT = np.array([x.dT for x in loads]) + np.array([x.dT_gradient for x in loads]) * above
    free = dT[:, None] * alpha + np.array([x.dC for x in loads])[:, None] * beta
    return np.asarray((_own_stiffness(laminates, places) @ free[..., None])[..., 0])


def _own_stiffness(laminates: Sequence[Laminate], places: Sequence[int]) -> Array:
    found = [x.Q[p] for x, p in zip(laminates, places, strict=True)]
    return np.array(found).reshape(-1, 3, 3)


def _heights(laminates: Sequence[Laminate], places: Sequence[int], level: int) -> Array:
    ends = [x.z[p : p + 2] for x, p in zip(laminates, places, strict=True)]
    low, high = np.array(ends).reshape(-1, 2).T
    return np.asarray(low + (high - low) * (1 + _PLACES[level]) / 2)


def shears_at(laminates: Sequence[Laminate], places: Sequence[int], level: int) -> Array:
    """Interlaminar shear of one ply in each of many laminates, all worked out together.

    Parameters
    ----------
    laminates, places, level
        As of `strains_at`.

    Returns
    -------
    ndarray, shape (k, 2, 10)
        tau_13, tau_23 per transverse shear strain (2) [Pa], then per growth (8) [1, 1/m].
    """
    found = np.empty((len(laminates), 2, 10))
    for rows, some in of_one_count(laminates):
        Qbar, z = (np.array([getattr(x, name) for x in some]) for name in ("Qbar", "z"))
        given = Qbar, z, np.linalg.inv(np.array([x.ABD for x in some]))
        H = shears_of(some)
        at = np.arange(len(rows)), np.array([places[k] for k in rows]), 0
        f, g = (d(*given, _PLACES[[level]])[at] for d in (shear_distribution, growth_distribution))
        angle = np.array([x.angles[p] for x, p in zip(some, at[1], strict=True)])
        c, s = np.cos(angle), np.sin(angle)
        turn = np.moveaxis(np.array([[c, s], [-s, c]]), -1, 0)
        found[rows] = turn @ np.concatenate([f @ H, g], axis=-1)
    return found
