"""Curvature of the unloaded surface against cylinders, spheres and planes."""

import numpy as np
import pytest

from tartan.core.shell.curvature import surface_curvature
from tartan.core.shell.mesh import Mesh, Panel, grid_mesh


def cylinder(radius: float, along: int = 6, around: int = 24, bend: float = 1.0) -> Mesh:
    """Part of a cylinder about y whose front is outside, for a bend of 1 rad to either side."""
    flat = grid_mesh(Panel(2 * bend, 1.0), around, along)
    t, y = flat.nodes[:, 0] - flat.nodes[:, 0].mean(), flat.nodes[:, 1]
    nodes = np.stack([radius * np.sin(t), y, radius * np.cos(t)], axis=1)
    return Mesh(nodes, flat.quads, flat.triangles, flat.edges)


@pytest.mark.parametrize("angle", [0.0, 30.0, 90.0])
def test_a_cylinder_in_any_axes(angle: float) -> None:
    mesh = cylinder(0.4)
    c, s = np.cos(np.deg2rad(angle)), np.sin(np.deg2rad(angle))
    hoop = np.cross([0.0, 1.0, 0.0], mesh.normals())
    reference = c * hoop + s * np.array([0.0, 1.0, 0.0])
    k = surface_curvature(mesh, reference)
    # The tensor 1/R hoop ⊗ hoop in turned axes; twice its xy as bending counts it.
    exact = np.array([c * c, s * s, -2 * c * s]) / 0.4
    np.testing.assert_allclose(k, np.broadcast_to(exact, k.shape), atol=2e-3 * 2.5)


def test_sign_size_and_planes() -> None:
    mesh = cylinder(0.4)
    hoop = np.cross([0.0, 1.0, 0.0], mesh.normals())
    turned = surface_curvature(mesh.flipped(), hoop)
    assert (turned[:, 0] < 0).all()
    coarse, fine = (
        np.abs(surface_curvature(m, np.cross([0.0, 1.0, 0.0], m.normals()))[:, 0] - 2.5).max()
        for m in (cylinder(0.4, 3, 8), cylinder(0.4, 6, 16))
    )
    assert fine < coarse / 3
    flat = grid_mesh(Panel(1.0, 0.5), 7, 5)
    assert not surface_curvature(flat, np.array([1.0, 0.0, 0.0])).any()
    # Two planes that meet at right angles have no curvature.
    nodes = flat.nodes.copy()
    right = nodes[:, 0] > 4 / 7 + 1e-9
    nodes[right] = np.stack(
        [np.full(right.sum(), 4 / 7), nodes[right, 1], 4 / 7 - nodes[right, 0]], axis=1
    )
    folded = Mesh(nodes, flat.quads, flat.triangles, flat.edges)
    assert np.abs(surface_curvature(folded, np.array([0.0, 1.0, 0.0]))).max() < 1e-9


def test_a_dome_curves_alike_in_all_directions() -> None:
    flat = grid_mesh(Panel(0.4, 0.4), 16, 16)
    x, y = (flat.nodes[:, i] - flat.nodes[:, i].mean() for i in (0, 1))
    nodes = np.stack([x, y, np.sqrt(1.0 - x**2 - y**2)], axis=1)
    mesh = Mesh(nodes, flat.quads, flat.triangles, flat.edges)
    k = surface_curvature(mesh, np.array([1.0, 0.0, 0.0]))
    np.testing.assert_allclose(k[:, :2], 1.0, atol=0.02)
    np.testing.assert_allclose(k[:, 2], 0.0, atol=0.02)
