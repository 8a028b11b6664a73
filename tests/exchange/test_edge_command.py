"""Free edges on the command line."""

from __future__ import annotations

import dataclasses
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from tartan.cli import app
from tartan.core.errors import MaterialError, StackError
from tartan.exchange.edge_command import edge_table, solved
from tartan.project.document.model import Project
from tartan.project.document.samples import dish_panel
from tartan.project.edits import stack_edits
from tartan.project.files import storage

STRUT = "feed strut"


def with_constants() -> Project:
    project = dish_panel()
    ply = project.material("UD carbon")
    assert ply is not None
    full = dataclasses.replace(ply, E3=ply.E2, nu13=ply.nu12, nu23=0.4)
    return stack_edits.put_material(project, ply.name, full)


def test_every_interface_has_its_means_and_they_mirror_each_other() -> None:
    project = with_constants()
    strip, told = solved(project, STRUT, width=25e-3, strain=1e-3)
    assert told == ()
    table = edge_table(project, STRUT, strip, 0.4e-3)
    stack = project.stack(STRUT)
    assert stack is not None
    assert len(table.rows) == len(stack.plies) - 1
    figures = np.array([row[2:] for row in table.rows], float)
    peak = np.abs(figures).max()
    assert peak > 0
    # The stack is mirrored: slides change sign over its middle, peeling does not.
    np.testing.assert_allclose(figures[::-1] * [-1, -1, 1], figures, atol=1e-6 * peak)


def test_the_command_says_what_it_assumes_and_writes(tmp_path: Path) -> None:
    path, out = tmp_path / "dish.tartan", tmp_path / "edge.csv"
    storage.save(dish_panel(), path)
    run = CliRunner()
    refused = run.invoke(app, ["edge", str(path), STRUT])
    assert refused.exit_code == 2
    assert "--assume" in refused.output
    done = run.invoke(app, ["edge", str(path), STRUT, "--assume", "--out", str(out)])
    assert done.exit_code == 0, done.output
    assert "Assumed for UD carbon" in done.output
    assert "means over 0.5 mm" in done.output
    assert len(out.read_text(encoding="utf-8").splitlines()) == 2 + 9
    for more, words in ((["--width", "0"], "no width"), (["--over", "99"], "outside the strip")):
        bad = run.invoke(app, ["edge", str(path), STRUT, "--assume", *more])
        assert bad.exit_code == 2
        assert words in bad.output
    assert run.invoke(app, ["edge", str(path), "nothing"]).exit_code == 2


def test_what_does_not_stay_flat_is_refused() -> None:
    project = with_constants()
    strut = project.stack(STRUT)
    assert strut is not None
    odd = stack_edits.put_plies(project, STRUT, strut.plies[:3])
    with pytest.raises(StackError, match="symmetric"):
        solved(odd, STRUT, width=25e-3, strain=1e-3)
    bare = dish_panel()
    with pytest.raises(MaterialError, match="E₃"):
        solved(bare, STRUT, width=25e-3, strain=1e-3)
