"""Named edges and faces picked as a hand would: loops, tangent chains, patches without a kink."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.shell.mesh import Mesh

Index = NDArray[np.int64]

TANGENT = 20.0
"""Angle below which two edges that meet go on smoothly [deg]."""

SMOOTH = 20.0
"""Angle between the normals of neighbours below which a face goes on [deg]."""


def edge_loop(mesh: Mesh, name: str) -> tuple[str, ...]:
    """Edges that together run round a hole or a rim, the given one first.

    They go on from end to end where exactly two named edges meet.

    Parameters
    ----------
    mesh : Mesh
        With named edges, each a row of nodes.
    name : str
        One of them.

    Raises
    ------
    KeyError
        When there is no such edge.
    """
    return _chain(mesh, name, lambda one, other, node: True, most=2)


def tangent_chain(mesh: Mesh, name: str, angle: float = TANGENT) -> tuple[str, ...]:
    """Edges that go on smoothly from the given one, at both of its ends.

    Parameters
    ----------
    mesh, name : Mesh, str
        As `edge_loop`.
    angle : float
        Greatest kink [deg].

    Raises
    ------
    KeyError
        When there is no such edge.
    """
    least = np.cos(np.radians(angle))

    def smooth(one: str, other: str, node: int) -> bool:
        out, on = (_leaving(mesh, e, node) for e in (one, other))
        # Both leave the node; edges that go on smoothly leave it in opposite ways.
        return bool(-(out @ on) >= least)

    return _chain(mesh, name, smooth)


def _chain(
    mesh: Mesh, name: str, goes_on: Callable[[str, str, int], bool], most: int = 0
) -> tuple[str, ...]:
    meets: dict[int, list[str]] = defaultdict(list)
    for each, nodes in mesh.edges.items():
        for end in {int(nodes[0]), int(nodes[-1])}:
            meets[end].append(each)
    found, ahead = [name], [name]
    while ahead:
        one = ahead.pop(0)
        nodes = mesh.edges[one]
        for end in (int(nodes[0]), int(nodes[-1])):
            others = [e for e in meets[end] if e != one]
            if most and len(others) != most - 1:
                continue
            for other in others:
                if other not in found and goes_on(one, other, end):
                    found.append(other)
                    ahead.append(other)
    return tuple(found)


def _leaving(mesh: Mesh, name: str, node: int) -> NDArray[np.float64]:
    """Direction in which an edge leaves one of its ends, of length one."""
    nodes = mesh.edges[name]
    here, on = (nodes[0], nodes[1]) if int(nodes[0]) == node else (nodes[-1], nodes[-2])
    way = mesh.nodes[on] - mesh.nodes[here]
    return np.asarray(way / (np.linalg.norm(way) or 1.0))


def smooth_patch(mesh: Mesh, element: int, angle: float = SMOOTH) -> Index:
    """Elements reached from one across sides without a kink, shape (q,), in order.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    element : int
        Where it begins, from 0.
    angle : float
        Greatest angle between the normals of neighbours [deg]; which way they look does not
        matter.
    """
    owners: dict[tuple[int, int], list[int]] = defaultdict(list)
    start = 0
    for block in mesh.blocks:
        for k, nodes in enumerate(block.nodes.tolist()):
            for a, b in zip(nodes, [*nodes[1:], nodes[0]], strict=True):
                owners[min(a, b), max(a, b)].append(start + k)
        start += len(block.nodes)
    pairs = np.array([p for p in owners.values() if len(p) == 2], np.int64).reshape(-1, 2)
    normals = mesh.normals()
    turn = np.abs((normals[pairs[:, 0]] * normals[pairs[:, 1]]).sum(axis=1))
    pairs = pairs[turn >= np.cos(np.radians(angle))]
    graph = sp.coo_matrix((np.ones(len(pairs)), pairs.T), (mesh.count,) * 2)
    label = sp.csgraph.connected_components(graph, directed=False)[1]
    return np.flatnonzero(label == label[element])
