"""A part's inputs made into shell models and loads."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError, Topic, concerning
from tartan.core.shell.constraints import Constraints, Held, Tie, constrain
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.model import ShellModel
from tartan.core.shell.supports import SUPPORT_KINDS
from tartan.core.shell.tying import find_ties
from tartan.project.analysis.inputs import (
    Layout,
    PartInputs,
    laminate_for,
    layout_of,
    part_inputs,
    where_all,
    where_words,
)
from tartan.project.analysis.part_ring import check_ring, ring_ties
from tartan.project.analysis.partmesh import Meshed
from tartan.project.document.partmodel import Movement, Support

__all__ = [
    "Layout",
    "PartInputs",
    "held_nodes",
    "laminate_for",
    "layout_of",
    "local_axes",
    "part_inputs",
    "shell_model",
    "ties_of",
    "where_all",
    "where_words",
]

Array = NDArray[np.float64]


def shell_model(inputs: PartInputs, supports: str = "") -> ShellModel:
    """Meshed model with zones, the supports of a set, and ties.

    Raises
    ------
    TartanError
        When surface, stack, materials, supports or ties are not usable.
    """
    layout = layout_of(inputs)
    whole, mesh = layout.whole, layout.mesh
    if len(whole.undefined):
        what = (
            f"The reference direction stands normal to the surface in {len(whole.undefined)} "
            f"of {mesh.count} elements, so their 0° is undefined."
        )
        raise PartError(what, "Reference direction", "Choose a direction along the surface.")
    held = held_nodes(whole, inputs.supports_of(supports))
    fixed = np.zeros((len(mesh.nodes), 6), bool)
    rules: Constraints | None = None
    check_ring(inputs, held)
    ties = (*ring_ties(inputs.part, mesh), *ties_of(mesh, inputs.part.tie_gap))
    moved = any(
        isinstance(x, Movement) for c in inputs.cases if c.supports == supports for x in c.loads
    )
    if ties or moved or any(h.axes is not None for h in held):
        rules = constrain(mesh, held, ties)
    else:
        for each in held:
            fixed[np.ix_(each.nodes, np.array(each.unknowns))] = True
    return ShellModel(
        mesh,
        layout.zones.laminates[0],
        whole.direction,
        fixed,
        zones=layout.zones,
        constraints=rules,
    )


def held_nodes(whole: Meshed, supports: tuple[Support, ...]) -> list[Held]:
    """Supports as held nodes.

    Raises
    ------
    PartError
        When a place does not exist.
    """
    found = []
    for number, support in enumerate(supports, start=1):
        with concerning(Topic.LOADS):
            nodes = whole.nodes_of(support, f"Support {number}")
            axes = local_axes(whole, nodes, f"Support {number}") if support.local else None
        found.append(Held(nodes, SUPPORT_KINDS[support.kind], axes=axes))
    return found


def local_axes(whole: Meshed, nodes: NDArray[np.int64], where: str = "Support") -> Array:
    """Reference direction, across it, and normal at nodes, shape (q, 3, 3).

    Raises
    ------
    PartError
        Where sides or directions of the elements round a node leave it without axes.
    """
    mesh = whole.mesh
    areas = mesh.areas()[:, None]
    along, normal = mesh.at_nodes(whole.direction * areas), mesh.at_nodes(mesh.normals() * areas)
    size = np.linalg.norm(normal[nodes], axis=1, keepdims=True)
    up = normal[nodes] / np.where(size > 0, size, 1.0)
    x = along[nodes] - (along[nodes] * up).sum(axis=1, keepdims=True) * up
    length = np.linalg.norm(x, axis=1, keepdims=True)
    least = 0.05 * np.linalg.norm(along[nodes], axis=1, keepdims=True)
    if not ((size > 0) & (length > 0) & (length >= least)).all():
        raise PartError(
            "The 0° direction or the laying side is undefined there.",
            where,
            "Give the elements a direction along the surface, or use global axes.",
        )
    x = x / length
    return np.stack([x, np.cross(up, x), up], axis=1)


@lru_cache(maxsize=4)
def ties_of(mesh: Mesh, gap: float) -> tuple[Tie, ...]:
    """Ties between components nearer than a gap; none where it is zero."""
    return find_ties(mesh, gap)
