"""Whatever is asked of a solved shell, from its stored section strains.

Combinations, section forces, values at nodes within zones, temperature, margins of several zones
with areas left out, and groups of failing elements.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import scipy
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.criteria import DEFAULT_SETS
from tartan.core.errors import PartError
from tartan.core.laminate.response import Load, free_resultants_of, free_stress
from tartan.core.shell.alike import assessed_alike, of_zone
from tartan.core.shell.assembly import groups
from tartan.core.shell.loads import free_strain
from tartan.core.shell.margins import ALL, Growth, Margins, Within, assess
from tartan.core.shell.mesh import Mesh
from tartan.core.shell.solve import ShellModel, Solution
from tartan.core.shell.zones import Zones
from tartan.core.strength.laminate_reserves import Beside, Sets

Array = NDArray[np.float64]
Index = NDArray[np.int64]


def combined(solution: Solution, factors: Array) -> Solution:
    """Combinations of solved cases, without a new solution.

    Parameters
    ----------
    solution : Solution
        Of k cases.
    factors : ndarray, shape (c, k)
        Factor of every case in every combination.

    Raises
    ------
    PartError
        When the factors do not match the cases.
    """
    factors = np.atleast_2d(np.asarray(factors, float))
    if factors.shape[1] != len(solution.displacement) or not np.isfinite(factors).all():
        raise PartError(
            "A combination needs a number for every case.",
            "Combinations",
            f"Give {len(solution.displacement)} factors.",
        )
    displacement = np.tensordot(factors, solution.displacement, axes=1)
    # Energy is quadratic: it does not combine from the cases alone.
    strains = np.tensordot(factors, solution.strains, axes=1)
    return replace(
        solution,
        displacement=displacement,
        strains=strains,
        applied=factors @ solution.applied,
        reaction=factors @ solution.reaction,
        energy=np.full(len(factors), np.nan),
    )


def section_forces(model: ShellModel, strains: Array) -> Array:
    """N, M and Q of every element and point, shape (k, m, p, 8) [N/m, N, N/m]."""
    C = model.section_of(np.arange(model.mesh.count))
    return np.asarray(np.einsum("mst,kmpt->kmps", C, strains))


def thermal_forces(model: ShellModel, dT: float | Array, gradient: float | Array = 0.0) -> Array:
    """Nodal forces of a temperature field.

    Parameters
    ----------
    model : ShellModel
        The model.
    dT : float or ndarray, shape (m,)
        Change from the stress-free state at mid-thickness [K].
    gradient : float or ndarray, shape (m,)
        Its growth along the laying direction [K/m].
    """
    count = model.mesh.count
    laminates = (model.laminate,) if model.zones is None else model.zones.laminates
    zone = np.zeros(count, int) if model.zones is None else model.zones.zone
    even, bent = (
        free_resultants_of(laminates, [load] * len(laminates))[zone]
        for load in (Load(dT=1.0), Load(dT_gradient=1.0))
    )
    each = np.broadcast_to(dT, (count,))[:, None] * even
    each = each + np.broadcast_to(gradient, (count,))[:, None] * bent
    return free_strain(model.mesh, model.reference, each)


@dataclass(frozen=True, eq=False)
class AtNodes:
    """Values at nodes, one for every zone that meets there.

    Attributes
    ----------
    nodes, zones : ndarray of int, shape (q,)
        Node and zone of each value.
    values : ndarray, shape (k, q, 8)
        Section strains.
    """

    nodes: Index
    zones: Index
    values: Array


def at_nodes(mesh: Mesh, zone: Index, strains: Array) -> AtNodes:
    """Section strains smoothed at nodes by area, never across a border of zones.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    zone : ndarray of int, shape (m,)
        Zone of every element.
    strains : ndarray, shape (k, m, p, 8)
        At sampling points, in reference directions that are smooth within a zone.
    """
    mean, area = mesh.point_mean(strains), mesh.areas()
    nodes = np.concatenate([g.nodes.ravel() for g in groups(mesh)])
    elements = np.concatenate([np.repeat(g.which, g.nodes.shape[1]) for g in groups(mesh)])
    key = nodes * (int(zone.max(initial=0)) + 1) + zone[elements]
    unique, which = np.unique(key, return_inverse=True)
    weight = sp.coo_matrix(
        (area[elements], (which.ravel(), elements)), (len(unique), mesh.count)
    ).tocsr()
    total = np.asarray(weight.sum(axis=1)).ravel()
    values = np.stack([(weight @ m) / total[:, None] for m in mean])
    count = int(zone.max(initial=0)) + 1
    return AtNodes(unique // count, unique % count, values)


def assess_zones(  # noqa: PLR0913 - as many parts of one state
    zones: Zones,
    strains: Array,
    sets: Sets = DEFAULT_SETS,
    *,
    residual: Array | None = None,
    temperature: Load | Sequence[Load] | None = None,
    scaled: Load | Sequence[Load] | None = None,
    within: Within = ALL,
    beside: Beside | None = None,
    growth: Growth | None = None,
) -> Margins:
    """Governing reserve factor of every element of a part of several zones.

    Parameters
    ----------
    zones : Zones
        Sections.
    strains : ndarray, shape (k, m, p, 8)
        Section strains of the cases that are scaled.
    sets : mapping
        Criteria by material name or kind.
    residual : ndarray, shape (m, p, 8), optional
        Section strains that stay, such as those of a temperature.
    temperature : Load or sequence of Load, optional
        Temperature and moisture whose free expansion causes no stress in them, for all zones or
        one each.
    scaled : Load or sequence of Load, optional
        Temperature that caused `strains` themselves and is scaled with them.
    within : Within
        Plies of the lay-up, levels and criteria that are looked at.
    beside, growth : Beside, Growth, optional
        As `assess` takes them.

    Returns
    -------
    Margins
        Plies are those of the lay-up where the zones know them.

    Raises
    ------
    CriterionError, MaterialError
        As `checks_of`.
    """
    count = strains.shape[1]
    whole: Margins | None = None
    together: set[int] = set()
    state = residual, temperature, scaled
    for group, here, part in assessed_alike(zones, strains, sets, within, *state):
        whole = _placed(whole, part, here, count)
        together.update(group)
    for number, laminate in enumerate(zones.laminates):
        if number in together:
            continue
        here = zones.members[number]
        if len(here) == 0:
            continue
        held = None if residual is None else residual[here]
        free, own = (
            None if x is None else free_stress(laminate, of_zone(x, number))
            for x in (temperature, scaled)
        )
        numbers = zones.plies[number] if zones.plies else range(laminate.count)
        near = None
        if beside is not None:
            near = Beside(beside.press[:, here], beside.held[here], beside.curved[here])
        part = assess(
            laminate,
            strains[:, here],
            sets,
            held,
            free,
            own,
            within.of_zone(numbers),
            beside=near,
            growth=None if growth is None else growth.of(here),
        )
        if zones.plies:
            part = replace(part, ply=np.array(zones.plies[number])[part.ply])
        whole = _placed(whole, part, here, count)
    if whole is None:
        raise PartError("There is nothing to assess.", "Zones", "Lay plies first.")
    return whole


def _placed(whole: Margins | None, part: Margins, here: Index, count: int) -> Margins:
    """Margins of a zone written into those of the whole."""
    if whole is None:
        case, ply, level, point, check, mode = np.zeros((6, count), np.int64)
        whole = Margins(
            np.full(count, np.inf),
            case,
            ply,
            level,
            point,
            check,
            mode,
            part.checks,
            np.full(count, np.nan),
        )
    keys = tuple(dict.fromkeys((*whole.checks, *part.checks)))
    number = np.array([keys.index(k) for k in part.checks])
    for name in ("reserve", "case", "ply", "level", "point", "mode", "index"):
        getattr(whole, name)[here] = getattr(part, name)
    if len(number):
        whole.check[here] = number[part.check]
    return replace(whole, checks=keys)


def near_nodes(mesh: Mesh, nodes: Index, rings: int) -> Index:
    """Elements, shape (q,), within so many elements of nodes, such as those of a support.

    Raises
    ------
    PartError
        When the number of rings is negative.
    """
    if rings < 0:
        raise PartError(
            "The number of elements is negative.", "Areas left out", "Enter 0 or more."
        )
    reached = np.zeros(len(mesh.nodes), bool)
    reached[nodes] = True
    found = np.zeros(mesh.count, bool)
    for _ in range(rings):
        for group in groups(mesh):
            found[group.which] |= reached[group.nodes].any(axis=1)
        for group in groups(mesh):
            reached[group.nodes[found[group.which]]] = True
    return np.flatnonzero(found)


def within_distance(mesh: Mesh, nodes: Index, distance: float) -> Index:
    """Elements, shape (q,), whose centres lie within a distance of nodes [m].

    Unlike a number of elements it names the same area whatever the size of the elements.

    Raises
    ------
    PartError
        When the distance is not greater than zero.
    """
    if not distance > 0:
        raise PartError(
            "The distance is not greater than zero.", "Areas left out", "Enter a length."
        )
    if len(nodes) == 0:
        return np.zeros(0, np.int64)
    gap, _ = scipy.spatial.cKDTree(mesh.nodes[nodes]).query(
        mesh.centres(), distance_upper_bound=distance
    )
    return np.flatnonzero(gap <= distance)


@dataclass(frozen=True)
class Spot:
    """A neighbourhood of failing elements.

    Attributes
    ----------
    element : int
        The worst.
    reserve : float
        Its reserve factor [1].
    elements : tuple of int
        All that belong to it.
    area : float
        Their area [m²].
    """

    element: int
    reserve: float
    elements: tuple[int, ...]
    area: float


def spots(
    mesh: Mesh, reserve: Array, below: float, left_out: Sequence[int] | Index = ()
) -> list[Spot]:
    """Connected groups of elements below a reserve factor, worst first; neighbours are one spot.

    Parameters
    ----------
    mesh : Mesh
        The mesh.
    reserve : ndarray, shape (m,)
        Reserve factors.
    below : float
        Elements under it count.
    left_out : sequence of int
        Elements that do not.
    """
    low = reserve < below
    low[np.asarray(left_out, int)] = False
    if not low.any():
        return []
    rows = np.concatenate([np.repeat(g.which, g.nodes.shape[1]) for g in groups(mesh)])
    nodes = np.concatenate([g.nodes.ravel() for g in groups(mesh)])
    mine = low[rows]
    holds = sp.coo_matrix(
        (np.ones(mine.sum()), (rows[mine], nodes[mine])), (mesh.count, len(mesh.nodes))
    ).tocsr()
    label = sp.csgraph.connected_components(holds @ holds.T, directed=False)[1]
    area = mesh.areas()
    found = []
    for group in np.unique(label[low]):
        members = np.flatnonzero((label == group) & low)
        worst = int(members[reserve[members].argmin()])
        found.append(
            Spot(worst, float(reserve[worst]), tuple(members.tolist()), float(area[members].sum()))
        )
    return sorted(found, key=lambda s: s.reserve)
