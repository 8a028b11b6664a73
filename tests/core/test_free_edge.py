"""Free edges of strips in tension: balance of forces and moments, convergence, symmetry."""

import numpy as np
import pytest

from tartan.core.errors import PartError
from tartan.core.laminate.response import Load, respond
from tartan.core.solid.freeedge import Strip, in_tension
from tests.core.test_solid import of

T = 0.25e-3
CROSS = ((0.0, T), (90.0, T), (90.0, T), (0.0, T))
ANGLE = ((45.0, T), (-45.0, T), (-45.0, T), (45.0, T))
STRAIN = 1e-3


def strip(plies: tuple[tuple[float, float], ...], **more: int) -> Strip:
    return in_tension(of(*plies), 40 * T, STRAIN, **more)


def above(found: Strip, ply: int) -> np.ndarray:
    """Layers above the interface over a ply."""
    return np.flatnonzero(found.slab.ply > ply)


@pytest.mark.parametrize("plies", [CROSS, ANGLE])
def test_the_middle_is_laminate_theory(plies: tuple[tuple[float, float], ...]) -> None:
    laminate, found = of(*plies), strip(plies)
    N = np.array([STRAIN / np.linalg.inv(laminate.A)[0, 0], 0.0, 0.0])
    theory = respond(laminate, Load(N=N)).stress_xy[:, 1]
    own, peak = found.at_middle(), np.abs(theory).max()
    np.testing.assert_allclose(own[:, [0, 1, 3]], theory[found.slab.ply], atol=2e-4 * peak)
    np.testing.assert_allclose(own[:, [2, 4, 5]], 0.0, atol=2e-4 * peak)


def test_the_moment_of_peeling_balances_that_of_the_plies_across() -> None:
    """What lies above an interface of [0/90]s turns by nothing, and is lifted by nothing."""
    found = strip(CROSS)
    s = found.slab
    z, dz = (s.z[1:] + s.z[:-1]) / 2, np.diff(s.z)
    layers = above(found, 2)
    force = found.forces_between(2)
    plies = found.at_middle()[layers, 1]
    moment = float((plies * (z[layers] - s.z[layers[0]]) * dz[layers]).sum())
    assert abs(moment) > 0
    assert float(force[:, 2] @ s.y) == pytest.approx(moment, rel=1e-3)
    assert abs(force[:, 2].sum()) < 1e-6 * np.abs(force[:, 2]).sum()
    # Slid by what pulls the plies above across.
    assert force[:, 1].sum() == pytest.approx(-float((plies * dz[layers]).sum()), rel=1e-3)


def test_the_slide_of_angle_plies_balances_their_shear() -> None:
    found = strip(ANGLE)
    s = found.slab
    layers = above(found, 2)
    shear = float((found.at_middle()[layers, 3] * np.diff(s.z)[layers]).sum())
    assert found.forces_between(2)[:, 0].sum() == pytest.approx(-shear, rel=1e-3)
    # It gathers at the edge: eight plies from it nothing is left.
    far = s.y < s.y[-1] - 8 * T
    assert np.abs(found.between(2)[far, 0]).max() < 0.02 * np.abs(shear) / T


def test_means_over_a_length_converge_where_the_peak_does_not() -> None:
    means, peaks = [], []
    for n in (1, 2, 4):
        found = strip(ANGLE, across=30 * n, per_ply=3 * n)
        means.append(found.mean(2, T)[0])
        peaks.append(np.abs(found.between(2)[:, 0]).max())
    assert peaks[2] > 1.05 * peaks[1] > 1.05**2 * peaks[0]
    assert abs(means[2] - means[1]) < 0.6 * abs(means[1] - means[0])
    assert means[2] == pytest.approx(means[1], rel=0.01)


def test_a_mean_over_all_is_the_whole_force() -> None:
    found = strip(ANGLE, across=20, per_ply=2)
    half = found.slab.y[-1]
    whole = found.forces_between(2).sum(axis=0)
    np.testing.assert_allclose(found.mean(2, half) * half, whole, atol=1e-9 * np.abs(whole).max())
    # Two lengths that end at a line part what lies between them.
    lines = found.slab.y
    a, b = (found.mean(2, half - y) * (half - y) for y in (lines[10], lines[15]))
    inner = found.forces_between(2)
    between = inner[11:15].sum(axis=0)
    assert abs((a - b)[0] - between[0]) <= np.abs(inner[[10, 15], 0]).sum()


def test_twice_the_strain_is_twice_the_stress_and_mirrored_plies_mirror_it() -> None:
    one = strip(ANGLE, across=30, per_ply=3)
    two = in_tension(of(*ANGLE), 40 * T, 2 * STRAIN, across=30, per_ply=3)
    np.testing.assert_allclose(two.between(0), 2 * one.between(0), rtol=1e-6, atol=1.0)
    other = strip(tuple((-a, t) for a, t in ANGLE), across=30, per_ply=3)
    flipped = one.between(0) * [-1, 1, 1]
    scale = np.abs(flipped).max()
    np.testing.assert_allclose(other.between(0), flipped, atol=1e-7 * scale)


def test_lengths_and_widths_that_cannot_be_are_refused() -> None:
    found = strip(CROSS, across=8, per_ply=1)
    for length in (0.0, -1.0, 1.0, float("nan")):
        with pytest.raises(PartError, match="length"):
            found.mean(0, length)
    for ply in (-1, 3, 7):
        with pytest.raises(PartError, match="none above"):
            found.between(ply)
    for width in (0.0, -1.0, float("nan"), float("inf")):
        with pytest.raises(PartError, match="width"):
            in_tension(of(*CROSS), width, STRAIN)
    for strain in (2.0, float("nan"), float("inf")):
        with pytest.raises(PartError, match="stretched"):
            in_tension(of(*CROSS), 40 * T, strain)
