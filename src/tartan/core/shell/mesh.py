"""A surface mesh of four-node elements, and the structured mesh of a curved panel."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tartan.core.errors import PartError

Array = NDArray[np.float64]
Index = NDArray[np.int64]

EDGES = ("left edge", "right edge", "lower edge", "upper edge")
"""Named edges of a panel: left and right at the ends of x, lower and upper at those of y."""

MOST_ELEMENTS = 250_000
"""Finest mesh that is made; beyond it a mesh size is taken for a slip."""


@dataclass(frozen=True, eq=False)
class Block:
    """Elements of a mesh that have as many corners: their corner nodes (q, c), and the first."""

    nodes: Index
    first: int

    @property
    def corners(self) -> int:
        """Corners of each; also the number of its sampling points that count."""
        return int(self.nodes.shape[1])

    @property
    def which(self) -> slice:
        """Their numbers in the mesh."""
        return slice(self.first, self.first + len(self.nodes))


@dataclass(frozen=True, eq=False)
class Mesh:
    """Nodes, four- and three-node elements, and named sets of nodes and elements.

    Attributes
    ----------
    nodes : ndarray, shape (n, 3)
        Positions [m].
    quads : ndarray of int, shape (m, 4)
        Corner nodes, counter-clockwise about the normal (the laying direction).
    edges : mapping of str to ndarray of int
        Nodes along each named edge, in order.
    places : ndarray, shape (m, 2)
        Element centres as shares of the panel's two directions, 0 to 1.
    triangles : ndarray of int, shape (q, 3)
        Corner nodes of three-node elements, numbered after the quadrilaterals.
    regions : mapping of str to ndarray of int
        Named sets of elements.
    """

    nodes: Array
    quads: Index
    edges: Mapping[str, Index] = field(default_factory=dict)
    places: Array = field(default_factory=lambda: np.zeros((0, 2)))
    triangles: Index = field(default_factory=lambda: np.zeros((0, 3), np.int64))
    regions: Mapping[str, Index] = field(default_factory=dict)

    @property
    def count(self) -> int:
        """Number of elements, quadrilaterals and triangles."""
        return len(self.quads) + len(self.triangles)

    @cached_property
    def blocks(self) -> tuple[Block, ...]:
        """Elements by their number of corners, in the order in which they are numbered."""
        found, first = [], 0
        for nodes in (self.quads, self.triangles):
            if len(nodes):
                found.append(Block(nodes, first))
            first += len(nodes)
        return tuple(found)

    @cached_property
    def sides(self) -> Index:
        """Both ends of every side of every element, shape (s, 2), in the sense of its corners."""
        both = [np.stack([b.nodes, np.roll(b.nodes, -1, axis=1)], axis=2) for b in self.blocks]
        return np.concatenate([np.zeros((0, 2), np.int64), *(x.reshape(-1, 2) for x in both)])

    def parts(self, elements: Index) -> list[tuple[Index, Index]]:
        """Corner nodes (q, c) and numbers (q,) of some elements, block by block."""
        found = []
        for block in self.blocks:
            end = block.which.stop
            mine = elements[(elements >= block.first) & (elements < end)]
            if len(mine):
                found.append((block.nodes[mine - block.first], mine))
        return found

    def at_nodes(self, values: Array) -> Array:
        """Sum of the values of all elements at a node, from shape (m, c) to shape (n, c)."""
        total = np.zeros((len(self.nodes), values.shape[1]))
        for block in self.blocks:
            for corner in range(block.corners):
                np.add.at(total, block.nodes[:, corner], values[block.which])
        return total

    def point_mean(self, values: Array) -> Array:
        """Mean over the sampling points of each element, from (..., m, 4, c) to (..., m, c).

        Elements of fewer points repeat their last, which does not count again.
        """
        found = np.empty((*values.shape[:-2], values.shape[-1]))
        for block in self.blocks:
            points = values[..., block.which, : block.corners, :]
            found[..., block.which, :] = points.mean(axis=-2)
        return found

    def centres(self) -> Array:
        """Centre of every element, quadrilaterals first, shape (m, 3) [m]; not to be written."""
        return self._measures[0]

    @cached_property
    def _measures(self) -> tuple[Array, Array, Array]:
        """Centres, unit normals and areas, worked out once."""
        q, t = self.nodes[self.quads], self.nodes[self.triangles]
        centres = np.concatenate(
            [(q[:, 0] + q[:, 1] + q[:, 2] + q[:, 3]) / 4, (t[:, 0] + t[:, 1] + t[:, 2]) / 3]
        )
        crosses = np.concatenate(
            [
                np.cross(q[:, 2] - q[:, 0], q[:, 3] - q[:, 1]),
                np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]),
            ]
        )
        length = np.linalg.norm(crosses, axis=1)
        with np.errstate(invalid="ignore", divide="ignore"):
            normals = crosses / length[:, None]
        areas = length / 2
        areas[: len(q)] = _surface(q)
        found = centres, normals, areas
        for each in found:
            each.setflags(write=False)
        return found

    @cached_property
    def corner_table(self) -> Index:
        """Corner nodes of every element, shape (m, 4); triangles repeat their last."""
        found: Index = np.concatenate([self.quads, self.triangles[:, [0, 1, 2, 2]]])
        return found

    @cached_property
    def curved_sides(self) -> Array:
        """Which sides of the triangles lie between two triangles, shape (q, 3), 1 or 0."""
        sides = np.stack([self.triangles, np.roll(self.triangles, -1, axis=1)], axis=2)
        own = np.sort(sides.reshape(-1, 2), axis=1)
        four = np.stack([self.quads, np.roll(self.quads, -1, axis=1)], axis=2)
        other = np.sort(four.reshape(-1, 2), axis=1)
        every = np.concatenate([own, other])
        _, which, count = np.unique(every, axis=0, return_inverse=True, return_counts=True)
        which = which.ravel()
        of_triangles = np.bincount(which[: len(own)], minlength=len(count))
        both = (of_triangles == 2) & (count == 2)
        found: Array = both[which[: len(own)]].reshape(-1, 3).astype(float)
        return found

    def corners(self) -> Array:
        """Corner positions of every element, shape (m, 4, 3) [m]."""
        return self.nodes[self.quads]

    def normals(self) -> Array:
        """Unit normal at every element's centre, shape (m, 3); not to be written."""
        return self._measures[1]

    def areas(self) -> Array:
        """Area of every element, shape (m,) [m²]; not to be written."""
        return self._measures[2]

    def split(self) -> Mesh:
        """Return the mesh with every quadrilateral made two triangles, by its shorter diagonal."""
        x, q = self.nodes[self.quads], self.quads
        one = np.linalg.norm(x[:, 2] - x[:, 0], axis=1) <= np.linalg.norm(
            x[:, 3] - x[:, 1], axis=1
        )
        first = np.where(one[:, None], q[:, [0, 1, 2]], q[:, [0, 1, 3]])
        second = np.where(one[:, None], q[:, [0, 2, 3]], q[:, [1, 2, 3]])
        return Mesh(
            self.nodes,
            np.zeros((0, 4), np.int64),
            self.edges,
            triangles=np.concatenate([first, second, self.triangles]),
        )

    def flipped(self, which: Index | None = None) -> Mesh:
        """Return the mesh laid from its other side, or with those elements, shape (q,), so."""
        turned = np.zeros(self.count, bool)
        turned[slice(None) if which is None else which] = True
        quads, triangles = self.quads.copy(), self.triangles.copy()
        for nodes, here in ((quads, turned[: len(quads)]), (triangles, turned[len(quads) :])):
            nodes[here] = nodes[here, ::-1]
        return replace(self, quads=quads, triangles=triangles)


def _surface(x: Array) -> Array:
    """Area of the bilinear surface of quadrilaterals (m, 4, 3), as the elements integrate it."""
    g = 1 / np.sqrt(3.0)
    along = (x[:, 1] - x[:, 0]) / 4, (x[:, 2] - x[:, 3]) / 4
    across = (x[:, 3] - x[:, 0]) / 4, (x[:, 2] - x[:, 1]) / 4
    total = np.zeros(len(x))
    for eta in (-g, g):
        one = (1 - eta) * along[0] + (1 + eta) * along[1]
        for xi in (-g, g):
            other = (1 - xi) * across[0] + (1 + xi) * across[1]
            total += np.linalg.norm(np.cross(one, other), axis=1)
    return total


@dataclass(frozen=True)
class Opening:
    """A cut-out in a panel, in plan: a rectangle with round corners, or an ellipse.

    Attributes
    ----------
    name : str
        Of its edge.
    x, y : float
        Middle, from the panel's middle [m].
    length, width : float
        Along x and y [m].
    corner : float
        Radius of the corners [m]; None makes an ellipse.
    """

    name: str
    x: float
    y: float
    length: float
    width: float
    corner: float | None = None

    @property
    def size(self) -> tuple[float, float]:
        """Box round it [m]."""
        return self.length, self.width


@dataclass(frozen=True)
class Pad:
    """A round area of a panel that is a region of its own, such as a mount; in plan [m]."""

    name: str
    x: float
    y: float
    diameter: float

    @property
    def size(self) -> tuple[float, float]:
        """Box round it [m]."""
        return self.diameter, self.diameter


@dataclass(frozen=True)
class Panel:
    """A rectangular panel, flat, singly or doubly curved, with openings and pads.

    The surface is one circular arc swept along another. Both arcs bulge downwards about the
    centre, so that a positive radius makes the panel concave seen from +z.

    Attributes
    ----------
    length, width : float
        Size along x and y, measured straight between the edges (the chords) [m].
    radius_x, radius_y : float or None
        Radius of the arc along x and along y [m]; None is straight. Negative curves the
        other way.
    openings : tuple of Opening
        Cut-outs.
    pads : tuple of Pad
        Areas with names of their own.
    """

    length: float
    width: float
    radius_x: float | None = None
    radius_y: float | None = None
    openings: tuple[Opening, ...] = ()
    pads: tuple[Pad, ...] = ()
    kind: Literal["panel"] = "panel"


def check_panel(panel: Panel, size: float) -> tuple[int, int]:
    """Element counts along x and y for a mesh size.

    Raises
    ------
    PartError
        When a dimension, radius or the mesh size makes no sense.
    """
    for name, value in (("length", panel.length), ("width", panel.width)):
        if not math.isfinite(value) or value <= 0:
            raise PartError(
                f"The {name} must be greater than zero, it is {value:g} m.",
                f"Surface, {name}",
                "Enter a positive length.",
            )
    for name, radius, chord in (
        ("radius along x", panel.radius_x, panel.length),
        ("radius along y", panel.radius_y, panel.width),
    ):
        if radius is not None and not (math.isfinite(radius) and abs(radius) > chord / 2):
            what = f"The {name} must be more than half the panel's size, {chord / 2:g} m."
            raise PartError(what, f"Surface, {name}", "Enlarge it, or leave it flat.")
    lengths = (_arc(panel.length, panel.radius_x), _arc(panel.width, panel.radius_y))
    if not math.isfinite(size) or size <= 0:
        raise PartError(
            f"The mesh size must be greater than zero, it is {size:g} m.",
            "Mesh size",
            "A tenth of the panel's width is a start.",
        )
    if size > min(lengths):
        what = f"The mesh size {size:g} m is larger than the panel ({min(lengths):.4g} m)."
        raise PartError(what, "Mesh size", f"Use {min(lengths) / 10:.2g} m or less.")
    counts = tuple(max(2, round(length / size)) for length in lengths)
    if counts[0] * counts[1] > MOST_ELEMENTS:
        what = f"A mesh size of {size:g} m asks for {counts[0] * counts[1]:,} elements."
        least = math.sqrt(lengths[0] * lengths[1] / MOST_ELEMENTS)
        raise PartError(what, "Mesh size", f"Use {least:.2g} m or more.")
    return counts[0], counts[1]


def panel_mesh(panel: Panel, size: float) -> Mesh:
    """Mesh a panel with elements of about one size.

    Parameters
    ----------
    panel : Panel
        The surface.
    size : float
        Element size along the arcs [m].

    Raises
    ------
    PartError
        As `check_panel`.
    """
    return grid_mesh(panel, *check_panel(panel, size))


def grid_mesh(panel: Panel, nx: int, ny: int) -> Mesh:
    """Mesh a panel with given element counts along x and y; normals point to +z."""
    x, zx = _arc_points(panel.length, panel.radius_x, nx)
    y, zy = _arc_points(panel.width, panel.radius_y, ny)
    nodes = np.stack(
        [np.tile(x, ny + 1), np.repeat(y, nx + 1), np.tile(zx, ny + 1) + np.repeat(zy, nx + 1)],
        axis=1,
    )
    i, j = np.meshgrid(np.arange(nx), np.arange(ny))
    first = (j * (nx + 1) + i).ravel()
    quads = np.stack([first, first + 1, first + nx + 2, first + nx + 1], axis=1)
    grid = np.arange((nx + 1) * (ny + 1)).reshape(ny + 1, nx + 1)
    edges = dict(zip(EDGES, (grid[:, 0], grid[:, -1], grid[0], grid[-1]), strict=True))
    places = np.stack([(i.ravel() + 0.5) / nx, (j.ravel() + 0.5) / ny], axis=1)
    return Mesh(nodes, quads.astype(np.int64), edges, places)


def arc_height(x: Array, radius: float | None) -> Array:
    """Height [m] of an arc over its lowest point, in the shape of the distances on the chord."""
    if radius is None:
        return np.zeros_like(x)
    return np.asarray(2 * radius * np.sin(np.arcsin(x / abs(radius)) / 2) ** 2)


def _arc(chord: float, radius: float | None) -> float:
    return chord if radius is None else 2 * abs(radius) * math.asin(chord / (2 * abs(radius)))


def _arc_points(chord: float, radius: float | None, count: int) -> tuple[Array, Array]:
    """Points of equal spacing along an arc: distance along the chord, and height [m]."""
    share = np.linspace(-1.0, 1.0, count + 1)
    if radius is None:
        return share * chord / 2, np.zeros(count + 1)
    angle = share * math.asin(chord / (2 * abs(radius)))
    # 2 sin² keeps the height's digits on shallow arcs, where 1 - cos would lose them.
    return abs(radius) * np.sin(angle), 2 * radius * np.sin(angle / 2) ** 2


def place_words(place: Array) -> str:
    """Say in words where on a panel a place is, from its shares along x and y, shape (2,)."""
    across = "left edge" if place[0] < 0.08 else "right edge" if place[0] > 0.92 else ""
    along = "lower edge" if place[1] < 0.08 else "upper edge" if place[1] > 0.92 else ""
    if across and along:
        return f"{along.split(maxsplit=1)[0]} {across.split(maxsplit=1)[0]} corner"
    third = ("lower", "middle", "upper")[min(2, int(place[1] * 3))]
    side = ("left", "middle", "right")[min(2, int(place[0] * 3))]
    if across:
        return f"{across}, {third}"
    if along:
        return f"{along}, {side}"
    if third == side:
        return "field, centre"
    return "field, " + " ".join(w for w in (third, side) if w != "middle")
