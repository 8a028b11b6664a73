"""What cases may ask besides: labels, plies reported or left out, free plates under edge loads."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.errors import StackError
from tartan.core.laminate.response import Load, respond
from tartan.exchange.verify.laminate_kinds import (
    clt_mixed,
    clt_response,
    laminate_fpf,
    ply_failure,
)
from tartan.exchange.verify.reading import read_laminate
from tartan.exchange.verify.shell_kinds import free_plate
from tartan.exchange.verify.strength_kinds import critical_loads

PLY = {
    "E1": 140e9,
    "E2": 9e9,
    "nu12": 0.3,
    "G12": 4.8e9,
    "G13": 4.8e9,
    "G23": 3.2e9,
    "Xt": 2.1e9,
    "Xc": 1.3e9,
    "Yt": 55e6,
    "Yc": 200e6,
    "S12": 85e6,
    "alpha1": -3e-7,
    "alpha2": 28e-6,
}
FOAM = {"E1": 75e6, "E2": 75e6, "nu12": 0.32, "G12": 28e6, "G13": 28e6, "G23": 28e6}


def stack(*angles: float, core: int | None = None) -> dict[str, object]:
    plies = [
        {"material": "f", "angle_deg": a, "thickness": 8e-3}
        if i == core
        else {"material": "c", "angle_deg": a, "thickness": 2.5e-4}
        for i, a in enumerate(angles)
    ]
    return {"materials": {"c": PLY, "f": FOAM}, "stack": plies}


@settings(max_examples=15)
@given(
    angles=st.lists(st.integers(-90, 90), min_size=1, max_size=4),
    N=st.tuples(*[st.floats(-1e5, 1e5)] * 3),
    M=st.tuples(*[st.floats(-20, 20)] * 3),
    dT=st.floats(-100, 100),
    offset=st.sampled_from([0.0, 4e-4, -1e-3]),
)
def test_a_free_plate_under_edge_loads_takes_the_laminates_own_shape(
    angles: list[int], N: tuple[float, ...], M: tuple[float, ...], dT: float, offset: float
) -> None:
    inputs = stack(*map(float, angles)) | {
        "N": list(N),
        "M": list(M),
        "dT": dT,
        "offset": offset,
        "points": [[0.0, 0.0], [0.3, 0.0], [0.1, 0.2], [0.3, 0.25]],
    }
    found = free_plate(inputs)
    r = respond(read_laminate(inputs), Load(np.array(N), np.array(M), dT))
    x, y = np.array(inputs["points"]).T
    e, k = r.eps0, r.kappa
    exact = {
        "u": e[0] * x + e[2] * y / 2,
        "v": e[1] * y + e[2] * x / 2,
        "w": -(k[0] * x**2 + k[1] * y**2 + k[2] * x * y) / 2,
    }
    size = max(np.abs(v).max() for v in exact.values()) + 1e-6
    for name, value in exact.items():
        np.testing.assert_allclose(found[name], value, atol=1e-7 * size)


def test_labels_keep_several_entries_of_one_criterion_apart() -> None:
    found = ply_failure(
        {
            "material": PLY,
            "stress_12": [[6e8, -4e7, 3e7], [0.0, 0.0, 0.0]],
            "criteria": ["tsai_wu", {"name": "tsai_wu", "label": "none", "F12_star": 0.0}],
        }
    )
    assert found["tsai_wu.RF"][0] != found["none.RF"][0]
    assert found["none.mode"][1] == "none"
    assert np.isinf(found["none.RF"][1])


def test_plies_are_reported_in_the_order_asked_and_left_out() -> None:
    inputs = stack(0.0, 30.0, 60.0) | {"N": [1e4, 0, 0], "report_plies": [3, 1]}
    whole = clt_response({k: v for k, v in inputs.items() if k != "report_plies"})
    found = clt_response(inputs)
    for name in ("z", "stress_12", "strain_12_mech"):
        np.testing.assert_array_equal(found[name], whole[name][[2, 0]])
    mixed = clt_mixed(
        inputs | {"prescribed_is_strain": [True] * 6, "prescribed_value": [1e-3] * 6}
    )
    assert len(mixed["stress_xy"]) == 2
    cored = stack(0.0, 90.0, 0.0, core=1) | {
        "N": [1e4, 0, 0],
        "skip_plies": [2],
        "criteria": ["tsai_wu", "max_stress"],
    }
    failed = laminate_fpf(cored)
    assert failed["tsai_wu.RF_per_ply"][1] is None
    assert failed["tsai_wu.RF"] == min(failed["tsai_wu.RF_per_ply"][::2])
    assert critical_loads(cored)["max_stress.+Nx"] == pytest.approx(2.1e9 * 5e-4, rel=2e-2)
    for wrong in ([4], [0], "2", [1.0, None]):
        with pytest.raises(StackError):
            laminate_fpf(cored | {"skip_plies": wrong})
