"""Several places in one chart: each curve carries the section forces of its place."""

import dataclasses

import numpy as np
import pytest

from tartan.pages import kept_spots
from tartan.pages.kept_spots import KeptSpot
from tartan.pages.margins import Picked
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.analysis.shellinputs import part_inputs
from tartan.project.document.model import Project
from tartan.project.edits import part_edits
from tartan.project.findings.spot_laminate import spot_loads
from tartan.project.wording import units
from tests.panels import dish_panel


def coarse(size: float) -> Project:
    project = dish_panel()
    assert project.part is not None
    return part_edits.put_part(project, dataclasses.replace(project.part, mesh_size=size))


@pytest.fixture(scope="module")
def solved() -> tuple[Project, PartAnswer]:
    project = coarse(0.15)
    return project, solve_now(part_inputs(project))


def test_stresses_over_the_height_carry_the_section_force(
    solved: tuple[Project, PartAnswer],
) -> None:
    project, answer = solved
    at = [Picked(e, c, 0) for e, c in ((0, 0), (7, 1), (20, 0))]
    spots = [kept_spots.keep(answer, x) for x in at]
    found = kept_spots.compare(project, answer, spots, "stress_xy.0")
    assert found.missing == ()
    assert len(found.curves) == 3
    for place, curve in zip(at, found.curves, strict=True):
        stress = curve.values.reshape(-1, 3) * units.STRESS.scale
        height = curve.heights.reshape(-1, 3) * units.LENGTH.scale
        # Straight within every ply: its mean level times its thickness is its force.
        force = float((stress[:, 1] * (height[:, 2] - height[:, 0])).sum())
        wanted = spot_loads(answer, place.element, place.case)
        size = float(np.abs(stress).max() * np.ptp(height))
        assert force == pytest.approx(wanted.values[0], abs=1e-9 * size)
        assert np.ptp(height) == pytest.approx(
            answer.layout().laminate(place.element).thickness, rel=1e-12
        )


def test_a_place_outlives_its_mesh_and_is_missed_in_words(
    solved: tuple[Project, PartAnswer],
) -> None:
    _, answer = solved
    spot = kept_spots.keep(answer, Picked(20, 0, 0))
    finer = coarse(0.11)
    other = solve_now(part_inputs(finer))
    found = kept_spots.compare(finer, other, [spot, KeptSpot(spot.centre, "gone")], "reserve")
    (curve,) = found.curves
    (missing,) = found.missing
    assert "no case 'gone'" in missing
    assert len(curve.values) == len(np.unique(curve.places))
    element = int(
        np.linalg.norm(other.layout().mesh.centres() - np.array(spot.centre), axis=1).argmin()
    )
    # Reserve factors of the plies at that element; the least over all cases is the margin's.
    assert curve.values.min() >= other.margins.reserve[element] * (1 - 1e-9)


def test_the_table_has_every_value_with_its_ply(solved: tuple[Project, PartAnswer]) -> None:
    project, answer = solved
    spots = [kept_spots.keep(answer, Picked(e, 0, 0)) for e in (0, 7)]
    found = kept_spots.compare(project, answer, spots, "shear.0")
    table = kept_spots.as_table(found)
    assert len(table.rows) == sum(len(c.values) for c in found.curves)
    assert table.head[-1] == f"{found.title} [{units.STRESS.unit}]"
    # Shear between plies vanishes on both faces.
    for curve in found.curves:
        assert abs(curve.values[0]) + abs(curve.values[-1]) <= 1e-9 * np.abs(curve.values).max()
