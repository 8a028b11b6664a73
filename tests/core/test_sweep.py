"""The compiled search over a part finds what evaluating every place finds."""

import numpy as np
import pytest

from tartan.core.criteria import REGISTRY, written
from tartan.core.shell import margins
from tartan.core.shell.margins import Within, assess
from tests.conftest import laminate

OWN = written("own", "max(s1 / Xt, -s1 / Xc) + abs(t12) / S12 + (s2 / Yt)**2")
KEYS = [
    OWN,
    *(k for k, r in REGISTRY.items() if hasattr(r, "branches") and r.stress == "in-plane"),
]
LAM = laminate(("carbon", 0, 1e-3), ("glass", 50, 0.7e-3), ("carbon", -30, 0.5e-3))


def strains(seed: int) -> np.ndarray:
    rng = np.random.default_rng(seed)
    found = rng.normal(size=(3, 40, 4, 8)) * np.array([4e-3] * 3 + [1.5] * 3 + [0.0] * 2)
    found[:, 0] = 0.0
    return found


@pytest.mark.parametrize("keys", [*([k] for k in KEYS), KEYS])
def test_swept_as_place_by_place(keys: list[str], monkeypatch: pytest.MonkeyPatch) -> None:
    sets = {"ply": keys, "woven": keys}
    state = strains(len(keys[0]))
    fast = assess(LAM, state, sets)
    monkeypatch.setattr(margins, "rows_of", lambda _: None)
    plain = assess(LAM, state, sets)
    np.testing.assert_allclose(fast.reserve, plain.reserve, rtol=1e-9)
    np.testing.assert_allclose(fast.index[1:], plain.index[1:], rtol=1e-6)
    for name in ("case", "point", "ply", "level", "mode"):
        assert (getattr(fast, name)[1:] == getattr(plain, name)[1:]).all(), name
    names = [[m.checks[i] for i in m.check[1:]] for m in (fast, plain)]
    assert names[0] == names[1]


def test_nothing_is_said_of_a_ply_that_was_not_asked_for() -> None:
    # The last ply is free of stress, the first is not: nothing of the first may be told.
    state = np.zeros((1, 2, 4, 8))
    lam = laminate(("carbon", 0, 1e-3), ("glass", 0, 1e-3))
    z = float(lam.z[1] + lam.z[2]) / 2
    state[..., 0], state[..., 3] = z, -1.0
    found = assess(
        lam,
        state,
        {"ply": ("max_stress",), "woven": ("max_stress",)},
        within=Within(plies=(1,), levels=(1,)),
    )
    assert np.isinf(found.reserve).all()
    assert (found.ply == 1).all()
    assert (found.level == 1).all()
