"""The ply layout as a file: round trips, other meshes, other places, and what cannot be read."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from openpyxl import load_workbook
from typer.testing import CliRunner

from tartan.cli import app
from tartan.core.errors import DocumentError, PartError
from tartan.core.shell.mesh import Panel
from tartan.core.shell.shapes import Dome
from tartan.core.stack import Ply, Stack
from tartan.exchange.exports import export_unsolved
from tartan.exchange.plies.form import json_schema
from tartan.exchange.plies.read import layout_from, placement_of, read_layout
from tartan.exchange.plies.take import Taken, take_layout, unknown_materials
from tartan.exchange.plies.write import layout_data, write_layout
from tartan.project.analysis.laying import laid_plies, zones_for
from tartan.project.analysis.partmesh import meshed
from tartan.project.document.model import Project
from tartan.project.document.partmodel import Direction, Part, Region, Rung
from tartan.project.document.samples import GLASS, SAMPLES, UNIDIRECTIONAL
from tartan.project.edits import part_edits
from tartan.project.edits.draped_rungs import begin_draping
from tartan.project.files import storage

Data = dict[str, Any]


def taken(project: Project, data: Data, **more: Any) -> Taken:
    """A project with a layout, given as data, taken over."""
    return take_layout(project, layout_from(json.dumps(data), "layout"), **more)


def zones_of(project: Project) -> tuple[Any, ...]:
    """Zone of every element, and the sections of the zones."""
    part = project.part
    assert part is not None
    laid = laid_plies(part, {s.name: s for s in project.stacks})
    found = zones_for(part, laid, project.materials)
    return found.zone.tolist(), [x.stack.plies for x in found.laminates]


def patched(size: float = 0.02, surface: Any = None) -> Project:
    """A dome with a skin and two patches."""
    surface = surface or Dome(0.4, 0.2)
    part = Part(surface, size, fallback=(0.0, 1.0, 0.0))
    centres = meshed(part).mesh.centres()
    x, y = centres[:, 0], centres[:, 1]
    near = np.hypot(x, y) < 0.2
    wide = np.abs(y) < 0.1
    regions = tuple(
        Region(name, elements=tuple(np.flatnonzero(inside).tolist()))
        for name, inside in (("crown", near), ("strap", wide))
    )
    ply = Ply(UNIDIRECTIONAL.name, 30.0, 0.12e-3)
    return Project(
        name="patched dome",
        materials=(UNIDIRECTIONAL, GLASS),
        stacks=(Stack("skin", (Ply(GLASS.name, 0.0, 0.25e-3), Ply(GLASS.name, 45.0, 0.25e-3))),),
        part=replace(
            part,
            regions=regions,
            lay_up=(
                Rung(stack="skin", name="skin"),
                Rung("crown", ply=ply, name="crown patch"),
                Rung("strap", ply=replace(ply, angle=-30.0), name="strap"),
            ),
        ),
    )


@pytest.mark.parametrize("unit", ["mm", "m", "in"])
@pytest.mark.parametrize("name", SAMPLES)
def test_a_layout_read_where_it_was_written_changes_nothing(name: str, unit: str) -> None:
    project = SAMPLES[name]()
    found = taken(project, layout_data(project, unit))
    assert found.project == project
    assert not found.changes
    assert found.off < 1e-12


def test_zones_come_back_exactly_where_the_regions_were_lost() -> None:
    project = patched()
    assert project.part is not None
    empty = replace(project, part=replace(project.part, lay_up=(), regions=()))
    found = taken(empty, layout_data(project))
    assert zones_of(found.project) == zones_of(project)
    part = found.project.part
    assert part is not None
    assert [r.name for r in part.lay_up] == ["skin", "crown patch", "strap"]
    assert [r.name for r in part.regions] == ["crown", "strap"]
    assert [c.kind for c in found.changes] == ["added"] * 3


def test_plies_keep_their_area_on_a_mesh_of_half_the_size() -> None:
    project, fine = patched(0.02), patched(0.01)
    assert fine.part is not None
    bare = replace(fine, part=replace(fine.part, lay_up=(), regions=()))
    found = taken(bare, layout_data(project)).project
    for before, after in zip(_areas(project), _areas(found), strict=True):
        assert after == pytest.approx(before, rel=0.01)


def _areas(project: Project) -> list[float]:
    assert project.part is not None
    laid = laid_plies(project.part, {s.name: s for s in project.stacks})
    areas = meshed(project.part).mesh.areas()
    return [float(areas[x.elements].sum()) for x in laid]


def _moved(data: Data, change: Callable[[np.ndarray, bool], np.ndarray]) -> Data:
    """A layout with all places and directions moved by a function of (points, are places)."""
    made = json.loads(json.dumps(data))

    def put(holder: Data, key: str, place: bool) -> None:
        one = np.array(holder[key], float)
        holder[key] = change(one.reshape(-1, 3), place).reshape(one.shape).tolist()

    for entry in made["plies"]:
        for outline in entry["boundary"]:
            put(outline, "points", True)
            put(outline, "normals", False)
        for key in ("at", "zero", "normals"):
            put(entry["directions"], key, key == "at")
        for key in ("at", "zero", "normal"):
            put(entry["start"], key, key == "at")
        draped = entry.get("draped", {"cuts": []})
        for k in range(len(draped["cuts"])):
            draped["cuts"][k] = change(np.array(draped["cuts"][k]), True).tolist()
        if draped.get("starts"):
            put(draped, "starts", True)
    put(made, "anchors", True)
    for rule in made["reference"]:
        put(rule, "vector", False)
        put(rule, "origin", True)
    return made


def test_a_layout_moved_in_space_is_placed_by_three_points() -> None:
    project = patched()
    data = layout_data(project)
    # Turned by 40° about a slanting axis, and carried off by two metres.
    axis = np.array([1.0, 2.0, 2.0]) / 3
    k = np.array([[0, -axis[2], axis[1]], [axis[2], 0, -axis[0]], [-axis[1], axis[0], 0]])
    a = math.radians(40)
    turn = np.eye(3) + math.sin(a) * k + (1 - math.cos(a)) * k @ k

    def change(x: np.ndarray, place: bool) -> np.ndarray:
        return np.asarray(x @ turn.T + (np.array([2000.0, -500.0, 40.0]) if place else 0.0))

    moved = _moved(data, change)
    with pytest.raises(PartError, match="off this part"):
        taken(project, moved)
    back = placement_of(np.array(moved["anchors"]) * 1e-3, np.array(data["anchors"]) * 1e-3)
    found = taken(project, moved, placement=back)
    assert zones_of(found.project) == zones_of(project)
    assert not [c for c in found.changes if c.kind != "0° direction"]


def test_cuts_and_starts_of_draped_plies_are_placed_too() -> None:
    project = SAMPLES["radome cap"]()
    part = project.part
    assert part is not None
    draped = part.lay_up[0].draped
    assert draped is not None
    cut = ((-0.3, 0.02, 0.302), (0.3, 0.02, 0.302))
    rung = replace(
        part.lay_up[0], draped=replace(draped, cuts=(cut,), starts=((0.0, 0.3, 0.303),))
    )
    project = replace(project, part=replace(part, lay_up=(rung,)))
    data = layout_data(project)

    def change(x: np.ndarray, place: bool) -> np.ndarray:
        # A quarter turn about z, and carried off.
        turned = x @ np.array([[0.0, 1.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 0.0, 1.0]])
        return np.asarray(turned + (np.array([500.0, 20.0, -70.0]) if place else 0.0))

    moved = _moved(data, change)
    back = placement_of(np.array(moved["anchors"]) * 1e-3, np.array(data["anchors"]) * 1e-3)
    found = taken(project, moved, placement=back).project.part
    assert found is not None
    laid = found.lay_up[0].draped
    assert laid is not None
    np.testing.assert_allclose(laid.cuts[0], cut, atol=1e-9)
    np.testing.assert_allclose(laid.starts, [(0.0, 0.3, 0.303)], atol=1e-9)
    np.testing.assert_allclose(laid.start, draped.start, atol=1e-9)


def test_a_layout_a_little_off_the_surface_is_projected_and_told() -> None:
    project = patched()

    def change(x: np.ndarray, place: bool) -> np.ndarray:
        # Of the inner face of a mould: three millimetres inwards, about the dome's centre.
        if not place:
            return x
        middle = np.array([0.0, 0.0, -300.0])
        out = x - middle
        return np.asarray(x - 3.0 * out / np.linalg.norm(out, axis=1, keepdims=True))

    found = taken(project, _moved(layout_data(project), change))
    assert found.off == pytest.approx(3e-3, rel=0.05)
    for before, after in zip(_areas(project), _areas(found.project), strict=True):
        assert after == pytest.approx(before, rel=0.01)
    with pytest.raises(PartError, match=r"ply 1 'skin'"):
        taken(project, _moved(layout_data(project), change), far=1e-3)


def test_the_laying_side_of_the_file_is_taken() -> None:
    project = patched()
    assert project.part is not None
    other = replace(project, part=replace(project.part, flipped=("",)))
    found = taken(other, layout_data(project))
    assert found.project == project
    assert [c.kind for c in found.changes] == ["laying side"]
    # And a layout that is laid from both sides, onto a part that is laid from one.
    both = replace(project, part=replace(project.part, flipped=("strap",)))
    back = taken(project, layout_data(both)).project
    assert zones_of(back)[0] == zones_of(both)[0]
    assert back.part is not None
    assert np.array_equal(meshed(back.part).turned, meshed(both.part).turned)


def test_another_zero_is_taken_or_kept_with_the_ply() -> None:
    project = patched()
    assert project.part is not None
    round_about = Direction(way="around", vector=(0.0, 0.0, 1.0))
    other = replace(project, part=replace(project.part, directions=(round_about,)))
    found = taken(other, layout_data(project))
    # The file's rule holds here too: it becomes the part's, and angles stay as they are written.
    assert found.project.part is not None
    assert found.project.part.directions == project.part.directions
    assert [c.kind for c in found.changes] == ["0° direction"]
    # Without rules the plies keep the directions they are given at places.
    bare = layout_data(project) | {"reference": []}
    kept = taken(other, bare).project
    assert kept.part is not None
    assert kept.part.directions == (round_about,)
    assert all(r.fibres for r in kept.part.lay_up)
    a, b = (_fibre_of(p) for p in (project, kept))
    off = np.degrees(np.arccos(np.clip(np.abs(np.einsum("qi,qi->q", a, b)), 0, 1)))
    # At every other element of the crown it is given; between, neighbours tell.
    assert np.median(off) < 0.5
    assert off.max() < 12
    # Draped, the ply counts from the part's 0°, and lies at its start as it did.
    made = begin_draping(kept, (1,), on=True)
    start = made[1].draped
    assert start is not None
    assert not made[1].fibres
    draped = part_edits.put_lay_up(kept, made)
    element = int(np.linalg.norm(_crown(kept) - np.array(start.start), axis=1).argmin())
    assert _off(kept, draped)[element] < 0.6
    with pytest.raises(DocumentError, match="counts from the part's 0°"):
        part_edits.put_lay_up(kept, (replace(kept.part.lay_up[1], draped=start),))
    # Written again and read where it came from, the rule is found to hold once more.
    again = taken(project, layout_data(kept) | {"reference": []})
    assert np.median(_off(project, again.project)) < 0.5


def _crown(project: Project) -> np.ndarray:
    """Middles of the elements of the crown patch."""
    part = project.part
    assert part is not None
    return meshed(part).mesh.centres()[meshed(part).elements("crown")]


def _off(one: Project, other: Project) -> np.ndarray:
    a, b = _fibre_of(one), _fibre_of(other)
    return np.degrees(np.arccos(np.clip(np.abs(np.einsum("qi,qi->q", a, b)), 0, 1)))


def _fibre_of(project: Project) -> np.ndarray:
    """Fibre directions of the crown patch in space."""
    part = project.part
    assert part is not None
    laid = next(x for x in laid_plies(part, {s.name: s for s in project.stacks}) if x.rung == 1)
    whole = meshed(part)
    n = whole.mesh.normals()[laid.elements]
    zero = whole.direction[laid.elements]
    zero = zero - np.einsum("qi,qi->q", zero, n)[:, None] * n
    zero /= np.linalg.norm(zero, axis=1, keepdims=True)
    turn = np.radians(laid.ply.angle + (0 if laid.turn is None else laid.turn))
    turn = np.broadcast_to(turn, (len(n),))[:, None]
    return np.asarray(np.cos(turn) * zero + np.sin(turn) * np.cross(n, zero))


def test_what_is_not_known_is_kept_on_the_way_through() -> None:
    project = patched()
    data = layout_data(project)
    data["programme"] = {"release": 7}
    data["plies"][1]["operator"] = ["Ines", 3]
    data["plies"][1]["ply"]["batch"] = "A-77"
    data["materials"][0]["code"] = "M-1"
    data["units"]["mass"] = "kg"
    back = layout_data(taken(project, data).project)
    assert back["programme"] == {"release": 7}
    assert back["plies"][1]["operator"] == ["Ines", 3]
    assert back["plies"][1]["ply"]["batch"] == "A-77"
    named = next(m for m in back["materials"] if m["name"] == data["materials"][0]["name"])
    assert named["code"] == "M-1"
    assert "operator" not in back["plies"][0]


@pytest.mark.parametrize(
    "kept", ["{", "[1]", '"words"', "[" * 3000, '{"materials": 3}', '{"laminates": {"skin": 1}}']
)
def test_what_is_kept_is_refused_where_it_is_damaged_and_harms_nothing(kept: str) -> None:
    project = patched()
    assert project.part is not None
    part = replace(project.part, kept=kept)
    text = storage.to_text(replace(project, part=part))
    if kept.startswith("{") and kept != "{":
        assert layout_data(storage.from_text(text))["plies"][0]["name"] == "skin"
        return
    with pytest.raises(DocumentError, match="keeps of a layout is damaged"):
        storage.from_text(text)
    rungs = (replace(part.lay_up[0], kept=kept), *part.lay_up[1:])
    text = storage.to_text(replace(project, part=replace(project.part, lay_up=rungs)))
    with pytest.raises(DocumentError, match=r"rung 1.*damaged"):
        storage.from_text(text)


def test_changes_are_told_ply_by_ply() -> None:
    project = patched()
    data = layout_data(project)
    skin, crown, strap = data["plies"]
    crown["ply"] |= {"angle": 60.0, "material": GLASS.name, "thickness": 0.2}
    added = json.loads(json.dumps(strap)) | {"name": "second strap"}
    data["plies"] = [skin, strap, crown, added]
    found = taken(project, data)
    told = {(c.kind, c.what): c.words for c in found.changes}
    assert told[("turned", "crown patch")] == "30° → 60°"
    assert told[("other material", "crown patch")] == f"{UNIDIRECTIONAL.name} → {GLASS.name}"
    assert told[("other thickness", "crown patch")] == "0.12 mm → 0.2 mm"
    assert ("added", "second strap") in told
    assert any(kind == "moved" for kind, _ in told)
    crown["name"] = "other patch"
    renamed = {(c.kind, c.what) for c in taken(project, data).changes}
    assert {("gone", "crown patch"), ("added", "other patch")} <= renamed
    gone = taken(project, data | {"plies": [skin]})
    assert {c.what for c in gone.changes if c.kind == "gone"} == {"crown patch", "strap"}


def test_materials_are_matched_by_name_or_as_told() -> None:
    project = patched()
    data = json.loads(json.dumps(layout_data(project)).replace(UNIDIRECTIONAL.name, "tape 7"))
    layout = layout_from(json.dumps(data), "layout")
    assert unknown_materials(layout, project) == {"tape 7": "ply 2 'crown patch'"}
    with pytest.raises(DocumentError, match=r"no material 'tape 7'.*Choose which it is"):
        take_layout(project, layout)
    found = take_layout(project, layout, {"tape 7": UNIDIRECTIONAL.name})
    assert found.project == project


def test_without_a_part_or_a_ply_it_is_said() -> None:
    data = layout_data(patched())
    with pytest.raises(DocumentError, match="no part"):
        taken(Project("new"), data)
    with pytest.raises(DocumentError, match="Nothing is laid"):
        layout_data(Project("new"))
    flat = Project("flat", materials=(GLASS, UNIDIRECTIONAL), part=Part(Panel(0.2, 0.1), 0.02))
    with pytest.raises(PartError, match="off this part"):
        taken(flat, data)


def test_the_command_writes_reads_and_lists(tmp_path: Path) -> None:
    project = patched()
    file, layout, book = (tmp_path / n for n in ("p.tartan.json", "p.plies.json", "book.csv"))
    storage.save(project, file)
    run = CliRunner()
    assert run.invoke(app, ["export", str(file), "plies", str(layout)]).exit_code == 0
    assert run.invoke(app, ["export", str(file), "plies", str(book)]).exit_code == 0
    text = layout.read_text(encoding="utf-8").replace(UNIDIRECTIONAL.name, "tape 7")
    layout.write_text(text.replace('"angle": 30.0', '"angle": 35.0'), encoding="utf-8")
    refused = run.invoke(app, ["import-plies", str(file), str(layout)])
    assert refused.exit_code != 0
    assert storage.load(file) == project
    named = ["import-plies", str(file), str(layout), "--material", f"tape 7={UNIDIRECTIONAL.name}"]
    looked = run.invoke(app, [*named, "--look"])
    assert "crown patch: 30° → 35°" in looked.output
    assert storage.load(file) == project
    assert run.invoke(app, named).exit_code == 0
    part = storage.load(file).part
    assert part is not None
    assert part.lay_up[1].ply is not None
    assert part.lay_up[1].ply.angle == 35.0
    bad = run.invoke(app, [*named, "--at", "0,0,0", "--at", "1,0"])
    assert bad.exit_code != 0


def test_the_book_of_plies_tells_area_and_mass(tmp_path: Path) -> None:
    project = patched(surface=Panel(0.6, 0.4), size=0.02)
    path = tmp_path / "book.xlsx"
    export_unsolved("plies", project, path)
    sheet = list(load_workbook(path).active.iter_rows(values_only=True))
    head = next(i for i, row in enumerate(sheet) if row[0] == "order")
    table = [dict(zip(sheet[head], row, strict=True)) for row in sheet[head + 1 :]]
    assert [r["name"] for r in table] == ["skin", "skin", "crown patch", "strap"]
    assert float(table[0]["area [m²]"]) == pytest.approx(0.24)
    assert float(table[3]["area [m²]"]) == pytest.approx(0.6 * 0.2)
    assert GLASS.rho is not None
    assert float(table[0]["mass [kg]"]) == pytest.approx(0.24 * 0.25e-3 * GLASS.rho)
    with pytest.raises(DocumentError, match="no kind of ply layout"):
        export_unsolved("plies", project, tmp_path / "book.pdf")
    write_layout(project, tmp_path / "x.plies.json", "in")
    assert read_layout(tmp_path / "x.plies.json").units.length == "in"


def test_the_published_schema_is_that_of_the_program() -> None:
    path = Path(__file__).parents[2] / "docs" / "ply-layout.schema.json"
    assert json.loads(path.read_text(encoding="utf-8")) == json_schema()
