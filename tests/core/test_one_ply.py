"""One ply in many sections at once is what each section says by itself."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tartan.core.laminate import Laminate
from tartan.core.laminate.across import across_at, across_operator
from tartan.core.laminate.one_ply import free_stresses_at, shears_at, strains_at, stresses_at
from tartan.core.laminate.response import (
    Load,
    free_resultants,
    free_resultants_of,
    respond,
    shear_from_section,
)
from tartan.core.shell.zones import Zones
from tests.conftest import laminate as of

Array = NDArray[np.float64]

SECTIONS = [
    of(("carbon", 20, 1e-3), ("foam", 0, 4e-3), ("glass", -35, 0.7e-3), offset=1.3e-3),
    of(("glass", 50, 1e-3), ("carbon", -10, 0.3e-3)),
    of(("carbon", 70, 2e-3), ("glass", 15, 1e-3), ("carbon", 0, 0.7e-3)),
    of(("steel", 0, 1e-3)),
]
PLACES = [2, 0, 1, 0]
LEVELS = range(3)


def test_between_plies() -> None:
    rng = np.random.default_rng(11)
    section, growth = rng.normal(size=8), rng.normal(size=8) * 1e3
    acting = np.concatenate([section[6:], growth])
    for level in LEVELS:
        found = shears_at(SECTIONS, PLACES, level) @ acting
        wanted = [
            shear_from_section(x, section, growth)[p, level]
            for x, p in zip(SECTIONS, PLACES, strict=True)
        ]
        np.testing.assert_allclose(found, wanted, rtol=1e-9, atol=1e-3)
        rows = across_at(SECTIONS, PLACES, level)
        for row, x, p in zip(rows, SECTIONS, PLACES, strict=True):
            own = across_operator(x).reshape(x.count, 3, 36)[p, level]
            np.testing.assert_allclose(row, own, rtol=1e-9, atol=1e-12 * np.abs(own).max())


def test_stresses_and_strains_in_the_plane_are_those_of_the_load_itself() -> None:
    """Free strains stay free: what a section under a load and heat bears, put together anew."""
    rng = np.random.default_rng(12)
    for x, place in zip(SECTIONS, PLACES, strict=True):
        load = Load(
            rng.normal(size=3) * 1e4,
            rng.normal(size=3) * 10,
            dT=rng.normal() * 60,
            dT_gradient=rng.normal() * 5e3,
            dC=abs(rng.normal()) * 0.01,
        )
        whole = respond(x, load)
        section = np.concatenate([whole.eps0, whole.kappa, rng.normal(size=2)])
        for level in LEVELS:
            strain = strains_at([x], [place], level)[0] @ section
            np.testing.assert_allclose(strain, whole.strain_12[place, level], atol=1e-14)
            stress = stresses_at([x], [place], level)[0] @ section
            stress -= free_stresses_at([x], [place], level, [load])[0]
            size = np.abs(whole.stress_12).max()
            np.testing.assert_allclose(stress, whole.stress_12[place, level], atol=1e-10 * size)


def test_resultants_that_hold_heat_are_the_sums_of_stresses_that_do() -> None:
    """By Gauss's three places through each ply, exact for what grows linearly."""
    rng = np.random.default_rng(13)
    loads = [
        Load(dT=rng.normal() * 50, dT_gradient=rng.normal() * 4e3, dC=rng.normal() * 0.01)
        for _ in SECTIONS
    ]
    found = free_resultants_of(SECTIONS, loads)
    for row, x, load in zip(found, SECTIONS, loads, strict=True):
        N, M = np.zeros(3), np.zeros(3)
        for p in range(x.count):
            low, high = x.z[p], x.z[p + 1]
            ends = [
                np.linalg.inv(strain_to_stress(x, p)) @ free_stresses_at([x], [p], k, [load])[0]
                for k in (0, 2)
            ]
            for at, weight in zip((-np.sqrt(0.6), 0.0, np.sqrt(0.6)), (5, 8, 5), strict=True):
                share = (1 + at) / 2
                here = ends[0] * (1 - share) + ends[1] * share
                z = low + (high - low) * share
                N += weight / 18 * (high - low) * here
                M += weight / 18 * (high - low) * z * here
        wanted = np.concatenate([N, M])
        np.testing.assert_allclose(row, wanted, rtol=1e-9, atol=1e-10 * np.abs(wanted).max())
        np.testing.assert_allclose(free_resultants(x, load), row, rtol=1e-12)


def strain_to_stress(laminate: Laminate, place: int) -> Array:
    """Matrix that makes stresses in a ply's axes of those in the laminate's, by its angle."""
    c, s = np.cos(laminate.angles[place]), np.sin(laminate.angles[place])
    rows = [[c * c, s * s, 2 * c * s], [s * s, c * c, -2 * c * s], [-c * s, c * s, c * c - s * s]]
    return np.array(rows)


def test_zones_know_their_elements_in_order_also_the_empty_ones() -> None:
    zones = Zones(tuple(SECTIONS), np.array([2, 0, 2, 3, 0, 2]), ())
    assert [x.tolist() for x in zones.members] == [[1, 4], [], [0, 2, 5], [3]]
    none = Zones(tuple(SECTIONS[:1]), np.zeros(0, np.int64), ())
    assert [x.tolist() for x in none.members] == [[]]
