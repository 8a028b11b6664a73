import dataclasses
from pathlib import Path

import pytest

from tartan.core.errors import DocumentError
from tartan.exchange.materials_table import read_materials, write_materials
from tartan.project.samples import dish_panel
from tests.conftest import CARBON


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
