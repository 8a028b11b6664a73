"""What presses on the cores of a part beside the plies' stresses: pressures, and its curvature."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria.sandwich import Crushing
from tartan.core.shell.curvature import surface_curvature
from tartan.core.shell.mesh import Mesh
from tartan.core.strength.laminate_reserves import Beside
from tartan.project.analysis.caseloads import on_faces
from tartan.project.analysis.inputs import Layout, PartInputs
from tartan.project.analysis.superposition import part_of, scheme_of

Array = NDArray[np.float64]

_curved: WeakKeyDictionary[Mesh, tuple[Array, Array]] = WeakKeyDictionary()
"""Reference direction and curvature of every mesh: they outlive what is laid on it."""

_known: WeakKeyDictionary[Layout, tuple[PartInputs, Beside]] = WeakKeyDictionary()
"""The last asked for of every layout: a click asks for the same again and again."""


def beside_of(inputs: PartInputs, layout: Layout) -> Beside | None:
    """Pressure on the faces in all cases, (k, m), what stays of it, and curvature, (m, 3).

    Of the two faces the one that is pressed more counts. None where no core can be crushed.
    """
    if not _judged(inputs):
        return None
    known = _known.get(layout)
    if known is None or known[0] is not inputs:
        known = _known[layout] = (inputs, _pressed(inputs, layout))
    return known[1]


def pressed_faces(inputs: PartInputs, layout: Layout) -> tuple[Array, Array]:
    """Pressure on the lower and the upper face in all cases, (k, m, 2), scaled and what stays."""
    scheme = scheme_of(inputs)
    # There is no column where all forces come from another analysis.
    columns = np.zeros((len(scheme.columns), layout.mesh.count, 2))
    for column, c in zip(columns, scheme.columns, strict=True):
        column[:] = on_faces(layout, part_of(inputs.cases[c.case], held=c.held), inputs.tables)
    grows, stays = (np.tensordot(rows, columns, axes=1) for rows in (scheme.growing, scheme.held))
    return grows, stays


def _pressed(inputs: PartInputs, layout: Layout) -> Beside:
    grows, stays = pressed_faces(inputs, layout)
    more = (grows + stays).argmax(axis=2)[..., None]
    grows, stays = (np.take_along_axis(x, more, axis=2)[..., 0] for x in (grows, stays))
    return Beside(grows, stays, curvature_of(layout))


def curvature_of(layout: Layout) -> Array:
    """Curvature of the unloaded surface, shape (m, 3) [1/m]; as `surface_curvature`."""
    mesh, direction = layout.mesh, layout.whole.direction
    known = _curved.get(mesh)
    if known is None or not np.array_equal(known[0], direction):
        known = _curved[mesh] = (direction, surface_curvature(mesh, direction))
    return known[1]


def _judged(inputs: PartInputs) -> bool:
    """Whether the crushing of any core is asked for, and its strength known."""
    sets = inputs.criteria.sets
    return any(
        m.kind == "core"
        and m.Zc is not None
        and Crushing.key in sets.get(m.name, sets.get("core", ()))
        for m in inputs.materials
    )
