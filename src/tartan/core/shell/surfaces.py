"""Parametric surfaces as mapped meshes, with named edges and regions.

Every surface is made of patches: grids of quadrilaterals carried to space by a function of two
shares. Nodes of patches that meet are one, so stiffeners branch off their panel.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.shell.mesh import MOST_ELEMENTS, Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Place = Callable[[Array, Array], Array]

SAME = 1e-6
"""Nodes nearer than this share of the whole size are one."""


@dataclass(frozen=True, eq=False)
class Patch:
    """A grid carried to space.

    Attributes
    ----------
    place : callable
        From shares u, v in 0 to 1, arrays of one shape, to points (..., 3) [m].
    counts : tuple of int
        Elements along u and v.
    region : str
        Name of its elements.
    edges : mapping of str to str
        Names of its sides; keys are ``u0``, ``u1``, ``v0``, ``v1``.
    grade : tuple of float
        Ratio of the last element's length to the first's along u and v.
    """

    place: Place
    counts: tuple[int, int]
    region: str
    edges: Mapping[str, str] = field(default_factory=dict)
    grade: tuple[float, float] = (1.0, 1.0)


def graded(count: int, ratio: float) -> Array:
    """Shares from 0 to 1, shape (count + 1,), whose steps grow to `ratio` times the first."""
    if count == 1 or abs(ratio - 1) < 1e-9:
        return np.linspace(0.0, 1.0, count + 1)
    steps = ratio ** (np.arange(count) / (count - 1))
    return np.concatenate([[0.0], np.cumsum(steps) / steps.sum()])


def join(patches: Sequence[Patch]) -> Mesh:
    """Mesh patches and make meeting nodes one.

    Quadrilaterals that shrink to a point become triangles.

    Raises
    ------
    PartError
        When the patches ask for too many elements.
    """
    if sum(p.counts[0] * p.counts[1] for p in patches) > MOST_ELEMENTS:
        raise PartError(
            f"The mesh would have more than {MOST_ELEMENTS:,} elements.",
            "Mesh size",
            "Choose a larger size.",
        )
    nodes, quads, edges, owner = [], [], [], []
    first = 0
    for patch in patches:
        nu, nv = patch.counts
        u, v = np.meshgrid(graded(nu, patch.grade[0]), graded(nv, patch.grade[1]))
        nodes.append(patch.place(u, v).reshape(-1, 3))
        grid = first + np.arange((nu + 1) * (nv + 1)).reshape(nv + 1, nu + 1)
        quads.append(
            np.stack(
                [grid[:-1, :-1], grid[:-1, 1:], grid[1:, 1:], grid[1:, :-1]], axis=-1
            ).reshape(-1, 4)
        )
        owner += [patch.region] * (nu * nv)
        sides = {"u0": grid[:, 0], "u1": grid[:, -1], "v0": grid[0], "v1": grid[-1]}
        edges += [(name, sides[side]) for side, name in patch.edges.items()]
        first += (nu + 1) * (nv + 1)
    return _merged(np.concatenate(nodes), np.concatenate(quads), edges, np.array(owner))


def _merged(
    nodes: Array, quads: Index, edges: list[tuple[str, Index]], owner: NDArray[np.str_]
) -> Mesh:
    size = float(np.linalg.norm(np.ptp(nodes, axis=0))) or 1.0
    key = np.round(nodes / (size * SAME)).astype(np.int64)
    _, keep, back = np.unique(key, axis=0, return_index=True, return_inverse=True)
    back = back.ravel()
    quads = back[quads]
    same = quads == np.roll(quads, -1, axis=1)
    flat = same.sum(axis=1)
    whole, pointed = np.flatnonzero(flat == 0), np.flatnonzero(flat == 1)
    triangles = np.array(
        [[n for n, s in zip(quads[e], same[e], strict=True) if not s] for e in pointed], np.int64
    ).reshape(-1, 3)
    order = np.concatenate([owner[whole], owner[pointed]])
    regions = {name: np.flatnonzero(order == name) for name in dict.fromkeys(owner.tolist())}
    named: dict[str, Index] = {}
    for name, chain in edges:
        merged = back[chain]
        merged = merged[np.concatenate([[True], merged[1:] != merged[:-1]])]
        named[name] = np.concatenate([named[name], merged]) if name in named else merged
    return Mesh(nodes[keep], quads[whole], named, np.zeros((0, 2)), triangles, regions)


def element_count(length: float, size: float, least: int = 1) -> int:
    """Elements of a size along a length.

    Raises
    ------
    PartError
        Where the size is not above zero.
    """
    if not (math.isfinite(size) and size > 0):
        raise PartError(
            f"The mesh size must be greater than zero, it is {size:g} m.",
            "Mesh size",
            "A tenth of the part's width is a start.",
        )
    return max(least, round(length / size))


def _positive(**lengths: float) -> None:
    for name, value in lengths.items():
        if not (math.isfinite(value) and value > 0):
            words = name.replace("_", " ")
            raise PartError(
                f"The {words} must be greater than zero, it is {value:g} m.",
                f"Surface, {words}",
                "Enter a positive length.",
            )


def revolved(
    profile: Callable[[Array], Array],
    length: float,
    size: float,
    turn: float = 2 * math.pi,
    counts: tuple[int, int] | None = None,
) -> Mesh:
    """Surface of revolution about z, normals outwards.

    Parameters
    ----------
    profile : callable
        From shares along the meridian, 0 at the foot, to radius and height, shape (..., 2) [m].
    length : float
        Length of the meridian [m].
    size : float
        Element size [m].
    turn : float
        Angle covered [rad].
    counts : tuple of int, optional
        Elements around and along, in place of the size.
    """
    widest = float(profile(np.linspace(0, 1, 101))[:, 0].max())
    around, along = counts or (
        element_count(turn * widest, size, 8),
        element_count(length, size, 2),
    )

    def place(u: Array, v: Array) -> Array:
        r, z = np.moveaxis(profile(v), -1, 0)
        return np.stack([r * np.cos(turn * u), r * np.sin(turn * u), z], axis=-1)

    edges = {"v0": "lower edge", "v1": "upper edge"}
    if turn < 2 * math.pi - 1e-9:
        edges |= {"u0": "right edge", "u1": "left edge"}
    return join([Patch(place, (around, along), "wall", edges)])


def tube(radius: float, length: float, size: float, counts: tuple[int, int] | None = None) -> Mesh:
    """Circular tube along z."""
    _positive(radius=radius, length=length)
    return revolved(
        lambda v: np.stack([np.full_like(v, radius), length * v], axis=-1),
        length,
        size,
        counts=counts,
    )


def cone(lower_radius: float, upper_radius: float, height: float, size: float) -> Mesh:
    """Cone along z; an upper radius of zero closes it with triangles."""
    _positive(lower_radius=lower_radius, height=height)
    slope = math.hypot(height, lower_radius - upper_radius)

    def profile(v: Array) -> Array:
        return np.stack([lower_radius + (upper_radius - lower_radius) * v, height * v], axis=-1)

    return revolved(profile, slope, size)


def dome(radius: float, height: float, size: float, opening: float = 0.0) -> Mesh:
    """Ellipsoidal dome of revolution, with an opening about its top or closed by triangles.

    Raises
    ------
    PartError
        When the opening [m] does not fit the radius [m].
    """
    _positive(radius=radius, height=height)
    if not 0 <= opening < radius:
        raise PartError(
            "The opening must be smaller than the dome.", "Surface, opening", "Lower it."
        )
    last = math.acos(opening / radius)

    def profile(v: Array) -> Array:
        return np.stack([radius * np.cos(last * v), height * np.sin(last * v)], axis=-1)

    points = profile(np.linspace(0, 1, 400))
    length = float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
    return revolved(profile, length, size)


def panel_with_hole(
    length: float, width: float, hole: float, size: float, finer: float = 3.0
) -> Mesh:
    """Flat rectangle with a circular hole of a diameter [m] in its middle, finer around the hole.

    Raises
    ------
    PartError
        When the hole does not fit the rectangle.
    """
    _positive(length=length, width=width, hole=hole)
    if hole >= 0.95 * min(length, width):
        raise PartError("The hole must be smaller than the panel.", "Surface, hole", "Lower it.")
    a, b, r = length / 2, width / 2, hole / 2
    corners = [(a, -b), (a, b), (-a, b), (-a, -b)]
    names = ["right edge", "upper edge", "left edge", "lower edge"]
    patches = []
    for k, name in enumerate(names):
        start, end = np.array(corners[k]), np.array(corners[(k + 1) % 4])
        one, other = math.atan2(start[1], start[0]), math.atan2(end[1], end[0])
        other += 2 * math.pi if other < one else 0.0

        def place(
            u: Array,
            v: Array,
            start: Array = start,
            end: Array = end,
            angles: tuple[float, float] = (one, other),
        ) -> Array:
            angle = angles[0] + (angles[1] - angles[0]) * v
            inner = r * np.stack([np.cos(angle), np.sin(angle)], axis=-1)
            outer = start + (end - start) * v[..., None]
            flat = inner + (outer - inner) * u[..., None]
            return np.concatenate([flat, np.zeros((*u.shape, 1))], axis=-1)

        side = float(np.linalg.norm(end - start))
        reach = float(np.hypot(a, b)) - r
        counts = (element_count(reach * finer / 2, size, 3), element_count(side, size, 4))
        patches.append(Patch(place, counts, "panel", {"u1": name, "u0": "hole"}, (finer, 1.0)))
    return join(patches)


def stiffened_panel(
    length: float, width: float, size: float, count: int, height: float, foot: float = 0.0
) -> Mesh:
    """Flat panel with stiffeners along x, on its upper side.

    Parameters
    ----------
    length, width : float
        Panel [m].
    size : float
        Element size [m].
    count : int
        Stiffeners, evenly spaced.
    height : float
        Of the stiffeners [m].
    foot : float
        Width of a hat at the panel [m]; zero makes blades.

    Raises
    ------
    PartError
        When the stiffeners do not fit the panel.
    """
    _positive(length=length, width=width, height=height)
    pitch = width / count if count > 0 else 0.0
    if not 0 < count <= 100 or not 0 <= foot < 0.9 * pitch:
        raise PartError(
            "The stiffeners do not fit on the panel.",
            "Surface, stiffeners",
            "Lower their number or their foot.",
        )
    along = element_count(length, size, 2)
    middles = (np.arange(count) + 0.5) * pitch - width / 2
    cuts = np.concatenate([[m] if foot == 0 else [m - foot / 2, m + foot / 2] for m in middles])
    sides = np.concatenate([[-width / 2], cuts, [width / 2]])
    patches = []
    for k, (low, high) in enumerate(itertools.pairwise(sides)):
        edges = {"u0": "left edge", "u1": "right edge"}
        edges |= {"v0": "lower edge"} if k == 0 else {}
        edges |= {"v1": "upper edge"} if k == len(sides) - 2 else {}
        patches.append(_strip(length, (low, 0.0), (high, 0.0), along, size, ("skin", edges)))
    up = element_count(height, size, 2)
    ends = {"u0": "left edge", "u1": "right edge"}
    for m in middles:
        if foot == 0:
            blade = {**ends, "v1": "free edges"}
            patches.append(
                _strip(length, (m, 0.0), (m, height), along, height / up, ("stiffeners", blade))
            )
            continue
        corners = [
            (m - foot / 2, 0.0),
            (m - foot / 4, height),
            (m + foot / 4, height),
            (m + foot / 2, 0.0),
        ]
        patches += [
            _strip(length, one, other, along, size, ("stiffeners", ends))
            for one, other in itertools.pairwise(corners)
        ]
    return join(patches)


def _strip(
    length: float,
    start: tuple[float, float],
    end: tuple[float, float],
    along: int,
    size: float,
    name: tuple[str, Mapping[str, str]],
) -> Patch:
    """Flat strip along x between two lines given by y and z."""
    one, other = np.array(start), np.array(end)

    def place(u: Array, v: Array) -> Array:
        across = one + (other - one) * v[..., None]
        return np.concatenate([(length * (u - 0.5))[..., None], across], axis=-1)

    across = element_count(float(np.linalg.norm(other - one)), size, 1)
    return Patch(place, (along, across), name[0], name[1])


@dataclass(frozen=True, eq=False)
class Quality:
    """Measures of every element.

    Attributes
    ----------
    aspect : ndarray, shape (m,)
        Longest by shortest side [1].
    skew : ndarray, shape (m,)
        Largest departure of a corner from that of the ideal element [deg].
    warp : ndarray, shape (m,)
        Height of the corners over the mean plane as a share of the mean side [1].
    """

    aspect: Array
    skew: Array
    warp: Array


def quality(mesh: Mesh) -> Quality:
    """Measure a mesh."""
    found: list[list[Array]] = [[], [], []]
    for nodes, ideal in ((mesh.quads, 90.0), (mesh.triangles, 60.0)):
        if len(nodes) == 0:
            continue
        x = mesh.nodes[nodes]
        side = np.roll(x, -1, axis=1) - x
        length = np.linalg.norm(side, axis=2)
        back = -np.roll(side, 1, axis=1)
        cosine = (side * back).sum(axis=2) / (length * np.roll(length, 1, axis=1))
        angle = np.rad2deg(np.arccos(np.clip(cosine, -1, 1)))
        found[0].append(length.max(axis=1) / length.min(axis=1))
        found[1].append(np.abs(angle - ideal).max(axis=1))
        if nodes.shape[1] == 3:
            found[2].append(np.zeros(len(nodes)))
            continue
        n = np.cross(x[:, 2] - x[:, 0], x[:, 3] - x[:, 1])
        n /= np.linalg.norm(n, axis=1, keepdims=True)
        over = np.einsum("mic,mc->mi", x - x.mean(axis=1, keepdims=True), n)
        found[2].append(np.abs(over).max(axis=1) / length.mean(axis=1))
    return Quality(*(np.concatenate(f) for f in found))


__all__ = [
    "Patch",
    "Quality",
    "cone",
    "dome",
    "graded",
    "join",
    "panel_with_hole",
    "quality",
    "revolved",
    "stiffened_panel",
    "tube",
]
