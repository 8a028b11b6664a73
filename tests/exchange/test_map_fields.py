"""Fields of all zones at once are what each element's own laminate says, whatever lies where."""

from __future__ import annotations

import dataclasses
from functools import lru_cache

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.laminate.response import free_resultants, free_stress, stress_from_section
from tartan.core.stack import Ply
from tartan.exchange.maps.fields import View, mean_strains, section_forces, values
from tartan.project.analysis.inputs import part_inputs
from tartan.project.analysis.jobs import PartAnswer, solve_now
from tartan.project.document.partmodel import Case, Pressure, Region, Rung, Temperature
from tartan.project.document.samples import radome_cap_project
from tartan.project.edits import part_edits
from tartan.project.findings import chosen_margins
from tests.project.test_part import UD, plate

Array = NDArray[np.float64]

HEAT = Temperature(-60.0, 3e4, "laying", held=False)


@lru_cache(maxsize=2)
def solved(sort: str) -> PartAnswer:
    """A plate half of which is laid from the other side, or the draped cap; both warmed."""
    if sort == "turned":
        project = plate(
            regions=(Region("far half", elements=tuple(range(70))),),
            flipped=("far half",),
            lay_up=(
                Rung(ply=Ply(UD, 25.0, 1e-3)),
                Rung("pad", ply=Ply(UD, 90.0, 0.5e-3)),
                Rung("far half", ply=Ply(UD, -40.0, 0.3e-3)),
            ),
        )
    else:
        project = radome_cap_project()
        assert project.part is not None
        project = part_edits.put_part(
            project, dataclasses.replace(project.part, mesh_size=3 * project.part.mesh_size)
        )
    return solve_now(
        part_inputs(dataclasses.replace(project, cases=(Case("warm", (Pressure(900.0), HEAT)),)))
    )


SORTS = pytest.mark.parametrize("sort", ["turned", "draped"])


@SORTS
def test_plies_bear_what_their_own_laminate_says(sort: str) -> None:
    answer = solved(sort)
    layout, strains = answer.layout(), mean_strains(answer, 0)
    rng = np.random.default_rng(4)
    for ply in range(len(layout.laid)):
        for level in range(3):
            keys = ("s1", "s2", "t12", "e1", "e2", "g12")
            found = {k: values(answer, View(k, case="warm", ply=ply, level=level)) for k in keys}
            bare = np.array([ply not in layout.plies(e) for e in range(layout.mesh.count)])
            assert (np.isnan(found["s1"]) == bare).all()
            for e in rng.choice(np.flatnonzero(~bare), 12).tolist():
                laminate, place = layout.laminate(e), layout.plies(e).index(ply)
                heat = answer.heat(0, e)
                assert heat is not None
                stress = stress_from_section(laminate, strains[e]) - free_stress(laminate, heat)
                size = np.abs(stress).max()
                own = [found[k][e] for k in keys[:3]]
                np.testing.assert_allclose(own, stress[place, level], atol=1e-9 * size)
                z = laminate.z[place] + np.diff(laminate.z)[place] * level / 2
                strain = laminate.T[place] @ (strains[e, :3] + z * strains[e, 3:6])
                own = [found[k][e] for k in keys[3:]]
                np.testing.assert_allclose(own, strain, atol=1e-9 * np.abs(strain).max())


@SORTS
def test_sections_bear_what_their_own_laminate_says(sort: str) -> None:
    answer = solved(sort)
    layout, strains = answer.layout(), mean_strains(answer, 0)
    found = section_forces(answer, 0)
    # Both sides are there, and see another temperature at their lower face.
    assert len(set(layout.signs)) == (2 if sort == "turned" else 1)
    for e in range(0, layout.mesh.count, 7):
        laminate, heat = layout.laminate(e), answer.heat(0, e)
        assert heat is not None
        wanted = np.concatenate(
            [
                laminate.ABD @ strains[e, :6] - free_resultants(laminate, heat),
                laminate.shear @ strains[e, 6:],
            ]
        )
        np.testing.assert_allclose(found[e], wanted, atol=1e-9 * np.abs(found).max())


def test_no_more_is_remembered_than_there_is_room_for() -> None:
    answer = solved("turned")
    for ply in range(3):
        for level in range(3):
            values(answer, View("s1", case="warm", ply=ply, level=level))
    kept = chosen_margins._remembered[answer]
    assert sum(key[0] == "ply by _in_plane" for key in kept) == 4
    again = values(answer, View("s1", case="warm", ply=0, level=0))
    np.testing.assert_array_equal(again, values(answer, View("s1", case="warm", ply=0, level=0)))
