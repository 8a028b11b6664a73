"""Meridians of domes from tables: put right, wound as what they were taken from, refused."""

from __future__ import annotations

import dataclasses
from pathlib import Path

import numpy as np
import pytest

from tartan.core.errors import TartanError
from tartan.core.vessel.meridian import Ellipsoid
from tartan.exchange.meridian_table import pasted_meridian, read_meridian
from tartan.project.analysis.winding import along_meridian
from tartan.project.edits import part_edits
from tartan.project.files import storage
from tests.project.test_winding import cylinder


def test_a_meridian_from_a_table_is_the_dome_it_was_taken_from(tmp_path: Path) -> None:
    project, part, shape = cylinder()
    line = Ellipsoid(shape.radius, 0.06)
    radii = shape.radius * np.sqrt(1 - np.linspace(0, 0.97, 600) ** 2)
    z, _ = line.places(radii)
    path = tmp_path / "dome.csv"
    # From the pole outwards, in inches, counted from another height: it is put right.
    rows = [f"{h / 0.0254 - 3:.12g},{r / 0.0254:.12g}" for r, h in zip(radii, z, strict=True)]
    path.write_text("\n".join(["z [in],r [in]", *reversed(rows)]) + "\n")
    points = read_meridian(path)
    np.testing.assert_allclose(points, np.stack([radii, z], axis=1), atol=1e-9)
    tabled, own = (
        dataclasses.replace(
            shape,
            lower_dome=sort,
            upper_dome=sort,
            lower_height=0.06,
            upper_height=0.06,
            lower_points=points,
            upper_points=points,
        )
        for sort in ("table", "ellipsoid")
    )
    found = []
    for each in (tabled, own):
        made = part_edits.put_part(project, dataclasses.replace(part, surface=each))
        assert made.part is not None
        assert storage.from_text(storage.to_text(made)) == made
        found.append(along_meridian(made.part, {s.name: s for s in made.stacks}, "upper"))
    (_, a), (_, b) = found[0].layers[2], found[1].layers[2]
    # Away from the peak, which the chords' places meet at slightly other radii.
    calm = found[1].radius > 0.04
    np.testing.assert_allclose(found[0].z[calm], found[1].z[calm], atol=2e-5)
    np.testing.assert_allclose(a.angle[calm], b.angle[calm], rtol=2e-3)
    np.testing.assert_allclose(a.thickness[calm], b.thickness[calm], rtol=5e-3)
    assert a.volume == pytest.approx(b.volume, rel=1e-3)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no points"),
        ("r [mm]\tz [mm]\n80\t0", "make no meridian"),
        ("r [mm]\th\n80\t0\n10\t30", "no column z"),
        ("r [mm]\tz [mm]\n80\tx\n10\t30", "row 2, column 2"),
        ("r [mm]\tz [mm]\n80\n10\t30", "row 2.*too short"),
        ("r [K]\tz [mm]\n80\t0\n10\t30", "column 1"),
    ],
)
def test_tables_that_are_no_meridian_are_refused(text: str, words: str) -> None:
    with pytest.raises(TartanError, match=words):
        pasted_meridian(text)


def test_a_meridian_that_does_not_fit_is_refused_with_what_would() -> None:
    project, part, shape = cylinder()
    for points, words in (
        ((), "No meridian has been read"),
        (((0.09, 0.0), (0.01, 0.05)), "Make the radius 90 mm"),
        (((0.08, 0.0), (0.03, 0.05)), "ends at a radius"),
        (((0.08, 0.0), (0.05, 0.05), (0.06, 0.07), (0.01, 0.08)), "turns back"),
    ):
        wrong = dataclasses.replace(shape, lower_dome="table", lower_points=points)
        with pytest.raises(TartanError, match=words):
            part_edits.put_part(project, dataclasses.replace(part, surface=wrong))
    assert pasted_meridian("80\t0\n50\t-20\n10\t-30") == (
        (pytest.approx(0.08), 0.0),
        (pytest.approx(0.05), pytest.approx(0.02)),
        (pytest.approx(0.01), pytest.approx(0.03)),
    )
