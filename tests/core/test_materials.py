import dataclasses
import pickle

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core import errors
from tartan.core.laminate.stiffness import reduced_stiffness
from tartan.core.materials import (
    FIELD_NAMES,
    OPTIONAL,
    checked,
    findings,
    isotropic,
    replace_value,
)
from tests.conftest import CARBON, STEEL


@pytest.mark.parametrize(
    ("field", "value", "word"),
    [
        ("E1", 0.0, "greater than zero"),
        ("G12", -1.0, "greater than zero"),
        ("nu12", 4.0, "E1/E2"),
        ("nu12", float("nan"), "finite"),
        ("Xt", -5.0, "greater than zero"),
        ("f12_star", 1.0, "open"),
        ("ply_thickness", 0.0, "greater than zero"),
    ],
)
def test_inadmissible_fields_are_named(field: str, value: float, word: str) -> None:
    found = findings(dataclasses.replace(CARBON, **{field: value}))
    assert [f.field for f in found] == [field]
    assert word in found[0].what
    assert found[0].mend


@given(st.floats(1e8, 1e12), st.floats(1e8, 1e12), st.floats(-3, 3), st.floats(1e7, 1e11))
def test_admissible_means_positive_definite(E1: float, E2: float, nu12: float, G12: float) -> None:
    material = dataclasses.replace(CARBON, E1=E1, E2=E2, nu12=nu12, G12=G12)
    compliance = np.array([[1 / E1, -nu12 / E1, 0], [-nu12 / E1, 1 / E2, 0], [0, 0, 1 / G12]])
    definite = np.linalg.det(compliance[:2, :2] * np.sqrt(E1 * E2)) > 0
    assert (not findings(material)) == definite
    if definite:
        Q = reduced_stiffness(material)
        scale = np.sqrt(np.outer(np.diag(Q), np.diag(Q)))
        np.testing.assert_allclose(Q @ compliance, np.eye(3), atol=1e-6 * (Q / scale).max())


def test_isotropic_stays_isotropic_when_edited() -> None:
    changed = replace_value(STEEL, "E1", 70e9)
    assert changed.E2 == changed.E1 == 70e9
    assert changed.G12 == changed.G23 == pytest.approx(70e9 / 2.6)
    with pytest.raises(errors.MaterialError, match="nu12"):
        isotropic("x", 1e9, 0.5)
    with pytest.raises(errors.MaterialError, match="E1"):
        replace_value(STEEL, "E1", -1.0)
    assert checked(CARBON) is CARBON


def test_missing_value_names_material_field_and_purpose() -> None:
    with pytest.raises(errors.MaterialError) as caught:
        dataclasses.replace(CARBON, S12=None).need("S12", "Tsai–Wu")
    assert "carbon" in caught.value.where
    assert "S12" in str(caught.value)
    assert "Tsai–Wu" in str(caught.value)


@pytest.mark.parametrize(
    "kind",
    [k for k in vars(errors).values() if isinstance(k, type) and issubclass(k, Exception)],
)
def test_errors_survive_a_process_boundary(kind: type[errors.TartanError]) -> None:
    error = kind("what", "where", "mend")
    again = pickle.loads(pickle.dumps(error))
    assert type(again) is kind
    assert (again.what, again.where, again.mend, str(again)) == (
        "what",
        "where",
        "mend",
        "where: what mend",
    )
    assert not issubclass(kind, RuntimeError)


@pytest.mark.parametrize("kind", ["ply", "core", "isotropic"])
def test_what_is_needed_cannot_be_emptied_and_what_is_not_can(kind: str) -> None:
    material = dataclasses.replace(STEEL, kind=kind)
    follow = ("G12", "G13", "G23", "E3", "nu13", "nu23", "alpha3")
    for field in FIELD_NAMES:
        followed = kind == "isotropic" and field in follow
        if field in OPTIONAL and not followed:
            emptied = replace_value(material, field, None)
            assert checked(emptied) == emptied
        else:
            with pytest.raises(errors.MaterialError, match=r"is empty|follows from E"):
                replace_value(material, field, None)
