"""Shop rules and searches in the project: kept in its file, checked at its gate, in its report."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from typer.testing import CliRunner

from tartan.cli import app
from tartan.core.errors import DocumentError, StackError, TartanError
from tartan.core.laminate.loadcase import LoadCase
from tartan.core.laminate.tube import TubeLoad
from tartan.core.search.plate import Panel
from tartan.core.search.shoprules import KINDS, ShopRule
from tartan.core.stack import Ply
from tartan.exchange.order_command import ordered, ordered_by_seeds, report_lines
from tartan.exchange.order_tables import rules_table
from tartan.exchange.report.orders import orders_chapter
from tartan.exchange.report.parts import Figure, Shown, Text
from tartan.pages.ordering import shop_remarks
from tartan.pages.ordering_fields import NEW_RULES, angles_of, goal_fields, rule_fields
from tartan.pages.stack_answers import worst_of
from tartan.pages.stacks import laminate_or_error
from tartan.project.analysis.engine import Engine
from tartan.project.document.model import Project
from tartan.project.document.ordermodel import FIGURES, OrderAsk, OrderFound, OrderGoal, OrderStep
from tartan.project.document.samples import dish_panel
from tartan.project.edits import design_edits, order_edits, stack_edits
from tartan.project.edits.versions import clone_version, switch_version
from tartan.project.files import storage
from tartan.project.findings.order_words import best_of, moves, result_words, rule_words

STRUT = "feed strut"
PANEL = Panel((0.4, 0.2), (1e5, 0.0, 3e4), 500.0)


def found_in(project: Project, stack: str = STRUT, *goals: str) -> OrderFound:
    return list(ordered(project, stack, goals))[-1][1]


def least_reserve(project: Project, plies: tuple[Ply, ...]) -> float:
    """Governing reserve factor of the strut with other plies, as its page has it."""
    changed = stack_edits.put_plies(project, STRUT, plies)
    stack = changed.stack(STRUT)
    assert stack is not None
    laminate, error = laminate_or_error(changed, stack)
    assert laminate is not None, error
    worst = worst_of(laminate, changed.loads_on(STRUT), changed.criteria[0])
    assert worst is not None
    return worst.found.reserve


@pytest.fixture(scope="module")
def project() -> Project:
    return order_edits.put_rules(
        dish_panel(), [ShopRule("run", 2), ShopRule("cover", angles=(45.0, -45.0), weight=0.01)]
    )


def test_the_strut_is_ordered_and_its_figures_are_those_of_its_page(project: Project) -> None:
    found = found_in(project)
    best = best_of(found)
    assert best is not None
    assert found.proved
    stack = project.stack(STRUT)
    assert stack is not None
    assert found.before.plies == stack.plies
    assert found.before.values[0] == pytest.approx(least_reserve(project, stack.plies), rel=1e-9)
    for step in found.steps:
        assert step.values[0] == pytest.approx(least_reserve(project, step.plies), rel=1e-9)
    assert sorted(p.angle for p in best.plies) == sorted(p.angle for p in stack.plies)
    assert best.merit >= found.before.merit


def test_under_a_tube_load_the_wall_is_ordered(project: Project) -> None:
    tube = LoadCase("tube", tube=TubeLoad(radius=0.05, pressure=4e6, torque=800.0), stack=STRUT)
    alone = design_edits.put_load_cases(project, [tube])
    found = found_in(alone)
    best = best_of(found)
    assert best is not None
    assert best.values[0] == pytest.approx(least_reserve(alone, best.plies), rel=1e-9)
    every = [least_reserve(alone, s.plies) for s in found.steps]
    assert best.values[0] >= max(every) * (1 - 0.02)


def test_a_search_is_kept_in_the_file_and_in_undo(project: Project, tmp_path: Path) -> None:
    found = found_in(project)
    best = best_of(found)
    assert best is not None
    ask = OrderAsk(
        STRUT, (OrderGoal(), OrderGoal("buckling", 1.5)), held=(0, 9), panel=PANEL, seed=7
    )
    taken = order_edits.take_order(order_edits.put_ask(project, ask), STRUT, best.plies, found)
    path = tmp_path / "p.tartan.json"
    storage.save(taken, path)
    again = storage.load(path)
    assert again == taken
    assert order_edits.ask_of(again, STRUT) == replace(ask, found=found)
    assert again.stack(STRUT).plies == best.plies  # type: ignore[union-attr]
    # A stack takes its search along, wherever it goes.
    renamed = stack_edits.rename_stack(again, STRUT, "brace")
    assert order_edits.ask_of(renamed, "brace").found == found
    assert not stack_edits.remove_stack(renamed, "brace").orders
    # A version that lacks the stack neither loses the search nor spoils the file.
    other = stack_edits.remove_stack(clone_version(renamed), "brace")
    kept = replace(other, orders=renamed.orders)
    back = storage.from_text(storage.to_text(kept))
    assert order_edits.ask_of(switch_version(back, "A"), "brace").found == found


def _spoil(change: Callable[[dict], None]) -> str:  # type: ignore[type-arg]
    project = order_edits.put_rules(dish_panel(), [ShopRule("run", 2)])
    step = OrderStep(3, (Ply("UD carbon", 0.0, 8e-5),), 1.0, (1.2,))
    found = OrderFound(("reserve",), step, (step,), "all", True, 60.0, 60, 60)
    project = order_edits.put_ask(project, OrderAsk(STRUT, found=found))
    data = json.loads(storage.to_text(project))
    change(data)
    return json.dumps(data)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda d: d["shop_rules"][0].update(kind="spin"), "no such rule"),
        (lambda d: d["shop_rules"][0].update(limit=0), "cannot be 0"),
        (lambda d: d["shop_rules"][0].update(limit=1e300), "cannot be"),
        (lambda d: d["shop_rules"][0].update(weight=-1.0), "cannot cost"),
        (lambda d: d.update(shop_rules=d["shop_rules"] * 50), "more than 40"),
        (lambda d: d.update(orders=d["orders"] * 2), "Two searches"),
        (lambda d: d["orders"][0].update(goals=[]), "0 goals"),
        (lambda d: d["orders"][0]["goals"][0].update(figure="luck"), "no figure 'luck'"),
        (lambda d: d["orders"][0]["goals"][0].update(limit=-2.0), "cannot be -2"),
        (lambda d: d["orders"][0].update(goals=[{"figure": "D11"}] * 2), "stands twice"),
        (lambda d: d["orders"][0]["panel"].update(sides=[-1.0, 1.0]), "out of measure"),
        (lambda d: d["orders"][0]["panel"].update(pressure=1e300), "out of measure"),
        (lambda d: d["orders"][0].update(held=[-1]), "none of the stack's"),
        (lambda d: d["orders"][0].update(seed=-5), "out of range"),
        (lambda d: d["orders"][0]["found"].update(figures=["luck"]), "cannot be"),
        (lambda d: d["orders"][0]["found"]["steps"][0].update(values=[]), "not whole"),
        (lambda d: d["orders"][0]["found"]["before"].update(plies=[]), "not whole"),
        (lambda d: d["orders"][0].update(symmetric="yes"), "symmetric"),
        (lambda d: d["orders"][0].update(spin=1), "spin"),
    ],
)
def test_a_damaged_search_is_refused_in_words(
    change: Callable[[dict], None],  # type: ignore[type-arg]
    words: str,
) -> None:
    with pytest.raises(DocumentError, match=words):
        storage.from_text(_spoil(change))


def test_a_stack_gone_and_figures_missing_are_said(project: Project) -> None:
    with pytest.raises(DocumentError, match="no stack 'nope'"):
        order_edits.put_ask(project, OrderAsk("nope"))
    with pytest.raises(StackError, match="no figure 'luck'"):
        found_in(project, STRUT, "luck")
    with pytest.raises(StackError, match="no sides"):
        found_in(project, STRUT, "buckling")
    with pytest.raises(StackError, match="no load"):
        found_in(design_edits.put_load_cases(project, []))
    bare = stack_edits.put_plies(project, STRUT, [])
    with pytest.raises(StackError, match="no plies"):
        found_in(bare)
    light = stack_edits.set_value(project, "UD carbon", "rho", None)
    asked = order_edits.put_ask(light, OrderAsk(STRUT, (OrderGoal("frequency"),), panel=PANEL))
    with pytest.raises(StackError, match="no mass"):
        found_in(asked)


def test_a_core_stays_where_it_is_and_what_is_held_too(project: Project) -> None:
    ask = OrderAsk("reflector sandwich", (OrderGoal("D11"),), symmetric=False)
    asked = order_edits.put_ask(project, ask)
    found = found_in(asked, "reflector sandwich")
    at = max(range(len(found.before.plies)), key=lambda i: found.before.plies[i].thickness)
    assert project.material(found.before.plies[at].material).kind == "core"  # type: ignore[union-attr]
    for step in found.steps:
        assert step.plies[at] == found.before.plies[at]
    held = order_edits.put_ask(project, OrderAsk(STRUT, held=(0, 1)))
    outer = project.stack(STRUT).plies[:2]  # type: ignore[union-attr]
    assert all(step.plies[:2] == outer for step in found_in(held).steps)


def test_rules_are_remarked_on_beside_good_practice(project: Project) -> None:
    stack = project.stack(STRUT)
    assert stack is not None
    found = shop_remarks(project, stack.plies)
    assert [a.rule for a in found] == ["shop: cover plies"]
    assert found[0].plies == (0, 9)
    assert "outermost plies of 45 / -45°" in found[0].what
    four = stack_edits.put_plies(project, STRUT, [*stack.plies[:1] * 4, *stack.plies[4:]])
    words = [a.what for a in shop_remarks(four, four.stack(STRUT).plies)]  # type: ignore[union-attr]
    assert any(
        "at most 2 plies of one direction in a row, broken at plies 3, 4" in w for w in words
    )
    off = order_edits.put_rules(project, [replace(r, active=False) for r in project.shop_rules])
    assert shop_remarks(off, stack.plies) == []
    # Also of a stack that is too long to be searched, and of none.
    long = stack_edits.put_plies(project, STRUT, stack.plies * 20)
    assert shop_remarks(long, long.stack(STRUT).plies)  # type: ignore[union-attr]
    assert shop_remarks(project, ()) == []


def test_every_rule_has_words_fields_and_a_mend() -> None:
    project = order_edits.put_rules(dish_panel(), NEW_RULES.values())
    assert tuple(r.kind for r in project.shop_rules) == KINDS
    assert len({rule_words(r) for r in project.shop_rules}) == len(KINDS)
    worst = [Ply("UD carbon", a, 8e-5) for a in (0, 0, 0, 0, 90, 30, 30, 30)]
    told = shop_remarks(project, tuple(worst))
    assert {a.rule.removeprefix("shop: ") for a in told} >= {
        "plies in a row", "cover plies", "± as neighbours", "step of angle", "never in sequence",
        "bending twists", "stretching bends", "beside the middle",
    }  # fmt: skip
    assert all(a.mend.endswith(".") for a in told)
    for rule in project.shop_rules:
        assert len(rule_fields(rule)) == 1
    for figure in FIGURES:
        assert goal_fields(OrderGoal(figure))


@pytest.mark.parametrize(
    ("text", "angles"),
    [
        ("45 / -45", (45.0, -45.0)),
        ("±45/0", (45.0, -45.0, 0.0)),
        ("0° 90°", (0.0, 90.0)),
        ("−30;30", (-30.0, 30.0)),
        ("", ()),
    ],
)
def test_angles_are_read_as_they_are_typed(text: str, angles: tuple[float, ...]) -> None:
    assert angles_of(text) == angles


def test_what_is_no_angle_is_said() -> None:
    for text in ("45 / up", "±", "nan", "1e400"):
        with pytest.raises(TartanError):
            order_edits.put_rules(dish_panel(), [ShopRule("cover", angles=angles_of(text))])


def test_words_say_what_is_proved_and_what_is_not(project: Project) -> None:
    found = found_in(project)
    assert "Proved best: all" in result_words(found, (OrderGoal(),))
    tried = replace(found, proved=False, admissible=None, method="tried", limit=None)
    assert "Best found, not proved" in result_words(tried, (OrderGoal(),))
    bounded = replace(tried, method="bounded", limit=9.0)
    assert "none can be better than 9.00" in result_words(bounded, (OrderGoal(),))
    missed = result_words(found, (OrderGoal("reserve", 1e6),))
    assert "no order meets every limit" in missed
    none = replace(found, steps=())
    assert result_words(none, (OrderGoal(),)).startswith("No order of")
    two = found_in(project, STRUT, "reserve", "D11")
    assert "none better in all goals" in result_words(two, (OrderGoal(), OrderGoal("D11")))


def test_moves_pair_every_ply_once() -> None:
    a, b = Ply("UD carbon", 0.0, 8e-5), Ply("UD carbon", 45.0, 8e-5)
    found = moves([a, a, b, b], [b, a, b, a])
    assert [(m.before, m.after) for m in found] == [(0, 1), (1, 3), (2, 0), (3, 2)]


def test_the_report_has_a_page_of_what_was_kept(project: Project) -> None:
    assert "No search" in orders_chapter(project).blocks[0].words  # type: ignore[union-attr]
    found = found_in(project, STRUT, "reserve", "D11")
    ask = OrderAsk(STRUT, (OrderGoal(), OrderGoal("D11")), found=found)
    chapter = orders_chapter(order_edits.put_ask(project, ask))
    kinds = [type(b) for b in chapter.blocks]
    assert kinds.count(Shown) == 3
    assert kinds.count(Figure) >= 1
    words = " ".join(b.words for b in chapter.blocks if isinstance(b, Text))
    assert "Before [0_2/±45/90]s" in words
    rules = next(b for b in chapter.blocks if isinstance(b, Shown) and b.title == "shop rules")
    assert len(rules.rows) == 2


def test_a_search_runs_on_the_command_line(project: Project, tmp_path: Path) -> None:
    path, out = tmp_path / "p.tartan.json", tmp_path / "history.csv"
    storage.save(project, path)
    run = CliRunner().invoke(app, ["order", str(path), STRUT, "--out", str(out), "--take"])
    assert run.exit_code == 0, run.output
    found = found_in(project)
    for line in report_lines(project, STRUT, found):
        assert line in run.output
    rows = out.read_text().splitlines()
    assert len(rows) == 1 + len(found.steps)
    best = best_of(found)
    assert best is not None
    assert storage.load(path).stack(STRUT).plies == best.plies  # type: ignore[union-attr]
    refused = CliRunner().invoke(app, ["order", str(path), "nope"])
    assert refused.exit_code == 2
    table = rules_table(project, found.before.plies, best.plies)
    assert [row[1:3] for row in table.rows][1] == ("broken ×2", table.rows[1][2])


def test_seeds_are_searched_on_workers_and_the_best_is_kept(
    tmp_path: Path, engine: Engine
) -> None:
    half = [Ply("UD carbon", a, 8e-5) for a in (0, 0, 0, 45, -45, 90, 90, 45, -45, 0, 90, 0, 30)]
    longer = stack_edits.put_plies(dish_panel(), STRUT, [*half, *half[::-1]])
    alone = [list(ordered(longer, STRUT, ("reserve",), s, 3))[-1][1] for s in range(2)]
    assert {f.method for f in alone} == {"tried"}
    shares = list(ordered_by_seeds(longer, STRUT, ("reserve",), range(2), engine, 3))
    assert [s for s, _ in shares] == pytest.approx([0.5, 1.0])
    best = shares[-1][1]
    assert best.steps[-1].merit == max(f.steps[-1].merit for f in alone)
    assert best.tried == sum(f.tried for f in alone)
    # Where all can be looked at one seed says it all.
    (only,) = ordered_by_seeds(dish_panel(), STRUT, ("reserve",), range(3), engine)
    assert only[1].proved
    path = tmp_path / "long.tartan"
    storage.save(longer, path)
    words = ["order", str(path), STRUT, "--goal", "reserve", "--tries", "3", "--seeds", "2"]
    done = CliRunner().invoke(app, words)
    assert done.exit_code == 0, done.output
    assert "Best found, not proved" in done.output
