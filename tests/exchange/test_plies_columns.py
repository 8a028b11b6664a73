"""Plies pasted from anywhere: columns known by their heads or by what stands in them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.errors import StackError
from tartan.core.stack import Ply
from tartan.exchange.plies_columns import understand
from tartan.exchange.plies_table import read_plies
from tartan.exchange.tables import as_rows
from tartan.project.document.model import Project
from tartan.project.edits import stack_edits
from tests.conftest import CARBON, GLASS

PROJECT = stack_edits.add_materials(Project("p"), [CARBON, GLASS])
LIKE = Ply("carbon", 0.0, 0.125e-3)


def read(text: str) -> list[tuple[float, str, float]]:
    plies = read_plies(as_rows(text), PROJECT, LIKE, "Paste")
    return [(p.angle, p.material, round(p.thickness * 1e3, 9)) for p in plies]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("0\n45\n-45\n90", "angle [°]"),
        ("45", "angle [°]"),
        ("1\t0\n2\t45\n3\t-45", "ply number (passed over), angle [°]"),
        ("3\t0\n2\t45\n1\t-45", "ply number (passed over), angle [°]"),
        ("0\t0.2\n45\t0.2\n90\t0.2", "angle [°], thickness [mm]"),
        ("0.2\t0\n0.2\t45\n0.2\t90", "thickness [mm], angle [°]"),
        ("0 mm\n", "angle [°]"),
        (
            "1\tcarbon\t0\t0.125\n2\tglass\t90\t0.25",
            "ply number (passed over), material, angle [°], thickness [mm]",
        ),
        ("carbon\t0\nglass\t90", "material, angle [°]"),
        ("0;carbon;0.1\n90;glass;0.3", "angle [°], material, thickness [mm]"),
        (
            "Ply\tOrientation\tMat\tThickness [in]\n1\t0\tcarbon\t0.005",
            "ply number (passed over), angle [°], material, thickness [in]",
        ),
        ("θ\tt\n0\t0.1", "angle [°], thickness [mm]"),
    ],
)
def test_columns_are_recognised(text: str, words: str) -> None:
    assert understand(as_rows(text), "Paste").words == words


def test_a_plain_column_of_angles_is_taken() -> None:
    assert read("0\n45\n-45\n90") == [(a, "carbon", 0.125) for a in (0, 45, -45, 90)]


def test_a_ply_number_is_never_an_angle() -> None:
    found = read("1\t0\tcarbon\t0.2\n2\t45\tglass\t0.3\n3\t90\tcarbon\t0.2")
    assert found == [(0, "carbon", 0.2), (45, "glass", 0.3), (90, "carbon", 0.2)]


def test_units_of_cells_and_heads_count() -> None:
    assert read("angle\tthickness [in]\n30\t0.01") == [(30, "carbon", 0.254)]
    assert read("30°\t0.01 in\n60°\t0.2 mm") == [(30, "carbon", 0.254), (60, "carbon", 0.2)]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no plies"),
        ("carbon\nglass", "row 1"),
        ("0\n4S\n90", "row 2"),
        ("0\tcarbon\t0.2\n45\tcarbon\t2 s\n90\tcarbon\t0.2", "row 2, column 3"),
        ("1\t2\t3\n4\t5\t6", "3 columns of figures"),
        ("0\t45\n90\t-45", "2 columns of figures"),
        ("angle\tangle\n0\t0", "called angle"),
        ("material\tthickness\ncarbon\t0.2", "no column 'angle'"),
        ("0\tsteel", "no material 'steel'"),
        ("angle\n", "no plies"),
    ],
)
def test_what_cannot_be_told_is_refused_with_what_to_do(text: str, words: str) -> None:
    with pytest.raises(StackError) as caught:
        read(text)
    assert words in str(caught.value)
    assert caught.value.mend


@given(
    st.lists(
        st.tuples(
            st.floats(-180, 180).map(lambda a: round(a, 3)),
            st.sampled_from(["carbon", "glass"]),
            st.floats(0.01, 5).map(lambda t: round(t, 3)),
        ),
        min_size=2,
        max_size=30,
    ),
    st.permutations(["number", "angle", "material", "thickness"]),
    st.booleans(),
    st.booleans(),
)
def test_any_order_with_a_head_or_without_gives_the_plies(
    plies: list[tuple[float, str, float]], order: list[str], head: bool, numbered: bool
) -> None:
    """Without a head a number stands first, and the angle before the thickness if both fit."""
    roles = [r for r in order if r != "number" or numbered]
    if not head:
        roles = sorted(roles, key=lambda r: r != "number")
        angles, lengths = ([p[k] for p in plies] for k in (0, 2))
        both = all(0 < a <= 20 for a in angles)
        counts = list(range(1, len(plies) + 1))
        if angles in (counts, counts[::-1]) or lengths in (counts, counts[::-1]):
            return
        if both and roles.index("thickness") < roles.index("angle"):
            return
    rows = [
        "\t".join(
            {"number": str(i), "angle": repr(a), "material": m, "thickness": repr(t)}[r]
            for r in roles
        )
        for i, (a, m, t) in enumerate(plies, start=1)
    ]
    text = "\n".join((["\t".join(roles)] if head else []) + rows)
    found = read(text)
    np.testing.assert_allclose([f[0] for f in found], [p[0] for p in plies])
    assert [f[1] for f in found] == [p[1] for p in plies]
    np.testing.assert_allclose([f[2] for f in found], [p[2] for p in plies], rtol=1e-9)
