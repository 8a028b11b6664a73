"""Element matrices of mixed meshes summed into sparse matrices of the free unknowns.

Elements of one form are a group; what a form brings is in `forms`. The pattern depends on mesh and
supports alone and is kept while those stay.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Generator, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, TypeVar

import numpy as np
import scipy.sparse as sp
from cvxopt import matrix
from numpy.typing import NDArray

from tartan.core.shell.forms import FORMS, ElementForm
from tartan.core.shell.mesh import Mesh

Array = NDArray[np.float64]
Index = NDArray[np.int64]

Found = TypeVar("Found")

BLOCK = 1024
"""Elements worked on at a time; keeps the strain operators within about 50 MB."""

THREADS = min(os.cpu_count() or 1, 4)
"""Blocks in work at once; NumPy lets go of the interpreter in most of what a block does."""


@dataclass(frozen=True, eq=False)
class Part:
    """A block of elements of one form: corner nodes, element numbers, and their functions."""

    nodes: Index
    which: Index
    form: ElementForm

    @property
    def unknowns(self) -> Index:
        """Unknown numbers, shape (m, 6 corners)."""
        return (self.nodes[..., None] * 6 + np.arange(6)).reshape(len(self.nodes), -1)

    def operators(self, mesh: Mesh, reference: Array) -> Any:
        """Strain operators of the form, for a reference direction, shape (3,) or (m, 3)."""
        along = reference_of(reference, self.which)
        return self.form.block_operators(mesh, self.nodes, self.which, along)


def groups(mesh: Mesh) -> list[Part]:
    """The blocks of a mesh, each whole."""
    return [
        Part(b.nodes, np.arange(b.which.start, b.which.stop), FORMS[b.corners])
        for b in mesh.blocks
    ]


def blocks(mesh: Mesh) -> Iterator[Part]:
    """All elements, block by block."""
    for group in groups(mesh):
        for start in range(0, len(group.nodes), BLOCK):
            part = slice(start, start + BLOCK)
            yield Part(group.nodes[part], group.which[part], group.form)


@dataclass(frozen=True, eq=False)
class Pattern:
    """Lower triangle of the kept unknowns, column by column.

    `order` sorts the chosen entries of all element matrices, `starts` marks where each matrix
    entry begins among them, so that assembly is one gather and one segmented sum.
    """

    chosen: Index
    order: Index
    starts: Index
    rows: Any = field(repr=False)
    columns: Any = field(repr=False)
    size: int = 0

    def values(self, matrices: list[Array]) -> Array:
        """Entries of the sum of element matrices, one array a group."""
        flat = np.concatenate([m.ravel() for m in matrices])
        return np.asarray(np.add.reduceat(flat[self.chosen][self.order], self.starts))

    def sparse(self, matrices: list[Array]) -> Any:
        """Whole symmetric matrix as a SciPy one, from those of the elements, shape (m, d, d)."""
        rows, columns = (np.array(v).ravel() for v in (self.rows, self.columns))
        lower = sp.coo_matrix(
            (self.values(matrices), (rows, columns)), (self.size, self.size)
        ).tocsc()
        return (lower + sp.tril(lower, -1).T).tocsc()


def make_pattern(mesh: Mesh, fixed: NDArray[np.bool_]) -> Pattern:
    """Pattern of the unknowns that are not fixed; `fixed` has the shape (n, 6)."""
    free = ~fixed.ravel()
    # Small numbers are moved and sorted faster; models of most parts have few enough.
    number = np.where(free, np.cumsum(free) - 1, -1).astype(np.int32)
    rows_of, columns_of = [], []
    for group in groups(mesh):
        local = number[group.unknowns]
        width = local.shape[1]
        rows_of.append(np.repeat(local[:, :, None], width, axis=2).ravel())
        columns_of.append(np.repeat(local[:, None, :], width, axis=1).ravel())
    rows, columns = np.concatenate(rows_of), np.concatenate(columns_of)
    chosen = np.flatnonzero((rows >= columns) & (columns >= 0))
    size = int(free.sum())
    rows, columns = rows[chosen], columns[chosen]
    order = _by_columns(rows, columns, size)
    rows, columns = rows[order], columns[order]
    fresh = (rows[1:] != rows[:-1]) | (columns[1:] != columns[:-1])
    starts = np.flatnonzero(np.concatenate([[True], fresh]))
    own, along = (x[starts].astype(np.int64) for x in (rows, columns))
    return Pattern(chosen, order, starts, matrix(own), matrix(along), size)


def _by_columns(rows: NDArray[np.int32], columns: NDArray[np.int32], size: int) -> Index:
    """Order of entries column by column, each by its rows; entries alike stay as they came."""
    if size <= np.iinfo(np.uint16).max:
        # Numbers of two bytes are sorted digit by digit.
        inner = np.argsort(rows.astype(np.uint16), kind="stable")
        outer = np.argsort(columns.astype(np.uint16)[inner], kind="stable")
        return np.asarray(inner[outer])
    return np.asarray(np.argsort(columns.astype(np.int64) * size + rows, kind="stable"))


def element_matrices(mesh: Mesh, make: Callable[[Part], Array]) -> list[Array]:
    """Element matrices block by block, one array a group."""
    return finished(element_matrix_steps(mesh, make))


def finished(steps: Generator[Any, None, Found]) -> Found:
    """Run steps to their end and give what they return."""
    while True:
        try:
            next(steps)
        except StopIteration as end:
            found: Found = end.value
            return found


def element_matrix_steps(
    mesh: Mesh, make: Callable[[Part], Array]
) -> Generator[float, None, list[Array]]:
    """Element matrices, shape (m, d, d), block by block, telling the share that is behind."""
    found = {
        id(g.form): np.empty((len(g.nodes), 6 * g.nodes.shape[1], 6 * g.nodes.shape[1]))
        for g in groups(mesh)
    }
    first = {id(g.form): int(g.which[0]) for g in groups(mesh)}

    def fill(part: Part) -> None:
        key = id(part.form)
        found[key][part.which - first[key]] = make(part)

    yield from over_blocks(mesh, fill)
    return list(found.values())


def over_blocks(mesh: Mesh, work: Callable[[Part], None]) -> Generator[float, None, None]:
    """Work on all blocks, some at once, telling the share that is behind.

    `work` must write to places of its block alone. Leaving the steps early drops the rest.
    """
    every = list(blocks(mesh))
    with ThreadPoolExecutor(THREADS) as pool:
        for part, _ in zip(every, pool.map(work, every), strict=True):
            yield (int(part.which[-1]) + 1) / mesh.count


def reference_of(reference: Array, which: Index) -> Array:
    """Reference direction of some elements, from one for all (3,) or one each (m, 3)."""
    return reference if reference.ndim == 1 else reference[which]
