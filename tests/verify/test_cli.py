"""The command line as a script sees it."""

import dataclasses
import json
import subprocess
import sys
from pathlib import Path

import pytest
from typer.testing import CliRunner

from tartan.cli import app
from tartan.project.document.model import Project
from tartan.project.document.samples import dish_panel, light_dish_panel
from tartan.project.edits import stack_edits
from tartan.project.files import storage

RUN = CliRunner()


def write(project: Project, folder: Path) -> str:
    path = folder / "project.tartan.json"
    storage.save(project, path)
    return str(path)


@pytest.mark.parametrize(
    ("make", "status", "word"), [(dish_panel, 0, "met"), (light_dish_panel, 1, "NOT MET")]
)
def test_check_says_the_verdict_and_exits_by_it(
    make, status: int, word: str, tmp_path: Path
) -> None:  # type: ignore[no-untyped-def]
    result = RUN.invoke(app, ["check", write(make(), tmp_path)])
    assert result.exit_code == status
    head, *rest = result.output.splitlines()
    assert head.startswith("Reserve factor")
    assert "ply" in head
    assert any(line.startswith(word) for line in rest)
    assert sum("met" in line.lower()[:8] for line in rest) == 4


def bad(project: Project, **changes: object) -> Project:
    return dataclasses.replace(project, **changes)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda p: bad(p, supports=()), "no supports"),
        (lambda p: stack_edits.put_plies(p, "dish face", ()), "empty"),
        (lambda p: bad(p, part=dataclasses.replace(p.part, mesh_size=-1.0)), "mesh size"),
        (
            lambda p: bad(
                p, materials=(dataclasses.replace(p.materials[0], nu12=9.0), *p.materials[1:])
            ),
            "E1/E2",
        ),
        (
            lambda p: bad(
                p, materials=(dataclasses.replace(p.materials[0], Yt=None), *p.materials[1:])
            ),
            "Yt",
        ),
        (
            lambda p: bad(
                p,
                stacks=(
                    dataclasses.replace(
                        p.stacks[0],
                        plies=(dataclasses.replace(p.stacks[0].plies[0], thickness=0.0),),
                    ),
                ),
            ),
            "ply 1",
        ),
    ],
)
def test_bad_input_is_said_and_exits_with_two(change, words: str, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    result = RUN.invoke(app, ["check", write(change(dish_panel()), tmp_path)])
    assert result.exit_code == 2
    assert words in result.stderr
    assert "Traceback" not in result.output
    assert result.stderr.startswith("tartan: ")


def test_no_traceback_reaches_the_user(tmp_path: Path) -> None:
    for arguments in (
        ["check", str(tmp_path / "none")],
        ["verify", str(tmp_path / "none")],
        ["sample", "boat", str(tmp_path / "x")],
        ["sample", "dish", str(tmp_path / "no" / "x")],
    ):
        done = subprocess.run(
            [sys.executable, "-m", "tartan.cli", *arguments],
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 2
        assert "Traceback" not in done.stderr
        assert "tartan: " in done.stderr


def test_verify_prints_a_table_and_writes_answers(tmp_path: Path) -> None:
    source = Path("src/tartan/exchange/verify/public.json")
    data = json.loads(source.read_text("utf-8"))
    data["cases"] = [c for c in data["cases"] if c["id"] in ("P01", "P11", "P33")]
    unknown = data["cases"][0] | {"id": "X1", "kind": "weather"}
    data["cases"].append(unknown)
    (tmp_path / "some.json").write_text(json.dumps(data))
    out = tmp_path / "answers.json"
    result = RUN.invoke(app, ["verify", str(tmp_path / "some.json"), "--answers", str(out)])
    assert result.exit_code == 0
    assert "source: A. K. Kaw" in result.output
    assert "not answered yet: kind weather" in result.output
    answers = json.loads(out.read_text("utf-8"))
    assert set(answers) == {"P01", "P11", "P33"}
    assert answers["P33"]["error"] is True
    data["cases"][0]["expected"]["thickness"]["value"] = 1.0
    (tmp_path / "some.json").write_text(json.dumps(data))
    wrong = RUN.invoke(app, ["verify", str(tmp_path / "some.json")])
    assert wrong.exit_code == 1
    assert "OFF" in wrong.output


def test_sample_and_version(tmp_path: Path) -> None:
    path = tmp_path / "s.tartan.json"
    assert RUN.invoke(app, ["sample", "light", str(path)]).exit_code == 0
    assert storage.load(path) == light_dish_panel()
    assert RUN.invoke(app, ["--version"]).output.startswith("Tartan ")


def test_a_file_in_place_of_a_command_is_opened(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    opened: list[Path | None] = []
    monkeypatch.setattr("tartan.cli._open", opened.append)
    path = tmp_path / "a b.tartan"
    path.write_text("{}")
    for args in ([str(path)], ["open", str(path)], ["gone.tartan"], []):
        assert RUN.invoke(app, args).exit_code == 0
    assert opened == [path, path, Path("gone.tartan"), None]
    misspelt = RUN.invoke(app, ["chek"])
    assert misspelt.exit_code == 2
    assert "chek" in misspelt.output
