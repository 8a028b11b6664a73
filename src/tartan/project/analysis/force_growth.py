"""How section forces grow over a part: what shears plies apart, and presses across them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from tartan.core.criteria import criterion
from tartan.core.laminate.across import balanced, stress_across
from tartan.core.laminate.response import free_resultants_of
from tartan.core.laminate.stiffness import Laminate
from tartan.core.shell.force_gradients import ForceFit, force_fit, force_fit_at
from tartan.core.shell.margins import ALL, Growth, Within
from tartan.project.analysis.caseloads import Heat, heats_on
from tartan.project.analysis.core_pressure import curvature_of, pressed_faces
from tartan.project.analysis.inputs import Layout, PartInputs
from tartan.project.analysis.superposition import heats_in, scheme_of

if TYPE_CHECKING:
    from tartan.project.analysis.jobs import PartAnswer

Array = NDArray[np.float64]
Index = NDArray[np.int64]

_fits: WeakKeyDictionary[Layout, ForceFit] = WeakKeyDictionary()
_stiffness: WeakKeyDictionary[Layout, Array] = WeakKeyDictionary()


def stiffness_of(layout: Layout) -> Array:
    """ABD of the zones, shape (z, 6, 6), remembered."""
    found = _stiffness.get(layout)
    if found is None:
        found = _stiffness[layout] = np.array([x.ABD for x in layout.zones.laminates])
    return found


def fit_of(layout: Layout) -> ForceFit:
    """What gives slopes of section forces on a layout, remembered."""
    found = _fits.get(layout)
    if found is None:
        given = layout.mesh, layout.whole.direction, layout.zones.zone, stiffness_of(layout)
        found = _fits[layout] = force_fit(*given)
    return found


def fit_at(layout: Layout, element: int) -> ForceFit:
    """What gives slopes at one element: of all where that is known, else of it alone."""
    known = _fits.get(layout)
    if known is not None:
        return known
    given = layout.mesh, layout.whole.direction, layout.zones.zone, stiffness_of(layout)
    return force_fit_at(*given, element)


def forces_in(
    layout: Layout, strains: Array, heat: Heat | None, which: Index | None = None
) -> Array:
    """N and M in the elements, means of their sampling points, less free expansion.

    Parameters
    ----------
    layout : Layout
        The part with its plies.
    strains : ndarray, shape (k, m, p, 8)
        Section strains.
    heat : Heat or None
        Temperature that belongs to them.
    which : ndarray of int, shape (q,), optional
        Elements that are wanted; the others are zero.

    Returns
    -------
    ndarray, shape (k, m, 6)
        [N/m, N].
    """
    C, zone = stiffness_of(layout), layout.zones.zone
    if which is None:
        mean = layout.mesh.point_mean(strains[..., :6])
        found = np.einsum("mst,kmt->kms", C[zone], mean)
    else:
        found = np.zeros((len(strains), layout.mesh.count, 6))
        corners = np.where(which < len(layout.mesh.quads), 4, 3)
        inside = (np.arange(4) < corners[:, None])[..., None]
        mean = (strains[:, which, :, :6] * inside).sum(axis=2) / corners[:, None]
        found[:, which] = np.einsum("mst,kmt->kms", C[zone[which]], mean)
    if heat is not None:
        loads = heats_on(layout, heat)
        sided = layout.sided
        found -= free_resultants_of(sided.laminates, loads)[sided.zone]
    return np.asarray(found)


def shears_plies(inputs: PartInputs, within: Within = ALL) -> bool:
    """Whether any criterion that is looked at reads the shears between plies."""
    sets = inputs.criteria.sets
    keys = {c for m in inputs.materials for c in sets.get(m.name, sets.get(m.kind, ()))}
    rules = [criterion(c) for c in keys]
    return any(
        r.stress == "transverse" and (within.criteria is None or r.key in within.criteria)
        for r in rules
    )


def growth_of(
    layout: Layout,
    scaled: tuple[Array, Heat | None],
    held: tuple[Array, Heat | None] | None = None,
) -> Growth:
    """Growth of all elements under what is scaled and what stays.

    Parameters
    ----------
    layout : Layout
        The part with its plies.
    scaled, held : tuple of ndarray, shape (k, m, p, 8) and (1, m, p, 8), and Heat or None
        Section strains with the temperature that belongs to them.
    """
    fit = fit_of(layout)
    grows = fit.growth(forces_in(layout, *scaled))
    stays = np.zeros((layout.mesh.count, 8))
    if held is not None:
        stays = fit.growth(forces_in(layout, *held))[0]
    return Growth(grows, stays)


def growth_at(found: PartAnswer, element: int, case: int) -> tuple[Array, Array]:
    """Growth at an element in a case, of what is scaled and of what stays, shape (8,) each."""
    layout = found.layout()
    fit, one, near = _fitting(layout, element)
    (scaled, grows), held = _parts(found, case)

    def of(strains: Array, heat: Heat | None) -> Array:
        return np.asarray(fit.growth(forces_in(layout, strains, heat, near), one)[0, 0])

    return of(scaled, grows), np.zeros(8) if held is None else of(*held)


def _parts(
    found: PartAnswer, case: int
) -> tuple[tuple[Array, Heat | None], tuple[Array, Heat | None] | None]:
    """Section strains of a case that are scaled, and what stays, with their temperatures."""
    grows, stays = heats_in(found.inputs, case)
    strains = found.solution.strains[case : case + 1]
    if not scheme_of(found.inputs).held[case].any():
        return (strains, grows), None
    rest = found.resting[case : case + 1]
    return (strains - rest, grows), (rest, stays)


def growth_in(found: PartAnswer, case: int) -> Array:
    """Growth of all elements in a case, shape (m, 8): of what is scaled and stays together."""
    scaled, held = _parts(found, case)
    growth = growth_of(found.layout(), scaled, held)
    return np.asarray(growth.scaled[0] + growth.held)


@dataclass(frozen=True, eq=False)
class Across:
    """What the stress across the plies follows from, in some elements.

    Attributes
    ----------
    forces : ndarray, shape (q, 6)
        N and M [N/m, N].
    second : ndarray, shape (q, 6, 3)
        Their second slopes, in balance with what presses on the faces.
    curved : ndarray, shape (q, 3)
        Curvature of the surface [1/m].
    faces : ndarray, shape (q, 2)
        Pressure on the lower and the upper face [Pa].
    """

    forces: Array
    second: Array
    curved: Array
    faces: Array

    @property
    def acting(self) -> Array:
        """Second slopes, and curvatures times forces, shape (q, 36)."""
        own = self.curved[:, :, None] * self.forces[:, None, :]
        count = len(self.forces)
        return np.concatenate([self.second.reshape(count, 18), own.reshape(count, 18)], axis=1)

    def stress(self, laminate: Laminate, rows: Index) -> Array:
        """σ3 by ply and level, shape (r, n, 3) [Pa], in those of the elements in rows (r,)."""
        every = (self.forces, self.second, self.curved, self.faces)
        return stress_across(laminate, *(x[rows] for x in every))


def across_in(
    found: PartAnswer, case: int, *, element: int | None = None, held: bool = False
) -> Across | None:
    """What presses across the plies in a case; of what stays alone where `held`.

    In all elements, or in one. None where forces come from another analysis, which does not tell
    its pressures, or where nothing stays.
    """
    inputs, layout = found.inputs, found.layout()
    if case >= len(inputs.solved_names):
        return None
    scaled, stays = _parts(found, case)
    if held and stays is None:
        return None
    fit, which, near = _fitting(layout, element)
    forces = np.zeros((1, layout.mesh.count, 6))
    for part in (None if held else scaled, stays):
        if part is not None:
            forces += forces_in(layout, *part, near)
    grows, rests = (x[case, which] for x in pressed_faces(inputs, layout))
    faces = rests if held else grows + rests
    curved, own = curvature_of(layout)[which], forces[0, which]
    second = fit.slopes(forces, which, second=True)[0, ..., 2:]
    return Across(own, balanced(own, second, curved, faces[:, 0] - faces[:, 1]), curved, faces)


def _fitting(layout: Layout, element: int | None) -> tuple[ForceFit, Index, Index | None]:
    """The fit of all elements or of one, those it is of, and those that it needs."""
    if element is None:
        return fit_of(layout), np.arange(layout.mesh.count), None
    fit = fit_at(layout, element)
    near = np.union1d([element], fit.other[fit.starts[element] : fit.starts[element + 1]])
    return fit, np.array([element]), near
