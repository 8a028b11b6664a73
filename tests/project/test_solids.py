"""Coupons of a project's stacks: materials, reserves, edges, words; and calls apart."""

from __future__ import annotations

import dataclasses
import os
import time
from collections.abc import Generator

import numpy as np
import pytest

from tartan.core.errors import MaterialError, StackError, TartanError
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.shell.assembly import finished
from tartan.core.stack import Stack
from tartan.core.strength.under import reserves_under
from tartan.pages import coupon as page
from tartan.pages.three_ways import section_lines, section_table
from tartan.project.analysis.aside import Aside
from tartan.project.analysis.solids import IDEALISED, Tried, at_edge, between_plies, tried
from tartan.project.document.samples import dish_panel

ASK = page.CouponAsk(force=2000.0, length=0.06, width=0.02, assume=True)


def solved(name: str = "feed strut", **changes: object) -> Tried:
    project = dish_panel()
    stack = project.stack(name)
    assert stack is not None
    ask = dataclasses.replace(ASK, **changes)  # type: ignore[arg-type]
    coupon = dataclasses.replace(ask.coupon, along=8, across=8)
    return finished(tried(project, stack, coupon, assume=ask.assume))


@pytest.fixture(scope="module")
def strut() -> Tried:
    return solved()


def test_reserve_factors_are_those_of_the_stack_under_that_force(strut: Tried) -> None:
    project = dish_panel()
    pull = LoadCase("pull", (2000.0 / 0.02, 0.0, 0.0, 0.0, 0.0, 0.0))
    own = reserves_under(strut.laminate, pull, project.governing_sets).governing()
    shell, one, plies = strut.reserves
    assert shell is not None
    assert one is not None
    assert plies is not None
    assert shell.value == pytest.approx(own.reserve, rel=0.01)
    assert plies.value == pytest.approx(own.reserve, rel=0.03)
    assert own.mode in shell.words


def test_words_tell_all_three_and_where_the_shell_is_off(strut: Tried) -> None:
    words = page.words(strut)
    for name in IDEALISED:
        assert name in words
    assert "Least reserve factor" in words
    # A shell that says 5 % less is told to be low, with ply and figure.
    shell = dataclasses.replace(strut.answer.shell, stress=0.95 * strut.answer.plies.stress)
    answer = dataclasses.replace(strut.answer, shell=shell)
    off = page.words(dataclasses.replace(strut, answer=answer))
    assert "The shell's σ₁ is 5 % low where it is greatest (ply " in off
    # One that says next to nothing is low, whichever sign that has; another sign is told as one.
    for share, told in ((-1e-9, "is 100 % low where"), (-0.5, "has the other sign at its")):
        shell = dataclasses.replace(strut.answer.shell, stress=share * strut.answer.plies.stress)
        answer = dataclasses.replace(strut.answer, shell=shell)
        assert f"The shell's σ₁ {told}" in page.words(dataclasses.replace(strut, answer=answer))


def test_tables_hold_what_was_solved(strut: Tried) -> None:
    table = section_table(page.ways_of(strut), "σ₁")
    assert len(table.rows) == 3 * strut.laminate.count
    # From the top, as the section is drawn.
    assert table.rows[0][:3] == (strut.laminate.count, "0°", "top")
    assert table.rows[0][3] == pytest.approx(strut.answer.shell.stress[-1, 2, 0] / 1e6)
    assert table.rows[0][5] == pytest.approx(strut.answer.plies.stress[-1, 2, 0] / 1e6)
    heights, lines = section_lines(page.ways_of(strut), "τ₁₂")
    assert len(lines) == 3
    assert heights[-1] == pytest.approx(strut.laminate.thickness * 1e3)
    assert strut.answer.edge is not None
    edge = page.edge_table(strut, 1e-3)
    means = [strut.answer.edge.mean(k, 1e-3) / 1e6 for k in range(strut.laminate.count - 1)]
    np.testing.assert_allclose([r[2:5] for r in edge.rows], means[::-1])
    distance, stresses = page.edge_lines(strut, 0)
    assert distance[-1] == 0
    assert distance[0] == pytest.approx(10.0)
    assert stresses.shape == (3, len(distance))


def test_the_edges_reserve_is_quadratic_in_slide_and_peel(strut: Tried) -> None:
    strengths = {"S13": 60e6, "S23": 40e6, "Yt": 30e6}
    materials = tuple(dataclasses.replace(m, **strengths) for m in strut.laminate.materials)
    laminate = dataclasses.replace(strut.laminate, materials=materials)
    rows = at_edge(dataclasses.replace(strut, laminate=laminate), 1e-3)
    for _, (txz, tyz, sz), reserve in rows:
        by_hand = (txz**2 + tyz**2) / 40e6**2 + (sz / 30e6) ** 2 * (sz > 0)
        assert reserve == pytest.approx(by_hand**-0.5)
    weak = tuple(dataclasses.replace(m, S13=None) for m in materials)
    laminate = dataclasses.replace(laminate, materials=weak)
    assert all(
        r is None for _, _, r in at_edge(dataclasses.replace(strut, laminate=laminate), 1e-3)
    )


def test_between_plies_all_three_stresses_count(strut: Tried) -> None:
    strengths = {"S13": 60e6, "S23": 40e6, "Yt": 30e6}
    materials = tuple(dataclasses.replace(m, **strengths) for m in strut.laminate.materials)
    laminate = dataclasses.replace(strut.laminate, materials=materials)
    rng = np.random.default_rng(4)
    stress = rng.normal(size=(laminate.count, 3, 6)) * 5e6
    found = between_plies(laminate, stress)
    assert found is not None
    by_hand = np.inf
    for ply in range(laminate.count):
        for s in stress[ply]:
            size = (max(s[2], 0) / 30e6) ** 2 + (s[4] / 60e6) ** 2 + (s[5] / 40e6) ** 2
            by_hand = min(by_hand, size**-0.5)
    assert found.value == pytest.approx(by_hand)
    # At its reserve factor it just fails, and where nothing acts or is known nothing is said.
    just = between_plies(laminate, found.value * stress)
    assert just is not None
    assert just.value == pytest.approx(1.0)
    assert between_plies(laminate, 0 * stress) is None
    bare = tuple(dataclasses.replace(m, S23=None) for m in materials)
    assert between_plies(dataclasses.replace(laminate, materials=bare), stress) is None


def test_what_lacks_is_named_or_assumed_and_told() -> None:
    with pytest.raises(MaterialError, match=r"UD carbon.*lacks E₃"):
        solved(assume=False)
    assert any("UD carbon" in w and "E₃" in w for w in solved(width=0.01, length=0.02).assumed)
    project = dish_panel()
    with pytest.raises(StackError, match="empty"):
        finished(tried(project, Stack("bare", ()), ASK.coupon, assume=True))


def test_a_core_whose_stiffness_across_is_not_known_is_asked_for() -> None:
    project = dish_panel()
    core = project.material("honeycomb")
    assert core is not None
    bare = dataclasses.replace(core, E3=None)
    materials = tuple(bare if m.name == core.name else m for m in project.materials)
    project = dataclasses.replace(project, materials=materials)
    stack = project.stack("reflector sandwich")
    assert stack is not None
    with pytest.raises(MaterialError, match="cannot be assumed") as caught:
        finished(tried(project, stack, ASK.coupon, assume=True))
    assert "honeycomb" in str(caught.value)


# A call in a process of its own


def counting(upto: int) -> Generator[str, None, int]:
    for k in range(upto):
        yield f"at {k}"
    return upto


def refusing() -> Generator[str, None, None]:
    yield "soon"
    raise TartanError("It cannot be.", "Here", "Ask for less.")


def breaking() -> Generator[str, None, None]:
    yield "soon"
    raise ZeroDivisionError("by nothing")


def dying() -> Generator[str, None, None]:
    yield "soon"
    os._exit(9)


def sleeping() -> Generator[str, None, None]:
    yield "soon"
    time.sleep(600)


def looked(work: Aside, *, until: str = "over") -> Aside:
    while not work.over and not (until == "said" and work.said):
        assert work._child.connection.poll(60), "nothing came"
        work.look()
    return work


def test_an_answer_comes_from_a_process_apart() -> None:
    work = looked(Aside("count", counting, 5))
    assert (work.answer, work.error, work.said) == (5, None, "at 4")


@pytest.mark.parametrize(
    ("what", "words"), [(refusing, "cannot be"), (breaking, "broke off"), (dying, "ended before")]
)
def test_whatever_ends_it_is_told_in_words(what: object, words: str) -> None:
    work = looked(Aside("refuse", what))  # type: ignore[arg-type]
    assert work.answer is None
    assert words in str(work.error)


def test_it_is_given_up_at_once() -> None:
    work = looked(Aside("sleep", sleeping), until="said")
    assert not work.over
    work.stop()
    assert work.over
    work._child.join(20)
    assert not work._child.is_alive()
