"""Zones of plies that are turned and thickened element by element, against each element alone."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.errors import StackError
from tartan.core.shell.zones import TOLERANCE, LaidPly, zones_of
from tartan.core.stack import Ply
from tests.conftest import CARBON, GLASS

Array = NDArray[np.float64]
COUNT = 300
MATERIALS = {m.name: m for m in (CARBON, GLASS)}


def draped(seed: int, plies: int, steps: int) -> list[LaidPly]:
    """Plies on some elements each, turned and thickened by whole multiples of a few steps."""
    rng = np.random.default_rng(seed)
    found = []
    for number in range(plies):
        elements = np.flatnonzero(rng.random(COUNT) < 0.8)
        ply = Ply((CARBON, GLASS)[number % 2].name, float(rng.uniform(-60, 60)), 2e-4)
        turn = rng.integers(-steps, steps + 1, len(elements)) * 7.0
        factor = 1 + rng.integers(0, steps, len(elements)) * 0.031
        sort = number % 4
        found.append(
            LaidPly(ply, elements, None if sort == 1 else turn, None if sort in (0, 1) else factor)
        )
    # Below all of them is one that lies everywhere as it is.
    return [LaidPly(Ply(CARBON.name, 0.0, 1e-4), np.arange(COUNT)), *found]


def of_element(lay_up: list[LaidPly], element: int) -> list[tuple[int, str, float, float]]:
    """Plies of an element: number, material, angle [deg] and thickness [m]."""
    found = []
    for number, laid in enumerate(lay_up):
        at = np.flatnonzero(laid.elements == element)
        if len(at):
            turn = 0.0 if laid.turn is None else float(laid.turn[at[0]])
            factor = 1.0 if laid.factor is None else float(laid.factor[at[0]])
            ply = laid.ply
            found.append((number, ply.material, ply.angle + turn, ply.thickness * factor))
    return found


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("plies", [1, 3, 7, 30])
def test_every_element_has_its_own_plies_and_those_alike_share_a_zone(
    seed: int, plies: int
) -> None:
    lay_up = draped(seed, plies, 2)
    zones = zones_of(lay_up, COUNT, MATERIALS, reference=-1.0, offset=1e-3)
    own = [of_element(lay_up, e) for e in range(COUNT)]
    for e in range(COUNT):
        laminate, numbers = zones.laminates[zones.zone[e]], zones.plies[zones.zone[e]]
        assert numbers == tuple(n for n, *_ in own[e])
        laid = laminate.stack.plies
        assert [p.material for p in laid] == [m for _, m, *_ in own[e]]
        np.testing.assert_allclose([p.angle for p in laid], [a for *_, a, _ in own[e]], atol=1e-9)
        thick = np.array([t for *_, t in own[e]])
        np.testing.assert_allclose([p.thickness for p in laid], thick, rtol=1e-9)
        # Seen from the bottom, and lifted by the offset.
        assert laminate.z[0] == pytest.approx(1e-3)
        assert laminate.z[-1] == pytest.approx(1e-3 + thick.sum())
    # Alike are those that are rounded to the same, and no others; zones are met in their order.
    keys = [tuple((n, m, round(a, 6), round(1e9 * t, 3)) for n, m, a, t in x) for x in own]
    assert zones.zone.tolist() == [list(dict.fromkeys(keys)).index(k) for k in keys]
    assert [x.stack.name for x in zones.laminates] == [
        f"zone {k + 1}" for k in range(len(zones.laminates))
    ]
    assert sum(map(len, zones.members)) == COUNT


def test_turns_and_factors_are_one_within_the_tolerance() -> None:
    whole = np.arange(6)
    turn = np.array([0.0, 0.4, 0.6, -0.4, -0.6, 90.0]) * TOLERANCE
    (zones,) = (zones_of([LaidPly(Ply(CARBON.name, 30.0, 1e-4), whole, turn)], 6, MATERIALS),)
    assert zones.zone.tolist() == [0, 0, 1, 0, 2, 3]
    angles = [x.stack.plies[0].angle for x in zones.laminates]
    np.testing.assert_allclose(angles, 30 + TOLERANCE * np.array([0, 1, -1, 90]))
    factor = 1 + np.array([0.0, 0.4, 0.6, -0.4, -0.6, 400.0]) * TOLERANCE / 100
    zones = zones_of([LaidPly(Ply(CARBON.name, 30.0, 1e-4), whole, None, factor)], 6, MATERIALS)
    assert zones.zone.tolist() == [0, 0, 1, 0, 2, 3]
    thick = [x.thickness for x in zones.laminates]
    np.testing.assert_allclose(thick, 1e-4 * (1 + TOLERANCE / 100 * np.array([0, 1, -1, 400])))
    # A wider tolerance joins them.
    zones = zones_of(
        [LaidPly(Ply(CARBON.name, 30.0, 1e-4), whole, turn)], 6, MATERIALS, tolerance=3 * TOLERANCE
    )
    assert zones.zone.tolist() == [0, 0, 0, 0, 0, 1]


@pytest.mark.parametrize("other", [0, 3, 7, 8, 15, 29])
def test_more_combinations_than_a_number_holds_are_told_apart(other: int) -> None:
    """Thirty plies of 255 turns: numbers of base 256 would lose all plies but the last eight."""
    turns = np.tile(np.arange(255) * 0.5, (30, 1))
    # One more is like the first, but for one ply that is turned as the second's.
    last = np.zeros(30)
    last[other] = 0.5
    each = np.column_stack([turns, last])
    lay_up = [LaidPly(Ply(GLASS.name, 0.0, 1e-4), np.arange(256), t) for t in each]
    zones = zones_of(lay_up, 256, MATERIALS)
    assert zones.zone.tolist() == list(range(256))
    lay_up = [LaidPly(Ply(GLASS.name, 0.0, 1e-4), np.arange(256), np.append(t, 0)) for t in turns]
    assert zones_of(lay_up, 256, MATERIALS).zone.tolist() == [*range(255), 0]


def test_bare_and_wrong_elements_are_refused_by_number() -> None:
    ply = Ply(CARBON.name, 0.0, 1e-4)
    with pytest.raises(StackError, match="1 of 4 elements have no ply") as caught:
        zones_of([LaidPly(ply, np.array([0, 1, 3]))], 4, MATERIALS)
    assert "element 3" in caught.value.where
    for elements in ([0, 4], [-1, 2]):
        with pytest.raises(StackError, match="do not exist") as caught:
            zones_of([LaidPly(ply, np.arange(4)), LaidPly(ply, np.array(elements))], 4, MATERIALS)
        assert caught.value.where == "Ply 2"
