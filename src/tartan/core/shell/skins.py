"""The skins of a thin solid: the two largest patches of it that are smooth within."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from tartan.core.shell.mesh import Mesh
from tartan.core.shell.outlines import links_of

Index = NDArray[np.int64]

CREASE = 40.0
"""Angle between elements from which their side is an edge of a skin [deg]."""


def patches_of(mesh: Mesh) -> list[Index]:
    """Elements of patches that are smooth within, shapes (q,), the largest by area first."""
    links, normals = links_of(mesh), mesh.normals()
    on = links.twin >= 0
    one, other = links.owner[on], links.owner[links.twin[on]]
    cosine = np.einsum("qi,qi->q", normals[one], normals[other])
    # Neighbours that are turned over run along their side the same way.
    turned = links.first[on] == links.first[links.twin[on]]
    smooth = np.where(turned, -cosine, cosine) > math.cos(math.radians(CREASE))
    graph = coo_array(
        (np.ones(int(smooth.sum()), np.int8), (one[smooth], other[smooth])),
        shape=(mesh.count, mesh.count),
    )
    count, label = connected_components(graph, directed=False)
    areas = np.bincount(label, weights=mesh.areas(), minlength=count)
    return [np.flatnonzero(label == k) for k in np.argsort(-areas, kind="stable")]


def skins_of(mesh: Mesh) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Faces of the outer and of the inner skin of a solid; the inner one is the smaller.

    A face belongs to the patch that holds most of it. Where there are not two patches the inner
    one is empty.
    """
    patches = patches_of(mesh)[:2]
    found: list[tuple[str, ...]] = []
    areas = mesh.areas()
    for patch in patches:
        inside = np.zeros(mesh.count, bool)
        inside[patch] = True
        found.append(
            tuple(
                name
                for name, own in mesh.regions.items()
                if len(own) and areas[own][inside[own]].sum() > 0.5 * areas[own].sum()
            )
        )
    while len(found) < 2:
        found.append(())
    return found[0], found[1]
