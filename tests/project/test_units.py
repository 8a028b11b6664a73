import pytest
from hypothesis import given
from hypothesis import strategies as st

from tartan.core.errors import PartError
from tartan.project.wording import units


@pytest.mark.parametrize(
    ("text", "quantity", "expected"),
    [
        ("181", units.MODULUS, 181e9),
        ("181 GPa", units.MODULUS, 181e9),
        ("26.3 Msi", units.MODULUS, 26.3e6 * 6894.757293168),
        ("1e3 MPa", units.MODULUS, 1e9),
        ("0.005 in", units.LENGTH, 0.000127),
        ("1,5", units.LENGTH, 1.5e-3),
        ("−3", units.ANGLE, -3),
        ("2 kPa", units.PRESSURE, 2e3),
        ("50 psf", units.RATIO, None),
        ("30 °", units.ANGLE, 30),
        ("0.5 rad", units.ANGLE, 28.64788975654116),
        ("1.6 g/cm³", units.DENSITY, 1600),
        ("2 lbf/in", units.LINE_FORCE, 350.2536),
        ("0.3", units.RATIO, 0.3),
    ],
)
def test_units_are_typed_freely(
    text: str, quantity: units.Quantity, expected: float | None
) -> None:
    if expected is None:
        with pytest.raises(units.UnitError):
            units.parse(text, quantity)
    else:
        assert units.parse(text, quantity) == pytest.approx(expected, rel=1e-6)


@pytest.mark.parametrize(
    "text", ["12 kg", "x", "", "3 m s", "12 foo", "1e999", "--3", "GPa", "1 2"]
)
def test_what_is_no_modulus_is_refused_with_an_example(text: str) -> None:
    with pytest.raises(units.UnitError) as caught:
        units.parse(text, units.MODULUS)
    assert "12.5 GPa" in caught.value.mend


@given(st.floats(-1e6, 1e6))
def test_shown_numbers_read_back_to_four_digits(value: float) -> None:
    text = units.number(value)
    assert "-" not in text.split("e", maxsplit=1)[0]
    assert units.parse(text, units.RATIO) == pytest.approx(value, rel=6e-4, abs=1e-30)


def test_reserve_factors_in_words() -> None:
    shown = [units.factor(v) for v in (0.456, 1.2345, 12.34, 123.4, 5e4, float("inf"))]
    assert shown == ["0.46", "1.23", "12.3", "123", ">1000", "∞"]
    assert units.show(None, units.LENGTH) == "–"
    assert units.show(1.25e-3, units.LENGTH) == "1.25 mm"


@pytest.mark.parametrize(
    ("system", "said"),
    [
        ("mm · N · MPa", "The mesh size must be greater than zero, it is −0.14 mm."),
        ("SI base", "The mesh size must be greater than zero, it is −0.00014 m."),
    ],
)
def test_errors_say_their_figures_in_the_units_on_show(system: str, said: str) -> None:
    before = units.system()
    units.use_system(system)
    try:
        error = PartError("The mesh size must be greater than zero, it is -0.00014 m.", "", "")
        assert str(error) == said
        # What is kept is the core's own sentence.
        assert error.what.endswith("-0.00014 m.")
    finally:
        units.use_system(before)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("1e-05 m", "0.01 mm"),
        ("2.5 m², 3 m/s, 4 mm, 5 MPa, ply 6 m7", "2.5 m², 3 m/s, 4 mm, 5 MPa, ply 6 m7"),
        ("0.1 m to 1000 m", "100 mm to 1000000 mm"),
        ("±1e6 Pa", "±1 MPa"),
        ("'name 3 m' of 3 m", "'name 3 m' of 3000 mm"),
        ("1,000 m", "1,000 m"),
    ],
)
def test_only_figures_with_their_units_are_retold(text: str, said: str) -> None:
    assert units.retold(text) == said


def test_workings_are_written_in_the_units_on_show() -> None:
    assert units.worded(1.4e11, "Pa") == "140000 MPa"
    assert units.worded(0.3, "1") == "0.3"
    assert units.worded(1.25e-4, "m") == "0.125 mm"
    assert units.worded(2.5, "kg") == "2.5 kg"
