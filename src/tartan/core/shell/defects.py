"""What is wrong with a mesh: doubled or folded elements, doubled nodes, open seams, turned sides.

Each defect is named, counted and shown by its elements, and says how it is mended.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal
from weakref import WeakKeyDictionary

import numpy as np
import scipy
from numpy.typing import NDArray

from tartan.core.shell.assembly import groups
from tartan.core.shell.directions import turned, turned_elements
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Mask = NDArray[np.bool_]
Kind = Literal[
    "doubled elements",
    "crossed corners",
    "folded corners",
    "no area",
    "doubled nodes",
    "open seam",
    "turned sides",
]

NO_AREA = 1e-8
"""Elements with less than this share of their longest side squared have no area."""

SAME = 1e-4
"""Nodes nearer than this share of the shortest side beside them are doubled."""


@dataclass(frozen=True, eq=False)
class Defect:
    """One sort of defect.

    Attributes
    ----------
    kind : str
        What it is.
    words : str
        It and its number in a sentence.
    elements : ndarray of int
        Elements that have it.
    serious : bool
        Whether the mesh cannot be solved with it.
    mend : str
        Step that mends it; empty where it is for the user to judge.
    """

    kind: Kind
    words: str
    elements: Index
    serious: bool
    mend: str = ""


_known: WeakKeyDictionary[Mesh, tuple[Defect, ...]] = WeakKeyDictionary()
_grave: WeakKeyDictionary[Mesh, tuple[Defect, ...]] = WeakKeyDictionary()


def find_defects(mesh: Mesh) -> tuple[Defect, ...]:
    """Look for all defects of a mesh, the serious ones first; remembered with the mesh."""
    if mesh not in _known:
        slight = [*_doubled_nodes(mesh), *_open_seams(mesh), *_turned(mesh)]
        _known[mesh] = (*serious_defects(mesh), *slight)
    return _known[mesh]


def serious_defects(mesh: Mesh) -> tuple[Defect, ...]:
    """Defects with which nothing can be solved; remembered with the mesh."""
    if mesh not in _grave:
        _grave[mesh] = (*_doubled_elements(mesh), *_without_area(mesh), *_crossed(mesh))
    return _grave[mesh]


def mended(mesh: Mesh, kind: Kind) -> Mesh:
    """Return the mesh without a sort of defect; elements that stay keep their order.

    Named edges and regions are kept where their nodes and elements are.
    """
    mends: dict[Kind, Callable[[Mesh], Mesh]] = {
        "doubled elements": lambda m: kept(m, ~_copies(m)),
        "no area": lambda m: kept(m, ~_flat(m)),
        "crossed corners": _uncrossed,
        "folded corners": _unfolded,
        "doubled nodes": _merged,
        "turned sides": lambda m: turned(m, turned_elements(m)),
    }
    return mends[kind](mesh) if kind in mends else mesh


def _many(count: int, one: str, many: str) -> str:
    return f"1 {one}" if count == 1 else f"{count} {many}"


# Doubled elements


def _copies(mesh: Mesh) -> Mask:
    """Elements on the same corners as an earlier one, shape (m,)."""
    corners = np.sort(mesh.corner_table, axis=1)
    # A triangle's last corner stands twice: its key is told from that of a quadrilateral.
    kind = np.arange(mesh.count) >= len(mesh.quads)
    key = np.column_stack([kind, np.where(kind[:, None], _three(mesh), corners)])
    _, first, which = np.unique(key, axis=0, return_index=True, return_inverse=True)
    found: Mask = first[which.ravel()] != np.arange(mesh.count)
    return found


def _three(mesh: Mesh) -> Index:
    padded = np.zeros((mesh.count, 4), np.int64)
    padded[len(mesh.quads) :, :3] = np.sort(mesh.triangles, axis=1)
    return padded


def _doubled_elements(mesh: Mesh) -> list[Defect]:
    copies = np.flatnonzero(_copies(mesh))
    if not len(copies):
        return []
    words = (
        f"{_many(len(copies), 'element lies', 'elements lie')} a second time on the same "
        f"corners, the first is element {int(copies[0]) + 1}."
    )
    return [Defect("doubled elements", words, copies, serious=True, mend="remove the copies")]


def kept(mesh: Mesh, which: Mask) -> Mesh:
    """Mesh of some of the elements, all nodes kept."""
    count = len(mesh.quads)
    place = np.cumsum(which) - 1
    regions = {n: place[e[which[e]]] for n, e in mesh.regions.items()}
    places = mesh.places[which] if len(mesh.places) == mesh.count else mesh.places[:0]
    return replace(
        mesh,
        quads=mesh.quads[which[:count]],
        triangles=mesh.triangles[which[count:]],
        regions=regions,
        places=places,
    )


# Shape


def _longest(mesh: Mesh) -> Array:
    found = np.zeros(mesh.count)
    for group in groups(mesh):
        x = mesh.nodes[group.nodes]
        found[group.which] = np.linalg.norm(x - np.roll(x, 1, axis=1), axis=2).max(axis=1)
    return found


def _flat(mesh: Mesh) -> Mask:
    found: Mask = ~(_double_areas(mesh) > 2 * NO_AREA * _longest(mesh) ** 2)
    return found


def _double_areas(mesh: Mesh) -> Array:
    """Twice the sum of the corners' own areas: small only where all corners lie on a line."""
    found = np.zeros(mesh.count)
    for group in groups(mesh):
        found[group.which] = np.linalg.norm(_corner_crosses(mesh, group.nodes), axis=2).sum(axis=1)
    return found


def _corner_crosses(mesh: Mesh, nodes: Index) -> Array:
    """Cross product of the sides that meet at every corner, shape (m, c, 3)."""
    x = mesh.nodes[nodes]
    return np.cross(np.roll(x, -1, axis=1) - x, np.roll(x, 1, axis=1) - x)


def _without_area(mesh: Mesh) -> list[Defect]:
    flat = np.flatnonzero(_flat(mesh))
    if not len(flat):
        return []
    words = (
        f"{_many(len(flat), 'element has', 'elements have')} no area, the first is "
        f"element {int(flat[0]) + 1}."
    )
    return [Defect("no area", words, flat, serious=True, mend="remove them")]


def _turned_in(mesh: Mesh) -> Index:
    """Number of corners of every quadrilateral that turn against the others, 0, 1 or 2."""
    crosses = _corner_crosses(mesh, mesh.quads)
    # The largest corner tells the sense; of a bow-tie either pair is as good.
    size = np.linalg.norm(crosses, axis=2)
    lead = crosses[np.arange(len(crosses)), size.argmax(axis=1)] if len(crosses) else crosses[:, 0]
    against = np.einsum("mkc,mc->mk", crosses, lead) < -1e-9 * (lead**2).sum(axis=1)[:, None]
    count = against.sum(axis=1)
    found: Index = np.minimum(count, 4 - count)
    return found


def _crossed(mesh: Mesh) -> list[Defect]:
    against = _turned_in(mesh)
    against[_flat(mesh)[: len(against)]] = 0
    found = []
    for number, kind, words, mend in (
        (2, "crossed corners", "has its sides crossed", "uncross them"),
        (1, "folded corners", "is folded inwards at a corner", "split them"),
    ):
        which = np.flatnonzero(against == number)
        if len(which):
            many = words.replace("has its", "have their").replace("is ", "are ")
            said = (
                f"{_many(len(which), f'quadrilateral {words}', f'quadrilaterals {many}')}, "
                f"the first is element {int(which[0]) + 1}."
            )
            found.append(Defect(kind, said, which, serious=True, mend=mend))  # type: ignore[arg-type]
    return found


def _uncrossed(mesh: Mesh) -> Mesh:
    crossed = _turned_in(mesh) == 2
    quads = mesh.quads.copy()
    for order in ([0, 1, 3, 2], [0, 2, 1, 3]):
        trial = quads.copy()
        trial[crossed] = quads[crossed][:, order]
        better = crossed & (_turned_in(replace(mesh, quads=trial)) < 2)
        quads[better] = trial[better]
        crossed &= ~better
    fresh = replace(mesh, quads=quads)
    return turned(fresh, turned_elements(fresh))


def _unfolded(mesh: Mesh) -> Mesh:
    """Folded quadrilaterals as two triangles from the corner that is folded in."""
    folded = _turned_in(mesh) == 1
    crosses = _corner_crosses(mesh, mesh.quads[folded])
    total = crosses.sum(axis=1, keepdims=True)
    corner = (crosses * total).sum(axis=2).argmin(axis=1)
    q = mesh.quads[folded]
    rows = np.arange(len(q))
    a, b, c, d = (q[rows, (corner + k) % 4] for k in range(4))
    new = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
    rest = kept(mesh, np.concatenate([~folded, np.ones(len(mesh.triangles), bool)]))
    first = rest.count
    old = np.flatnonzero(folded)
    regions = {}
    for name, elements in mesh.regions.items():
        own = np.flatnonzero(np.isin(old, elements))
        regions[name] = np.concatenate([rest.regions[name], first + own, first + len(old) + own])
    return replace(
        rest,
        triangles=np.concatenate([rest.triangles, new]),
        regions=regions,
        places=rest.places[:0],
    )


# Nodes and seams


def _near_pairs(mesh: Mesh) -> Index:
    """Pairs of nodes that lie on one another, shape (p, 2)."""
    shortest = np.full(len(mesh.nodes), np.inf)
    for group in groups(mesh):
        x = mesh.nodes[group.nodes]
        side = np.linalg.norm(np.roll(x, -1, axis=1) - x, axis=2)
        side = np.where(side > 0, side, np.inf)
        both = np.minimum(side, np.roll(side, 1, axis=1))
        np.minimum.at(shortest, group.nodes, both)
    used = np.flatnonzero(np.isfinite(shortest))
    if len(used) < 2:
        return np.zeros((0, 2), np.int64)
    reach = SAME * float(np.median(shortest[used]))
    pairs = used[scipy.spatial.cKDTree(mesh.nodes[used]).query_pairs(reach, output_type="ndarray")]
    return np.asarray(pairs, np.int64).reshape(-1, 2)


def _doubled_nodes(mesh: Mesh) -> list[Defect]:
    pairs = _near_pairs(mesh)
    if not len(pairs):
        return []
    touching = np.isin(mesh.corner_table, pairs).any(axis=1)
    count = len(np.unique(pairs[:, 1]))
    words = (
        f"{_many(count, 'node lies', 'nodes lie')} on another one: the elements there are "
        "not joined."
    )
    return [
        Defect("doubled nodes", words, np.flatnonzero(touching), serious=False, mend="merge them")
    ]


def _merged(mesh: Mesh) -> Mesh:
    pairs = _near_pairs(mesh)
    lead = np.arange(len(mesh.nodes))
    for a, b in np.sort(pairs, axis=1)[np.lexsort(np.sort(pairs, axis=1).T)].tolist():
        lead[b] = lead[a]
    place = np.cumsum(lead == np.arange(len(lead))) - 1
    to = place[lead]
    edges = {n: to[chain] for n, chain in mesh.edges.items()}
    fresh = replace(
        mesh,
        nodes=mesh.nodes[lead == np.arange(len(lead))],
        quads=to[mesh.quads],
        triangles=to[mesh.triangles],
        edges=edges,
    )
    # Elements thinner than the merged gap have lost a corner.
    corners = [np.sort(g.nodes, axis=1) for g in groups(fresh)]
    whole = np.concatenate([(np.diff(c, axis=1) > 0).all(axis=1) for c in corners])
    return kept(fresh, whole)


def _free_sides(mesh: Mesh) -> tuple[Index, Index]:
    """Sides of one element only, shape (s, 2), and their elements."""
    sides, owner = [], []
    for group in groups(mesh):
        sides.append(
            np.stack([group.nodes, np.roll(group.nodes, -1, axis=1)], axis=2).reshape(-1, 2)
        )
        owner.append(np.repeat(group.which, group.nodes.shape[1]))
    every, of = np.concatenate(sides), np.concatenate(owner)
    _, which, count = np.unique(
        np.sort(every, axis=1), axis=0, return_inverse=True, return_counts=True
    )
    free = count[which.ravel()] == 1
    return every[free], of[free]


def _open_seams(mesh: Mesh) -> list[Defect]:
    """Free sides with a node of the rim on them, off their ends: elements that meet unjoined."""
    sides, of = _free_sides(mesh)
    rim = np.unique(sides)
    if len(rim) == 0:
        return []
    a, b = mesh.nodes[sides[:, 0]], mesh.nodes[sides[:, 1]]
    length = np.linalg.norm(b - a, axis=1)
    tree = scipy.spatial.cKDTree(mesh.nodes[rim])
    found = np.zeros(len(sides), bool)
    for k, near in enumerate(tree.query_ball_point((a + b) / 2, 0.49 * length)):
        p = mesh.nodes[rim[near]] - a[k]
        way = (b[k] - a[k]) / max(length[k], 1e-300)
        off = np.linalg.norm(p - (p @ way)[:, None] * way, axis=1)
        found[k] = bool((off < SAME * length[k]).any())
    elements = np.unique(of[found])
    if not len(elements):
        return []
    words = (
        f"{_many(int(found.sum()), 'side lies', 'sides lie')} open though other elements "
        "meet there: they are not joined."
    )
    return [Defect("open seam", words, elements, serious=False)]


def _turned(mesh: Mesh) -> list[Defect]:
    sides = []
    for group in groups(mesh):
        ends = np.stack([group.nodes, np.roll(group.nodes, -1, axis=1)], axis=2).reshape(-1, 2)
        sides.append(np.column_stack([ends, np.repeat(group.which, group.nodes.shape[1])]))
    every = np.concatenate(sides)
    key = np.sort(every[:, :2], axis=1)
    _, which, count = np.unique(key, axis=0, return_inverse=True, return_counts=True)
    two = count[which.ravel()] == 2
    forward = np.bincount(which.ravel(), every[:, 0] < every[:, 1], len(count))
    same = two & (forward[which.ravel()] != 1)
    elements = np.unique(every[same, 2])
    if not len(elements):
        return []
    number = int(same.sum()) // 2
    words = f"The laying side flips across {_many(number, 'side', 'sides')} between neighbours."
    return [Defect("turned sides", words, elements, serious=False, mend="turn them alike")]
