import dataclasses
from pathlib import Path

import openpyxl
import pytest

from tartan.core.errors import DocumentError, StackError
from tartan.core.materials import findings
from tartan.core.stack import Ply
from tartan.exchange import library
from tartan.exchange.materials_table import read_materials, write_materials
from tartan.exchange.plies_table import plies_table, read_plies, read_plies_file
from tartan.exchange.tables import write_table
from tartan.project.wording import units
from tests.conftest import CARBON
from tests.panels import dish_panel


def test_round_trip_without_loss(tmp_path: Path) -> None:
    odd = dataclasses.replace(CARBON, name='o"dd, one', E1=1e11 / 3, source="test\nline")
    materials = (*dish_panel().materials, odd)
    write_materials(materials, tmp_path / "m.csv")
    assert tuple(read_materials(tmp_path / "m.csv")) == materials
    head = (tmp_path / "m.csv").read_text("utf-8").splitlines()[0]
    assert "E1 [GPa]" in head


def test_units_of_the_header_and_of_cells_count(tmp_path: Path) -> None:
    path = tmp_path / "m.csv"
    path.write_text(
        "\ufeffname;E1 [Msi];E2 [GPa];nu12;G12;kind\ncloth;10;70 GPa;0,05;4500 MPa;ply\n\n",
        "utf-8",
    )
    (cloth,) = read_materials(path)
    assert pytest.approx((6.894757e10, 70e9), rel=1e-6) == (cloth.E1, cloth.E2)
    assert (cloth.nu12, cloth.G12) == pytest.approx((0.05, 4.5e9))


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("", "empty"),
        ("name,E1 [GPa],E2 [GPa],nu12\nx,1,1,0.1", "column G12 is missing"),
        ("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa],speed\n", "column 6"),
        ("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\n", "no materials"),
        ("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\na,1,1,0.1,1\nb,1,x,0.1,1", "row 3, column E2"),
        ("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\na,1,1 kg,0.1,1", "row 2, column E2"),
        ("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\na,,1,0.1,1", "row 2, column E1"),
        ("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\na,1,1,3,1", "row 2"),
        ("name,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\na,1,1,0,1,1", "row 2"),
        ("name,kind,E1 [GPa],E2 [GPa],nu12,G12 [GPa]\na,wood,1,1,0.1,1", "row 2, column kind"),
    ],
)
def test_bad_rows_are_named_and_nothing_is_read(text: str, place: str, tmp_path: Path) -> None:
    path = tmp_path / "m.csv"
    path.write_text(text, "utf-8")
    with pytest.raises(DocumentError) as caught:
        read_materials(path)
    assert place in str(caught.value)
    assert "m.csv" in str(caught.value)


def test_xlsx_round_trip_and_names_that_look_like_formulas(tmp_path: Path) -> None:
    odd = dataclasses.replace(CARBON, name="=1+1", E1=1e11 / 3, source="@sum")
    materials = (*dish_panel().materials, odd)
    for system in units.SYSTEMS:
        units.use_system(system)
        try:
            write_materials(materials, tmp_path / "m.xlsx")
        finally:
            units.use_system(units.SYSTEMS[0])
        # Read in another system than it was written in: the header states the units.
        assert tuple(read_materials(tmp_path / "m.xlsx")) == materials
    sheet = openpyxl.load_workbook(tmp_path / "m.xlsx").worksheets[0]
    assert {cell.data_type for row in sheet.iter_rows() for cell in row} <= {"s", "n"}


def test_a_file_that_is_no_xlsx_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "m.xlsx"
    path.write_text("name,E1")
    with pytest.raises(DocumentError, match="XLSX"):
        read_materials(path)


def test_plies_come_back_from_either_table(tmp_path: Path) -> None:
    project = dish_panel()
    plies = (*project.stacks[0].plies, Ply("UD carbon", -30.0, 1e-3 / 7))
    for name in ("p.csv", "p.xlsx"):
        write_table(plies_table("s", plies), tmp_path / name)
        assert tuple(read_plies_file(tmp_path / name, project)) == plies
    (tmp_path / "q.csv").write_text("thickness [in];angle;material\n0.01;0.5 rad;UD carbon\n;45;")
    with pytest.raises(DocumentError, match="row 3, column 3"):
        read_plies_file(tmp_path / "q.csv", project)
    (tmp_path / "q.csv").write_text("thickness [in];angle;material\n0.01;0.5 rad;UD carbon\n")
    (ply,) = read_plies_file(tmp_path / "q.csv", project)
    assert (ply.angle, ply.thickness) == pytest.approx((28.6479, 0.254e-3), rel=1e-5)


@pytest.mark.parametrize(
    ("rows", "place"),
    [
        ([["fast"]], "row 1, column 1"),
        ([["angle"], ["45"], ["x", "UD carbon"]], "row 3, column 1"),
        ([["0", "tin"]], "row 1, column 2"),
        ([["angle", "thickness"], ["0", "2 kg"]], "column 2"),
        ([], "no plies"),
        ([["ply", "material"], ["1", "UD carbon"]], "no column 'angle'"),
    ],
)
def test_a_bad_ply_is_named_by_row_and_column(rows: list[list[str]], place: str) -> None:
    with pytest.raises(StackError, match=place):
        read_plies(rows, dish_panel(), dish_panel().stacks[2].plies[0], "Paste")


def test_the_library_keeps_and_offers(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TARTAN_STATE", str(tmp_path))
    assert library.own_materials() == []
    carbon = next(m for m in library.GENERIC if m.name == "UD carbon")
    assert library.newer(carbon) is None
    stiffer = dataclasses.replace(carbon, E1=150e9)
    library.keep(stiffer)
    assert library.newer(carbon) == stiffer
    names = [m.name for m in library.library()]
    assert names.count("UD carbon") == 1
    assert all(findings(m) == [] for m in library.GENERIC)
