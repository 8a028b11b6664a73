"""Many laminates and many places at once say what each says by itself."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import least_squares

from tartan.core.drape.pattern import _place_in
from tartan.core.errors import MaterialError, StackError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.laminate.stiffness import make_laminates
from tartan.core.shell.zones import LaidPly, zones_of
from tartan.core.stack import Ply, Stack
from tests.conftest import CARBON, GLASS

MATERIALS = {m.name: m for m in (CARBON, GLASS)}


def stacks(rng: np.random.Generator, count: int) -> list[Stack]:
    """Stacks of 1 to 5 plies that share some of their plies."""
    shared = [
        Ply(str(rng.choice(list(MATERIALS))), float(rng.uniform(-90, 90)), rng.uniform(1e-4, 1e-3))
        for _ in range(6)
    ]
    return [
        Stack(f"s{k}", tuple(shared[i] for i in rng.integers(0, 6, rng.integers(1, 6))))
        for k in range(count)
    ]


def test_laminates_made_together_are_those_made_one_by_one() -> None:
    rng = np.random.default_rng(7)
    many, offsets = stacks(rng, 40), rng.uniform(-2e-3, 2e-3, 40).tolist()
    for made, stack, offset in zip(
        make_laminates(many, MATERIALS, offsets), many, offsets, strict=True
    ):
        alone = make_laminate(stack, MATERIALS, offset)
        bare = Laminate(stack, tuple(MATERIALS[p.material] for p in stack.plies), offset)
        heights = [0.0]
        for ply in stack.plies:
            heights.append(heights[-1] + ply.thickness)
        half = heights[-1] / 2
        for one in (made, alone, bare):
            np.testing.assert_allclose(
                one.z, np.array(heights) - half + offset, rtol=0, atol=1e-15
            )
            np.testing.assert_array_equal(np.rad2deg(one.angles), [p.angle for p in stack.plies])
            np.testing.assert_allclose(one.ABD, alone.ABD, rtol=1e-13)


@pytest.mark.parametrize("place", [0, 17, 39])
def test_a_bad_ply_is_found_wherever_it_lies_among_good_ones(place: int) -> None:
    many = stacks(np.random.default_rng(3), 40)
    good = many[place].plies
    for wrong, kind, words in (
        ({"thickness": 0.0}, StackError, "greater than zero"),
        ({"angle": float("nan")}, StackError, "not a finite number"),
        ({"material": "tin"}, StackError, "unknown material 'tin'"),
    ):
        many[place] = Stack(f"s{place}", (*good, replace(good[-1], **wrong)))  # type: ignore[arg-type]
        with pytest.raises(kind, match=words) as told:
            make_laminates(many, MATERIALS, [0.0] * 40)
        assert f"Stack 's{place}', ply {len(good) + 1}" in str(told.value)
    many[place] = Stack(f"s{place}", ())
    with pytest.raises(StackError, match="no plies"):
        make_laminates(many, MATERIALS, [0.0] * 40)
    many[place] = Stack(f"s{place}", good)
    with pytest.raises(StackError, match="offset"):
        make_laminates(many, MATERIALS, [*[0.0] * place, float("inf"), *[0.0] * (39 - place)])
    soft = MATERIALS | {"carbon": replace(CARBON, nu12=7.0)}
    with pytest.raises(MaterialError):
        make_laminates(many, soft, [0.0] * 40)


def test_zones_turn_and_thicken_the_plies_of_each_element() -> None:
    """Every element's laminate is the one of its own turns and factors, to the tolerance."""
    rng = np.random.default_rng(11)
    count = 60
    lay_up, turns, factors = [], [], []
    for angle in (0.0, 45.0, -30.0):
        own = np.sort(rng.choice(count, 45, replace=False)) if angle else np.arange(count)
        turn, factor = rng.uniform(-20, 20, len(own)), rng.uniform(1.0, 1.4, len(own))
        lay_up.append(LaidPly(Ply("carbon", angle, 2e-4), own, turn, factor))
        turns.append(dict(zip(own.tolist(), turn, strict=True)))
        factors.append(dict(zip(own.tolist(), factor, strict=True)))
    zones = zones_of(lay_up, count, MATERIALS)
    for element in range(count):
        made = zones.laminates[zones.zone[element]]
        there = [n for n in range(3) if element in turns[n]]
        assert zones.plies[zones.zone[element]] == tuple(there)
        for n, ply in zip(there, made.stack.plies, strict=True):
            assert ply.angle == pytest.approx(lay_up[n].ply.angle + turns[n][element], abs=0.026)
            assert ply.thickness == pytest.approx(2e-4 * factors[n][element], rel=3e-4)


def test_a_place_in_a_warped_cell_is_where_a_general_solver_finds_it() -> None:
    rng = np.random.default_rng(5)
    flat = np.array([[[0.0, 0, 0], [0, 1, 0]], [[1, 0, 0], [1, 1, 0]]])
    for _ in range(25):
        places = flat + rng.uniform(-0.12, 0.12, (2, 2, 3))

        def at(s: np.ndarray, x: np.ndarray = places) -> np.ndarray:
            low = (1 - s[0]) * x[0, 0] + s[0] * x[1, 0]
            high = (1 - s[0]) * x[0, 1] + s[0] * x[1, 1]
            return np.asarray((1 - s[1]) * low + s[1] * high)

        inside = rng.uniform(0.0, 1.0, 2)
        a, b, gap = _place_in(at(inside), places, 0, 0)
        np.testing.assert_allclose([a, b], inside, atol=1e-6)
        assert gap < 1e-6
        # Off the cell it is the foot of the shortest way, and the gap its length.
        off = at(inside) + rng.normal(size=3) * 0.03
        found = least_squares(lambda s, p=off, f=at: f(s) - p, [0.5, 0.5])
        a, b, gap = _place_in(off, places, 0, 0)
        assert gap == pytest.approx(np.sqrt(2 * found.cost), rel=1e-2)
