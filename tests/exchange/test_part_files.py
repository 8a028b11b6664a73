"""What a part reads and writes: surfaces kept in the project, pressure tables, rungs."""

import dataclasses
from pathlib import Path

import pytest

from tartan.core.errors import DocumentError, TartanError
from tartan.core.shell.mesher import Finer
from tartan.core.stack import Ply
from tartan.exchange.pressure_table import pressure_rows, pressure_table, read_pressure
from tartan.exchange.rungs_table import parse_rungs, rungs_text
from tartan.exchange.surfaces import ReadRequest, read_surface, remesh_surface
from tartan.exchange.tables import write_table
from tartan.project.analysis.partmesh import meshed
from tartan.project.document import samples
from tartan.project.document.packed_arrays import pack_mesh, unpack_mesh
from tartan.project.document.partmodel import (
    Region,
    Rung,
    Support,
)
from tartan.project.edits import case_edits, part_edits
from tartan.project.files import storage
from tartan.project.wording import units
from tests.core.test_shell_surfaces import write_bracket
from tests.project.test_part import plate

UD = "UD carbon"


def test_read_surfaces_are_kept_and_meshed_again(tmp_path: Path) -> None:
    file = tmp_path / "bracket.step"
    write_bracket(file)
    surface, size = read_surface(ReadRequest(file))
    project = plate(
        surface=surface,
        mesh_size=size,
        lay_up=(Rung(stack="feed strut"),),
        regions=(Region("top", faces=("face 6",)),),
    )
    file.unlink()
    project = case_edits.put_supports(project, [Support("edge 1", "clamped")])
    back = storage.from_text(storage.to_text(project))
    assert back == project
    finer, size = remesh_surface(surface, size / 2, (Finer(size / 8, size, "edge 1"),))
    part = dataclasses.replace(project.part, surface=finer, mesh_size=size)  # type: ignore[type-var]
    changed, lost = part_edits.put_surface(project, part)  # type: ignore[arg-type]
    assert lost == []
    assert meshed(changed.part).mesh.count > 2 * meshed(project.part).mesh.count  # type: ignore[arg-type]
    mesh = unpack_mesh(surface.mesh)
    assert unpack_mesh(pack_mesh(mesh)).regions.keys() == mesh.regions.keys()
    for damage in ("", "AAAA", surface.mesh[:-200]):
        with pytest.raises(TartanError, match="damaged"):
            unpack_mesh(damage)
    text = storage.to_text(project).replace(surface.mesh[:40], "x" * 40)
    with pytest.raises(DocumentError):
        storage.from_text(text)


def test_pressure_tables_round_trip_and_name_their_faults(tmp_path: Path) -> None:
    table = samples.dish_panel().tables[1]
    for name in ("wind.csv", "wind.xlsx"):
        write_table(pressure_table(table), tmp_path / name)
        assert read_pressure(tmp_path / name).rows == table.rows
    units.use_system(units.SYSTEMS[2])
    try:
        write_table(pressure_table(table), tmp_path / "us.csv")
    finally:
        units.use_system(units.SYSTEMS[0])
    assert read_pressure(tmp_path / "us.csv").rows == table.rows
    head = ["x [mm]", "y [mm]", "z [mm]", "p [Pa]"]
    faulty = (
        ([head[:3]], "column p"),
        ([head, ["1", "2", "x", "3"]], "row 2, column 3"),
        ([head, ["1", "2"]], "too short"),
    )
    for rows, words in faulty:
        with pytest.raises(DocumentError) as caught:
            pressure_rows(rows, "t.csv")
        assert words in str(caught.value)


def test_rungs_are_copied_and_pasted() -> None:
    single = (Rung("pad", ply=Ply(UD, 90, 5e-4)), Rung(ply=Ply(UD, 0, 1e-3), active=False))
    project = plate(lay_up=(Rung(stack="feed strut", turn=15.0), *single))
    rungs = project.part.lay_up  # type: ignore[union-attr]
    assert parse_rungs(rungs_text(rungs), project) == rungs
    for text, words in (
        ("all\t\ttin\t0\t1", "tin"),
        ("all\t\tUD carbon\tx\t1", "row 1"),
        ("", "no rungs"),
    ):
        with pytest.raises(DocumentError, match=words):
            parse_rungs(text, project)
