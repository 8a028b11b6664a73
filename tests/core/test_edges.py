"""Loops, tangent chains and patches without a kink, on meshes whose edges are known."""

from __future__ import annotations

import numpy as np
import pytest

from tartan.core.shell.edges import edge_loop, smooth_patch, tangent_chain
from tartan.core.shell.mesh import Mesh


def ring(parts: int, count: int = 24, corner: float = 0.0) -> Mesh:
    """A flat ring whose inner rim is parted into edges; a corner makes a kink at one end."""
    angle = np.linspace(0, 2 * np.pi, count, endpoint=False)
    inner = np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
    inner[0] *= 1 - corner
    nodes = np.concatenate([inner, 2 * np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])])
    on = np.roll(np.arange(count), -1)
    quads = np.stack([np.arange(count), count + np.arange(count), count + on, on], axis=1)
    each = count // parts
    edges = {f"rim {k + 1}": np.arange(k * each, (k + 1) * each + 1) % count for k in range(parts)}
    edges["outside"] = np.concatenate([count + np.arange(count), [count]])
    return Mesh(nodes, quads, edges)


@pytest.mark.parametrize("parts", [1, 2, 3, 4])
def test_a_hole_is_one_loop_and_its_outside_another(parts: int) -> None:
    mesh = ring(parts)
    rim = {f"rim {k + 1}" for k in range(parts)}
    for name in rim:
        found = edge_loop(mesh, name)
        assert set(found) == rim
        assert found[0] == name
        # A round hole goes on smoothly all the way: 24 sides turn by 15° each.
        assert set(tangent_chain(mesh, name)) == rim
        assert tangent_chain(mesh, name, angle=10.0) == (name,)
    assert edge_loop(mesh, "outside") == ("outside",)


def test_a_kink_ends_what_is_tangent_and_not_the_loop() -> None:
    mesh = ring(4, corner=0.4)
    assert set(edge_loop(mesh, "rim 1")) == {f"rim {k}" for k in (1, 2, 3, 4)}
    # The kink lies where rim 4 meets rim 1; from there the chain goes the other way round.
    chain = tangent_chain(mesh, "rim 1")
    assert chain[0] == "rim 1"
    assert list(chain[1:]) == ["rim 2", "rim 3", "rim 4"]


def test_a_rectangle_turns_at_its_corners() -> None:
    nodes = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    edges = {n: np.array([k, (k + 1) % 4]) for k, n in enumerate(("s", "e", "n", "w"))}
    mesh = Mesh(nodes, np.array([[0, 1, 2, 3]]), edges)
    assert set(edge_loop(mesh, "s")) == {"s", "e", "n", "w"}
    assert tangent_chain(mesh, "s") == ("s",)
    assert tangent_chain(mesh, "s", angle=91.0) != ("s",)


def test_where_three_edges_meet_a_loop_does_not_guess() -> None:
    nodes = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [1, 1, 0], [0, 1, 0]], float)
    edges = {"a": np.array([0, 1]), "b": np.array([1, 2]), "c": np.array([1, 3])}
    mesh = Mesh(nodes, np.array([[0, 1, 3, 4]]), edges)
    assert edge_loop(mesh, "a") == ("a",)
    assert tangent_chain(mesh, "a") == ("a", "b")


@pytest.mark.parametrize("flipped", [False, True])
def test_a_patch_ends_at_the_kink_of_an_angle_section(flipped: bool) -> None:
    """Two plates that meet at a right angle, whichever way their normals look."""
    x, y = np.meshgrid(np.arange(5.0), np.arange(4.0))
    flat = np.column_stack([x.ravel(), y.ravel(), 0 * x.ravel()])
    up = np.column_stack([0 * x.ravel(), y.ravel(), x.ravel()])
    both, where = np.unique(np.concatenate([flat, up]), axis=0, return_inverse=True)
    cell = np.array(
        [
            [j * 5 + i, j * 5 + i + 1, (j + 1) * 5 + i + 1, (j + 1) * 5 + i]
            for j in range(3)
            for i in range(4)
        ]
    )
    where = where.ravel()
    second = where[cell + 20][:, ::-1] if flipped else where[cell + 20]
    mesh = Mesh(both, np.concatenate([where[cell], second]))
    assert smooth_patch(mesh, 3).tolist() == list(range(12))
    assert smooth_patch(mesh, 17).tolist() == list(range(12, 24))
    assert len(smooth_patch(mesh, 3, angle=91.0)) == 24


def test_a_tube_is_one_patch_where_its_sides_turn_little() -> None:
    for count, whole in ((48, True), (12, False)):
        angle = np.linspace(0, 2 * np.pi, count, endpoint=False)
        ringed = np.column_stack([np.cos(angle), np.sin(angle), 0 * angle])
        nodes = np.concatenate([ringed, ringed + np.array([0, 0, 1])])
        on = np.roll(np.arange(count), -1)
        quads = np.stack([np.arange(count), on, count + on, count + np.arange(count)], axis=1)
        assert (len(smooth_patch(Mesh(nodes, quads), 0)) == count) == whole
