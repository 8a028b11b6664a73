"""Figures by their paths, sweeps, samples, and the workers that do them."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from tartan.cli import app
from tartan.core.errors import DocumentError, StackError, TartanError
from tartan.core.laminate import make_laminate
from tartan.core.laminate.constants import membrane
from tartan.exchange.sweep_tables import spread_table, sweep_table
from tartan.project.analysis.engine import Engine
from tartan.project.document.model import Project
from tartan.project.document.partmodel import DisplacementRequirement
from tartan.project.document.samples import SAMPLES, dish_panel
from tartan.project.edits import part_edits, stack_edits
from tartan.project.edits.figures import figure, figures, put_figure, steps_of
from tartan.project.files import storage
from tartan.project.findings.answer_figures import (
    Need,
    answers,
    check_answer,
    need_of,
    offered,
    words_of,
)
from tartan.project.findings.sweeps import (
    Outcome,
    Task,
    changed,
    check_sweep,
    idle,
    over_of,
    run_task,
    samples_of,
    scatter_of,
    spread_of,
    tasks_of,
)
from tartan.project.wording.figure_units import figure_words, quantity_of

STRUT = "stacks[feed strut]"
THIRD = f"{STRUT}.plies[3].angle"


@pytest.fixture(scope="module")
def project() -> Project:
    return dish_panel()


def coarse(project: Project) -> Project:
    assert project.part is not None
    return part_edits.put_part(project, replace(project.part, mesh_size=0.15))


@pytest.mark.parametrize("name", list(SAMPLES))
def test_every_figure_is_read_and_put_back(name: str) -> None:
    project = SAMPLES[name]()
    every = list(figures(project))
    assert len(every) > 50
    assert len({path for path, _ in every}) == len(every)
    for path, value in every[:: max(1, len(every) // 60)]:
        assert figure(project, path) == value
        assert put_figure(project, path, value) == project
        assert figure_words(path)
        assert quantity_of(path).scale > 0


def test_a_figure_is_put_where_it_is_named(project: Project) -> None:
    turned = put_figure(project, THIRD, 30.0)
    stack, was = turned.stack("feed strut"), project.stack("feed strut")
    assert stack is not None
    assert was is not None
    assert [p.angle for p in stack.plies] == [*(p.angle for p in was.plies[:2]), 30.0,
                                              *(p.angle for p in was.plies[3:])]  # fmt: skip
    assert put_figure(turned, THIRD, was.plies[2].angle) == project
    loaded = put_figure(project, "load_cases[sway].values[Mx]", 55.0)
    assert next(s for s in loaded.load_cases if s.name == "sway").values[3] == 55.0
    assert steps_of("cases[wind 0.5].loads[1].force[x]") == [
        "cases",
        "[wind 0.5",
        "loads",
        "[1",
        "force",
        "[x",
    ]


@pytest.mark.parametrize("name", ["x]y", "x].y", "[", "]", "a.b", "a[1]", "].", "x][y"])
def test_odd_names_are_paths_or_numbers(project: Project, name: str) -> None:
    odd = stack_edits.rename_stack(project, "feed strut", name)
    for path, value in figures(odd):
        assert figure(odd, path) == value
    for answer_ in offered(odd):
        assert words_of(odd, answer_)[0]
        check_answer(odd, answer_)
    at = [s.name for s in odd.stacks].index(name) + 1
    assert put_figure(odd, f"stacks[{at}].plies[3].angle", 45.0) == odd


@pytest.mark.parametrize(
    ("path", "words"),
    [
        ("", "it is empty"),
        ("stacks[feed strut", "does not close"),
        ("stacks[nope].plies[1].angle", "'nope' is none of"),
        ("stacks[feed strut].plies[99].angle", "'99' is none of"),
        ("stacks[feed strut].plies[0].angle", "'0' is none of"),
        (f"stacks[feed strut].plies[{'9' * 400}].angle", "is none of"),
        ("stacks[feed strut].luck", "'luck' is no field"),
        ("stacks[feed strut].name", "it is no number"),
        ("stacks[feed strut].plies[1].angle.real", "is no field"),
        ("stacks", "it is no number"),
        ("name[1]", "nothing in it"),
        ("__class__.x", "is no field"),
    ],
)
def test_what_is_no_figure_is_said(project: Project, path: str, words: str) -> None:
    for act in (figure, lambda p, q: put_figure(p, q, 1.0)):
        with pytest.raises(DocumentError, match=words):
            act(project, path)


def test_a_value_that_cannot_be_is_refused_by_the_gate(project: Project) -> None:
    for path, value in (
        ("stacks[feed strut].plies[3].thickness", -1.0),
        ("materials[UD carbon].E1", -5.0),
        ("materials[UD carbon].E1", math.nan),
        (THIRD, math.inf),
        ("part.mesh_size", 0.0),
    ):
        with pytest.raises(TartanError):
            put_figure(project, path, value)
        outcome = run_task(project, Task(((path,),), (value,), (f"{STRUT}.Ex",)))
        assert outcome.fault
        assert math.isnan(outcome.values[0])


@pytest.mark.parametrize(
    ("text", "values"),
    [
        (f"{THIRD} = 0 to 90 by 30", (0, 30, 60, 90)),
        (f"{THIRD} = 0 to 90 in 2", (0, 45, 90)),
        (f"{THIRD} = 90 to 0 by -45", (90, 45, 0)),
        (f"{THIRD} = 10, 20.5; -30", (10, 20.5, -30)),
        (f"{THIRD} = 15", (15,)),
        (f"{STRUT}.plies[*].thickness = 0.1 to 0.3 by 0.1 mm", (1e-4, 2e-4, 3e-4)),
        (f"{STRUT}.plies[1].thickness = 0.1 mm, 0.2 mm", (1e-4, 2e-4)),
        ("materials[UD carbon].E1 = 120 to 140 in 2 GPa", (120e9, 130e9, 140e9)),
        ("materials[UD carbon].E1 = 120 to 140 GPa in 2", (120e9, 130e9, 140e9)),
        ("materials[UD carbon].E1 = 120 GPa to 140 by 10", (120e9, 130e9, 140e9)),
        ("materials[UD carbon].E1 = 120 to 140 by 10GPa", (120e9, 130e9, 140e9)),
        (f"{THIRD} & -{STRUT}.plies[4].angle = 0 to 10 by 4", (0, 4, 8)),
    ],
)
def test_ranges_are_read_as_they_are_typed(
    project: Project, text: str, values: tuple[float, ...]
) -> None:
    np.testing.assert_allclose(over_of(project, text).values, values, rtol=1e-12, atol=1e-15)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (THIRD, "no figure with values"),
        (f"{THIRD} = ", "no figure with values"),
        (f"{THIRD} = up", "is no value"),
        (f"{THIRD} = 0 to 90 by 0", "never comes to its end"),
        (f"{THIRD} = 0 to 90 by -5", "never comes to its end"),
        (f"{THIRD} = 0 to 1e9 by 1e-9", "never comes to its end"),
        (f"{THIRD} = 0 to 90 in nan", "never|no value"),
        ("stacks[nope].plies[1].angle = 1, 2", "'nope'"),
        ("stacks[feed strut].plies[*].luck = 1, 2", "no field|stands for nothing"),
        (f"{THIRD} = 1 GPa", "is no value"),
    ],
)
def test_ranges_that_cannot_be_are_said(project: Project, text: str, words: str) -> None:
    with pytest.raises(TartanError, match=words):
        over_of(project, text)


def test_answers_of_a_stack_are_those_of_the_laminate(project: Project) -> None:
    names = [f"{STRUT}.{k}" for k in ("Ex", "Gxy", "nuxy", "D11", "A66", "thickness", "mass")]
    over = over_of(project, f"{THIRD} & -{STRUT}.plies[4].angle = 0 to 80 by 20")
    for task in tasks_of([over], names):
        got = run_task(project, task)
        now = changed(project, task)
        stack = now.stack("feed strut")
        assert stack is not None
        assert stack.plies[2].angle == task.values[0]
        assert stack.plies[3].angle == -task.values[0]
        lam = make_laminate(stack, {m.name: m for m in project.materials})
        c = membrane(lam)
        wanted = (c.Ex, c.Gxy, c.nuxy, lam.ABD[3, 3], lam.ABD[2, 2], lam.thickness, lam.areal_mass)
        np.testing.assert_allclose(got.values, wanted, rtol=1e-12)
        assert got.fault == ""


def test_all_of_a_stack_grow_together(project: Project) -> None:
    over = over_of(project, f"{STRUT}.plies[*].thickness = 0.1 mm, 0.2 mm")
    thin, thick = (run_task(project, t) for t in tasks_of([over], [f"{STRUT}.D11"]))
    assert thick.values[0] == pytest.approx(8 * thin.values[0], rel=1e-12)


def test_a_sweep_of_two_goes_over_all_pairs(project: Project) -> None:
    first = f"{STRUT}.plies[1].angle"
    overs = [over_of(project, f"{THIRD} = 0, 45"), over_of(project, f"{first} = 0, 10, 20")]
    tasks = tasks_of(overs, [f"{STRUT}.Ex"])
    assert [t.values for t in tasks] == [(0, 0), (0, 10), (0, 20), (45, 0), (45, 10), (45, 20)]
    table = sweep_table(project, tasks, [run_task(project, t) for t in tasks])
    assert table.head == (
        "angle of ply 3, feed strut [°]",
        "angle of ply 1, feed strut [°]",
        "Ex of feed strut [GPa]",
    )
    assert len(table.rows) == 6
    with pytest.raises(DocumentError, match="one or two"):
        tasks_of([], [f"{STRUT}.Ex"])
    with pytest.raises(DocumentError, match="one or two"):
        tasks_of(overs, [])
    many = replace(overs[0], values=tuple(map(float, range(200))))
    with pytest.raises(DocumentError, match="40000 points"):
        tasks_of([many, many], ["x"])


def test_a_figure_that_changes_nothing_is_told(project: Project) -> None:
    working, other = f"{STRUT}.plies[1].angle", "materials[aluminium].E1"
    for paths, wanted in (
        ([working, other], [(other,)]),
        ([other, working], [(other,)]),
        ([working], []),
        ([other], [(other,)]),
    ):
        values = {working: "5, 25", other: "60e9, 70e9"}
        overs = [over_of(project, f"{p} = {values[p]}") for p in paths]
        tasks = tasks_of(overs, [f"{STRUT}.Ex"])
        assert idle(tasks, [run_task(project, t) for t in tasks]) == wanted
    # Of one value nothing can be said, nor of what has no answer.
    one = tasks_of([over_of(project, f"{other} = 6e10")], [f"{STRUT}.Ex"])
    assert idle(one, [run_task(project, t) for t in one]) == []
    assert idle(one * 2, [Outcome((math.nan,), "none")] * 2) == []


def test_joined_figures_are_checked_once_they_all_stand(project: Project) -> None:
    """ν12 may be as great as √(E1/E2) lets it: alone, a lower E1 would be refused first."""
    at = "materials[UD carbon]"
    low = Task(((f"{at}.E1",), (f"{at}.nu12",)), (0.5e9, 0.05), (f"{STRUT}.thickness",))
    assert run_task(project, low).fault == ""
    alone = Task(((f"{at}.E1",),), (0.5e9,), (f"{STRUT}.thickness",))
    assert run_task(project, alone).fault


def test_answers_that_are_not_there_are_said(project: Project) -> None:
    for name in ("stacks[nope].Ex", f"{STRUT}.luck", "part.reserve[nope]", "part.luck", "x", ""):
        with pytest.raises(DocumentError):
            check_answer(project, name)
    with pytest.raises(DocumentError, match="There is no answer"):
        check_sweep(project, [Task(((THIRD,),), (1.0,), ("part.luck",))])
    for name in offered(project):
        words, quantity = words_of(project, name)
        assert words
        assert quantity.scale > 0
    bare = replace(project, load_cases=())
    with pytest.raises(StackError, match="no load case"):
        answers(bare, [f"{STRUT}.reserve"], lambda _: pytest.fail("solved"))


def test_needs_are_least_or_most(project: Project) -> None:
    assert need_of(project, f"{STRUT}.Ex") is None
    kinds = [type(r) for r in project.requirements]
    at = kinds.index(DisplacementRequirement)
    need = need_of(project, f"part.requirement[{at + 1}]")
    assert need == Need(project.requirements[at].value, least=False)
    assert need.met(need.limit)
    assert not need.met(need.limit * 1.01)


def test_samples_fill_their_distribution(project: Project) -> None:
    one = scatter_of(project, "materials[UD carbon].Yt = 10 %")
    assert one.spread == pytest.approx(0.1 * one.mean)
    flat = scatter_of(project, f"{THIRD} = 3 within")
    assert (flat.spread, flat.uniform) == (3.0, True)
    tasks = samples_of([one, flat], [f"{STRUT}.Ex"], 400, seed=1)
    values = np.array([t.values for t in tasks])
    assert values[:, 0].mean() == pytest.approx(one.mean, rel=0.005)
    assert values[:, 0].std() == pytest.approx(one.spread, rel=0.03)
    assert np.abs(values[:, 1] - 45).max() <= 3.0
    # A hypercube has one sample in every four hundredth of each figure.
    assert len(set(np.floor((values[:, 1] - 42) / 6 * 400).astype(int))) == 400
    assert samples_of([one, flat], [f"{STRUT}.Ex"], 400, seed=1) == tasks
    assert samples_of([one, flat], [f"{STRUT}.Ex"], 400, seed=2) != tasks
    for text in (f"{THIRD} = 0", f"{THIRD} = -3", f"{THIRD} = much"):
        with pytest.raises(DocumentError):
            scatter_of(project, text)
    with pytest.raises(DocumentError, match="1 samples"):
        samples_of([one], ["x"], 1)


def test_what_matters_and_holds_is_told(project: Project) -> None:
    """An answer that follows one figure alone, and of which three quarters hold."""
    rng = np.random.default_rng(4)
    tasks, outs = [], []
    for _ in range(400):
        x, y = rng.random(2)
        tasks.append(Task(((THIRD,), ("b",)), (x, y), ("a", "b")))
        outs.append(Outcome((math.exp(3 * x), -y)))
    found = spread_of(tasks, outs, {"a": Need(math.exp(0.75)), "b": None}.get)
    assert found[0].matters[0] == pytest.approx(1.0)
    assert abs(found[0].matters[1]) < 0.15
    assert found[0].holds == pytest.approx(0.75, abs=0.06)
    assert found[0].quantiles[2] == pytest.approx(math.exp(1.5), rel=0.15)
    assert found[1].matters[1] == pytest.approx(-1.0)
    assert found[1].holds is None
    real = samples_of([scatter_of(project, "materials[UD carbon].E1 = 5 %")], [f"{STRUT}.Ex"], 40)
    done = [run_task(project, t) for t in real]
    spreads = spread_of(real, done, partial(need_of, project))
    assert spreads[0].matters[0] == pytest.approx(1.0)
    table = spread_table(project, real[0].paths, spreads)
    assert table.rows[-1] == ("follow E1 of UD carbon", "+1.00")
    lost = [Outcome((math.nan,), "none")] * len(real)
    assert spread_of(real, lost, lambda _: None)[0].count == 0


def test_the_part_is_swept_and_is_what_solving_it_says(project: Project, engine: Engine) -> None:
    small = coarse(project)
    over = over_of(small, "materials[honeycomb].G13 = 20 to 40 in 1 MPa")
    names = ["part.displacement", "part.mass", "part.reserve"]
    tasks = tasks_of([over], names)
    found = dict(engine.run(run_task, small, tasks))
    here = [run_task(small, t) for t in tasks]
    for k, outcome in enumerate(here):
        np.testing.assert_allclose(found[k].values, outcome.values, rtol=1e-9)
    # A softer core bends more, and weighs the same.
    assert here[0].values[0] > here[1].values[0]
    assert here[0].values[1] == here[1].values[1]


def test_a_sweep_runs_on_the_command_line(project: Project, tmp_path: Path) -> None:
    path, out = tmp_path / "p.tartan.json", tmp_path / "s.csv"
    storage.save(project, path)
    run = CliRunner().invoke(
        app,
        ["sweep", str(path), "--over", f"{THIRD} = 0 to 90 by 45", "--answer", f"{STRUT}.Ex",
         "--out", str(out)],
    )  # fmt: skip
    assert run.exit_code == 0, run.output
    rows = out.read_text().splitlines()
    assert rows[0] == '"angle of ply 3, feed strut [°]",Ex of feed strut [GPa]'
    assert len(rows) == 4
    listed = CliRunner().invoke(app, ["figures", str(path)])
    assert f"{THIRD} = 45" in listed.output
    assert "part.requirement[1]" in listed.output
    sampled = CliRunner().invoke(
        app,
        ["sweep", str(path), "--scatter", "materials[UD carbon].Yt = 10 %",
         "--answer", f"{STRUT}.reserve", "--samples", "30"],
    )  # fmt: skip
    assert sampled.exit_code == 0, sampled.output
    assert "hold" in sampled.output
    for wrong in (
        ["sweep", str(path)],
        ["sweep", str(path), "--over", f"{THIRD} = 1", "--answer", "luck"],
        ["sweep", str(path), "--over", f"{THIRD} = 1", "--answer", "part.mass",
         "--cluster", "nonsense"],
    ):  # fmt: skip
        refused = CliRunner().invoke(app, wrong)
        assert refused.exit_code == 2, refused.output
