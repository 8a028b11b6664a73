"""The whole job of the guide page, step by step in the real window."""

import re
from pathlib import Path

import numpy as np
import pytest

from tartan.exchange.report import proof
from tartan.project.files import storage
from tests.desktop.test_window import Opener
from tests.desktop.whole_job import whole_job

GUIDE = Path(__file__).parents[2] / "docs" / "whole-job.md"


@pytest.mark.gl
def test_a_strut_is_brought_from_nothing_to_its_report(
    qtbot,
    open_window: Opener,
    tmp_path: Path,  # type: ignore[no-untyped-def]
    own_state: Path,
) -> None:
    # The verification table is known, so that it is not worked out here.
    proof._file().parent.mkdir(parents=True, exist_ok=True)
    proof._file().write_text('{"rows": [["P01", "ABD", "7 of 7", "Kaw"]], "words": "7 of 7"}')
    window = open_window(wait=False)
    session = window.session
    session.history.mark_saved()
    verdicts = {}
    for name in whole_job(window, tmp_path):
        verdicts[name] = session.verdict
    project, answer = session.project, session.answer
    assert answer is not None
    assert project.part is not None
    # Bracket and strut are zones of their own; bending under the end force is a cantilever's.
    assert sorted(x.count for x in answer.layout().zones.laminates) == [38, 76]
    gust = answer.inputs.case_names.index("gust")
    np.testing.assert_allclose(answer.solution.reaction[gust, 0], 150, rtol=1e-6)
    mass = answer.layout().mass()
    assert answer.solution.reaction[gust, 2] == pytest.approx(mass * 9.81 - 110, rel=1e-5)
    assert "Left out: within 20 mm of a support" in session.verdict.sentence
    # The applied change made it better than the baseline.
    before = session.before
    assert before is not None
    assert "against A" in session.verdict.sentence
    least = next(s for s in session.statuses if s.requirement.kind == "reserve factor")
    assert least.value > float(verdicts["job-4-margins"].figure.split()[-1]) - 0.01
    text = (tmp_path / "strut.html").read_text("utf-8")
    assert "First issue" in text
    assert text.count("<figure") >= 12
    assert (tmp_path / "strut.pdf").stat().st_size > 50_000
    assert storage.load(tmp_path / "strut.tartan.json") == project
    # The page tells of these steps, each by its number in the one picture of all.
    told = GUIDE.read_text("utf-8")
    assert "(screenshots/job.png)" in told
    assert (GUIDE.parent / "screenshots" / "job.png").stat().st_size > 100_000
    shown = re.findall(r"\*Picture (\d):", told)
    assert shown == [name.split("-")[1] for name in verdicts]
