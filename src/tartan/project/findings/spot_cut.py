"""Pieces of a solved part cut out to be made solid, and what stands in the way of that."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property

import numpy as np
import scipy.sparse as sp
from numpy.typing import NDArray

from tartan.core.errors import PartError
from tartan.core.laminate.stiffness import Laminate
from tartan.core.materials import Material
from tartan.core.shell.directions import in_plane
from tartan.core.shell.recovery import within_distance
from tartan.core.solid.divided import Piece, piece_of
from tartan.core.solid.patch import Patch, check_room, stretch_of
from tartan.project.analysis.caseloads import Heat, case_forces, on_faces
from tartan.project.analysis.jobs import PartAnswer
from tartan.project.analysis.part_ring import ring_ties
from tartan.project.analysis.shellinputs import held_nodes, ties_of
from tartan.project.analysis.superposition import heats_in, part_of, scheme_of
from tartan.project.document.partmodel import Acceleration, Case, EdgeForce, Force

Array = NDArray[np.float64]
Index = NDArray[np.int64]
Mask = NDArray[np.bool_]

WHERE = "Check in 3-D"

FOLD = 0.94
"""Cosine between neighbouring elements below which the surface is folded there: 20°."""


TRACE = 1e-9
"""Share of the greatest force below which a node is not pushed."""


class Cutter:
    """Cuts pieces of one spot out of a part, at one distance or another.

    Parameters
    ----------
    answer : PartAnswer
        The part.
    element, case : int
        The spot's, from 0.
    parts : int
        Solids along the side of an element.
    materials : mapping of str to Material
        With what three dimensions need.
    """

    def __init__(
        self,
        answer: PartAnswer,
        element: int,
        case: int,
        parts: int,
        materials: Mapping[str, Material],
    ) -> None:
        self.answer, self.materials = answer, materials
        self.element, self.case, self.parts = element, case, parts
        self.layout = answer.layout()
        self.mesh = self.layout.mesh
        self._laminates: dict[int, Laminate] = {}

    def laminate(self, element: int) -> Laminate:
        """Laminate of an element with what was assumed of its materials."""
        zone = int(self.layout.zones.zone[element])
        if zone not in self._laminates:
            own = self.layout.zones.laminates[zone]
            full = tuple(self.materials[m.name] for m in own.materials)
            self._laminates[zone] = Laminate(own.stack, full, own.offset)
        return self._laminates[zone]

    def cut(self, distance: float) -> tuple[Patch, Piece, tuple[str, ...]]:
        """The piece within a distance, how it was divided, and what is to be said of it.

        Raises
        ------
        PartError
            A spot that cannot be cut out so, with what can be done instead.
        """
        elements, words = self._elements(distance)
        piece = piece_of(self.mesh, elements, self.parts)
        cut, rim = self._sides(elements, piece)
        self._check(elements, piece, cut)
        if rim:
            words = (*words, "a free rim of the part lies within")
        return self._patch(piece, cut), piece, words

    def whole(self, per_ply: int) -> tuple[Patch, Piece, tuple[str, ...]]:
        """All of the part that has the spot's plies; what is held or pushed moves as the shell.

        Raises
        ------
        PartError
            As `cut`, where nothing is held, and what memory does not hold.
        """
        elements, words = self._elements(np.inf)
        used = np.zeros(len(self.mesh.nodes), bool)
        used[np.concatenate([self._corners(int(e)) for e in elements])] = True
        # Where there are triangles all are divided, as `piece_of` says.
        parts = max(self.parts, 2) if (elements >= len(self.mesh.quads)).any() else self.parts
        check_room(self.laminate(self.element), parts**2 * int(used.sum()), per_ply)
        piece = piece_of(self.mesh, elements, self.parts)
        moved, _ = self._sides(elements, piece)
        self._check_folds(elements)
        forces = self._concentrated
        led = self._held | self._tied | (forces > TRACE * forces.max(initial=0.0))
        moved |= piece.weights @ led.astype(float) > 1 - 1e-9
        if not moved.any():
            raise PartError(
                "Nothing holds the part that solids could be held by.",
                WHERE,
                "Hold an edge or a place of it in Cases, or give a distance.",
            )
        if moved.all():
            raise PartError(
                "All its nodes are held or pushed, and would move as the shell does.",
                WHERE,
                "Enter a smaller mesh size, or choose another spot.",
            )
        return self._patch(piece, moved), piece, words

    def _elements(self, distance: float) -> tuple[Index, tuple[str, ...]]:
        """Elements round the spot that have its plies, joined to it."""
        spot, zones = self.element, self.layout.zones
        corners = self._corners(spot)
        near = np.arange(self.mesh.count)
        if np.isfinite(distance):
            near = np.union1d(within_distance(self.mesh, corners, distance), [spot])
        same = {k for k, p in enumerate(zones.plies) if p == zones.plies[zones.zone[spot]]}
        alike = np.array([int(zones.zone[e]) in same for e in near])
        words = () if alike.all() else ("it ends where other plies begin",)
        kept = near[alike]
        graph = _joined([self._corners(int(e)) for e in kept], len(self.mesh.nodes))
        label = sp.csgraph.connected_components(graph, directed=False)[1]
        mine = kept[label == label[int(np.flatnonzero(kept == spot)[0])]]
        return mine, words

    def _corners(self, element: int) -> Index:
        quads = self.mesh.quads
        if element < len(quads):
            return np.asarray(quads[element])
        return np.asarray(self.mesh.triangles[element - len(quads)])

    def _sides(self, elements: Index, piece: Piece) -> tuple[Mask, bool]:
        """Nodes of the piece on the cut, and whether some of its sides are a rim of the part."""
        sides, count = piece.sides()
        if (count > 2).any():
            raise PartError(
                "Three or more surfaces meet within the distance.",
                WHERE,
                "Choose a spot farther from there, or a smaller distance.",
            )
        outer = sides[count == 1]
        inside = np.zeros(self.mesh.count, bool)
        inside[elements] = True
        others = np.zeros(len(self.mesh.nodes), bool)
        for block in self.mesh.blocks:
            others[block.nodes[~inside[block.which]].ravel()] = True
        # Both corners of a side of the cut belong to elements beyond it; so may those of a rim
        # that is one element long, which is told by the shell's own rim.
        beyond = piece.weights @ others.astype(float) > 1 - 1e-9
        cut = np.zeros(piece.count, bool)
        rim = ~beyond[outer].all(axis=1)
        cut[outer[~rim].ravel()] = True
        return cut, bool(rim.any())

    def _check(self, elements: Index, piece: Piece, cut: Mask) -> None:
        """Refuse what a piece of shell cannot be cut out with."""
        if cut.all():
            raise PartError(
                "The piece is one element wide: all its nodes lie on the cut.",
                WHERE,
                "Enter a larger distance, or a smaller mesh size.",
            )
        if not cut.any():
            raise PartError(
                "The whole component lies within the distance.",
                WHERE,
                "Ask for the whole part, or enter a smaller distance.",
            )
        self._check_folds(elements)
        # Nodes of the mesh itself within the piece; what was divided between them stands on none.
        own = np.diff(piece.weights.indptr) == 1
        loose = np.zeros(len(self.mesh.nodes), bool)
        loose[piece.weights[own & ~cut].indices] = True
        if (self._tied & loose).any():
            raise PartError(
                "A tie, or the cut of a part of a ring, lies within the distance.",
                WHERE,
                "Choose a spot farther from it, or a smaller distance.",
            )
        if (self._held & loose).any():
            raise PartError(
                "A support lies within the distance: what it holds of a solid is not known.",
                WHERE,
                "Choose a spot farther from it, or a smaller distance.",
            )
        forces = self._concentrated
        if forces.any() and (forces[loose] > TRACE * forces.max()).any():
            raise PartError(
                "A force on an edge or a place lies within the distance.",
                WHERE,
                "Choose a spot farther from it, or a smaller distance.",
            )

    def _check_folds(self, elements: Index) -> None:
        normals = self.mesh.normals()
        graph = _joined([self._corners(int(e)) for e in elements], len(self.mesh.nodes)).tocoo()
        pairs = elements[graph.row], elements[graph.col]
        if len(pairs[0]) and (np.einsum("pi,pi->p", *(normals[p] for p in pairs)) < FOLD).any():
            raise PartError(
                "The surface is folded within the distance.",
                WHERE,
                "Choose a spot farther from the fold, a smaller distance, or a finer mesh.",
            )

    # What does not depend on the distance is worked out once, however many are tried.

    @cached_property
    def _tied(self) -> Mask:
        """Nodes of ties, those that lead and those that follow."""
        mesh, part = self.mesh, self.answer.inputs.part
        found = np.zeros(len(mesh.nodes), bool)
        for tie in (*ring_ties(part, mesh), *ties_of(mesh, part.tie_gap)):
            found[tie.nodes] = True
            found[np.unique(tie.rows.tocoo().col // 6)] = True
        return found

    @cached_property
    def _columns(self) -> list[tuple[float, Case]]:
        """Loads of the case with their factors: held ones and growing ones together."""
        scheme, inputs = scheme_of(self.answer.inputs), self.answer.inputs
        factors = scheme.growing[self.case] + scheme.held[self.case]
        return [
            (float(f), part_of(inputs.cases[c.case], held=c.held))
            for f, c in zip(factors, scheme.columns, strict=True)
            if f
        ]

    @cached_property
    def _held(self) -> Mask:
        found = np.zeros(len(self.mesh.nodes), bool)
        for _, case in self._columns:
            supports = self.answer.inputs.supports_of(case.supports)
            for held in held_nodes(self.layout.whole, supports):
                found[held.nodes] = True
        return found

    @cached_property
    def _concentrated(self) -> Array:
        """Size of what acts at the nodes by loads on edges and places, shape (n,)."""
        total = np.zeros((len(self.mesh.nodes), 6))
        for factor, case in self._columns:
            own = tuple(x for x in case.loads if isinstance(x, EdgeForce | Force))
            if own:
                alone = replace(case, loads=own)
                total += factor * case_forces(self.layout, alone, self.answer.inputs.tables)
        return np.asarray(np.abs(total).max(axis=1))

    @cached_property
    def _pressure(self) -> Array:
        total = np.zeros((self.mesh.count, 2))
        for factor, case in self._columns:
            total += factor * on_faces(self.layout, case, self.answer.inputs.tables)
        return total

    @cached_property
    def _driven(self) -> Array:
        """Acceleration of the mass, shape (3,) [m/s²]."""
        total = np.zeros(3)
        for factor, case in self._columns:
            for load in case.loads:
                if isinstance(load, Acceleration):
                    total += factor * np.array(load.vector)
        return total

    @cached_property
    def _heat(self) -> Array:
        total = Heat()
        for heat in heats_in(self.answer.inputs, self.case):
            total = total if heat is None else total.plus(heat)
        load = total.on(self.answer.sign(self.element))
        return np.array([load.dT, load.dT_gradient])

    def _normals(self, elements: Index) -> Array:
        """Normals at the nodes of elements, of those round them too that are not folded off."""
        mesh = self.mesh
        weighted = mesh.normals() * mesh.areas()[:, None]
        mine = np.zeros_like(weighted)
        mine[elements] = weighted[elements]
        own = mesh.at_nodes(mine)
        size = np.linalg.norm(own, axis=1, keepdims=True)
        unit = own / np.where(size > 0, size, 1.0)
        found = np.zeros_like(own)
        for block in mesh.blocks:
            for corner in range(block.corners):
                node = block.nodes[:, corner]
                along = np.einsum("ei,ei->e", mesh.normals()[block.which], unit[node])
                near = along > FOLD
                np.add.at(found, node[near], weighted[block.which][near])
        return found

    def _stretch(self, piece: Piece, cut: Mask) -> Array:
        """Strain across the plies at nodes of the cut, the mean of the elements round each."""
        mean = self.mesh.point_mean(self.answer.solution.strains[self.case])
        heat = self._heat
        edge = np.flatnonzero(cut[piece.quads].any(axis=1))
        found = np.zeros((piece.count, self.laminate(self.element).count, 2))
        count, own = np.zeros((piece.count, 1, 1)), dict[int, Array]()
        for quad, e in zip(piece.quads[edge], piece.element[edge].tolist(), strict=True):
            if e not in own:
                own[e] = stretch_of(self.laminate(e), mean[e], heat)
            found[quad] += own[e]
            count[quad] += 1
        return np.asarray(found / np.maximum(count, 1))

    def _patch(self, piece: Piece, cut: Mask) -> Patch:
        layout, weights = self.layout, piece.weights
        nodes = weights @ self.mesh.nodes
        normals = weights @ self._normals(np.unique(piece.element))
        normals /= np.linalg.norm(normals, axis=1, keepdims=True)
        laminates = tuple(self.laminate(int(e)) for e in piece.element)
        heights, count = np.zeros((piece.count, laminates[0].count + 1)), np.zeros(piece.count)
        for quad, laminate in zip(piece.quads, laminates, strict=True):
            heights[quad] += laminate.z
            count[quad] += 1
        heights /= count[:, None]
        axes = _axes(nodes[piece.quads], layout.whole.direction[piece.element])
        return Patch(
            nodes,
            normals,
            piece.quads,
            heights,
            axes,
            laminates,
            cut,
            weights @ self.answer.solution.displacement[self.case],
            self._stretch(piece, cut),
            self._pressure[piece.element],
            self._heat,
            self._driven,
        )


def _axes(corners: Array, direction: Array) -> Array:
    """0°, 90° and normal of quadrilaterals, shape (q, 3, 3) of corners (q, 4, 3)."""
    normal = np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1])
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    along = in_plane(direction, normal)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    return np.stack([along, np.cross(normal, along), normal], axis=1)


def _joined(corners: list[Index], nodes: int) -> sp.csr_matrix:
    """Elements that share a side, as a sparse matrix."""
    rows = np.repeat(np.arange(len(corners)), [len(c) for c in corners])
    touches = sp.coo_matrix(
        (np.ones(len(rows)), (rows, np.concatenate(corners))), (len(corners), nodes)
    ).tocsr()
    shared = (touches @ touches.T).tocoo()
    keep = (shared.data >= 2) & (shared.row != shared.col)
    return sp.coo_matrix(
        (np.ones(int(keep.sum())), (shared.row[keep], shared.col[keep])), shared.shape
    ).tocsr()
