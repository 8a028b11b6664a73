"""Outlines of elements, and the elements within outlines, on shapes with creases and branches."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.shell.directions import turned
from tartan.core.shell.mesh import Mesh, Opening, Panel
from tartan.core.shell.outlines import Outline, outlines
from tartan.core.shell.shapes import Cone, Dome, Shape, StiffenedPanel, Tube, mesh_of
from tartan.core.shell.within import Locator

Index = NDArray[np.int64]
NONE = np.zeros(0, np.int64)

SHAPES: dict[str, Shape] = {
    "tube": Tube(0.1, 0.4),
    "cone": Cone(0.1, 0.05, 0.3),
    "dome": Dome(0.2, 0.1),
    "blades": StiffenedPanel(0.5, 0.4, 3, 0.05),
    "hats": StiffenedPanel(0.5, 0.4, 3, 0.05, 0.03),
    "opening": Panel(0.5, 0.3, openings=(Opening("rectangle", 0.0, 0.0, 0.1, 0.1),)),
}


def within(locator: Locator, found: list[Outline], seeds: Index = NONE) -> Index:
    """Elements within outlines."""
    traced = locator.trace(found)
    return locator.within(traced, locator.locate(traced.middles).element, seeds)


def some_patch(mesh: Mesh, rng: np.random.Generator, loose: float = 0.2) -> Index:
    """Elements within a sphere about one of them, or at times every other one at random."""
    centres = mesh.centres()
    if rng.random() < loose:
        return np.flatnonzero(rng.random(mesh.count) < 0.5)
    far = np.linalg.norm(centres - centres[rng.integers(mesh.count)], axis=1)
    return np.flatnonzero(far < rng.uniform(0.1, 1.0) * np.ptp(mesh.nodes, axis=0).max())


@pytest.mark.parametrize("turn", [False, True], ids=["as made", "half of it turned over"])
@pytest.mark.parametrize("name", SHAPES)
def test_outlines_hold_the_elements_they_were_drawn_about(name: str, turn: bool) -> None:
    mesh = mesh_of(SHAPES[name], 0.02)
    if turn:
        x = mesh.centres()[:, 0]
        mesh = turned(mesh, np.flatnonzero(x > np.median(x)))
    locator, rng = Locator(mesh), np.random.default_rng(7)
    for _ in range(25):
        own = some_patch(mesh, rng)
        found = outlines(mesh, own, locator.links)
        assert found
        assert np.array_equal(within(locator, found), own)


def test_a_rectangle_is_left_of_its_outline_and_area_decides_at_the_rim() -> None:
    mesh = mesh_of(Panel(1.0, 1.0), 0.1)
    up = np.tile([0.0, 0.0, 1.0], (4, 1))
    corners = np.array([[-0.3, -0.2, 0], [0.16, -0.2, 0], [0.16, 0.3, 0], [-0.3, 0.3, 0]])
    found = within(Locator(mesh), [Outline(corners, up)])
    x, y = mesh.centres()[found, :2].T
    # The column from 0.1 to 0.2 is covered by six tenths; two centimetres less and it is out.
    assert (round(x.min(), 9), round(x.max(), 9)) == (-0.25, 0.15)
    assert len(found) == 5 * 5
    corners[1:3, 0] = 0.14
    assert len(within(Locator(mesh), [Outline(corners, up)])) == 4 * 5
    # Run round the other way it is all but the rectangle; seen from below it is that again.
    rest = within(Locator(mesh), [Outline(corners[::-1], up)])
    assert len(rest) == mesh.count - 4 * 5
    assert len(within(Locator(mesh), [Outline(corners[::-1], -up)])) == 4 * 5
    assert np.isclose(y.mean(), 0.05)


@pytest.mark.parametrize("name", ["dome", "blades", "hats"])
def test_patches_keep_their_area_on_a_mesh_of_half_the_size(name: str) -> None:
    mesh, fine = mesh_of(SHAPES[name], 0.02), mesh_of(SHAPES[name], 0.01)
    locator, other, rng = Locator(mesh), Locator(fine), np.random.default_rng(3)
    for _ in range(12):
        own = some_patch(mesh, rng, 0.0)
        if len(own) < mesh.count / 6:
            continue
        found = within(other, outlines(mesh, own, locator.links))
        assert fine.areas()[found].sum() == pytest.approx(mesh.areas()[own].sum(), rel=0.01)


def test_what_closes_in_itself_is_found_by_places_within() -> None:
    mesh = mesh_of(Tube(0.1, 0.4), 0.02)
    sides = np.flatnonzero(np.abs(mesh.centres()[:, 2] - 0.2) < 0.1)
    assert len(outlines(mesh, sides)) == 2
    locator = Locator(mesh)
    assert len(within(locator, [], NONE)) == 0
    assert len(within(locator, [], np.array([3]))) == mesh.count


def test_an_outline_of_long_stretches_misses_no_element_between() -> None:
    mesh = mesh_of(Panel(1.0, 1.0), 0.02)
    up = np.tile([0.0, 0.0, 1.0], (3, 1))
    corners = np.array([[-0.45, -0.45, 0], [0.45, -0.43, 0], [-0.1, 0.45, 0]])
    found = within(Locator(mesh), [Outline(corners, up)])
    a, b = corners[1] - corners[0], corners[2] - corners[0]
    area = float(np.cross(a, b)[2]) / 2
    assert mesh.areas()[found].sum() == pytest.approx(area, rel=0.005)


def test_places_are_located_in_elements_however_thin() -> None:
    rng = np.random.default_rng(2)
    for shape in (Dome(0.4, 0.2), Cone(0.1, 0.004, 0.3)):
        mesh = mesh_of(shape, 0.03)
        corners = mesh.nodes[mesh.corner_table]
        which = rng.integers(mesh.count, size=600)
        weight = rng.dirichlet(np.ones(4), 600)
        places = np.einsum("qk,qki->qi", weight, corners[which])
        found = Locator(mesh).locate(places)
        # On the border of two either will do; the place is then on both.
        same = found.element == which
        assert same.mean() > 0.97
        assert found.off[same].max() < 0.02 * 0.03
