"""The report and exports: read back, escaped, self-contained, refused in words."""

import csv
import dataclasses
import html.parser
import json
import re
from functools import lru_cache
from pathlib import Path

import meshio
import numpy as np
import openpyxl
import pytest
from typer.testing import CliRunner

from tartan.cli import app
from tartan.core.errors import DocumentError
from tartan.exchange.exports import TABLES, export
from tartan.exchange.fields_file import write_fields
from tartan.exchange.maps.fields import View, section_forces
from tartan.exchange.outside_files import HEAD, read_outside
from tartan.exchange.report import proof
from tartan.exchange.report.derivation import Derivation
from tartan.exchange.report.document import Source, chapters
from tartan.exchange.report.parts import CHAPTERS, Figure, Shown
from tartan.exchange.report.request import ReportRequest, Standing
from tartan.exchange.report.write import page, report_steps, write_report
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.section_forces import match
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.document.partmodel import LeftOut
from tartan.project.document.samples import dish_panel, light_dish_panel
from tartan.project.edits import case_edits, design_edits, part_edits, stack_edits, versions
from tartan.project.files import storage
from tartan.project.wording import units
from tests.panels import dish_panel as plain_panel

EVIL = 'dish <script>alert("x")</script> & "$x$'
RUN = CliRunner()


@pytest.fixture(autouse=True)
def own_state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Kept results of a test are its own; the verification table is not worked out each time."""
    monkeypatch.setenv("TARTAN_STATE", str(tmp_path / "state"))
    monkeypatch.setattr(
        proof,
        "_work_out",
        lambda: {"rows": [["P01", "ABD", "7 of 7", "Kaw"]], "words": "7 of 7 outputs agree"},
    )


@lru_cache(maxsize=1)
def solved() -> tuple[Project, PartAnswer, PartAnswer]:
    """A coarse dish against its light baseline, with evil names and areas left out."""
    light, heavy = light_dish_panel(), dish_panel()
    assert light.part is not None
    assert heavy.part is not None
    coarse = part_edits.put_part(light, dataclasses.replace(light.part, mesh_size=0.1))
    project = versions.pin_baseline(coarse)
    project = part_edits.put_part(project, dataclasses.replace(heavy.part, mesh_size=0.1))
    project = case_edits.rename_case(project, "ice", "ice <i>")
    project = case_edits.put_left_out(
        stack_edits.rename_project(project, EVIL), [LeftOut("supports", 1)]
    )
    project = design_edits.keep_working(project, "kept <u>", "E1 = 1 < 2")
    assert project.baseline is not None
    before = solve_now(part_inputs(versions.as_project(project, project.baseline)))
    return project, solve_now(part_inputs(project)), before


class Reader(html.parser.HTMLParser):
    """Collects tags and text; complains of tags that do not close."""

    def __init__(self) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.open: list[str] = []
        self.outside: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)
        if tag not in ("meta", "br", "img"):
            self.open.append(tag)
        self.outside += [
            v
            for k, v in attrs
            if k in ("src", "href", "xlink:href")
            and v
            and not v.startswith(("#", "data:image/svg+xml;base64,"))
        ]

    def handle_startendtag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.append(tag)

    def handle_endtag(self, tag: str) -> None:
        assert self.open.pop() == tag


def test_the_page_is_whole_needs_nothing_beside_it_and_escapes_names() -> None:
    project, answer, before = solved()
    made = list(chapters(Source(project, answer, before), tuple(CHAPTERS)))
    text = page(project, answer, made, "Title <b>", before)
    reader = Reader()
    reader.feed(text)
    assert reader.open == []
    assert reader.outside == []
    assert "script" not in reader.tags
    assert "&lt;script&gt;" in text
    assert "ice &lt;i&gt;" in text
    assert "Title &lt;b&gt;" in text
    assert "E1 = 1 &lt; 2" in text
    # Neither a search for an order nor a sizing was kept, and no chapter says so.
    assert reader.tags.count("h2") == len(CHAPTERS) - 2
    assert reader.tags.count("figure") >= 12
    assert "Left out" in text
    assert "7 of 7 outputs agree" in text
    assert re.search(r"input digest [0-9a-f]{16}", text)
    # What is named governs, with the figure that the answer has.
    least = next(s for s in Source(project, answer).statuses)
    assert f"{least.figure}." in text


def test_tables_of_the_report_say_what_the_answer_says() -> None:
    project, answer, before = solved()
    made = {c.title: c for c in chapters(Source(project, answer, before), tuple(CHAPTERS))}
    spots = next(
        b for b in made["Margins"].blocks if isinstance(b, Shown) and b.title == "hot spots"
    )
    assert spots.head[0] == "reserve factor"
    out = answer.margins.reserve[[int(r[-1]) - 1 for r in spots.rows]]
    shown = [float(r[0].replace("∞", "inf")) for r in spots.rows]
    np.testing.assert_allclose(shown, out, rtol=1e-3)
    resultants = next(
        b for b in made["Cases"].blocks if isinstance(b, Shown) and b.title == "resultants"
    )
    for k, row in enumerate(resultants.rows):
        applied = [float(v.replace("−", "-")) for v in row[1:4]]
        np.testing.assert_allclose(applied, answer.solution.applied[k, :3], rtol=1e-3, atol=1e-3)
    workings = [b for b in made["Workings"].blocks if isinstance(b, Derivation)]
    # The last step of a working is the reserve factor of the spot, and each step stands once.
    spot = {units.number(float(v), 6) for v in answer.margins.reserve}
    for working in workings:
        assert working.steps[-1].amount in spot
        assert len({(s.title, s.amount) for s in working.steps}) == len(working.steps)
        assert all(n < s.number for s in working.steps for n in s.needs)
    assert len(workings) >= 1
    differ = next(b for b in made["Against the baseline"].blocks if isinstance(b, Shown))
    assert any("light face" in r[2] for r in differ.rows)
    figures = [b for c in made.values() for b in c.blocks if isinstance(b, Figure)]
    assert all(f.svg.startswith("<svg") and f.svg.rstrip().endswith("</svg>") for f in figures)
    assert len(figures) >= 12


def test_html_and_pdf_are_written_step_by_step(tmp_path: Path) -> None:
    project, *_ = solved()
    paths = (tmp_path / "r.html", tmp_path / "r.pdf")
    steps = list(report_steps(ReportRequest(project, paths, ("summary", "materials", "part"))))
    shares = [s.share for s in steps]
    assert shares == sorted(shares)
    assert shares[-1] < 1
    assert paths[0].read_text("utf-8").count("<h2") == 3
    assert paths[1].read_bytes().startswith(b"%PDF-")
    assert paths[1].stat().st_size > 20_000
    for request, words in (
        (ReportRequest(project, (tmp_path / "r.docx",)), "no kind of report"),
        (ReportRequest(project, paths, ("nonsense",)), "no chapter 'nonsense'"),
        (ReportRequest(project, paths, ()), "No chapter"),
        (ReportRequest(project, (tmp_path / "no" / "r.pdf",), ("stacks",)), "cannot be written"),
    ):
        with pytest.raises(DocumentError, match=words):
            write_report(request)


def test_a_report_takes_the_answers_that_stand_and_no_others(tmp_path: Path) -> None:
    project, answer, before = solved()

    def steps(*standing: PartAnswer) -> list[str]:
        given = tuple(Standing.of(each) for each in standing)
        path = tmp_path / "report.html"
        request = ReportRequest(project, (path,), ("summary", "versions"), standing=given)
        return [step.words for step in report_steps(request)]

    solving = "assessing"
    assert not any(solving in words for words in steps(before, answer))
    # One is missing: it is solved, and only that.
    one, both = (sum(solving in words for words in steps(*given)) for given in ((answer,), ()))
    assert 0 < one < both
    # What answers another part is not taken for this one, whoever sends it.
    assert project.part is not None
    finer = part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.11))
    stale = dataclasses.replace(answer, inputs=part_inputs(finer))
    assert sum(solving in words for words in steps(stale)) == both


def test_fields_are_read_back_by_a_general_reader(tmp_path: Path) -> None:
    project, answer, _ = solved()
    path = tmp_path / "f.vtu"
    write_fields(project, answer, path)
    mesh = meshio.read(path)
    layout = answer.layout()
    np.testing.assert_allclose(mesh.points, layout.mesh.nodes)
    assert {b.type for b in mesh.cells} <= {"quad", "triangle"}
    whole = {k: np.concatenate(v) for k, v in mesh.cell_data.items()}
    finite = np.isfinite(answer.margins.reserve)
    np.testing.assert_allclose(whole["reserve factor"][finite], answer.margins.reserve[finite])
    np.testing.assert_array_equal(whole["governing ply"], answer.margins.ply + 1)
    assert 0 < whole["left out"].mean() < 1
    k = answer.inputs.case_names.index("survival wind")
    np.testing.assert_allclose(whole["survival wind: Mx [N]"], section_forces(answer, k)[:, 3])
    moved = mesh.point_data["survival wind: displacement [m]"]
    np.testing.assert_allclose(moved, answer.solution.displacement[k, :, :3])
    # What is written is read as forces of another analysis, back on the same elements.
    read = {x.name: x for x in read_outside(path)}
    assert set(read) == set(answer.inputs.case_names)
    found = match(layout.mesh, read["survival wind"])
    assert found.found.all()
    assert found.farthest < 1e-9
    np.testing.assert_allclose(found.forces, section_forces(answer, k), rtol=1e-12, atol=1e-9)


def carried(
    rows: dict[tuple[int, int], list[float]],
    thickness: list[float],
    angles: list[float],
    element: int,
) -> list[float]:
    """Forces per length of an element that its plies' mid-level stresses carry [N/m]."""
    total = np.zeros(3)
    for ply, (t, angle) in enumerate(zip(thickness, angles, strict=True)):
        if (element, ply) not in rows:
            continue
        s1, s2, t12 = rows[element, ply]
        c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
        total += t * np.array(
            [
                c * c * s1 + s * s * s2 - 2 * c * s * t12,
                s * s * s1 + c * c * s2 + 2 * c * s * t12,
                c * s * (s1 - s2) + (c * c - s * s) * t12,
            ]
        )
    return total.tolist()


def test_ply_stresses_that_are_written_carry_the_section_forces(tmp_path: Path) -> None:
    """Stress varies linearly in a ply, so its middle times its thickness is what it carries."""
    project, answer, _ = solved()
    case = "survival wind, iced and cold"
    number = answer.inputs.case_names.index(case)
    plies = [x.ply for x in answer.layout().laid]
    thickness, angles = [p.thickness for p in plies], [p.angle for p in plies]
    forces = section_forces(answer, number)[:, :3]
    export("ply-stresses", project, answer, tmp_path / "p.csv", View(case=case))
    head, *lines = csv.reader((tmp_path / "p.csv").read_text("utf-8").splitlines())
    at = [head.index(f"{t} [MPa]") for t in ("σ₁", "σ₂", "τ₁₂")]
    rows = {}
    for line in lines:
        if line[head.index("level")] == "middle":
            ply = int(line[head.index("ply")].split()[1]) - 1
            rows[int(line[0]) - 1, ply] = [1e6 * float(line[j]) for j in at]
    size = np.abs(forces).max()
    for element in range(0, answer.layout().mesh.count, 17):
        found = carried(rows, thickness, angles, element)
        assert found == pytest.approx(forces[element], abs=1e-6 * size)
    export("ply-fields", project, answer, tmp_path / "p.vtu")
    whole = {k: np.concatenate(v) for k, v in meshio.read(tmp_path / "p.vtu").cell_data.items()}
    fields = {
        (e, p): list(whole[f"{case}: ply {p + 1} middle stress [Pa]"][e, :3])
        for p in range(len(plies))
        for e in range(0, answer.layout().mesh.count, 17)
    }
    for element in range(0, answer.layout().mesh.count, 17):
        found = carried(fields, thickness, angles, element)
        assert found == pytest.approx(forces[element], abs=1e-6 * size)


def test_section_forces_are_read_with_their_units(tmp_path: Path) -> None:
    path = tmp_path / "forces.csv"
    path.write_text("case,element,Nx [N/mm],Mx [N],Qx [kN/m]\ngust,1,2,3,0.5\nsnow,2,4,5,0\n")
    gust, snow = read_outside(path)
    assert (gust.name, snow.name, gust.by) == ("gust", "snow", "element")
    mesh = solved()[1].layout().mesh
    assert match(mesh, gust).forces[0] == pytest.approx([2e3, 0, 0, 3, 0, 0, 500, 0])
    assert match(mesh, snow).found.nonzero()[0].tolist() == [1]
    placed = tmp_path / "placed.csv"
    x, y, z = mesh.centres()[7]
    placed.write_text(f"x [mm];y [mm];z [mm];Nxy [N/m]\n{x * 1e3};{y * 1e3};{z * 1e3};-7\n")
    (one,) = read_outside(placed)
    assert (one.name, one.by) == ("placed", "position")
    assert match(mesh, one).forces[7, 2] == -7
    for text, words in (
        ("element,Nx\n1,2\n", "Column Nx has no unit"),
        ("place,Nx [N/m]\n1,2\n", "neither a column element nor"),
        ("element,force\n1,2\n", "no column of a section force"),
        ("element,Nx [MPa]\n1,2\n", "row 2, column Nx"),
        ("element,Nx [N/m]\n", "no rows"),
        ("element,Nx [N/m]\none,2\n", "row 2, column element"),
    ):
        path.write_text(text)
        with pytest.raises(DocumentError) as caught:
            read_outside(path)
        assert words in str(caught.value)
    path.write_text(HEAD + "\n" + "1" + ",0" * 8)
    assert len(read_outside(path)) == 1
    bad = tmp_path / "x.vtu"
    bad.write_text("nonsense")
    with pytest.raises(DocumentError, match="cannot be read as VTU"):
        read_outside(bad)


def test_every_export_has_its_form(tmp_path: Path) -> None:
    project, answer, _ = solved()
    for name in TABLES:
        path = tmp_path / f"{name}.xlsx"
        export(name, project, answer, path)
        sheet = openpyxl.load_workbook(path).active
        table = TABLES[name](project, answer)
        assert [c.value for c in sheet[1]] == list(table.head)
        assert sheet.max_row == len(table.rows) + 1
    rows = list(openpyxl.load_workbook(tmp_path / "margins.xlsx").active.iter_rows(min_row=2))
    for e in (0, 17, 40):
        assert rows[e][1].value == pytest.approx(answer.margins.reserve[e])
    export("map", project, answer, tmp_path / "m.svg", View("mode"))
    assert (tmp_path / "m.svg").read_text().startswith("<svg")
    export("map", project, answer, tmp_path / "m.png")
    assert (tmp_path / "m.png").read_bytes().startswith(b"\x89PNG")
    for what, path, words in (
        ("nothing", "x.csv", "no export"),
        ("map", "x.gif", "picture"),
        ("fields", "x.vtk", "file of fields"),
        ("zones", "x.txt", "kind of table"),
    ):
        with pytest.raises(DocumentError, match=words):
            export(what, project, answer, tmp_path / path)
    with pytest.raises(DocumentError, match="no field"):
        export("map", project, answer, tmp_path / "m.svg", View("beauty"))


def test_the_command_line_checks_reports_and_exports(tmp_path: Path) -> None:
    file = tmp_path / "p.tartan.json"
    project = plain_panel()
    assert project.part is not None
    project = part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=0.15))
    storage.save(versions.pin_baseline(project), file)
    found = RUN.invoke(app, ["check", str(file), "--json"])
    assert found.exit_code == 0, found.output
    data = json.loads(found.stdout)
    assert data["met"] is True
    assert {r["kind"] for r in data["requirements"]} == {"reserve factor", "displacement"}
    first = next(r for r in data["requirements"] if r["kind"] == "reserve factor")
    answer = solve_now(part_inputs(project))
    assert first["value"] == pytest.approx(answer.margins.reserve.min(), rel=1e-9)
    assert first["margin"] == pytest.approx(first["value"] / 1.25 - 1)
    e = first["element"] - 1
    assert first["ply"] == answer.margins.ply[e] + 1
    assert first["mode"] == answer.margins.mode_label(e)
    assert first["position [m]"] == pytest.approx(answer.layout().mesh.centres()[e].tolist())
    strict = case_edits.put_requirements(
        project, [dataclasses.replace(project.requirements[0], value=50.0)]
    )
    storage.save(strict, file)
    failing = RUN.invoke(app, ["check", str(file), "--json"])
    assert failing.exit_code == 1
    assert json.loads(failing.stdout)["met"] is False
    out = tmp_path / "r.html"
    made = RUN.invoke(app, ["report", str(file), str(out), "--chapters", "summary, stacks"])
    assert made.exit_code == 0, made.output
    assert out.read_text("utf-8").count("<h2") == 2
    assert (
        RUN.invoke(app, ["export", str(file), "hot-spots", str(tmp_path / "h.csv")]).exit_code == 0
    )
    assert (tmp_path / "h.csv").read_text().startswith("element,reserve factor")
    for words in (
        ["report", str(file), "x.odt"],
        ["export", str(file), "soul", "x.csv"],
        ["report", str(file), str(out), "--version", "Z"],
    ):
        refused = RUN.invoke(app, words)
        assert refused.exit_code == 2
        assert refused.stderr.startswith("tartan: ")
