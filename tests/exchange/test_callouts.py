"""Words in the margin of a picture: none lost, none on another, no two threads crossing."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tartan.core.criteria import REGISTRY
from tartan.exchange.maps.callouts import margin_lines
from tartan.exchange.maps.modemarks import MARKS, NONE, mark_of


def crosses(a: np.ndarray, b: np.ndarray, c: np.ndarray, d: np.ndarray) -> bool:
    def side(p: np.ndarray, q: np.ndarray, r: np.ndarray) -> float:
        a, b = q - p, r - p
        return float(a[0] * b[1] - a[1] * b[0])

    return side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0


@settings(max_examples=120)
@given(st.integers(0, 10**6), st.integers(0, 30), st.booleans())
def test_threads_do_not_cross_and_words_do_not_cover_each_other(
    seed: int, count: int, right_only: bool
) -> None:
    rng = np.random.default_rng(seed)
    size = (float(rng.uniform(200, 1500)), float(rng.uniform(120, 900)))
    wide, high = float(rng.uniform(40, 190)), float(rng.uniform(10, 26))
    anchors = rng.uniform(0, 1, (count, 2)) * size
    found = margin_lines(anchors, size, wide, high, right_only=right_only)
    assert len(found.ends) == count
    assert not right_only or found.right.all()
    # One place a line: the same side never has two of the same height.
    assert (
        len({(bool(r), float(y)) for r, y in zip(found.right, found.ends[:, 1], strict=True)})
        == count
    )
    for i in range(count):
        for j in range(i):
            assert not crosses(anchors[i], found.ends[i], anchors[j], found.ends[j])
    x = np.where(found.right, found.ends[:, 0] + wide, found.ends[:, 0] - wide)
    assert ((x >= -1e-9) | (size[0] < 2 * wide)).all()
    assert (x <= size[0] + 1e-9).all() or size[0] < 2 * wide
    if count * high < size[1] - 16:
        assert (np.abs(found.ends[:, 1] - size[1] / 2) <= size[1] / 2).all()


def test_every_failure_mode_has_a_drawing_of_its_own() -> None:
    modes = {m for rule in REGISTRY.values() for m in rule.modes}
    assert modes <= set(MARKS)
    drawn = [MARKS[m] for m in sorted(modes)]
    assert len(set(drawn)) == len(drawn)
    for mark in MARKS.values():
        points = np.array([p for line in (*mark.lines, *mark.solid) for p in line])
        assert points.min() >= 0
        assert points.max() <= 16
        assert np.ptp(points, axis=0).min() >= 8
    assert mark_of("none") is NONE
    # No letters but those of the standard.
    assert not [m for m in modes if len(m) < 4]


def test_many_words_find_room() -> None:
    anchors = np.tile([[50.0, 50.0]], (40, 1))
    found = margin_lines(anchors, (300.0, 200.0), 100.0, 20.0)
    assert len(np.unique(found.ends, axis=0)) == 40
    assert found.ends[:, 1].min() >= 0
    assert found.ends[:, 1].max() <= 200 + 1e-9
