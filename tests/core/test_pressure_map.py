"""Pressure tables on surfaces of any shape."""

import numpy as np
import pytest
from numpy.typing import NDArray

from tartan.core.shell import loads
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh
from tartan.core.shell.pressure_map import map_pressure
from tartan.core.shell.surfaces import revolved

Array = NDArray[np.float64]


def tube(n: int = 24, m: int = 10) -> Mesh:
    """Closed tube along z, quadrilaterals round it."""
    a = np.arange(n) * 2 * np.pi / n
    ring = np.stack([0.2 * np.cos(a), 0.2 * np.sin(a)], axis=1)
    nodes = np.concatenate(
        [np.column_stack([ring, np.full(n, z)]) for z in np.linspace(0, 0.5, m + 1)]
    )
    i, j = np.meshgrid(np.arange(n), np.arange(m))
    k, right = (j * n + i).ravel(), (j * n + (i + 1) % n).ravel()
    return Mesh(nodes, np.stack([k, right, right + n, k + n], axis=1))


def bent() -> Mesh:
    """Plate folded through a right angle, and its leg set back under it."""
    mesh = grid_mesh(Panel(1.0, 0.4), 20, 8)
    x, y, _ = mesh.nodes.T
    fold = np.clip(x, 0, None)
    nodes = np.column_stack([np.minimum(x, 0.0) + 0.05 * fold, y, -fold])
    return Mesh(nodes, mesh.quads)


SHAPES = {
    "tube": tube(),
    "split tube": tube().split(),
    "folded": bent(),
    "panel": grid_mesh(Panel(1.0, 0.5, radius_x=0.7), 12, 7),
}


@pytest.mark.parametrize("name", SHAPES)
def test_a_table_at_element_centres_comes_back(name: str) -> None:
    mesh = SHAPES[name]
    rng = np.random.default_rng(4)
    p = rng.uniform(-1000, 3000, mesh.count)
    found = map_pressure(mesh, mesh.centres(), p)
    weights = np.full((mesh.count, 4), 0.25)
    weights[len(mesh.quads) :] = [1 / 3, 1 / 3, 1 / 3, 0]
    np.testing.assert_allclose((found.values * weights).sum(axis=1), p, atol=1e-9)
    exact = (p * mesh.areas()) @ mesh.normals()
    np.testing.assert_allclose(found.force[:3], exact, atol=1e-6 * np.abs(p).max())


def test_wind_on_a_tube_pushes_as_it_should() -> None:
    # p = 1000 (x + y) / R on the surface: its force is 1000 π R L along x and along y.
    mesh = tube(72, 10)
    a = np.linspace(0, 2 * np.pi, 181)[:-1]
    z = np.linspace(0, 0.5, 9)
    points = np.array([[0.2 * np.cos(t), 0.2 * np.sin(t), h] for t in a for h in z])
    p = 1000 * (points[:, 0] + points[:, 1]) / 0.2
    found = map_pressure(mesh, points, p)
    exact = 1000 * np.pi * 0.2 * 0.5
    np.testing.assert_allclose(found.force[:3], [exact, exact, 0.0], atol=0.004 * exact)
    np.testing.assert_allclose(found.given, [exact, exact, 0.0], atol=0.01 * exact)
    assert found.outside < 1e-3


def test_two_sheets_do_not_mix() -> None:
    # Opposite walls of a tube carry opposite pressures, though both project on the same place.
    mesh = tube(48, 4)
    p = np.where(mesh.centres()[:, 0] > 0, 500.0, -500.0)
    found = map_pressure(mesh, mesh.centres(), p)
    far = np.abs(mesh.centres()[:, 0]) > 0.03
    np.testing.assert_allclose(found.values[far], np.repeat(p[far, None], 4, axis=1))


def test_a_dome_takes_a_smooth_pressure() -> None:
    def profile(share: Array) -> Array:
        s = 0.05 + share * (np.pi / 2 - 0.05)
        return np.stack([0.5 * np.sin(s), 0.5 * np.cos(s)], axis=-1)

    dome, grid = (revolved(profile, 0.75, 0.1, counts=(n, m)) for n, m in ((40, 12), (90, 30)))
    at = loads.point_places(dome)
    points = grid.nodes
    found = map_pressure(dome, points, 100 + 900 * points[:, 2])
    np.testing.assert_allclose(found.values, 100 + 900 * at[..., 2], atol=4.0)
