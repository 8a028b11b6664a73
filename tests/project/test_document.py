"""The document: edits, history, files."""

import dataclasses
import json
from pathlib import Path

import jsonschema
import pytest

from tartan.core.errors import DocumentError, TartanError
from tartan.core.shell.mesh import Panel
from tartan.core.stack import Ply
from tartan.project.document.history import History
from tartan.project.document.model import Project
from tartan.project.document.partmodel import (
    Acceleration,
    Case,
    Direction,
    DisplacementRequirement,
    EdgeForce,
    Pressure,
    ReserveRequirement,
    Rung,
    Support,
)
from tartan.project.document.samples import SAMPLES
from tartan.project.edits import case_edits, part_edits, stack_edits, versions
from tartan.project.files import storage
from tests.conftest import CARBON
from tests.panels import dish_panel, plain_part

MADE = storage.made_schema()


@pytest.mark.parametrize("make", SAMPLES.values(), ids=SAMPLES.keys())
def test_files_round_trip_and_fit_the_published_schema(make, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    project = case_edits.put_cases(
        make(),
        [*make().cases, Case("pull", (EdgeForce("upper edge", (1.0, 2.0, -3.5)), Pressure(-0.1)))],
    )
    path = tmp_path / "x.tartan.json"
    storage.save(project, path)
    assert storage.load(path) == project
    jsonschema.validate(json.loads(path.read_text("utf-8")), storage.json_schema())
    # A field that a record gained is known to the schema that is kept.
    assert storage.json_schema() == json.loads(json.dumps(MADE))
    assert [p.name for p in tmp_path.iterdir()] == ["x.tartan.json"]


def damaged(old: str, new: str) -> str:
    text = storage.to_text(dish_panel())
    assert old in text
    return text.replace(old, new, 1)


@pytest.mark.parametrize(
    ("old", "new", "place"),
    [
        ('"E1": 62000000000.0', '"E1": "much"', "materials, entry 1, E1"),
        ('"E1": 62000000000.0', '"E1": null', "materials, entry 1, E1"),
        ('"E1": 62000000000.0', '"E1": -5.0', "E1"),
        ('"nu12": 0.05', '"nu12": 5.0', "nu12"),
        ('"E1":', '"E9":', "materials, entry 1, E9"),
        ('"material": "woven carbon"', '"material": "tin"', "ply 1"),
        ('"thickness": 0.00012', '"thickness": 0.0', "ply 1"),
        ('"angle": 45.0', '"angle": NaN', "ply 1"),
        ('"kind": "pressure"', '"kind": "presure"', "cases, entry 1, loads, entry 1"),
        ('"kind": "held along z"', '"kind": "glued"', "glued"),
        ('"mesh_size": 0.04', '"mesh_size": 0.0', "mesh size"),
        ('"stack": "reflector sandwich"', '"stack": "gone"', "gone"),
        ('"schema": 7', '"schema": 8', "newer Tartan"),
        ('"schema": 7', '"schema": "one"', "schema"),
        ('"format": "tartan project"', '"format": "song"', "not a Tartan project"),
        ('"name": "woven carbon"', '"name": "UD carbon"', "UD carbon"),
        ("{", "{,", "line 1"),
        ('"supports": [', '"supports": 7, "x": [', "x"),
    ],
)
def test_damaged_files_are_refused_with_the_place(old: str, new: str, place: str) -> None:
    with pytest.raises(DocumentError) as caught:
        storage.from_text(damaged(old, new), "panel.tartan.json")
    assert place in str(caught.value)
    assert "panel.tartan.json" in str(caught.value)
    assert caught.value.mend


def test_a_file_that_cannot_be_read_or_written(tmp_path: Path) -> None:
    with pytest.raises(DocumentError, match="cannot be read"):
        storage.load(tmp_path / "nowhere.json")
    (tmp_path / "bytes.json").write_bytes(b"\xff\xfe\x00")
    with pytest.raises(DocumentError, match="UTF-8"):
        storage.load(tmp_path / "bytes.json")
    with pytest.raises(DocumentError, match="cannot be written"):
        storage.save(dish_panel(), tmp_path / "no" / "such" / "folder.json")


def test_a_failed_save_leaves_the_old_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "x.tartan.json"
    storage.save(dish_panel(), path)
    before = path.read_text("utf-8")

    def full(_: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("os.fsync", full)
    with pytest.raises(DocumentError, match="No space"):
        storage.save(SAMPLES["light dish panel"](), path)
    assert path.read_text("utf-8") == before
    assert list(tmp_path.iterdir()) == [path]


def test_history_keeps_only_what_succeeded_and_differs() -> None:
    first = dish_panel()
    history = History.start(first)
    assert history.apply("name", lambda p: stack_edits.rename_project(p, "other"))
    assert not history.apply("nothing", lambda p: p)
    with pytest.raises(DocumentError):
        history.apply("bad", lambda p: stack_edits.rename_project(p, "  "))
    assert (history.undo_label, history.redo_label, history.modified) == ("name", None, True)
    assert history.undo()
    assert history.project == first
    assert not history.modified
    assert not history.undo()
    assert history.redo()
    assert not history.redo()
    history.mark_saved()
    assert not history.modified
    history.undo()
    assert history.modified
    history.apply("third", lambda p: stack_edits.rename_project(p, "third"))
    assert history.redo_label is None


def test_a_file_of_the_first_schema_is_brought_up() -> None:
    project = dish_panel()
    data = json.loads(storage.to_text(project))
    data["schema"] = 1
    surface = {
        k: v for k, v in data["part"]["surface"].items() if k[:6] in ("length", "width", "radius")
    }
    data["part"] = {
        "surface": surface,
        "stack": "reflector sandwich",
        "mesh_size": 0.04,
        "reference": [0.0, 1.0, 0.0],
        "laying_side": "down",
        "reference_surface": "top",
    }
    for key in ("tables", "combinations"):
        del data[key]
    found = storage.from_text(json.dumps(data)).part
    assert found is not None
    assert found.surface == Panel(1.6, 1.2, 9.0, 9.0)
    assert found.lay_up == (Rung(stack="reflector sandwich"),)
    assert found.directions == (Direction(vector=(0.0, 1.0, 0.0)),)
    assert (found.flipped, found.reference_surface) == (("",), "top")


def test_renaming_carries_through() -> None:
    project = dish_panel()
    renamed = dataclasses.replace(project.materials[0], name="cloth")
    project = stack_edits.put_material(project, "woven carbon", renamed)
    assert project.stacks_using("cloth") == ("reflector sandwich", "light sandwich")
    project = stack_edits.rename_stack(project, "reflector sandwich", "skin")
    assert project.part is not None
    assert project.part.stacks() == ("skin",)
    project = case_edits.rename_case(project, "own weight", "weight")
    assert DisplacementRequirement(0.25e-3, "weight") in project.requirements
    assert stack_edits.check_project(project) is project
    gone = case_edits.put_cases(project, [c for c in project.cases if c.name != "weight"])
    assert gone.requirements == (ReserveRequirement(1.25),)


def test_adding_never_overwrites() -> None:
    project = stack_edits.add_materials(dish_panel(), [CARBON, CARBON])
    assert [m.name for m in project.materials[-2:]] == ["carbon", "carbon 2"]
    project, name = stack_edits.add_stack(project, "feed strut", ())
    assert name == "feed strut 2"
    assert project.stack(name) is not None


PART = plain_part(size=0.1)


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (
            lambda p: stack_edits.put_material(
                p, "UD carbon", dataclasses.replace(CARBON, E1=0.0)
            ),
            "E1",
        ),
        (lambda p: stack_edits.put_material(p, "UD carbon", p.materials[0]), "already"),
        (lambda p: stack_edits.put_material(p, "tin", CARBON), "tin"),
        (lambda p: stack_edits.remove_material(p, "UD carbon"), "feed strut"),
        (lambda p: stack_edits.put_plies(p, "feed strut", [Ply("UD carbon", 0, 0.0)]), "ply 1"),
        (lambda p: stack_edits.put_plies(p, "feed strut", [Ply("tin", 0, 1.0)]), "tin"),
        (lambda p: stack_edits.put_plies(p, "feed strut", [Ply("UD carbon", 999, 1.0)]), "angle"),
        (lambda p: stack_edits.rename_stack(p, "feed strut", "light sandwich"), "already"),
        (lambda p: stack_edits.remove_stack(p, "reflector sandwich"), "on the part"),
        (lambda p: part_edits.put_part(p, dataclasses.replace(PART, mesh_size=0.0)), "mesh size"),
        (lambda p: part_edits.put_part(p, plain_part("x")), "x"),
        (
            lambda p: part_edits.put_part(
                p, dataclasses.replace(PART, directions=(Direction(vector=(0, 0, 0)),))
            ),
            "length",
        ),
        (lambda p: case_edits.put_supports(p, [Support("roof", "pinned")]), "roof"),
        (lambda p: case_edits.put_supports(p, [Support("left edge", "glued")]), "glued"),
        (lambda p: case_edits.put_cases(p, [Case("a"), Case("a")]), "already"),
        (lambda p: case_edits.put_cases(p, [Case("a", (Pressure(float("inf")),))]), "finite"),
        (lambda p: case_edits.put_cases(p, [Case("a", (EdgeForce("x", (0, 0, 0)),))]), "edge"),
        (
            lambda p: case_edits.put_cases(p, [Case("a", (Acceleration((0, float("nan"), 0)),))]),
            "finite",
        ),
        (lambda p: case_edits.put_requirements(p, [ReserveRequirement(0.0)]), "zero"),
        (lambda p: case_edits.put_requirements(p, [DisplacementRequirement(1.0, "x")]), "x"),
    ],
)
def test_edits_refuse_what_cannot_stand(edit, words: str) -> None:  # type: ignore[no-untyped-def]
    history = History.start(dish_panel())
    with pytest.raises(TartanError, match=words) as caught:
        history.apply("edit", edit)
    assert caught.value.what
    assert history.project == dish_panel()
    assert history.undo_label is None


def test_projects_are_values() -> None:
    assert dish_panel() == dish_panel()
    assert hash(dish_panel()) == hash(dish_panel())
    assert Project("x") != Project("y")


def test_load_sets_of_a_file_of_schema_4_are_load_cases() -> None:
    project = versions.clone_version(dish_panel())
    data = json.loads(storage.to_text(project))
    assert data["load_cases"]
    old = {
        **data,
        "schema": 4,
        "load_sets": data.pop("load_cases"),
        "versions": [
            {("load_sets" if k == "load_cases" else k): v for k, v in each.items()}
            for each in data["versions"]
        ],
    }
    assert "load_sets" in old["versions"][0]
    assert storage.from_text(json.dumps(old)) == project
    # The old word is no key of today's files.
    with pytest.raises(DocumentError, match="load_sets"):
        storage.from_text(json.dumps({**old, "schema": 7}))
