import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.errors import NotationError, StackError
from tartan.core.stack import Ply, Stack, check_stack, operations
from tartan.core.stack.notation import Context, parse
from tartan.core.stack.notation_written import context_for, write
from tartan.core.stack.plies import is_balanced, is_symmetric, normal_angle

THICKNESS = {"UD": 0.125e-3, "woven": 0.25e-3, "core": None, "T 300 8": 0.2e-3, "odd/name": 1e-3}
CONTEXT = Context(THICKNESS, "UD")


def angles(text: str) -> list[float]:
    return [p.angle for p in parse(text, CONTEXT)]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("[0/±45/90]s", [0, 45, -45, 90, 90, -45, 45, 0]),
        ("[(0/90)2/±45]s", [0, 90, 0, 90, 45, -45, -45, 45, 90, 0, 90, 0]),
        ("[45/-45/0 mid]s", [45, -45, 0, -45, 45]),
        ("[±45/0\u0305]s", [45, -45, 0, -45, 45]),
        ("[0/90]2s", [0, 90, 0, 90, 90, 0, 90, 0]),
        ("[0₂/90]T", [0, 0, 90]),
        ("[0_3/∓30]", [0, 0, 0, -30, 30]),
        ("0, 45, 90", [0, 45, 90]),
        ("[ (0/45)s / 90 ]", [0, 45, 45, 0, 90]),
        ("[+-22.5/−7]", [22.5, -22.5, -7]),
        ("[0]8", [0] * 8),
    ],
)
def test_trade_notation_is_read(text: str, expected: list[float]) -> None:
    assert angles(text) == expected


def test_materials_and_thicknesses() -> None:
    plies = parse("[±45 woven/0 core 12 mm mid]s", CONTEXT)
    assert [(p.material, p.thickness) for p in plies] == [
        ("woven", 0.25e-3),
        ("woven", 0.25e-3),
        ("core", 12e-3),
        ("woven", 0.25e-3),
        ("woven", 0.25e-3),
    ]
    assert parse('[0 T 300 8/90 "odd/name" 2 mm]', CONTEXT) == (
        Ply("T 300 8", 0, 0.2e-3),
        Ply("odd/name", 90, 2e-3),
    )


@pytest.mark.parametrize(
    ("text", "position"),
    [
        ("[0/45", 5),
        ("[0/x]", 3),
        ("[0/90]q", 6),
        ("", 0),
        ("[0/90]s/", 8),
        ("[0 mid/90]s", 1),
        ("[0 mid]", 1),
        ("[0/90 glas]", 6),
        ("[(0)99999]", 4),
        ("[0/90 core]", 3),
        ("[400]", 1),
        ("[0/90]0", 6),
        ('[0 "UD]', 3),
        ("[0/90))", 5),
    ],
)
def test_errors_point_at_the_character(text: str, position: int) -> None:
    with pytest.raises(NotationError) as caught:
        parse(text, CONTEXT)
    assert caught.value.position == position
    assert f"character {position + 1}" in caught.value.where
    assert caught.value.what


def test_slips_in_counts_do_not_unfold() -> None:
    with pytest.raises(NotationError, match="more than 2000 plies"):
        parse("((0/45)900)900", CONTEXT)
    with pytest.raises(NotationError, match="nested"):
        parse("(" * 50 + "0" + ")" * 50, CONTEXT)


PLIES = st.lists(
    st.builds(
        Ply,
        st.sampled_from(sorted(THICKNESS)),
        st.sampled_from([0.0, 90.0, 45.0, -45.0, 30.0, -30.0, 22.5, -12.25]),
        st.sampled_from([0.125e-3, 0.25e-3, 12e-3, 0.2e-3, 1e-3 / 3]),
    ),
    min_size=1,
    max_size=14,
)


@settings(max_examples=250)
@given(PLIES, st.integers(1, 3), st.booleans(), st.booleans())
def test_what_is_written_is_read_back(
    plies: list[Ply], times: int, mirrored: bool, middle: bool
) -> None:
    whole = operations.repeat(plies, times)
    if mirrored:
        whole = operations.mirror(whole, middle=middle)
    context = context_for(whole, THICKNESS)
    assert parse(write(whole, context), context) == whole


@pytest.mark.parametrize("text", ["[0/±45/90]s", "[(0/90)2/±45]s", "[±45/0 mid]s", "[0_3/90]"])
def test_notation_is_written_short(text: str) -> None:
    assert write(parse(text, CONTEXT), CONTEXT) == text


@given(st.floats(-720, 720))
def test_one_direction_has_one_angle(angle: float) -> None:
    normal = normal_angle(angle)
    assert -90 < normal <= 90
    assert abs((normal - angle) / 180 - round((normal - angle) / 180)) < 1e-9


@given(PLIES, st.floats(-90, 90))
def test_operations(plies: list[Ply], angle: float) -> None:
    assert operations.reverse(operations.reverse(plies)) == tuple(plies)
    assert is_symmetric(operations.mirror(plies))
    back = operations.rotate(operations.rotate(plies, angle), -angle)
    for p, q in zip(back, plies, strict=True):
        assert abs((p.angle - q.angle) / 180 - round((p.angle - q.angle) / 180)) < 1e-9


def test_balance_is_by_thickness_and_material() -> None:
    assert is_balanced(parse("[0/±45/90/0]", CONTEXT))
    assert not is_balanced(parse("[45/-45 0.2 mm]", CONTEXT))
    assert not is_balanced(parse("[45/-45 woven 0.125 mm]", CONTEXT))


@pytest.mark.parametrize(
    ("plies", "words"),
    [
        ((), "empty"),
        ((Ply("UD", 0, 0.0),), "ply 1"),
        ((Ply("UD", 0, 1e-3), Ply("x", 0, 1.0)), "ply 2"),
        ((Ply("UD", float("nan"), 1e-3),), "angle"),
        ((Ply("UD", 0, float("inf")),), "thickness"),
    ],
)
def test_unusable_stacks_name_the_ply(plies: tuple[Ply, ...], words: str) -> None:
    with pytest.raises(StackError, match=words):
        check_stack(Stack("s", plies), {"UD"})


WILD = st.text(
    st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=12
) | st.sampled_from(
    [
        "foam, dense",
        'the "old" one',
        "UD 0.2 mm",
        "mid",
        "s",
        "T",
        "a/b",
        "[x]",
        "{y}",
        "0.5 in",
        "größe",
        "纤维 T700",
        "E-glass",
        "ply 2",
        '"',
        '""',
        " x ",
        "mid layer",
        "a_2",
        "x°",
        "(a)s",
    ]
)


@settings(max_examples=400)
@given(
    st.lists(WILD, min_size=1, max_size=4, unique=True),
    st.lists(
        st.tuples(
            st.integers(0, 3),
            st.floats(-90, 90) | st.sampled_from([0.0, 45.0, -45.0, 1e-7, 33.333333333333336]),
            st.none() | st.floats(1e-6, 0.05),
        ),
        min_size=1,
        max_size=8,
    ),
    st.sampled_from(["mm", "in", "mil", "µm"]),
    st.booleans(),
)
def test_any_name_angle_and_unit_is_read_back(
    names: list[str], rows: list[tuple[int, float, float | None]], unit: str, mirrored: bool
) -> None:
    """Whatever materials are called, in whatever unit: what is written is read to the same."""
    thickness = dict.fromkeys(names, 0.0002)
    whole = tuple(
        Ply(names[i % len(names)], angle, 0.2e-3 if t is None else t) for i, angle, t in rows
    )
    if mirrored:
        whole = whole + whole[::-1]
    context = context_for(whole, thickness, unit)
    found = parse(write(whole, context), context)
    assert [(p.material, p.angle) for p in found] == [(p.material, p.angle) for p in whole]
    for one, other in zip(found, whole, strict=True):
        assert one.thickness == pytest.approx(other.thickness, rel=1e-15)


def test_a_name_that_is_a_number_is_told_from_a_thickness() -> None:
    context = Context({"0": 2e-4, "00": 2e-4, "1": 2e-4}, "00", unit="in")
    for thick in (0.015625, 0.0254):
        whole = (Ply("00", 0.0, thick), Ply("0", 30.0, thick), Ply("1", 0.0, 2e-4))
        assert parse(write(whole, context), context) == whole


@given(WILD)
def test_sub_laminates_of_any_name_are_read_back(name: str) -> None:
    face = (Ply("carbon", 0.0, 0.125e-3, sub=name), Ply("carbon", 90.0, 0.125e-3, sub=name))
    context = Context({"carbon": 0.125e-3}, "carbon", {name: face})
    whole = (Ply("carbon", 45.0, 0.125e-3), *face, Ply("carbon", -45.0, 0.125e-3))
    assert parse(write(whole, context), context) == whole


def test_thickness_is_read_in_the_units_of_the_trade() -> None:
    context = Context({"carbon": 0.125e-3}, "carbon")
    text = "[0 0.005 in/0 5 mil/0 127 µm/0 0.127 mm]"
    assert [p.thickness for p in parse(text, context)] == pytest.approx([0.127e-3] * 4)


def test_known_names_are_listed_as_they_are_typed() -> None:
    context = Context({"foam, dense": 1e-3, "carbon": 1e-3}, "carbon", {'a "b"': ()})
    with pytest.raises(NotationError, match=r'carbon, "foam, dense"'):
        parse("0 steel", context)
    with pytest.raises(NotationError, match=r'{"a ""b"""}'):
        parse("{c}", context)
