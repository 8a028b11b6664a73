"""Zones judged together: what each of them says by itself, place by place."""

import dataclasses

import numpy as np
import pytest

from tartan.core.errors import PartError
from tartan.core.laminate import Laminate
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


def test_which_zones_go_together() -> None:
    zones, strains = part(1)
    groups = [numbers for numbers, _, _ in assessed_alike(zones, strains, SETS, Within())]
    # Alone are the one of other materials, the one of four plies and the sandwich.
    assert groups == [[0, 1, 2, 4, 5, 7, 8, 9, 10]]
    # What the compiled search does not know is left to the general way.
    puck = {"ply": ("puck",), "core": ("core_shear",)}
    assert list(assessed_alike(zones, strains, puck, Within())) == []
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
