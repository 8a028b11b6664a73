"""What is wrong with a mesh is named, counted, placed and mended."""

import dataclasses

import numpy as np
import pytest

from tartan.core.errors import PartError
from tartan.core.shell.defects import find_defects, mended
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.solve import ShellModel, solve
from tests.conftest import laminate

RIGHT = np.array([1.0, 0.0, 0.0])
GRID = grid_mesh(Panel(1.0, 0.6), 5, 3)


def with_quads(change: dict[int, list[int]], extra: list[int] | None = None) -> Mesh:
    quads = GRID.quads.copy()
    for number, order in change.items():
        quads[number] = quads[number][order]
    if extra is not None:
        quads = np.concatenate([quads, GRID.quads[extra]])
    return Mesh(
        GRID.nodes, quads, GRID.edges, regions={"a": np.array([0, 4]), "b": np.arange(5, 9)}
    )


def torn() -> Mesh:
    """Two halves that meet node on node without sharing one."""
    left, right = GRID, dataclasses.replace(GRID, nodes=GRID.nodes + RIGHT)
    return Mesh(
        np.concatenate([left.nodes, right.nodes]),
        np.concatenate([left.quads, right.quads + len(left.nodes)]),
    )


def hanging() -> Mesh:
    """Two halves of which one has twice the elements along the seam."""
    right = grid_mesh(Panel(1.0, 0.6), 5, 6)
    nodes = np.concatenate([GRID.nodes, right.nodes + RIGHT])
    return mended(
        Mesh(nodes, np.concatenate([GRID.quads, right.quads + len(GRID.nodes)])), "doubled nodes"
    )


CASES = {
    "doubled elements": (with_quads({}, [2, 2, 7]), 3, True),
    "crossed corners": (with_quads({3: [0, 1, 3, 2], 8: [0, 2, 1, 3]}), 2, True),
    "doubled nodes": (torn(), None, False),
    "open seam": (hanging(), None, False),
    "turned sides": (with_quads({7: [3, 2, 1, 0]}), None, False),
}


@pytest.mark.parametrize("kind", CASES)
def test_a_defect_is_found_and_its_mend_takes_it_away(kind: str) -> None:
    mesh, count, serious = CASES[kind]
    found = {d.kind: d for d in find_defects(mesh)}
    assert kind in found
    defect = found[kind]  # type: ignore[index]
    assert defect.serious == serious
    if count is not None:
        assert str(count) in defect.words
        assert len(defect.elements) == count
    if defect.mend:
        after = mended(mesh, defect.kind)
        assert kind not in {d.kind for d in find_defects(after)}
        assert after.areas().sum() == pytest.approx(0.6 * (2 if kind == "doubled nodes" else 1))
        for name, elements in mesh.regions.items():
            assert set(np.round(after.centres()[after.regions[name]], 9).ravel()) <= set(
                np.round(GRID.centres()[elements], 9).ravel()
            )


def test_folded_and_flat_elements() -> None:
    nodes = np.array(
        [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0.75, 0.2, 0], [0, 1, 0], [2, 0, 0]], float
    )
    folded = Mesh(nodes, np.array([[0, 1, 2, 3]]), triangles=np.array([[0, 3, 4], [0, 1, 5]]))
    found = {d.kind: d for d in find_defects(folded)}
    assert found["folded corners"].elements.tolist() == [0]
    assert found["no area"].elements.tolist() == [2]
    after = mended(mended(folded, "no area"), "folded corners")
    assert len(after.quads) == 0
    assert {d.kind for d in find_defects(after)} <= {"open seam"}
    # Shoelace area of the folded outline, and the other triangle.
    assert after.areas().sum() == pytest.approx(0.225 + 0.375)


def test_a_sound_mesh_has_none_and_a_serious_one_is_not_solved() -> None:
    assert find_defects(GRID) == ()
    assert find_defects(GRID.split()) == ()
    lam = laminate(("carbon", 0, 1e-3))
    for kind in ("doubled elements", "crossed corners"):
        mesh = CASES[kind][0]
        fixed = np.zeros((len(mesh.nodes), 6), bool)
        fixed[mesh.edges["left edge"]] = True
        model = ShellModel(mesh, lam, np.array([1.0, 0, 0]), fixed)
        with pytest.raises(PartError, match=r"element \d+"):
            solve(model, np.zeros((1, len(mesh.nodes), 6)))
