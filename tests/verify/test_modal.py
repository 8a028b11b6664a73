"""Buckling and frequencies by shell elements against the exact first-order Navier solution."""

import itertools

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy.linalg import eigh

from tartan.core.errors import TartanError
from tartan.core.laminate import Laminate, make_laminate
from tartan.core.shell.inertia import mass_moments
from tartan.core.stack import Ply, Stack
from tartan.exchange.verify.modal_kinds import navier_buckling, navier_frequency
from tests.conftest import CARBON, FOAM

Array = NDArray[np.float64]
FIELDS = ("E1", "E2", "nu12", "G12", "G13", "G23", "rho")
MATERIAL = {key: {f: getattr(m, f) for f in FIELDS} for key, m in (("c", CARBON), ("f", FOAM))}


def exact(
    laminate: Laminate, a: float, b: float, edges: str, force: tuple[float, float] | None
) -> list[tuple[float, tuple[int, int]]]:
    """Eigenvalues by half waves: one 5 × 5 problem each (J. N. Reddy, 2nd ed., chapters 6, 7)."""
    C = np.zeros((8, 8))
    C[:6, :6], C[6:, 6:] = laminate.ABD, laminate.shear
    I0, I1, I2 = mass_moments(laminate)
    found = []
    for m, n in itertools.product(range(1, 9), repeat=2):
        p, q = m * np.pi / a, n * np.pi / b
        # Rows of sin·sin and of cos·cos do no work on each other.
        ss, cc, sh = np.zeros((8, 5)), np.zeros((8, 5)), np.zeros((8, 5))
        first, second = (ss, cc) if edges == "SS1" else (cc, ss)
        sign = -1.0 if edges == "SS1" else 1.0
        first[0, 0], first[1, 1] = sign * p, sign * q
        second[2, 0], second[2, 1] = -sign * q, -sign * p
        ss[3, 3], ss[4, 4] = -p, -q
        cc[5, 3], cc[5, 4] = q, p
        sh[6, 2], sh[6, 3], sh[7, 2], sh[7, 4] = p, 1.0, q, 1.0
        K = ss.T @ C @ ss + cc.T @ C @ cc + sh.T @ C @ sh
        if force is None:
            M = np.diag([I0, I0, I0, I2, I2])
            if edges == "SS1":
                M[0, 3] = M[3, 0] = M[1, 4] = M[4, 1] = I1
            values, shapes = eigh(K, M)
            bends = np.abs(shapes[2]) > 0.3 * np.abs(shapes[:3]).max(axis=0)
            found += [(np.sqrt(v) / 2 / np.pi, (m, n)) for v in values[bends]]
        else:
            load = force[0] * p * p + force[1] * q * q
            rest = np.delete(np.arange(5), 2)
            k = K[2, 2] - K[2, rest] @ np.linalg.solve(K[np.ix_(rest, rest)], K[rest, 2])
            if load > 0:
                found.append((k / load, (m, n)))
    return sorted(found)


Layers = tuple[tuple[str, float, float], ...]


def even(*angles: float) -> Layers:
    return tuple(("c", a, 0.008 / len(angles)) for a in angles)


PLATES: dict[str, tuple[Layers, str, float, float]] = {
    "cross-ply, unsymmetric": (even(0, 90), "SS1", 0.1, 0.1),
    "cross-ply, long": (even(0, 90, 0), "SS1", 0.3, 0.1),
    "angle-ply, antisymmetric": (even(30, -30, 30, -30), "SS2", 0.12, 0.1),
    # Two thirds of the deflection is the shear of a core a thousand times softer than its faces.
    "sandwich, thick": ((("c", 0, 1e-3), ("f", 0, 14e-3), ("c", 0, 1e-3)), "SS1", 0.5, 0.4),
}


RUNS = [
    (name, force)
    for name in PLATES
    for force in (None, (1.0, 0.0), (1.0, -0.4))
    if force is None
    or (force[1] and name != "sandwich, thick")
    or (not force[1] and name == "cross-ply, unsymmetric")
]
"""Pushed one way is a case of pushed and pulled: one plate has it by itself too.

A thick sandwich crimps at nearly one load whatever its waves: only its frequencies are few."""


@pytest.mark.parametrize(("name", "force"), RUNS)
def test_lowest_modes_are_the_exact_ones(name: str, force: tuple[float, float] | None) -> None:
    layers, edges, a, b = PLATES[name]
    stack = Stack("p", tuple(Ply(m, float(x), t) for m, x, t in layers))
    laminate = make_laminate(stack, {"c": CARBON, "f": FOAM})
    inputs = {
        "materials": MATERIAL,
        "a": a,
        "b": b,
        "edges": edges,
        "count": 3,
        "shear": ["energy"],
        "stack": [{"material": m, "angle_deg": x, "thickness": t} for m, x, t in layers],
    }
    wanted = exact(laminate, a, b, edges, force)[:3]
    if force is None:
        found = navier_frequency(inputs)
        values = found["energy.frequency"]
    else:
        found = navier_buckling(inputs | {"nx": force[0], "ny": force[1]})
        values = found["energy.load_multiplier"]
    assert values == pytest.approx([v for v, _ in wanted], rel=3e-3)
    assert sorted(map(tuple, found["energy.half_waves"])) == sorted(w for _, w in wanted)


def test_plates_that_cannot_be_are_refused() -> None:
    inputs = {
        "materials": MATERIAL,
        "a": 0.1,
        "b": -0.1,
        "edges": "SS1",
        "count": 1,
        "nx": 1.0,
        "ny": 0.0,
        "stack": [{"material": "c", "angle_deg": 0, "thickness": 1e-3}],
    }
    for change in ({}, {"b": 0.1, "count": 0}, {"b": 0.1, "nx": -1.0}):
        with pytest.raises(TartanError):
            navier_buckling(inputs | change)
