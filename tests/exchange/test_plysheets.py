"""Workshop sheets: which plies share one, what stands on it, and that a report holds them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from tartan.exchange.report import plysheets
from tartan.exchange.report.parts import Figure, Shown
from tartan.exchange.report.plysheets import groups_of, plies_chapter
from tartan.exchange.report.request import ReportRequest
from tartan.exchange.report.write import report_steps
from tartan.project.document.model import Project
from tartan.project.document.samples import SAMPLES, radome_cap_project
from tartan.project.edits import part_edits


def figures(project: Project) -> list[Figure]:
    return [b for b in plies_chapter(project).blocks if isinstance(b, Figure)]


def test_plies_alike_share_a_sheet_with_their_numbers_and_names() -> None:
    project = radome_cap_project()
    part = project.part
    assert part is not None
    named = (replace(part.lay_up[0], name="inner"), *part.lay_up[1:3])
    named = (*named, replace(part.lay_up[3], name="outer"))
    project = part_edits.put_lay_up(project, named)
    assert [g.numbers for g in groups_of(project)] == [(1, 4), (2, 3)]
    one, other = figures(project)
    assert one.caption.startswith("Ply 1, 4 inner, outer: radome fabric, 0° at the start")
    assert "draped (woven) from 0, 0, 350 mm" in one.caption
    assert "cut 2 ×: 1.701 m²" in one.caption
    assert other.caption.startswith("Ply 2, 3: radome fabric, 45° at the start")
    # Its pattern is drawn: words along the warp, and a scale in millimetres.
    assert "warp" in one.svg
    assert ">mm<" in one.svg
    assert "warp" not in figures(SAMPLES["dish panel"]())[0].svg


@pytest.mark.parametrize("name", ["dish panel", "breathing-air cylinder"])
def test_samples_have_their_sheets_and_book(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(plysheets, "MOST", 3)
    project = SAMPLES[name]()
    chapter = plies_chapter(project)
    assert isinstance(chapter.blocks[0], Shown)
    assert chapter.blocks[0].title == "book of plies"
    assert len(groups_of(project)) > 3
    # A long lay-up shows its first sheets, and says so.
    assert len([b for b in chapter.blocks if isinstance(b, Figure)]) == 3
    assert any(getattr(b, "words", "").startswith("The first 3") for b in chapter.blocks)


def test_an_empty_project_has_no_sheets() -> None:
    assert plies_chapter(Project("empty")).blocks == []


def test_a_report_holds_the_sheets(tmp_path: Path) -> None:
    path = tmp_path / "plies.html"
    project = part_edits.change_part(radome_cap_project(), mesh_size=0.08)
    for _ in report_steps(ReportRequest(project, (path,), wanted=("plies",))):
        pass
    page = path.read_text(encoding="utf-8")
    assert "Plies for the workshop" in page
    assert "45° at the start" in page
