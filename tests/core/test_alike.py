"""Zones judged together: what each of them says by itself, place by place."""

import dataclasses

import numpy as np
import pytest

from tartan.core.errors import PartError
from tartan.core.laminate import Laminate
from tartan.core.laminate.response import Load, free_stress
from tartan.core.shell.alike import assess_alike, assessed_alike
from tartan.core.shell.margins import Within, assess
from tartan.core.shell.recovery import assess_zones
from tartan.core.shell.zones import Zones
from tests.conftest import laminate

SETS = {"ply": ("tsai_wu", "hashin"), "core": ("core_shear",)}
NAMES = ("reserve", "case", "ply", "level", "point", "mode", "index")


def turned(rng: np.random.Generator) -> Laminate:
    """Three plies of the same materials, otherwise as it happens."""
    a, t = rng.uniform(-90, 90, 3), rng.uniform(0.8e-4, 2e-4, 3)
    rows = zip(("carbon", "glass", "carbon"), a, t, strict=True)
    return laminate(*((m, float(x), float(y)) for m, x, y in rows))


def part(seed: int) -> tuple[Zones, np.ndarray]:
    """Nine zones alike, one of other materials, one of more plies, and a sandwich."""
    rng = np.random.default_rng(seed)
    laminates = [turned(rng) for _ in range(9)]
    laminates.insert(3, laminate(("glass", 10, 1e-4), ("glass", 30, 1e-4), ("carbon", 0, 1e-4)))
    laminates.insert(6, laminate(*(("carbon", float(a), 1e-4) for a in (0, 45, -45, 90))))
    laminates.append(laminate(("carbon", 0, 1e-4), ("foam", 0, 5e-3), ("carbon", 20, 1e-4)))
    zone = rng.integers(0, len(laminates), 60)
    plies = [tuple(sorted(rng.choice(8, x.count, replace=False).tolist())) for x in laminates]
    scale = np.array([4e-3] * 3 + [3.0] * 3 + [1e-4] * 2)
    return Zones(tuple(laminates), zone, tuple(plies)), rng.normal(size=(3, 60, 4, 8)) * scale


@pytest.mark.parametrize("seed", range(5))
@pytest.mark.parametrize(
    "within",
    [Within(), Within(plies=(0, 2, 3, 5)), Within(levels=(0, 2)), Within(criteria=("hashin",))],
)
def test_zones_together_say_what_each_says_alone(seed: int, within: Within) -> None:
    zones, strains = part(seed)
    whole = assess_zones(zones, strains, SETS, within=within)
    for number, lam in enumerate(zones.laminates):
        here = np.flatnonzero(zones.zone == number)
        if len(here) == 0:
            continue
        one = assess(lam, strains[:, here], SETS, within=within.of_zone(zones.plies[number]))
        one = dataclasses.replace(one, ply=np.array(zones.plies[number])[one.ply])
        judged = one.judged
        for name in NAMES:
            mine, theirs = getattr(whole, name)[here], getattr(one, name)
            np.testing.assert_allclose(mine[judged], theirs[judged], rtol=1e-12, err_msg=name)
        assert [whole.checks[k] for k in whole.check[here][judged]] == [
            one.checks[k] for k in one.check[judged]
        ]


@pytest.mark.parametrize("seed", range(2))
@pytest.mark.parametrize("within", [Within(), Within(plies=(0, 2, 3, 5), levels=(0, 1))])
@pytest.mark.parametrize("rule", ["tsai_wu", "hashin", "puck", "max_stress"])
@pytest.mark.parametrize("way", ["held", "held and grows", "grows", "held by loads", "plain"])
def test_what_stays_meanwhile_is_each_zones_own(
    seed: int, within: Within, rule: str, way: str
) -> None:
    zones, strains = part(seed)
    rng = np.random.default_rng(seed + 70)
    warm, grows = (
        [Load(dT=rng.normal() * 80, dT_gradient=rng.normal() * 2e4) for _ in zones.laminates]
        for _ in range(2)
    )
    state = {
        "held": (0.3 * strains[2], warm, None),
        "held and grows": (0.3 * strains[2], warm, grows),
        "grows": (None, None, grows),
        "held by loads": (0.3 * strains[2], None, None),
        "plain": (None, None, None),
    }[way]
    sets = {"ply": (rule, "max_strain"), "core": ("core_shear",)}
    residual, temperature, scaled = state
    whole = assess_zones(
        zones,
        strains,
        sets,
        residual=residual,
        temperature=temperature,
        scaled=scaled,
        within=within,
    )
    for number, lam in enumerate(zones.laminates):
        here = np.flatnonzero(zones.zone == number)
        if len(here) == 0:
            continue
        one = assess(
            lam,
            strains[:, here],
            sets,
            None if residual is None else residual[here],
            None if temperature is None else free_stress(lam, temperature[number]),
            None if scaled is None else free_stress(lam, scaled[number]),
            within.of_zone(zones.plies[number]),
        )
        judged = one.judged
        np.testing.assert_array_equal(whole.judged[here], judged)
        for name in ("reserve", "index"):
            mine, theirs = getattr(whole, name)[here], getattr(one, name)
            np.testing.assert_allclose(mine[judged], theirs[judged], rtol=1e-11, err_msg=name)
        one = dataclasses.replace(one, ply=np.array(zones.plies[number])[one.ply])
        for name in ("case", "ply", "level", "point", "mode"):
            mine, theirs = getattr(whole, name)[here], getattr(one, name)
            np.testing.assert_array_equal(mine[judged], theirs[judged], err_msg=name)


def test_which_zones_go_together() -> None:
    zones, strains = part(1)
    groups = [numbers for numbers, _, _ in assessed_alike(zones, strains, SETS, Within())]
    # Alone are the one of other materials, the one of four plies and the sandwich.
    assert groups == [[0, 1, 2, 4, 5, 7, 8, 9, 10]]
    # So they do where the compiled search does not know a criterion, or something is held.
    puck = {"ply": ("puck",), "core": ("core_shear",)}
    for how in ((puck, Within()), (SETS, Within(), strains[0])):
        assert [n for n, _, _ in assessed_alike(zones, strains, *how)] == groups
    # What reads shear between plies as well is left to the general way.
    between = {"ply": ("tsai_wu", "interlaminar"), "core": ("core_shear",)}
    assert list(assessed_alike(zones, strains, between, Within())) == []
    # A choice of plies parts zones that have them at other places.
    parted = assessed_alike(zones, strains, SETS, Within(plies=(0, 1, 2, 3)))
    for numbers, _, _ in parted:
        places = {Within(plies=(0, 1, 2, 3)).of_zone(zones.plies[k]).plies for k in numbers}
        assert len(places) == 1


def test_strains_that_are_no_numbers_are_refused_by_element() -> None:
    zones, strains = part(2)
    laminates = [zones.laminates[k] for k in (0, 1)]
    which = np.arange(60) % 2
    assert assess_alike(laminates, which, strains, SETS) is not None
    strains[1, 17] = np.nan
    with pytest.raises(PartError, match="Element 18, case 2"):
        assess_alike(laminates, which, strains, SETS)
