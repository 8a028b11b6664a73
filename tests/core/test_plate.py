"""Simply supported plates: known coefficients, Ritz against closed forms, invariants."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from tartan.core.errors import StackError
from tartan.core.search import plate
from tartan.core.search.plate import Panel

A, B = 0.5, 0.5
E, NU, H, RHO = 70e9, 0.3, 2e-3, 2700.0
STIFF = E * H**3 / (12 * (1 - NU**2))
METAL = STIFF * np.array([[[1, NU, 0], [NU, 1, 0], [0, 0, (1 - NU) / 2]]])


def random_plates(count: int, *, coupled: bool) -> np.ndarray:
    rng = np.random.default_rng(11)
    L = rng.normal(size=(count, 3, 3))
    D = 10 * (L @ np.swapaxes(L, 1, 2) + 0.3 * np.eye(3))
    if not coupled:
        D[:, :2, 2] = D[:, 2, :2] = 0.0
    # Bending is stiffer than twisting, as in laminates.
    D[:, 0, 1] = D[:, 1, 0] = np.abs(D[:, 0, 1])
    return D


def test_an_isotropic_plate_has_the_coefficients_of_the_books() -> None:
    unit = math.pi**2 * STIFF / B**2
    # Timoshenko and Gere, Theory of Elastic Stability, sections 9.2 and 9.7.
    for load, k, within in (
        ((1.0, 0.0, 0.0), 4.0, 1e-12),
        ((1.0, 1.0, 0.0), 2.0, 1e-12),
        ((0.0, 0.0, 1.0), 9.34, 3e-3),
    ):
        found = plate.exact_buckling(Panel((A, B), load), METAL)[0]
        assert found / unit == pytest.approx(k, rel=within)
    long = Panel((3 * A, B), (1.0, 0.0, 0.0))
    assert plate.buckling(long, METAL)[0] / unit == pytest.approx(4.0, rel=1e-12)
    # Timoshenko and Woinowsky-Krieger, Theory of Plates and Shells, table 8: 0.00406.
    sunk = plate.deflection(Panel((A, B), pressure=1e3), METAL)[0]
    assert sunk * STIFF / (1e3 * A**4) == pytest.approx(0.00406, rel=2e-3)
    mass = np.array([RHO * H])
    omega = 2 * math.pi**2 / A**2 * math.sqrt(STIFF / mass[0])
    for found in (plate.frequency, plate.exact_frequency):
        value = found(Panel((A, B)), METAL, mass)[0]
        assert 2 * math.pi * value == pytest.approx(omega, rel=1e-12)


def test_ritz_is_the_closed_form_without_coupling_and_below_it_with() -> None:
    panel, mass = Panel((0.6, 0.4), (2.0, 1.0, 0.0)), np.full(40, 5.0)
    straight, coupled = (random_plates(40, coupled=c) for c in (False, True))
    np.testing.assert_allclose(
        plate.exact_buckling(panel, straight), plate.buckling(panel, straight), rtol=1e-9
    )
    np.testing.assert_allclose(
        plate.exact_frequency(panel, straight, mass),
        plate.frequency(panel, straight, mass),
        rtol=1e-9,
    )
    assert (plate.exact_buckling(panel, coupled) <= plate.buckling(panel, coupled)).all()
    below = plate.exact_frequency(panel, coupled, mass) / plate.frequency(panel, coupled, mass)
    assert (below <= 1 + 1e-12).all()
    assert below.min() < 0.97


def test_more_sines_come_nearer_from_above(monkeypatch: pytest.MonkeyPatch) -> None:
    panel, D = Panel((0.6, 0.4), (1.0, 0.5, 0.7)), random_plates(10, coupled=True)
    found = []
    for terms in (4, 6, 8, 10):
        plate._ritz.cache_clear()
        monkeypatch.setattr(plate, "TERMS", terms)
        found.append(plate.exact_buckling(panel, D))
    plate._ritz.cache_clear()
    for coarse, fine in itertools.pairwise(found):
        assert (fine <= coarse * (1 + 1e-12)).all()
    step = [np.abs(a - b).max() for a, b in itertools.pairwise(found)]
    assert step[2] < step[0]
    assert np.abs(found[3] / found[2] - 1).max() < 0.02


def test_a_plate_seen_in_a_mirror_buckles_at_the_mirrored_load() -> None:
    D = random_plates(12, coupled=True)
    mirrored = D.copy()
    mirrored[:, :2, 2] *= -1
    mirrored[:, 2, :2] *= -1
    one = plate.exact_buckling(Panel((0.6, 0.4), (1.0, 0.2, 0.8)), D)
    np.testing.assert_allclose(
        plate.exact_buckling(Panel((0.6, 0.4), (1.0, 0.2, -0.8)), mirrored), one, rtol=1e-9
    )
    # Turned by 90 degrees: sides, loads and stiffnesses change places, and shear its sign.
    turned = D[:, [1, 0, 2]][:, :, [1, 0, 2]]
    turned[:, :2, 2] *= -1
    turned[:, 2, :2] *= -1
    other = plate.exact_buckling(Panel((0.4, 0.6), (0.2, 1.0, -0.8)), turned)
    np.testing.assert_allclose(other, one, rtol=1e-9)
    # Which way the shear acts matters where fibres lie askew.
    against = plate.exact_buckling(Panel((0.6, 0.4), (1.0, 0.2, -0.8)), D)
    assert np.abs(against / one - 1).max() > 0.05


def test_fibres_along_the_compressed_diagonal_hold_shear_best() -> None:
    """A positive shear force stretches the +45 degree diagonal and presses on the other."""
    stretched = STIFF * np.array([[[1, 0.6, 0.5], [0.6, 1, 0.5], [0.5, 0.5, 0.7]]])
    pressed = stretched * np.array([[1, 1, -1], [1, 1, -1], [-1, -1, 1]])
    panel = Panel((0.4, 0.4), (0.0, 0.0, 1.0))
    # Waves bend along the pressed diagonal: fibres along it hold them.
    assert plate.exact_buckling(panel, pressed)[0] > plate.exact_buckling(panel, stretched)[0]


def test_tension_alone_never_buckles() -> None:
    panel = Panel((0.6, 0.4), (-1.0, -2.0, 0.0))
    assert np.isinf(plate.exact_buckling(panel, METAL)).all()
    assert np.isinf(plate.buckling(panel, METAL)).all()


def test_a_panel_without_what_a_figure_wants_is_refused() -> None:
    good = (0.4, 0.2)
    for panel, wants, words in (
        (Panel(), "", "no sides"),
        (Panel((0.4, -0.2)), "", "out of measure"),
        (Panel(good, (-1.0, 0.0, 0.0)), "load", "Nothing presses"),
        (Panel(good), "pressure", "No pressure"),
        (Panel((float("nan"), 1.0)), "", "out of measure"),
        (Panel(good, (1e300, 0.0, 0.0)), "load", "out of measure"),
    ):
        with pytest.raises(StackError, match=words):
            panel.checked(wants)
