"""Transverse shear of many laminates at once: as each alone, whatever they are made of."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.errors import MaterialError
from tartan.core.laminate.stiffness import make_laminate, make_laminates, shears_of
from tartan.core.stack import Ply, Stack
from tests.conftest import CARBON, FOAM, GLASS, MATERIALS

PLIES = st.builds(
    Ply,
    st.sampled_from([CARBON.name, GLASS.name, FOAM.name]),
    st.floats(-180.0, 180.0),
    st.floats(1e-4, 2e-2),
)
STACKS = st.lists(st.lists(PLIES, min_size=1, max_size=5), min_size=1, max_size=6)


@given(STACKS, st.floats(-0.02, 0.02))
def test_many_at_once_are_each_alone(stacks: list[list[Ply]], offset: float) -> None:
    made = [Stack(f"s{k}", tuple(plies)) for k, plies in enumerate(stacks)]
    many = make_laminates(made, MATERIALS, [offset] * len(made))
    found = shears_of(many)
    assert found.shape == (len(made), 2, 2)
    for stack, own in zip(made, found, strict=True):
        alone = make_laminate(stack, MATERIALS, offset).shear
        np.testing.assert_allclose(own, alone, rtol=1e-9, atol=1e-9 * np.abs(alone).max())
    # What was worked out is the laminate's own from then on.
    assert all(x.shear is y for x, y in zip(many, [x.shear for x in many], strict=True))
    np.testing.assert_array_equal(shears_of(many), found)


def test_one_layer_carries_five_sixths_whatever_its_surface() -> None:
    """The exact value of a homogeneous section (E. Reissner, J. Appl. Mech. 12, 1945)."""
    sheets = [Stack(f"{t}", (Ply(CARBON.name, 0.0, t),)) for t in (1e-4, 1e-3, 2e-2)]
    H = shears_of(make_laminates(sheets, MATERIALS, [0.0] * 3))
    assert CARBON.G13 is not None
    assert CARBON.G23 is not None
    for stack, own in zip(sheets, H, strict=True):
        exact = 5 / 6 * stack.thickness * np.diag([CARBON.G13, CARBON.G23])
        np.testing.assert_allclose(own, exact, rtol=1e-10, atol=1e-6)


def test_none_is_none_and_a_modulus_that_is_missing_is_named() -> None:
    from dataclasses import replace

    assert shears_of([]).shape == (0, 2, 2)
    bare = {**MATERIALS, CARBON.name: replace(CARBON, G23=None)}
    stacks = [Stack(n, (Ply(n, 0.0, 1e-3),)) for n in (GLASS.name, CARBON.name)]
    with pytest.raises(MaterialError, match=f"'{CARBON.name}', G23"):
        shears_of(make_laminates(stacks, bare, [0.0, 0.0]))
