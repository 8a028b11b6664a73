"""Files that broke the program once: each is refused in words, or answered, in good time."""

import csv
import io
import os
import threading
import time
import zipfile
from pathlib import Path

import numpy as np
import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from typer.testing import CliRunner

from tartan.cli import app
from tartan.core.errors import DocumentError, TartanError
from tartan.core.shell.mesh import Panel, grid_mesh
from tartan.core.shell.regions import grown
from tartan.exchange import apart
from tartan.exchange.apart import call_apart
from tartan.exchange.materials_table import read_materials, write_materials
from tartan.exchange.meshfiles import read_mesh
from tartan.exchange.outside_files import read_outside
from tartan.exchange.plies_table import read_plies_file
from tartan.exchange.pressure_table import read_pressure
from tartan.exchange.surfaces import ReadRequest, read_surface
from tartan.exchange.tables import Table, guarded, read_rows, unguarded, write_table
from tartan.project.document import packed_arrays
from tartan.project.document.samples import dish_panel
from tests.conftest import CARBON

FAULTS = Path(__file__).parents[1] / "faults"


def faults(*patterns: str) -> list[Path]:
    found = sorted(f for p in patterns for f in FAULTS.glob(p))
    assert found
    return found


def name(path: Path) -> str:
    return path.name


@pytest.mark.parametrize("path", faults("mesh-*"), ids=name)
def test_damaged_meshes_are_refused_with_the_place(path: Path) -> None:
    with pytest.raises(DocumentError) as caught:
        read_mesh(path)
    assert path.name in str(caught.value)
    assert caught.value.mend


@pytest.mark.parametrize(
    "path",
    faults("xlsx-m*", "xlsx-bomb*", "xlsx-far*", "xlsx-l*", "xlsx-xxe*", "xlsx-p*"),
    ids=name,
)
def test_damaged_tables_are_refused(path: Path) -> None:
    start = time.monotonic()
    for read in (read_materials, read_pressure, lambda p: read_plies_file(p, dish_panel())):
        with pytest.raises(TartanError) as caught:
            read(path)  # type: ignore[operator]
        assert path.name in str(caught.value)
    assert time.monotonic() - start < 30


def test_forces_of_others_with_elements_beyond_the_nodes() -> None:
    for path in faults("outside-*"):
        with pytest.raises(DocumentError, match="Element 1"):
            read_outside(path)


def test_a_step_file_that_fells_its_reader_is_refused() -> None:
    with pytest.raises(DocumentError, match="cannot be read"):
        read_surface(ReadRequest(FAULTS / "step-crash-11.step"))


@pytest.mark.parametrize("path", faults("*.tartan.json"), ids=name)
def test_extreme_projects_are_refused_or_answered(path: Path) -> None:
    done = CliRunner().invoke(app, ["check", str(path)])
    assert done.exception is None or isinstance(done.exception, SystemExit)
    assert done.exit_code in (0, 1, 2)
    assert "Traceback" not in done.output


@pytest.mark.parametrize("path", faults("verify-traceback*", "verify-bytes*"), ids=name)
def test_broken_cases_are_told_and_the_others_go_on(path: Path) -> None:
    done = CliRunner().invoke(app, ["verify", str(path)])
    assert done.exception is None or isinstance(done.exception, SystemExit)
    assert "not answered yet" in done.output or done.exit_code == 2


# Readers apart


def _sleep(seconds: float) -> None:
    time.sleep(seconds)


def _fall() -> None:
    os.abort()


def _refuse() -> None:
    raise DocumentError("It is bad.", "here", "Mend it.")


def _eat() -> int:
    return len(bytearray(apart.MOST_MEMORY + (1 << 30)))


def test_calls_apart_come_back_whatever_happens() -> None:
    assert call_apart(divmod, 7, 3, where="x") == (2, 1)
    with pytest.raises(DocumentError, match="It is bad"):
        call_apart(_refuse, where="x")
    with pytest.raises(DocumentError, match="broke off"):
        call_apart(_fall, where="a.step")
    with pytest.raises(DocumentError, match="memory"):
        call_apart(_eat, where="x")
    start = time.monotonic()
    with pytest.raises(DocumentError, match="not read within 1 s"):
        call_apart(_sleep, 60.0, where="x", seconds=1.0)
    assert time.monotonic() - start < 20
    timer = threading.Timer(1.0, apart.stop_all)
    timer.start()
    with pytest.raises(DocumentError, match="stopped"):
        call_apart(_sleep, 60.0, where="x")
    assert time.monotonic() - start < 40
    assert not apart._running


# Tables


@given(st.lists(st.text(alphabet="=+-@'a1 ,;\n\"", max_size=6), min_size=1, max_size=5))
@settings(max_examples=200)
def test_no_cell_runs_in_a_spreadsheet_and_all_read_back(cells: list[str]) -> None:
    for cell in cells:
        kept = guarded(cell)
        assert not kept.startswith(("=", "+", "-", "@"))
        assert unguarded(kept) == cell
    out = io.StringIO()
    csv.writer(out).writerow([guarded(c) for c in cells])
    back = next(csv.reader(io.StringIO(out.getvalue(), newline="")))
    assert [unguarded(c) for c in back] == cells
    # Numbers stay numbers, whatever their sign.
    assert guarded(-1.5) == "-1.5"


def test_names_that_would_run_come_back_from_both_forms(tmp_path: Path) -> None:
    import dataclasses

    odd = [dataclasses.replace(CARBON, name=n) for n in ("=1+1", "@x", "'=y", "-a", "'plain")]
    for ending in ("csv", "xlsx"):
        path = tmp_path / f"m.{ending}"
        write_materials(odd, path)
        assert [m.name for m in read_materials(path)] == [m.name for m in odd]


def test_titles_above_a_table_are_said(tmp_path: Path) -> None:
    path = tmp_path / "t.xlsx"
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet["A1"] = "Materials of spring"
    sheet.merge_cells("A1:C1")
    for j, head in enumerate(("name", "E1 [GPa]", "E2 [GPa]"), start=1):
        sheet.cell(2, j, head)
    book.save(path)
    with pytest.raises(DocumentError, match="Remove row 1"):
        read_rows(path)


def test_a_table_that_unpacks_without_end_is_refused_at_once(tmp_path: Path) -> None:
    good = tmp_path / "g.xlsx"
    write_table(Table("t", ("a", "b"), ((1.0, "x"),) * 3), good)
    bomb = tmp_path / "b.xlsx"
    with zipfile.ZipFile(good) as old, zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as new:
        for item in old.infolist():
            new.writestr(item, old.read(item))
        new.writestr("xl/media/zeros.bin", bytes(200_000_000))
    start = time.monotonic()
    with pytest.raises(DocumentError, match="unpacks"):
        read_rows(bomb)
    assert time.monotonic() - start < 2
    assert len(read_rows(good)) == 4


# Bounds


def test_what_is_packed_unpacks_within_bounds(monkeypatch: pytest.MonkeyPatch) -> None:
    mesh = grid_mesh(Panel(1.0, 1.0), 8, 8)
    text, rows = "a" * 5000, np.zeros((300, 11))
    short = (
        packed_arrays.pack_text(text),
        packed_arrays.pack_rows(rows),
        packed_arrays.pack_mesh(mesh),
    )
    assert packed_arrays.unpack_text(short[0]) == text
    monkeypatch.setattr(packed_arrays, "MOST_BYTES", 1000)
    with pytest.raises(DocumentError):
        packed_arrays.unpack_text(short[0])
    with pytest.raises(DocumentError):
        packed_arrays.unpack_rows(short[1], 11)
    packed_arrays.unpack_mesh.cache_clear()
    with pytest.raises(DocumentError):
        packed_arrays.unpack_mesh(short[2])
    # Cut short it is damaged, not half a text.
    with pytest.raises(DocumentError):
        packed_arrays.unpack_text(packed_arrays.pack_text("b" * 900)[:-8])


def test_growing_stops_where_nothing_is_added() -> None:
    mesh = grid_mesh(Panel(1.0, 1.0), 6, 6)
    start = time.monotonic()
    assert len(grown(mesh, np.array([0]), 2_000_000_000)) == mesh.count
    assert len(grown(mesh, np.array([0]), -2_000_000_000)) == 0
    assert time.monotonic() - start < 1
    assert len(grown(mesh, np.array([0]), 2)) == 9


def test_a_process_that_is_slow_to_start_still_hears_all_it_is_asked(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    # More than a pipe holds, asked of a process that is not there yet.
    monkeypatch.setattr(apart, "_START", f"import time; time.sleep(0.4); {apart._START}")
    assert call_apart(len, b"x" * 3_000_000, where="x", seconds=20.0) == 3_000_000
