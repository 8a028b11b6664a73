"""Sizing on the command line and in the report, with workers of its own."""

from __future__ import annotations

import dataclasses
from pathlib import Path

import pytest
from typer.testing import CliRunner

from tartan.cli import app
from tartan.exchange.report.parts import Figure, Shown
from tartan.exchange.report.sizing import sizing_chapter
from tartan.exchange.sizing_command import by, report_lines, run, taken
from tartan.project.analysis.engine import Engine
from tartan.project.analysis.jobs import solve_now
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.document.partmodel import DisplacementRequirement, ReserveRequirement
from tartan.project.edits import sizing_edits
from tartan.project.files import storage
from tartan.project.findings.size_points import Task
from tartan.project.findings.sizing import here, sizing_of
from tartan.project.findings.verdict import statuses
from tests.project.test_sized import asked, panel

RUN = CliRunner()


def small(limit: float = 9e-3) -> Project:
    project = panel(
        requirements=(ReserveRequirement(2.0), DisplacementRequirement(limit, "press"))
    )
    return sizing_edits.put_sizing(project, asked(project, skin0=(2, 4, 6), plies2=(0, 1, 2)))


def test_the_command_sizes_writes_and_takes(tmp_path: Path) -> None:
    path, out = tmp_path / "panel.tartan", tmp_path / "history.csv"
    storage.save(small(), path)
    done = RUN.invoke(app, ["size", str(path), "--out", str(out), "--take"])
    assert done.exit_code == 0, done.output
    assert "Proved: whatever is lighter was solved" in done.output
    project = storage.load(path)
    found = project.sizing.found
    assert found is not None
    answer = solve_now(part_inputs(project))
    assert answer.layout().mass() == pytest.approx(found.steps[-1].mass)
    assert all(s.met for s in statuses(project, answer))
    lines = out.read_text(encoding="utf-8").splitlines()
    assert len(lines) == 1 + len(found.steps)
    assert lines[0].startswith("solved,weighs,governs,")


def test_what_does_not_hold_ends_with_one_and_bad_wishes_with_two(tmp_path: Path) -> None:
    path = tmp_path / "panel.tartan"
    storage.save(small(1e-9), path)
    done = RUN.invoke(app, ["size", str(path), "--take"])
    assert done.exit_code == 1
    assert "No design holds" in done.output
    assert storage.load(path).sizing.found is None
    for wishes, words in (
        (["--least", "time"], "mass or cost"),
        (["--most", "0"], "cannot solve 0"),
        (["--ends", "-2"], "cannot end at a border"),
    ):
        done = RUN.invoke(app, ["size", str(path), *wishes])
        assert done.exit_code == 2
        assert words in done.output


def test_workers_answer_as_this_process_does(engine: Engine) -> None:
    project = small()
    sizing = sizing_of(project, project.sizing)
    tasks = [Task((2.0, 1.0), solid=True), Task((3.3, 0.4), solid=False), Task((6.0, 0.0), True)]
    theirs = by(engine)(sizing, tasks)
    for one, other in zip(here(sizing, tasks), theirs, strict=True):
        assert one.judged == other.judged
        assert one.values == pytest.approx(other.values, rel=1e-12)
        assert one.slopes == pytest.approx(other.slopes, rel=1e-9, abs=1e-15)


def test_the_report_has_a_page_of_what_was_kept(engine: Engine) -> None:
    project = small()
    assert "No sizing" in sizing_chapter(project).blocks[0].words  # type: ignore[union-attr]
    *_, (ask, news) = run(project, engine=engine)
    kept = sizing_edits.put_sizing(project, dataclasses.replace(ask, found=news.found))
    chapter = sizing_chapter(kept)
    titles = [b.title for b in chapter.blocks if isinstance(b, Shown)]
    assert titles == ["sizing", "zones", "requirements"]
    assert any(isinstance(b, Figure) for b in chapter.blocks) == (len(news.found.steps) > 1)
    assert report_lines(news.found)[0] in chapter.blocks[0].words  # type: ignore[union-attr]
    assert taken(project, ask, news.found).sizing.found == news.found
