"""Coupons and spots on the command line."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from typer.testing import CliRunner, Result

from tartan.cli import app
from tartan.project.document.samples import SAMPLES
from tartan.project.edits import stack_edits
from tartan.project.files import storage


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("solid") / "anchor.tartan"
    storage.save(SAMPLES["anchor plate"](), path)
    return path


@pytest.fixture
def thin(tmp_path: Path) -> Path:
    """The same with few of its plies: a coupon has as many solids as plies and more."""
    project = SAMPLES["anchor plate"]()
    (plate,) = (s for s in project.stacks if s.name == "anchor plate")
    path = tmp_path / "thin.tartan"
    storage.save(
        stack_edits.put_plies(project, plate.name, plate.plies[:2] + plate.plies[-2:]), path
    )
    return path


def run(*words: object) -> Result:
    return CliRunner().invoke(app, [str(w) for w in words])


def test_a_coupon_is_told_three_ways_and_written(thin: Path, tmp_path: Path) -> None:
    out = tmp_path / "coupon.csv"
    size = ("--length", 60, "--width", 20)
    done = run("coupon", thin, "anchor plate", "--load", 3e3, *size, "--out", out)
    assert done.exit_code == 0, done.output
    assert "Least reserve factor in the middle: shell" in done.output
    assert "shell [MPa]  one solid [MPa]  ply by ply [MPa]" in done.output
    lines = out.read_text(encoding="utf-8").splitlines()
    assert len([x for x in lines if re.match(r"\d+,", x)]) == 3 * 4
    # Stress over the section, whatever bears it: the mean of what the plies say.
    edge = run("coupon", thin, "anchor plate", "--load", 3e3, *size, "--edge", 0.5)
    assert edge.exit_code == 0
    assert "above ply  plies  τxz [MPa]" in edge.output


def test_the_governing_spot_is_checked(plate: Path) -> None:
    done = run("spot", plate, "--stress", "τ13")
    assert done.exit_code == 0, done.output
    assert done.output.startswith("earthing hole")
    assert "Reserve factor: shell" in done.output
    other = run("spot", plate, "--case", "rope in a gale", "--element", 40, "--cut", 30)
    assert "element 40, rope in a gale" in other.output or "Check in 3-D" in other.output


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("coupon", "none at all"), "There is no stack"),
        (("coupon", "anchor plate", "--stress", "σ9"), "no stress"),
        (("coupon", "anchor plate", "--loading", "fatigue"), "fatigue"),
        (("coupon", "anchor plate", "--length", 0), "length"),
        (("spot", "--case", "nobody's"), "no case"),
        (("spot", "--element", 0), "no such element"),
        (("spot", "--element", 99999), "no such element"),
        (("spot", "--cut", 0.5), "nearer than the laminate is thick"),
    ],
)
def test_what_cannot_be_is_refused_in_words(
    plate: Path, words: tuple[object, ...], told: str
) -> None:
    command, *rest = words
    bad = run(command, plate, *rest)
    assert bad.exit_code == 2
    assert told in bad.output
    assert "Traceback" not in bad.output
