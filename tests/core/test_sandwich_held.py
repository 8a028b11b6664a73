"""Faces of a sandwich pressed beside stresses that are held, against limits worked out by hand."""

import numpy as np
import pytest

from tartan.core.criteria import criterion
from tartan.core.laminate import make_laminate
from tartan.core.materials import Material
from tartan.core.stack import Ply, Stack


def _face(E1: float, G12: float, angle: float) -> dict[str, np.ndarray]:
    """Data of a face of one ply, and of a core, for criteria of the faces."""
    ply = Material("fibre", E1, 6e9, 0.3, G12, ply_thickness=2e-4)
    lam = make_laminate(Stack("f", (Ply("fibre", angle, 2e-4),)), {"fibre": ply})
    return {
        "judged": np.array(True),
        "compliance": np.linalg.inv(lam.A),
        "tf": np.array(2e-4),
        "cell": np.array(4e-3),
        "mode": np.array(0, np.int8),
        "G": np.diag([60e6, 40e6]),
        "Ec": np.array(100e6),
        "tc": np.array(1e-2),
        "k": np.array(0.5),
    }


@pytest.mark.parametrize("narrow", [30.0, 100.0, 1000.0])
@pytest.mark.parametrize("key", ["dimpling", "wrinkling"])
def test_failure_along_a_narrow_fibre_is_found_beside_what_is_held(
    key: str, narrow: float
) -> None:
    """Between directions that were looked at, a stiff fibre's limit may be far above theirs."""
    E1 = 400e9
    rule = criterion(key)
    for angle in np.linspace(0, 90, 61):
        c, s = np.cos(np.deg2rad(angle)), np.sin(np.deg2rad(angle))
        data = _face(E1, E1 / narrow, float(angle))
        along = -1e6 * np.array([[c * c, s * s, c * s]])
        if key == "dimpling":
            limit = 2 * E1 / (1 - 0.3**2 * 6e9 / E1) * (2e-4 / 4e-3) ** 2
        else:
            Gc = 60e6 * c * c + 40e6 * s * s
            thick = np.cbrt(E1 * 100e6 * Gc)
            thin = 0.817 * np.sqrt(E1 * 100e6 * 2e-4 / 1e-2) + 0.166 * Gc * 1e-2 / 2e-4
            limit = 0.5 / 0.91 * min(0.91 * thick, thin)
        for held in (0.0, 0.25):
            found = rule.evaluate(data, along, held * along).reserve[0]
            assert found == pytest.approx(limit / 1e6 - held, rel=1e-9), (angle, held)


def test_a_pull_that_turns_a_held_compression_into_a_weaker_direction_is_seen() -> None:
    data = _face(140e9, 5e9, 0.0)
    rule = criterion("wrinkling")
    strong, weak = (
        1 / rule.evaluate(data, np.array([x])).index[0] for x in ([-1.0, 0, 0], [0, -1.0, 0])
    )
    held = np.array([[-0.8 * strong, -1.1 * weak, 0.0]])
    assert 0.8 * strong > 1.1 * weak
    assert rule.evaluate(data, held).index[0] == pytest.approx(0.8)
    for pull in (1e3, 1e6, 1e9):
        found = rule.evaluate(data, np.array([[pull, 0.0, 0.0]]), held).reserve[0]
        assert found == pytest.approx((0.8 * strong - 1.1 * weak) / pull, rel=1e-9)
    # Pulled across its weak direction, or both ways alike, it only goes away.
    for away in ([0.0, 1e6, 0.0], [1e6, 1e6, 0.0]):
        assert np.isinf(rule.evaluate(data, np.array([away]), held).reserve[0])
